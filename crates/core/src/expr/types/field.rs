//! The type of what a field of a content model holds.

use super::{Form, Kinds, Languages, Type};
use crate::model::{Field, FieldKind};

impl Type {
    /// What a field of an entry can hold.
    #[must_use]
    pub fn of_field(field: &Field) -> Type {
        let one = match &field.kind {
            FieldKind::Text | FieldKind::Choice(_) => Type::written(Form::Plain),
            FieldKind::Html => Type::written(Form::Html),
            FieldKind::Markdown => Type::written(Form::Markdown),
            FieldKind::Url => Type::written(Form::Url),
            FieldKind::Date => Type::written(Form::Date),
            FieldKind::Instant => Type::written(Form::Instant),
            FieldKind::Integer => Type::of_kinds(Kinds::INTEGER),
            FieldKind::Number => Type::of_kinds(Kinds::NUMERIC),
            FieldKind::Boolean => Type::of_kinds(Kinds::BOOLEAN),
            FieldKind::Record | FieldKind::Asset => Type { loose: true, ..Type::of_kinds(Kinds::RECORD) },
            FieldKind::Reference(to) => Type { to: Some(to.clone()), ..Type::of_kinds(Kinds::REFERENCE) },
            FieldKind::Anything => Type::anything(),
        };
        let one = one.at_most(field.max_length);
        let whole = if field.many { Type::list(one.or_null()) } else { one };
        let whole = if field.required { whole } else { whole.or_null() };
        if field.localised { whole.in_languages(Languages::Each) } else { whole }
    }
}
