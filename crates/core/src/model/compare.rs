//! Which fields of one type are likely partners of which fields of another.

use super::{EntryType, Field, FieldKind};

/// A field of the second type, and its likely partner in the first.
#[derive(Debug, Clone, PartialEq)]
pub struct Partner {
    /// The field of the second type.
    pub to: String,
    /// The likely partner in the first; none where nothing is near.
    pub from: Option<String>,
    /// What stands in the way: kinds, lists or languages that differ.
    pub differs: Vec<String>,
}

/// Finds for each field of the second type the likeliest partner in the first. A field is the
/// partner of one other only.
#[must_use]
pub fn compare(from: &EntryType, to: &EntryType) -> Vec<Partner> {
    let mut pairs: Vec<(f64, &String, &String)> = Vec::new();
    for (name_to, field_to) in &to.fields {
        for (name_from, field_from) in &from.fields {
            let likeness = likeness(name_from, field_from, name_to, field_to);
            if likeness >= 0.6 {
                pairs.push((likeness, name_from, name_to));
            }
        }
    }
    pairs.sort_by(|a, b| b.0.total_cmp(&a.0).then_with(|| (a.1, a.2).cmp(&(b.1, b.2))));
    let mut found: Vec<(&String, &String)> = Vec::new();
    for (_, name_from, name_to) in pairs {
        if !found.iter().any(|(known_from, known_to)| *known_from == name_from || *known_to == name_to) {
            found.push((name_from, name_to));
        }
    }
    let partner = |name: &String, field: &Field| {
        let from_name = found.iter().find(|(_, known)| *known == name).map(|(from, _)| (*from).clone());
        let differs = from_name
            .as_ref()
            .and_then(|from_name| from.fields.get(from_name))
            .map_or_else(Vec::new, |from_field| obstacles(from_field, field));
        Partner { to: name.clone(), from: from_name, differs }
    };
    to.fields.iter().map(|(name, field)| partner(name, field)).collect()
}

/// How alike two fields are, from 0 to 1: by name, by words that mean the same, and by kind.
fn likeness(name_from: &str, from: &Field, name_to: &str, to: &Field) -> f64 {
    let (a, b) = (plain(name_from), plain(name_to));
    let by_name = if a == b {
        1.0
    } else if same_sense(&a, &b) {
        0.8
    } else if a.contains(&b) || b.contains(&a) {
        0.7
    } else {
        strsim::jaro_winkler(&a, &b) * 0.7
    };
    let by_kind = if from.kind == to.kind || from.kind == FieldKind::Anything || to.kind == FieldKind::Anything {
        0.1
    } else if is_text(&from.kind) && is_text(&to.kind) {
        0.05
    } else {
        -0.2
    };
    by_name + by_kind
}

fn plain(name: &str) -> String {
    name.chars().filter(|c| c.is_alphanumeric()).flat_map(char::to_lowercase).collect()
}

/// Words that systems use for the same thing.
const SENSES: [&[&str]; 8] = [
    &["title", "heading", "headline", "name", "label", "commonname"],
    &["body", "content", "text", "description", "bodyhtml", "article"],
    &["teaser", "summary", "abstract", "excerpt", "intro", "lead"],
    &["author", "authors", "byline", "by", "creator", "curator", "writer"],
    &["tags", "topics", "keywords", "categories", "subjects"],
    &["published", "publishedat", "liveat", "date", "pubdate", "issued"],
    &["image", "picture", "photo", "cover", "banner"],
    &["slug", "path", "urlname", "permalink"],
];

fn same_sense(a: &str, b: &str) -> bool {
    SENSES.iter().any(|words| words.contains(&a) && words.contains(&b))
}

fn is_text(kind: &FieldKind) -> bool {
    matches!(kind, FieldKind::Text | FieldKind::Html | FieldKind::Url | FieldKind::Date | FieldKind::Instant)
}

fn obstacles(from: &Field, to: &Field) -> Vec<String> {
    let mut found = Vec::new();
    if from.kind != to.kind && from.kind != FieldKind::Anything && to.kind != FieldKind::Anything {
        found.push(format!("{} to {}", from.kind.word(), to.kind.word()));
    }
    match (from.many, to.many) {
        (true, false) => found.push("a list to one value".to_owned()),
        (false, true) => found.push("one value to a list".to_owned()),
        _ => {}
    }
    if from.localised && !to.localised {
        found.push("a value per language to one".to_owned());
    }
    if to.required && !from.required {
        found.push("may be missing, and is required there".to_owned());
    }
    if let Some(most) = to.max_length
        && from.max_length.is_none_or(|length| length > most)
    {
        found.push(format!("at most {most} characters"));
    }
    found
}

#[cfg(test)]
mod tests {
    use super::*;

    fn of(fields: &[(&str, FieldKind, bool)]) -> EntryType {
        let field =
            |kind: &FieldKind, localised| Field { kind: kind.clone(), localised, required: true, ..Field::default() };
        EntryType {
            fields: fields
                .iter()
                .map(|(name, kind, localised)| ((*name).to_owned(), field(kind, *localised)))
                .collect(),
        }
    }

    #[test]
    fn partners_by_name_sense_and_kind() {
        let from = of(&[
            ("common_name", FieldKind::Text, true),
            ("latin_name", FieldKind::Text, false),
            ("description", FieldKind::Html, true),
            ("tags", FieldKind::Text, false),
        ]);
        let to = of(&[
            ("heading", FieldKind::Text, true),
            ("body", FieldKind::Html, true),
            ("topics", FieldKind::Text, false),
            ("latinName", FieldKind::Text, false),
            ("floor", FieldKind::Integer, false),
        ]);
        let drawn: Vec<String> = compare(&from, &to)
            .into_iter()
            .map(|partner| {
                format!("{} ← {} {}", partner.to, partner.from.unwrap_or("-".into()), partner.differs.join(", "))
            })
            .collect();
        assert_eq!(
            drawn,
            [
                "heading ← common_name ",
                "body ← description ",
                "topics ← tags ",
                "latinName ← latin_name ",
                "floor ← - "
            ]
        );
    }
}
