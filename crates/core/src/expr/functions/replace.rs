use super::{Function, Kind, Lifts, Parameter, affordable, gives, on_text, text};

pub(super) const REPLACE: Function = Function {
    name: "replace",
    group: "Text",
    summary: "Text with every occurrence of a text replaced.",
    takes: Kind::Text,
    gives: gives::text,
    parameters: &[
        Parameter { name: "old", kind: Kind::Text, optional: false },
        Parameter { name: "new", kind: Kind::Text, optional: false },
    ],
    examples: &[("\"ferns & mosses\" | replace \"&\" \"and\"", "\"ferns and mosses\"")],
    lifts: Lifts::Deep,
    body: |input, arguments| {
        if arguments.text(0).is_empty() {
            return Ok(input.clone());
        }
        let (from, to) = (arguments.text(0), arguments.text(1));
        let grows = to.len().saturating_sub(from.len());
        if grows > 0 {
            affordable(text(input).len() + grows.saturating_mul(text(input).matches(from).count()))?;
        }
        on_text(input, |text| text.replace(from, to))
    },
};
