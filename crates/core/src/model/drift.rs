//! How a model that is kept differs from what a system says today.

use super::{EntryType, Field};

/// A difference between a kept type and the type of today.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Drift {
    /// The field.
    pub field: String,
    /// What happened to it.
    pub what: DriftKind,
}

/// What happened to a field.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum DriftKind {
    /// It is no longer there.
    Vanished,
    /// It was not there.
    New,
    /// It holds something else now: from, to.
    Changed(String, String),
    /// It must be there now.
    Required,
    /// It takes less now: from, to.
    Shorter(Option<usize>, usize),
}

impl DriftKind {
    /// Whether a lane that was right may now be wrong.
    #[must_use]
    pub fn breaks(&self) -> bool {
        !matches!(self, DriftKind::New)
    }
}

impl std::fmt::Display for DriftKind {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        match self {
            DriftKind::Vanished => f.write_str("is no longer there"),
            DriftKind::New => f.write_str("is new"),
            DriftKind::Changed(from, to) => write!(f, "was {from} and is {to}"),
            DriftKind::Required => f.write_str("is required now"),
            DriftKind::Shorter(Some(from), to) => write!(f, "took {from} characters and takes {to}"),
            DriftKind::Shorter(None, to) => write!(f, "took any text and takes {to} characters"),
        }
    }
}

/// What differs, field by field in the kept order, new ones last.
#[must_use]
pub fn drift(kept: &EntryType, today: &EntryType) -> Vec<Drift> {
    let mut found = Vec::new();
    for (name, before) in &kept.fields {
        let mut add = |what| found.push(Drift { field: name.clone(), what });
        let Some(now) = today.fields.get(name) else {
            add(DriftKind::Vanished);
            continue;
        };
        let (was, is) = (phrase(before), phrase(now));
        if was != is {
            add(DriftKind::Changed(was, is));
        }
        if now.required && !before.required {
            add(DriftKind::Required);
        }
        if let Some(most) = now.max_length
            && before.max_length.is_none_or(|before| before > most)
        {
            add(DriftKind::Shorter(before.max_length, most));
        }
    }
    let new = today.fields.keys().filter(|name| !kept.fields.contains_key(*name));
    found.extend(new.map(|name| Drift { field: name.clone(), what: DriftKind::New }));
    found
}

/// `a list of localised text`.
fn phrase(field: &Field) -> String {
    let kind = match &field.kind {
        super::FieldKind::Reference(to) => format!("reference to {to}"),
        super::FieldKind::Choice(words) => format!("choice of {}", words.join(", ")),
        kind => kind.word().to_owned(),
    };
    let localised = if field.localised { "localised " } else { "" };
    if field.many { format!("a list of {localised}{kind}") } else { format!("{localised}{kind}") }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::model::FieldKind;

    #[test]
    fn what_differs_is_named() {
        let text = |most| Field { kind: FieldKind::Text, max_length: most, ..Field::default() };
        let of = |fields: Vec<(&str, Field)>| EntryType {
            fields: fields.into_iter().map(|(name, field)| (name.to_owned(), field)).collect(),
        };
        let kept = of(vec![
            ("a", text(None)),
            ("b", text(Some(90))),
            ("c", text(None)),
            ("d", text(None)),
            ("same", text(Some(3))),
        ]);
        let today = of(vec![
            ("b", text(Some(60))),
            ("c", Field { many: true, ..text(None) }),
            ("d", Field { required: true, ..text(Some(9)) }),
            ("same", text(Some(3))),
            ("e", text(None)),
        ]);
        let told: Vec<String> = drift(&kept, &today).iter().map(|one| format!("{} {}", one.field, one.what)).collect();
        assert_eq!(
            told,
            [
                "a is no longer there",
                "b took 90 characters and takes 60",
                "c was text and is a list of text",
                "d is required now",
                "d took any text and takes 9 characters",
                "e is new",
            ]
        );
        assert_eq!(drift(&kept, &kept), []);
    }
}
