use super::{Function, Kind, Lifts, Parameter, gives, on_text};

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
        on_text(input, |text| text.replace(arguments.text(0), arguments.text(1)))
    },
};
