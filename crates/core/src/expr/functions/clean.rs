use super::{Function, Kind, Lifts, gives, text};
use crate::value::Value;

pub(super) const CLEAN: Function = Function {
    name: "clean",
    group: "Text",
    summary: "HTML with only what a page may hold: no scripts, styles, frames or event handlers.",
    takes: Kind::Text,
    gives: gives::html,
    parameters: &[],
    examples: &[("\"<p onclick=\\\"x()\\\">Fern<script>x()</script></p>\" | clean", "\"<p>Fern</p>\"")],
    lifts: Lifts::Deep,
    body: |input, _| crate::text::clean(text(input)).map(Value::Text).map_err(|error| error.to_string()),
};
