use super::{Function, Kind, Parameter, items, text};
use crate::value::Value;

/// A list as one text.
pub(super) const JOIN: Function = Function {
    name: "join",
    summary: "The items of a list as one text, with something between; nulls are left out.",
    takes: Kind::List,
    gives: Kind::Text,
    parameters: &[Parameter { name: "between", kind: Kind::Text, optional: false }],
    examples: &[("[\"fern\", null, 3] | join \", \"", "\"fern, 3\"")],
    call: |input, arguments| {
        let mut parts = Vec::new();
        for item in items(input) {
            match item {
                Value::Null => {}
                Value::Text(part) => parts.push(part.clone()),
                Value::Integer(whole) => parts.push(whole.to_string()),
                Value::Number(number) => parts.push(number.to_string()),
                Value::Boolean(truth) => parts.push(truth.to_string()),
                other => {
                    return Err(format!(
                        "`join` takes a list of texts and numbers; one item is a {}",
                        other.kind_name()
                    ));
                }
            }
        }
        Ok(Value::Text(parts.join(arguments.first().map_or("", text))))
    },
};
