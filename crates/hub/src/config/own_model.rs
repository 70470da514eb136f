//! What the hub's own entries are like.

use std::sync::OnceLock;

use diaporos_core::model::{EntryType, Field, FieldKind, Model};
use diaporos_core::value::TypeName;

/// What the hub itself is called where its entries come from.
pub const OWN: &str = "hub";

/// What is known of the hub's own entries.
pub(super) fn own_model() -> &'static Model {
    static MODEL: OnceLock<Model> = OnceLock::new();
    MODEL.get_or_init(|| {
        let field = |kind: FieldKind| Field { kind, ..Field::default() };
        let localised = || Field { kind: FieldKind::Text, localised: true, ..Field::default() };
        let many = |kind: FieldKind| Field { kind, many: true, ..Field::default() };
        let key = || Field { kind: FieldKind::Text, required: true, ..Field::default() };
        let (text, anything) = (|| field(FieldKind::Text), || field(FieldKind::Anything));
        let of = |fields: Vec<(&str, Field)>| EntryType {
            fields: fields.into_iter().map(|(name, field)| (name.to_owned(), field)).collect(),
        };
        let types = [
            ("list", of(vec![("name", key()), ("title", localised()), ("items", many(FieldKind::Anything))])),
            (
                "list-item",
                of(vec![
                    ("list", key()),
                    ("place", field(FieldKind::Integer)),
                    ("item", anything()),
                    ("pinned", field(FieldKind::Boolean)),
                ]),
            ),
            ("outline", of(vec![("name", key()), ("title", localised()), ("nodes", many(FieldKind::Anything))])),
            (
                "node",
                of(vec![
                    ("outline", key()),
                    ("key", key()),
                    ("label", localised()),
                    ("parent", anything()),
                    ("place", field(FieldKind::Integer)),
                    ("depth", field(FieldKind::Integer)),
                    ("leads_to", anything()),
                    ("url", text()),
                ]),
            ),
        ];
        let named = |(name, of): (&str, EntryType)| Some((TypeName::new(name).ok()?, of));
        Model { types: types.into_iter().filter_map(named).collect() }
    })
}
