use super::{Function, Kind, Lifts, Parameter, gives, items, order};
use crate::value::Value;

pub(super) const SORT: Function = Function {
    name: "sort",
    group: "Lists",
    summary: "The items in order, by themselves or by something found for each; nulls come last. `reverse` turns the order round.",
    takes: Kind::List,
    gives: gives::same,
    parameters: &[Parameter { name: "by", kind: Kind::Each, optional: true }],
    examples: &[("[3, 1, 2] | sort", "[1, 2, 3]"), ("[{ n: 2 }, { n: 1 }] | sort n", "[{ n: 1 }, { n: 2 }]")],
    lifts: Lifts::Top,
    body: |input, arguments| {
        let mut keyed = Vec::with_capacity(items(input).len());
        for item in items(input) {
            keyed.push((arguments.of_item(0, item)?, item));
        }
        keyed.sort_by(|(a, _), (b, _)| order(a, b));
        Ok(Value::List(keyed.into_iter().map(|(_, item)| item.clone()).collect()))
    },
};
