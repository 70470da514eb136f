use super::{Function, Kind, Lifts, Parameter, gives, text};
use crate::value::Value;

pub(super) const ENSURE: Function = Function {
    name: "ensure",
    group: "The hub",
    summary: "What a word is called at the lane's destination, where it has a document of its own: a category, a topic, an author. The lane that is named finds or makes it, once for all entries, before the entry goes; till then its address in the hub stands for it.",
    takes: Kind::Text,
    gives: gives::identifier,
    parameters: &[Parameter { name: "lane", kind: Kind::Lane, optional: false }],
    examples: &[("\"wet woods\" | ensure topics", "\"topics-wet woods\"")],
    lifts: Lifts::Deep,
    body: |input, arguments| match text(input).trim() {
        "" => Ok(Value::Null),
        word => arguments.ensured(word, 0),
    },
};
