use super::{Function, Kind, Lifts, Parameter, gives, items};
use crate::value::Value;

pub(super) const ANY: Function = Function {
    name: "any",
    group: "Lists",
    summary: "Whether a condition holds for any item.",
    takes: Kind::List,
    gives: gives::boolean,
    parameters: &[Parameter { name: "holds", kind: Kind::Condition, optional: false }],
    examples: &[("[1, 5] | any it > 3", "true")],
    lifts: Lifts::Top,
    body: |input, arguments| {
        for item in items(input) {
            if arguments.holds(0, item)? {
                return Ok(Value::Boolean(true));
            }
        }
        Ok(Value::Boolean(false))
    },
};
