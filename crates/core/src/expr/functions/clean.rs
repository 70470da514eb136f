use super::{Function, Kind, on_text};

/// HTML with only what a page may hold: no scripts, styles, frames or event handlers.
pub(super) const CLEAN: Function = Function {
    name: "clean",
    summary: "HTML with only what a page may hold: no scripts, styles, frames or event handlers.",
    takes: Kind::Text,
    gives: Kind::Text,
    parameters: &[],
    examples: &[(r#""<p onclick=\"x()\">Fern<script>x()</script></p>" | clean"#, r#""<p>Fern</p>""#)],
    call: |input, _| on_text(input, crate::text::clean),
};
