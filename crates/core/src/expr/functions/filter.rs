use super::{Function, Kind, Lifts, Parameter, gives, items};
use crate::value::Value;

pub(super) const WHERE: Function = Function {
    name: "where",
    group: "Lists",
    summary: "The items for which a condition holds.",
    takes: Kind::List,
    gives: gives::same,
    parameters: &[Parameter { name: "holds", kind: Kind::Condition, optional: false }],
    examples: &[("[1, 5, 9] | where it > 3", "[5, 9]")],
    lifts: Lifts::Top,
    body: |input, arguments| {
        let mut kept = Vec::new();
        for item in items(input) {
            if arguments.holds(0, item)? {
                kept.push(item.clone());
            }
        }
        Ok(Value::List(kept))
    },
};
