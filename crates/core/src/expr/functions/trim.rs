use super::{Function, Kind, on_text};

/// Text without white space at its ends.
pub(super) const TRIM: Function = Function {
    name: "trim",
    summary: "Text without white space at its ends.",
    takes: Kind::Text,
    gives: Kind::Text,
    parameters: &[],
    examples: &[("\"  fern \" | trim", "\"fern\"")],
    call: |input, _| on_text(input, |text| text.trim().to_owned()),
};
