use super::{Function, Kind, Lifts, gives, items, order};

pub(super) const LEAST: Function = Function {
    name: "least",
    group: "Numbers",
    summary: "The least of a list of numbers; null where there is none.",
    takes: Kind::Numbers,
    gives: gives::numeric_or_null,
    parameters: &[],
    examples: &[("[3, 1, 2] | least", "1")],
    lifts: Lifts::Deep,
    body: |input, _| {
        Ok(items(input).iter().filter(|item| !item.is_null()).min_by(|a, b| order(a, b)).cloned().unwrap_or_default())
    },
};
