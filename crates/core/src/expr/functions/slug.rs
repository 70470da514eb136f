use super::{Function, Kind, Lifts, Parameter, gives, on_text};
use crate::text::{short_slug, slug};

pub(super) const SLUG: Function = Function {
    name: "slug",
    group: "Text",
    summary: "Text as a part of a web address; at most so many characters, where that is said, cut between words.",
    takes: Kind::Text,
    gives: gives::slug,
    parameters: &[Parameter { name: "most", kind: Kind::Count, optional: true }],
    examples: &[
        ("\"Hart's-tongue Fern\" | slug", "\"harts-tongue-fern\""),
        ("\"Hart's-tongue Fern\" | slug 14", "\"harts-tongue\""),
    ],
    lifts: Lifts::Deep,
    body: |input, arguments| {
        on_text(input, |text| match arguments.value(0) {
            Some(_) => short_slug(text, arguments.count(0)),
            None => slug(text),
        })
    },
};
