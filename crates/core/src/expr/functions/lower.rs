use super::{Function, Kind, Lifts, gives, on_text};

pub(super) const LOWER: Function = Function {
    name: "lower",
    group: "Text",
    summary: "Text in lower case.",
    takes: Kind::Text,
    gives: gives::plain_text,
    parameters: &[],
    examples: &[("\"Royal FERN\" | lower", "\"royal fern\"")],
    lifts: Lifts::Deep,
    body: |input, _| on_text(input, str::to_lowercase),
};
