use super::{Function, Kind, Lifts, gives};
use crate::value::Value;

pub(super) const NUMBER: Function = Function {
    name: "number",
    group: "Numbers",
    summary: "The number that a text holds; null where it holds none.",
    takes: Kind::Scalar,
    gives: gives::number_or_null,
    parameters: &[],
    examples: &[("\" 12.5 \" | number", "12.5"), ("\"tall\" | number", "null")],
    lifts: Lifts::Deep,
    body: |input, _| match input {
        Value::Text(text) => Ok(read(text.trim())),
        Value::Boolean(truth) => Ok(Value::Integer(i64::from(*truth))),
        number => Ok(number.clone()),
    },
};

fn read(text: &str) -> Value {
    if let Ok(whole) = text.parse::<i64>() {
        return Value::Integer(whole);
    }
    text.parse::<f64>().ok().filter(|number| number.is_finite()).map_or(Value::Null, Value::Number)
}
