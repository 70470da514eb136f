use super::{Function, Kind, Lifts, Parameter, gives, scalar};

pub(super) const LOOKUP: Function = Function {
    name: "lookup",
    group: "The hub",
    summary: "What a table of the hub has for a text or number.",
    takes: Kind::Scalar,
    gives: gives::looked_up,
    parameters: &[Parameter { name: "table", kind: Kind::Table, optional: false }],
    examples: &[("\"bog\" | lookup sections", "\"Wetlands\"")],
    lifts: Lifts::Deep,
    body: |input, arguments| arguments.table(0)?.find(&scalar(input)),
};
