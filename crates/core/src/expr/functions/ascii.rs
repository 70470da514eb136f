use super::{Function, Kind, Lifts, gives, on_text};

pub(super) const ASCII: Function = Function {
    name: "ascii",
    group: "Text",
    summary: "Text in ASCII letters, as near as they come.",
    takes: Kind::Text,
    gives: gives::text,
    parameters: &[],
    examples: &[("\"Fougère, Ŵyr\" | ascii", "\"Fougere, Wyr\"")],
    lifts: Lifts::Deep,
    body: |input, _| on_text(input, deunicode::deunicode),
};
