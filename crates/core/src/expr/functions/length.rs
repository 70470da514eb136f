use super::{Function, Kind, Lifts, gives, integer, text};

pub(super) const LENGTH: Function = Function {
    name: "length",
    group: "Text",
    summary: "How many characters a text has.",
    takes: Kind::Text,
    gives: gives::integer,
    parameters: &[],
    examples: &[("\"ŵyr\" | length", "3")],
    lifts: Lifts::Deep,
    body: |input, _| Ok(integer(text(input).chars().count())),
};
