use super::{Function, Kind, Lifts, gives};
use crate::value::Value;

pub(super) const FALLBACK: Function = Function {
    name: "fallback",
    group: "Languages",
    summary: "A localised value with the languages of the hub that it lacks filled from its fall-back languages (`[languages]`).",
    takes: Kind::Anything,
    gives: gives::same,
    parameters: &[],
    examples: &[("name | fallback", "name | fallback")],
    lifts: Lifts::Whole,
    body: |input, arguments| {
        let Value::Localised(by_language) = input else { return Ok(input.clone()) };
        let library = arguments.library();
        let mut filled = by_language.clone();
        let found =
            library.fallback.iter().find_map(|language| by_language.get(language).filter(|value| !value.is_blank()));
        for language in &library.languages {
            if let (None | Some(Value::Null), Some(value)) = (by_language.get(language), found) {
                filled.insert(language.clone(), value.clone());
            }
        }
        Ok(Value::Localised(filled))
    },
};
