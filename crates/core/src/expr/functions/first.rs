use super::{Function, Kind, items};

/// The first item of a list.
pub(super) const FIRST: Function = Function {
    name: "first",
    summary: "The first item of a list, or null where it is empty.",
    takes: Kind::List,
    gives: Kind::Anything,
    parameters: &[],
    examples: &[("[\"fern\", \"moss\"] | first", "\"fern\""), ("[] | first", "null")],
    call: |input, _| Ok(items(input).first().cloned().unwrap_or_default()),
};
