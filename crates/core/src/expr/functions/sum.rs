use super::{Function, Kind, Lifts, gives, items};
use crate::value::Value;

pub(super) const SUM: Function = Function {
    name: "sum",
    group: "Numbers",
    summary: "The sum of a list of numbers; nulls are left out.",
    takes: Kind::Numbers,
    gives: gives::numeric,
    parameters: &[],
    examples: &[("[1, 2.5, null] | sum", "3.5")],
    lifts: Lifts::Deep,
    body: |input, _| {
        let mut total = Value::Integer(0);
        for item in items(input).iter().filter(|item| !item.is_null()) {
            total = crate::expr::operation::sum(&total, item)?;
        }
        Ok(total)
    },
};
