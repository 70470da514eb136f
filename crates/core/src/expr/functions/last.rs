use super::{Function, Kind, Lifts, gives, items};

pub(super) const LAST: Function = Function {
    name: "last",
    group: "Lists",
    summary: "The last item of a list, or null where it is empty.",
    takes: Kind::List,
    gives: gives::item_or_null,
    parameters: &[],
    examples: &[("[\"fern\", \"moss\"] | last", "\"moss\"")],
    lifts: Lifts::Top,
    body: |input, _| Ok(items(input).last().cloned().unwrap_or_default()),
};
