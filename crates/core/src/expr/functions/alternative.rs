use super::{Function, Kind, Lifts, gives, members};
use crate::value::Value;

pub(super) const ALTERNATIVE: Function = Function {
    name: "alternative",
    group: "Pictures",
    summary: "The alternative text of a picture: its `alternative`, `alt` or `caption`, the first that says something, in each language.",
    takes: Kind::Record,
    gives: gives::text_or_null,
    parameters: &[],
    examples: &[("{ url: \"f.jpg\", alt: \"A fern\" } | alternative", "\"A fern\"")],
    lifts: Lifts::Deep,
    body: |input, _| {
        let said = |name: &str| members(input).find(|(known, value)| *known == name && !value.is_blank());
        let found = ["alternative", "alt", "caption"].iter().find_map(|name| said(name));
        Ok(found.map_or(Value::Null, |(_, value)| value.clone()))
    },
};
