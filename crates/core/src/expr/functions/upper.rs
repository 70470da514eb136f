use super::{Function, Kind, Lifts, gives, on_text};

pub(super) const UPPER: Function = Function {
    name: "upper",
    group: "Text",
    summary: "Text in upper case.",
    takes: Kind::Text,
    gives: gives::plain_text,
    parameters: &[],
    examples: &[("\"fern\" | upper", "\"FERN\"")],
    lifts: Lifts::Deep,
    body: |input, _| on_text(input, str::to_uppercase),
};
