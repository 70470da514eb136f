use super::{Function, Kind, Lifts, gives};
use crate::value::{Value, to_json};

pub(super) const TO_JSON: Function = Function {
    name: "to_json",
    group: "Data",
    summary: "A value as JSON.",
    takes: Kind::Anything,
    gives: gives::plain_text,
    parameters: &[],
    examples: &[("{ soil: [\"peat\"] } | to_json", "\"{\\\"soil\\\":[\\\"peat\\\"]}\"")],
    lifts: Lifts::Top,
    body: |input, _| Ok(Value::Text(to_json(input).to_string())),
};
