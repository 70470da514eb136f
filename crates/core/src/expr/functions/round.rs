use super::{Function, Kind, Lifts, Parameter, gives, whole};
use crate::value::Value;

pub(super) const ROUND: Function = Function {
    name: "round",
    group: "Numbers",
    summary: "A number to so many places, none where not given; a half goes away from zero.",
    takes: Kind::Number,
    gives: gives::rounded,
    parameters: &[Parameter { name: "places", kind: Kind::Count, optional: true }],
    examples: &[("2.345 | round 2", "2.35"), ("2.5 | round", "3")],
    lifts: Lifts::Deep,
    body: |input, arguments| {
        let places = i32::try_from(arguments.count(0)).unwrap_or(15).min(15);
        Ok(match input {
            Value::Number(number) if places == 0 => whole(number.round()),
            Value::Number(number) => {
                let shifted = format!("{number:.places$}", places = usize::try_from(places).unwrap_or(0));
                let scale = 10f64.powi(places);
                let rounded = (number * scale).round() / scale;
                Value::Number(if rounded.is_finite() { rounded } else { shifted.parse().unwrap_or(*number) })
            }
            other => other.clone(),
        })
    },
};
