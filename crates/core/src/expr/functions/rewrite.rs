use super::{Function, Kind, Lifts, Parameter, gives, on_text};

pub(super) const REWRITE: Function = Function {
    name: "rewrite",
    group: "Text",
    summary: "Text with whatever a pattern matches replaced; `$1` or `${name}` is what a group caught.",
    takes: Kind::Text,
    gives: gives::text,
    parameters: &[
        Parameter { name: "pattern", kind: Kind::Pattern, optional: false },
        Parameter { name: "new", kind: Kind::Text, optional: false },
    ],
    examples: &[("\"12/05/2026\" | rewrite \"(\\\\d+)/(\\\\d+)/(\\\\d+)\" \"$3-$2-$1\"", "\"2026-05-12\"")],
    lifts: Lifts::Deep,
    body: |input, arguments| {
        let pattern = arguments.pattern(0)?;
        on_text(input, |text| pattern.replace_all(text, arguments.text(1)).into_owned())
    },
};
