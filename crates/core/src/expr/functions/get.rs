use super::{Function, Kind, Lifts, Parameter, gives, members};
use crate::value::Value;

pub(super) const GET: Function = Function {
    name: "get",
    group: "Records",
    summary: "What a record has under a name; null where it has nothing.",
    takes: Kind::Record,
    gives: gives::anything,
    parameters: &[Parameter { name: "name", kind: Kind::Text, optional: false }],
    examples: &[("{ \"a-b\": 1 } | get \"a-b\"", "1")],
    lifts: Lifts::Top,
    body: |input, arguments| {
        Ok(members(input)
            .find(|(name, _)| name.as_str() == arguments.text(0))
            .map_or(Value::Null, |(_, value)| value.clone()))
    },
};
