use super::{Function, Kind, Lifts, Parameter, gives, record, text};
use crate::value::Value;

pub(super) const HOUSE_CHANGES: Function = Function {
    name: "house_changes",
    group: "House style",
    summary: "What `house` changes, as records of `from` and `to`.",
    takes: Kind::Text,
    gives: gives::changes,
    parameters: &[Parameter { name: "terms", kind: Kind::Terms, optional: false }],
    examples: &[("\"A Glass House\" | house_changes terms", "[{ from: \"Glass House\", to: \"Glasshouse\" }]")],
    lifts: Lifts::Deep,
    body: |input, arguments| {
        let (_, changes) = arguments.terms(0)?.put_right(text(input));
        let record =
            |change: crate::text::house::Change| record([("from", change.from.into()), ("to", change.to.into())]);
        Ok(Value::List(changes.into_iter().map(record).collect()))
    },
};
