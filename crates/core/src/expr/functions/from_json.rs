use super::{Function, Kind, Lifts, gives, text};
use crate::value::from_json;

pub(super) const FROM_JSON: Function = Function {
    name: "from_json",
    group: "Data",
    summary: "The value that a text holds as JSON.",
    takes: Kind::Text,
    gives: gives::anything,
    parameters: &[],
    examples: &[("\"{\\\"soil\\\": [\\\"peat\\\"]}\" | from_json", "{ soil: [\"peat\"] }")],
    lifts: Lifts::Deep,
    body: |input, _| {
        let read: serde_json::Value =
            serde_json::from_str(text(input)).map_err(|error| format!("this is not JSON: {error}"))?;
        Ok(from_json(&read))
    },
};
