use super::{Function, Kind, Lifts, Parameter, gives, items};
use crate::value::Value;

pub(super) const EVERY: Function = Function {
    name: "every",
    group: "Lists",
    summary: "Whether a condition holds for every item.",
    takes: Kind::List,
    gives: gives::boolean,
    parameters: &[Parameter { name: "holds", kind: Kind::Condition, optional: false }],
    examples: &[("[1, 5] | every it > 3", "false")],
    lifts: Lifts::Top,
    body: |input, arguments| {
        for item in items(input) {
            if !arguments.holds(0, item)? {
                return Ok(Value::Boolean(false));
            }
        }
        Ok(Value::Boolean(true))
    },
};
