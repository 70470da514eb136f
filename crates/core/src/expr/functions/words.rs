use super::{Function, Kind, Lifts, gives, text};
use crate::value::Value;
use unicode_segmentation::UnicodeSegmentation;

pub(super) const WORDS: Function = Function {
    name: "words",
    group: "Text",
    summary: "The words of a plain text (UAX #29).",
    takes: Kind::Text,
    gives: gives::texts,
    parameters: &[],
    examples: &[
        ("\"Ferns, and a moss.\" | words", "[\"Ferns\", \"and\", \"a\", \"moss\"]"),
        ("\"A walk\" | words | count", "2"),
    ],
    lifts: Lifts::Deep,
    body: |input, _| Ok(Value::List(text(input).unicode_words().map(Value::from).collect())),
};
