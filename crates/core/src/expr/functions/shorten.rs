use super::{Function, Kind, Lifts, Parameter, gives, on_text};
use crate::text::{Cut, shorten};

pub(super) const SHORTEN: Function = Function {
    name: "shorten",
    group: "Text",
    summary: "Text in at most so many characters, cut at a word's end (`\"letters\"`: anywhere) and closed with `…`, which counts.",
    takes: Kind::Text,
    gives: gives::shortened,
    parameters: &[
        Parameter { name: "most", kind: Kind::Count, optional: false },
        Parameter { name: "at", kind: Kind::Word(&["words", "letters"]), optional: true },
    ],
    examples: &[
        ("\"A walk in the ferns\" | shorten 15", "\"A walk in the…\""),
        ("\"A walk\" | shorten 15", "\"A walk\""),
        ("\"A walk in the ferns\" | shorten 9 \"letters\"", "\"A walk i…\""),
    ],
    lifts: Lifts::Deep,
    body: |input, arguments| {
        let cut = if arguments.text(1) == "letters" { Cut::Letters } else { Cut::Words };
        on_text(input, |text| shorten(text, arguments.count(0), cut))
    },
};
