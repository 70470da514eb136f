use super::{Function, Kind, Lifts, gives, text};
use crate::value::Value;

pub(super) const MARKDOWN: Function = Function {
    name: "markdown",
    group: "Text",
    summary: "Markdown of HTML, as near as it comes.",
    takes: Kind::Text,
    gives: gives::markdown,
    parameters: &[],
    examples: &[("\"<p>A <em>rare</em> fern</p>\" | markdown", "\"A *rare* fern\"")],
    lifts: Lifts::Deep,
    body: |input, _| crate::text::markdown_from_html(text(input)).map(Value::Text),
};
