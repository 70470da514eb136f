use super::{Function, Kind, on_text};

/// The text of HTML: tags gone, entities read, blocks on lines of their own.
pub(super) const PLAIN: Function = Function {
    name: "plain",
    summary: "The text of HTML: tags gone, entities read, blocks on lines of their own.",
    takes: Kind::Text,
    gives: Kind::Text,
    parameters: &[],
    examples: &[(r#""<p>Ferns &amp; mosses</p>" | plain"#, r#""Ferns & mosses""#)],
    call: |input, _| on_text(input, crate::text::plain),
};
