use super::{Function, Kind, Lifts, Parameter, gives, items};
use crate::value::Value;

pub(super) const EACH: Function = Function {
    name: "each",
    group: "Lists",
    summary: "A list with something found for each item: an expression over the item's members and `it`, or the name of a function and what follows it.",
    takes: Kind::List,
    gives: gives::list_of_argument,
    parameters: &[Parameter { name: "what", kind: Kind::Each, optional: false }],
    examples: &[
        ("[\" a\", \"b \"] | each trim", "[\"a\", \"b\"]"),
        ("[1, 2] | each it * 2", "[2, 4]"),
        ("[7, 12] | each pad 3 \"0\"", "[\"007\", \"012\"]"),
    ],
    lifts: Lifts::Top,
    body: |input, arguments| {
        Ok(Value::List(items(input).iter().map(|item| arguments.of_item(0, item)).collect::<Result<_, _>>()?))
    },
};
