use super::{Function, Kind, Lifts, Parameter, gives, text};
use crate::text::{keywords::phrases, plain};
use crate::value::Value;

pub(super) const KEYWORDS: Function = Function {
    name: "keywords",
    group: "Text",
    summary: "The phrases that say most about a text (Rose et al. 2010), at most so many; tags are left out. The language tells the stop words, `\"en\"` where none is given.",
    takes: Kind::Text,
    gives: gives::texts,
    parameters: &[
        Parameter { name: "most", kind: Kind::Count, optional: false },
        Parameter { name: "language", kind: Kind::Text, optional: true },
    ],
    examples: &[("\"<p>The royal fern is a fern of wet woods.</p>\" | keywords 2", "[\"wet woods\", \"royal fern\"]")],
    lifts: Lifts::Deep,
    body: |input, arguments| {
        let found = phrases(&plain(text(input)).map_err(|error| error.to_string())?, arguments.text_or(1, "en"));
        Ok(Value::List(found.into_iter().take(arguments.count(0)).map(|phrase| phrase.text.into()).collect()))
    },
};
