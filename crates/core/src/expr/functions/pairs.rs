use super::{Function, Kind, Lifts, gives, members, record};
use crate::value::Value;

pub(super) const PAIRS: Function = Function {
    name: "pairs",
    group: "Records",
    summary: "A record as a list of records of `name` and `value`.",
    takes: Kind::Record,
    gives: gives::list,
    parameters: &[],
    examples: &[("{ a: 1 } | pairs", "[{ name: \"a\", value: 1 }]")],
    lifts: Lifts::Top,
    body: |input, _| {
        let pair =
            |(name, value): (&String, &Value)| record([("name", name.as_str().into()), ("value", value.clone())]);
        Ok(Value::List(members(input).map(pair).collect()))
    },
};
