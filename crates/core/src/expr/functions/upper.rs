use super::{Function, Kind, on_text};

/// Text in upper case.
pub(super) const UPPER: Function = Function {
    name: "upper",
    summary: "Text in upper case.",
    takes: Kind::Text,
    gives: Kind::Text,
    parameters: &[],
    examples: &[("\"fern\" | upper", "\"FERN\"")],
    call: |input, _| on_text(input, str::to_uppercase),
};
