use super::{Function, Kind, Lifts, gives, items};

pub(super) const FIRST: Function = Function {
    name: "first",
    group: "Lists",
    summary: "The first item of a list, or null where it is empty.",
    takes: Kind::List,
    gives: gives::item_or_null,
    parameters: &[],
    examples: &[("[\"fern\", \"moss\"] | first", "\"fern\""), ("[] | first", "null")],
    lifts: Lifts::Top,
    body: |input, _| Ok(items(input).first().cloned().unwrap_or_default()),
};
