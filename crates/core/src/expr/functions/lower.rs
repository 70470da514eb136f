use super::{Function, Kind, on_text};

/// Text in lower case.
pub(super) const LOWER: Function = Function {
    name: "lower",
    summary: "Text in lower case.",
    takes: Kind::Text,
    gives: Kind::Text,
    parameters: &[],
    examples: &[("\"Royal FERN\" | lower", "\"royal fern\"")],
    call: |input, _| on_text(input, str::to_lowercase),
};
