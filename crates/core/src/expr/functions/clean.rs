use super::{Function, Kind, Lifts, gives, on_text};

pub(super) const CLEAN: Function = Function {
    name: "clean",
    group: "Text",
    summary: "HTML with only what a page may hold: no scripts, styles, frames or event handlers.",
    takes: Kind::Text,
    gives: gives::html,
    parameters: &[],
    examples: &[("\"<p onclick=\\\"x()\\\">Fern<script>x()</script></p>\" | clean", "\"<p>Fern</p>\"")],
    lifts: Lifts::Deep,
    body: |input, _| on_text(input, crate::text::clean),
};
