use super::{Function, Kind, Lifts, gives};
use crate::value::Value;

pub(super) const LANGUAGES: Function = Function {
    name: "languages",
    group: "Languages",
    summary: "The languages in which a localised value says something.",
    takes: Kind::Anything,
    gives: gives::texts,
    parameters: &[],
    examples: &[("name | languages", "[\"cy\", \"en\", \"fr\"]")],
    lifts: Lifts::Whole,
    body: |input, _| {
        let Value::Localised(by_language) = input else { return Ok(Value::List(Vec::new())) };
        let said = by_language.iter().filter(|(_, value)| !value.is_blank());
        Ok(Value::List(said.map(|(language, _)| language.as_str().into()).collect()))
    },
};
