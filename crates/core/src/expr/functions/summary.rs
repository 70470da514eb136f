use super::{Function, Kind, Lifts, Parameter, gives, text};
use crate::text::{keywords::summary, plain};
use crate::value::Value;

pub(super) const SUMMARY: Function = Function {
    name: "summary",
    group: "Text",
    summary: "The sentences that say most, at most so many, in the order of the text; tags are left out.",
    takes: Kind::Text,
    gives: gives::plain_text,
    parameters: &[
        Parameter { name: "sentences", kind: Kind::Count, optional: false },
        Parameter { name: "language", kind: Kind::Text, optional: true },
    ],
    examples: &[(
        "\"<p>Ferns grow. The royal fern grows in wet woods. Yes.</p>\" | summary 1",
        "\"The royal fern grows in wet woods.\"",
    )],
    lifts: Lifts::Deep,
    body: |input, arguments| {
        let language = arguments.text_or(1, "en");
        let whole = plain(text(input)).map_err(|error| error.to_string())?.replace('\n', " ");
        Ok(Value::Text(summary(&whole, arguments.count(0), language)))
    },
};
