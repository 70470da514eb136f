use super::{Function, Kind, Lifts, Parameter, gives, on_text};
use unicode_normalization::UnicodeNormalization;

pub(super) const NORMALISE: Function = Function {
    name: "normalise",
    group: "Text",
    summary: "Text in a Unicode normalisation form (UAX #15), `\"nfc\"` where none is given.",
    takes: Kind::Text,
    gives: gives::text,
    parameters: &[Parameter { name: "form", kind: Kind::Word(&["nfc", "nfd", "nfkc", "nfkd"]), optional: true }],
    examples: &[("\"ﬁr\" | normalise \"nfkc\"", "\"fir\"")],
    lifts: Lifts::Deep,
    body: |input, arguments| {
        on_text(input, |text| match arguments.text_or(0, "nfc") {
            "nfd" => text.nfd().collect(),
            "nfkc" => text.nfkc().collect(),
            "nfkd" => text.nfkd().collect(),
            _ => text.nfc().collect(),
        })
    },
};
