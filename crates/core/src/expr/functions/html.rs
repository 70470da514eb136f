use super::{Function, Kind, Lifts, gives, on_text};

pub(super) const HTML: Function = Function {
    name: "html",
    group: "Text",
    summary: "HTML of Markdown, cleaned.",
    takes: Kind::Text,
    gives: gives::html,
    parameters: &[],
    examples: &[("\"A *rare* fern\" | html", "\"<p>A <em>rare</em> fern</p>\"")],
    lifts: Lifts::Deep,
    body: |input, _| on_text(input, crate::text::html_from_markdown),
};
