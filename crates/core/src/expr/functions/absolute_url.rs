use super::{Function, Kind, Lifts, Parameter, gives, text};
use crate::value::Value;
use url::Url;

pub(super) const ABSOLUTE_URL: Function = Function {
    name: "absolute_url",
    group: "Addresses",
    summary: "An address that is relative to another, whole.",
    takes: Kind::Text,
    gives: gives::url,
    parameters: &[Parameter { name: "base", kind: Kind::Text, optional: false }],
    examples: &[(
        "\"../img/fern.jpg\" | absolute_url \"https://ostrel.example/plants/\"",
        "\"https://ostrel.example/img/fern.jpg\"",
    )],
    lifts: Lifts::Deep,
    body: |input, arguments| {
        let base =
            Url::parse(arguments.text(0)).map_err(|_| format!("`{}` is not a web address", arguments.text(0)))?;
        base.join(text(input))
            .map(|url| Value::Text(url.into()))
            .map_err(|_| format!("`{}` is not a web address", text(input)))
    },
};
