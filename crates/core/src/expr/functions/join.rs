use super::{Function, Kind, Lifts, Parameter, gives, items};
use crate::value::Value;

pub(super) const JOIN: Function = Function {
    name: "join",
    group: "Lists",
    summary: "The items of a list as one text, with something between; nulls are left out.",
    takes: Kind::Words,
    gives: gives::text,
    parameters: &[Parameter { name: "between", kind: Kind::Text, optional: false }],
    examples: &[("[\"fern\", null, 3] | join \", \"", "\"fern, 3\"")],
    lifts: Lifts::Deep,
    body: |input, arguments| {
        let mut parts = Vec::new();
        for item in items(input).iter().filter(|item| !item.is_null()) {
            let part = item.scalar_text().ok_or_else(|| {
                format!("`join` takes a list of texts and numbers; one item is a {}", item.kind_name())
            })?;
            parts.push(part);
        }
        Ok(Value::Text(parts.join(arguments.text(0))))
    },
};
