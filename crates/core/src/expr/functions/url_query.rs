use super::{Function, Kind, Lifts, Parameter, gives, text};
use crate::value::Value;
use url::Url;

pub(super) const URL_QUERY: Function = Function {
    name: "url_query",
    group: "Addresses",
    summary: "What a web address's query says under a name; null where it does not.",
    takes: Kind::Text,
    gives: gives::text_or_null,
    parameters: &[Parameter { name: "name", kind: Kind::Text, optional: false }],
    examples: &[("\"https://ostrel.example/?bed=14&x=1\" | url_query \"bed\"", "\"14\"")],
    lifts: Lifts::Deep,
    body: |input, arguments| {
        let url = Url::parse(text(input)).map_err(|_| format!("`{}` is not a web address", text(input)))?;
        let found = url.query_pairs().find(|(name, _)| name == arguments.text(0));
        Ok(found.map_or(Value::Null, |(_, value)| Value::Text(value.into_owned())))
    },
};
