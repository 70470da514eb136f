use super::{Function, Kind, on_text};

/// Text as a part of a web address.
pub(super) const SLUG: Function = Function {
    name: "slug",
    summary: "Text as a part of a web address.",
    takes: Kind::Text,
    gives: Kind::Text,
    parameters: &[],
    examples: &[("\"Hart's-tongue Fern\" | slug", "\"harts-tongue-fern\"")],
    call: |input, _| on_text(input, crate::text::slug),
};
