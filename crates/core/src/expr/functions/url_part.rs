use super::{Function, Kind, Lifts, Parameter, gives, text};
use crate::value::Value;
use url::Url;

pub(super) const URL_PART: Function = Function {
    name: "url_part",
    group: "Addresses",
    summary: "A part of a web address: `\"scheme\"`, `\"host\"`, `\"port\"`, `\"path\"`, `\"file\"`, `\"query\"` or `\"fragment\"`; null where it has none.",
    takes: Kind::Text,
    gives: gives::text_or_null,
    parameters: &[Parameter {
        name: "part",
        kind: Kind::Word(&["scheme", "host", "port", "path", "file", "query", "fragment"]),
        optional: false,
    }],
    examples: &[("\"https://ostrel.example/img/fern.jpg?w=2\" | url_part \"file\"", "\"fern.jpg\"")],
    lifts: Lifts::Deep,
    body: |input, arguments| {
        let url = Url::parse(text(input)).map_err(|_| format!("`{}` is not a web address", text(input)))?;
        let part = match arguments.text(0) {
            "scheme" => Some(url.scheme().to_owned()),
            "host" => url.host_str().map(str::to_owned),
            "port" => url.port_or_known_default().map(|port| port.to_string()),
            "path" => Some(url.path().to_owned()),
            "file" => url.path_segments().and_then(|mut parts| parts.next_back()).map(str::to_owned),
            "query" => url.query().map(str::to_owned),
            _ => url.fragment().map(str::to_owned),
        };
        Ok(part.filter(|part| !part.is_empty()).map_or(Value::Null, Value::Text))
    },
};
