use super::{Function, Kind, Lifts, Parameter, gives, scalar, text};
use crate::value::Value;
use url::Url;

pub(super) const WITH_QUERY: Function = Function {
    name: "with_query",
    group: "Addresses",
    summary: "A web address with a name and value in its query, in place of what it said before.",
    takes: Kind::Text,
    gives: gives::url,
    parameters: &[
        Parameter { name: "name", kind: Kind::Text, optional: false },
        Parameter { name: "value", kind: Kind::Scalar, optional: false },
    ],
    examples: &[("\"https://ostrel.example/?x=1\" | with_query \"bed\" 14", "\"https://ostrel.example/?x=1&bed=14\"")],
    lifts: Lifts::Deep,
    body: |input, arguments| {
        let mut url = Url::parse(text(input)).map_err(|_| format!("`{}` is not a web address", text(input)))?;
        let name = arguments.text(0);
        let kept: Vec<(String, String)> = url.query_pairs().into_owned().filter(|(known, _)| known != name).collect();
        let value = arguments.value(1).map(scalar).unwrap_or_default();
        url.query_pairs_mut().clear().extend_pairs(kept).append_pair(name, &value);
        Ok(Value::Text(url.into()))
    },
};
