use super::{Function, Kind, Lifts, gives, on_text};

pub(super) const TITLE_CASE: Function = Function {
    name: "title_case",
    group: "Text",
    summary: "Text with the first letter of every word as a capital.",
    takes: Kind::Text,
    gives: gives::plain_text,
    parameters: &[],
    examples: &[("\"royal fern\" | title_case", "\"Royal Fern\"")],
    lifts: Lifts::Deep,
    body: |input, _| on_text(input, crate::text::title_case),
};
