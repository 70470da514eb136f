use super::{Function, Kind, Parameter, text};
use crate::value::Value;

/// Text cut at a word's end.
pub(super) const SHORTEN: Function = Function {
    name: "shorten",
    summary: "Text in at most so many characters, cut at a word's end and closed with `…`, which counts.",
    takes: Kind::Text,
    gives: Kind::Text,
    parameters: &[Parameter { name: "most", kind: Kind::Count, optional: false }],
    examples: &[
        ("\"A walk in the ferns\" | shorten 15", "\"A walk in the…\""),
        ("\"A walk\" | shorten 15", "\"A walk\""),
    ],
    call: |input, arguments| {
        let most = match arguments {
            [Value::Integer(most), ..] => usize::try_from(*most).unwrap_or(usize::MAX - 1),
            _ => return Err("`shorten` wants a number".to_owned()),
        };
        Ok(Value::Text(crate::text::shorten(text(input), most)))
    },
};
