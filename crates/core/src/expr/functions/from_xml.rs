use super::{Function, Kind, Lifts, gives, text};
use crate::text::xml;
use crate::value::from_json;

pub(super) const FROM_XML: Function = Function {
    name: "from_xml",
    group: "Data",
    summary: "The document that a text holds as XML: attributes as `@name`, text as `#text`, child elements as lists under their names.",
    takes: Kind::Text,
    gives: gives::anything,
    parameters: &[],
    examples: &[("\"<bed n=\\\"1\\\">peat</bed>\" | from_xml", "{ bed: { \"@n\": \"1\", \"#text\": \"peat\" } }")],
    lifts: Lifts::Deep,
    body: |input, _| {
        let read = xml::to_json(text(input), xml::LIMITS).map_err(|error| format!("this is not XML: {error}"))?;
        Ok(from_json(&read))
    },
};
