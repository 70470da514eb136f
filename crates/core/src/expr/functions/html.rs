use super::{Function, Kind, Lifts, gives, text};
use crate::value::Value;

pub(super) const HTML: Function = Function {
    name: "html",
    group: "Text",
    summary: "HTML of Markdown, cleaned.",
    takes: Kind::Text,
    gives: gives::html,
    parameters: &[],
    examples: &[("\"A *rare* fern\" | html", "\"<p>A <em>rare</em> fern</p>\"")],
    lifts: Lifts::Deep,
    body: |input, _| crate::text::html_from_markdown(text(input)).map(Value::Text).map_err(|error| error.to_string()),
};
