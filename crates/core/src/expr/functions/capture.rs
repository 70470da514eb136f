use super::{Function, Kind, Lifts, Parameter, gives, text};
use crate::value::Value;

pub(super) const CAPTURE: Function = Function {
    name: "capture",
    group: "Text",
    summary: "What a pattern catches: its first group, or all it matches where it has none; a record where its groups have names. Null where it matches nothing.",
    takes: Kind::Text,
    gives: gives::captured,
    parameters: &[Parameter { name: "pattern", kind: Kind::Pattern, optional: false }],
    examples: &[
        ("\"Bed 14, north\" | capture \"Bed (\\\\d+)\"", "\"14\""),
        ("\"12x8\" | capture \"(?<wide>\\\\d+)x(?<high>\\\\d+)\"", "{ wide: \"12\", high: \"8\" }"),
        ("\"none\" | capture \"\\\\d\"", "null"),
    ],
    lifts: Lifts::Deep,
    body: |input, arguments| {
        let pattern = arguments.pattern(0)?;
        let Some(found) = pattern.captures(text(input)) else { return Ok(Value::Null) };
        let caught = |part: Option<regex::Match<'_>>| part.map_or(Value::Null, |part| part.as_str().into());
        let named: Vec<&str> = pattern.capture_names().flatten().collect();
        if !named.is_empty() {
            return Ok(Value::Record(
                named.iter().map(|name| ((*name).to_owned(), caught(found.name(name)))).collect(),
            ));
        }
        Ok(caught(if found.len() > 1 { found.get(1) } else { found.get(0) }))
    },
};
