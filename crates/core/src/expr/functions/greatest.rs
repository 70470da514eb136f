use super::{Function, Kind, Lifts, gives, items, order};

pub(super) const GREATEST: Function = Function {
    name: "greatest",
    group: "Numbers",
    summary: "The greatest of a list of numbers; null where there is none.",
    takes: Kind::Numbers,
    gives: gives::numeric_or_null,
    parameters: &[],
    examples: &[("[3, 1, 2] | greatest", "3")],
    lifts: Lifts::Deep,
    body: |input, _| {
        Ok(items(input).iter().filter(|item| !item.is_null()).max_by(|a, b| order(a, b)).cloned().unwrap_or_default())
    },
};
