use super::{Function, Kind, Lifts, gives, text};
use crate::value::Value;

pub(super) const PLAIN: Function = Function {
    name: "plain",
    group: "Text",
    summary: "The text of HTML: tags gone, entities read, blocks on lines of their own.",
    takes: Kind::Text,
    gives: gives::shorter_plain_text,
    parameters: &[],
    examples: &[("\"<p>Ferns &amp; mosses</p>\" | plain", "\"Ferns & mosses\"")],
    lifts: Lifts::Deep,
    body: |input, _| crate::text::plain(text(input)).map(Value::Text).map_err(|error| error.to_string()),
};
