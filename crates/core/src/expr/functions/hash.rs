use super::{Function, Kind, Lifts, Parameter, gives, on_text};
use sha2::{Digest, Sha256};

pub(super) const HASH: Function = Function {
    name: "hash",
    group: "Data",
    summary: "The hash of a text in hexadecimal: `\"blake3\"` where not given, or `\"sha256\"`.",
    takes: Kind::Text,
    gives: gives::plain_text,
    parameters: &[Parameter { name: "by", kind: Kind::Word(&["blake3", "sha256"]), optional: true }],
    examples: &[("\"fern\" | hash \"sha256\" | shorten 9 \"letters\"", "\"f0a5da17…\"")],
    lifts: Lifts::Deep,
    body: |input, arguments| {
        on_text(input, |text| match arguments.text_or(0, "blake3") {
            "sha256" => {
                Sha256::digest(text.as_bytes()).iter().fold(String::new(), |hash, byte| hash + &format!("{byte:02x}"))
            }
            _ => blake3::hash(text.as_bytes()).to_hex().to_string(),
        })
    },
};
