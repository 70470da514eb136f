use super::{Function, Kind, Lifts, gives, on_text};

pub(super) const TRIM: Function = Function {
    name: "trim",
    group: "Text",
    summary: "Text without white space at its ends.",
    takes: Kind::Text,
    gives: gives::no_longer,
    parameters: &[],
    examples: &[("\"  fern \" | trim", "\"fern\"")],
    lifts: Lifts::Deep,
    body: |input, _| on_text(input, |text| text.trim().to_owned()),
};
