use super::{Function, Kind, Lifts, gives, on_text};

pub(super) const CAPITALISE: Function = Function {
    name: "capitalise",
    group: "Text",
    summary: "Text with its first letter as a capital.",
    takes: Kind::Text,
    gives: gives::plain_text,
    parameters: &[],
    examples: &[("\"royal fern\" | capitalise", "\"Royal fern\"")],
    lifts: Lifts::Deep,
    body: |input, _| on_text(input, crate::text::capitalise),
};
