use super::{Function, Kind, Lifts, gives, on_text};

pub(super) const ESCAPE: Function = Function {
    name: "escape",
    group: "Text",
    summary: "Plain text as HTML: `<`, `>`, `&` and quotes as entities.",
    takes: Kind::Text,
    gives: gives::html,
    parameters: &[],
    examples: &[("\"5 < 6\" | escape", "\"5 &lt; 6\"")],
    lifts: Lifts::Deep,
    body: |input, _| {
        on_text(input, |text| {
            let mut escaped = String::with_capacity(text.len());
            for c in text.chars() {
                match c {
                    '<' => escaped.push_str("&lt;"),
                    '>' => escaped.push_str("&gt;"),
                    '&' => escaped.push_str("&amp;"),
                    '"' => escaped.push_str("&quot;"),
                    '\'' => escaped.push_str("&#39;"),
                    c => escaped.push(c),
                }
            }
            escaped
        })
    },
};
