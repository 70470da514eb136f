use super::{Function, Kind, Lifts, gives, integer, items};

pub(super) const COUNT: Function = Function {
    name: "count",
    group: "Lists",
    summary: "How many items a list has.",
    takes: Kind::List,
    gives: gives::integer,
    parameters: &[],
    examples: &[("[1, 2] | count", "2")],
    lifts: Lifts::Top,
    body: |input, _| Ok(integer(items(input).len())),
};
