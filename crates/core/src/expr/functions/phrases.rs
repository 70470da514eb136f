use super::{Function, Kind, Lifts, Parameter, gives, record, text};
use crate::text::keywords::{Phrase, phrases};
use crate::text::plain;
use crate::value::Value;

pub(super) const PHRASES: Function = Function {
    name: "phrases",
    group: "Text",
    summary: "The same as `keywords`, as records of `phrase` and `score`.",
    takes: Kind::Text,
    gives: gives::scored,
    parameters: &[
        Parameter { name: "most", kind: Kind::Count, optional: false },
        Parameter { name: "language", kind: Kind::Text, optional: true },
    ],
    examples: &[("\"The royal fern of the woods\" | phrases 1", "[{ phrase: \"royal fern\", score: 4.0 }]")],
    lifts: Lifts::Deep,
    body: |input, arguments| {
        let found = phrases(&plain(text(input)).map_err(|error| error.to_string())?, arguments.text_or(1, "en"));
        let scored = found.into_iter().take(arguments.count(0));
        let row = |phrase: Phrase| record([("phrase", phrase.text.into()), ("score", Value::Number(phrase.score))]);
        Ok(Value::List(scored.map(row).collect()))
    },
};
