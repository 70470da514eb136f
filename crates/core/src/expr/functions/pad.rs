use super::{Function, Kind, Lifts, Parameter, gives, scalar};
use crate::value::Value;

pub(super) const PAD: Function = Function {
    name: "pad",
    group: "Text",
    summary: "Text with at least so many characters, filled up at its start.",
    takes: Kind::Scalar,
    gives: gives::text,
    parameters: &[
        Parameter { name: "width", kind: Kind::Count, optional: false },
        Parameter { name: "fill", kind: Kind::Text, optional: true },
    ],
    examples: &[("7 | pad 3 \"0\"", "\"007\""), ("\"fern\" | pad 6", "\"  fern\"")],
    lifts: Lifts::Deep,
    body: |input, arguments| {
        let text = scalar(input);
        let fill = arguments.text_or(1, " ").chars().next().unwrap_or(' ');
        let width = arguments.count(0);
        if width > MOST {
            return Err(format!("`pad` fills up to {MOST} characters, not {width}"));
        }
        let missing = width.saturating_sub(text.chars().count());
        Ok(Value::Text(std::iter::repeat_n(fill, missing).collect::<String>() + &text))
    },
};

/// A width beyond this is a mistake.
const MOST: usize = 10_000;
