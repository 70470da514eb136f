use super::{Function, Kind, Lifts, gives, on_text};

pub(super) const PLAIN: Function = Function {
    name: "plain",
    group: "Text",
    summary: "The text of HTML: tags gone, entities read, blocks on lines of their own.",
    takes: Kind::Text,
    gives: gives::shorter_plain_text,
    parameters: &[],
    examples: &[("\"<p>Ferns &amp; mosses</p>\" | plain", "\"Ferns & mosses\"")],
    lifts: Lifts::Deep,
    body: |input, _| on_text(input, crate::text::plain),
};
