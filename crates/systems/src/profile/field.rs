//! The fields of a type.

use diaporos_core::diagnostic::{Code, Diagnostic, Report};
use diaporos_core::model::{Field, FieldKind};
use diaporos_core::settings::{InnerText, Item, Section, TextOrTable};
use diaporos_core::value::TypeName;
use indexmap::IndexMap;
use regex::Regex;

use super::Query;

/// A field, and where it is in an item.
#[derive(Debug, Clone)]
pub(crate) struct ProfileField {
    /// What it holds.
    pub(crate) field: Field,
    /// Where it is, where that is not under its own name.
    pub(crate) at: Option<Query>,
    /// Of a reference that is written out: where the other entry's id is in it.
    pub(crate) id: Option<Query>,
    /// The member of each node that names its language, where a value per language is a list of nodes.
    pub(crate) node_language: Option<String>,
}

/// Reads the table of fields: `title = "text"`, or a table with more to say.
pub(super) fn fields(section: &mut Section<'_>, report: &mut Report) -> IndexMap<String, ProfileField> {
    let mut fields = IndexMap::new();
    for name in section.names() {
        let field = match section.named_shape(&name.value, report) {
            None => continue,
            Some(TextOrTable::Text(kind)) => {
                let kind = plain_kind(&kind, report);
                ProfileField { field: Field { kind, ..Field::default() }, at: None, id: None, node_language: None }
            }
            Some(TextOrTable::Table(mut table)) => {
                let field = described(&mut table, report);
                table.finish(report);
                field
            }
        };
        fields.insert(name.value, field);
    }
    fields
}

fn described(table: &mut Section<'_>, report: &mut Report) -> ProfileField {
    let to = table.text("to", report);
    let kind = match (table.text("kind", report), to) {
        (Some(kind), to) if kind.value.as_str() == "reference" => match to.map(|to| TypeName::new(to.value.as_str())) {
            Some(Ok(to)) => FieldKind::Reference(to),
            _ => {
                report.add(Diagnostic::error(
                    Code::MissingKey,
                    kind.span,
                    "a reference needs `to`: the type it leads to",
                ));
                FieldKind::Anything
            }
        },
        (Some(kind), _) if kind.value.as_str() == "choice" => match table.texts("choices", report) {
            Some(words) if !words.is_empty() => FieldKind::Choice(words.into_iter().map(|word| word.value).collect()),
            _ => {
                report.add(Diagnostic::error(
                    Code::MissingKey,
                    kind.span,
                    "a choice needs `choices`: the texts it can be",
                ));
                FieldKind::Anything
            }
        },
        (Some(kind), _) => plain_kind(&kind, report),
        (None, _) => FieldKind::Anything,
    };
    let pattern = table.text("pattern", report).and_then(|item| match Regex::new(item.value.as_str()) {
        Ok(_) => Some(item.value.as_str().to_owned()),
        Err(error) => {
            let reason = error.to_string();
            let reason = reason.lines().last().unwrap_or_default().trim_start_matches("error: ").to_owned();
            report.add(Diagnostic::error(Code::BadValue, item.span, format!("this pattern cannot be read: {reason}")));
            None
        }
    });
    let max_length = table.count("max_length", 1, report).and_then(|count| usize::try_from(count.value).ok());
    ProfileField {
        field: Field {
            kind,
            many: table.boolean("many", report).unwrap_or(false),
            localised: table.boolean("localised", report).unwrap_or(false),
            required: table.boolean("required", report).unwrap_or(false),
            max_length,
            pattern,
        },
        at: Query::from_key(table, "at", report),
        id: Query::from_key(table, "id", report),
        node_language: table.text("node_language", report).map(|item| item.value.as_str().to_owned()),
    }
}

fn plain_kind(item: &Item<InnerText>, report: &mut Report) -> FieldKind {
    let word = item.value.as_str();
    if let Some((_, kind)) = FieldKind::WORDS.iter().find(|(known, _)| *known == word) {
        return kind.clone();
    }
    let finding = Diagnostic::error(Code::BadValue, item.span.clone(), format!("`{word}` is not a kind of field"));
    let finding = match word {
        "choice" => finding.help("write `{ kind = \"choice\", choices = [\"a\", \"b\"] }`"),
        "reference" => finding.help("write `{ kind = \"reference\", to = \"TYPE\" }`"),
        _ => finding.suggest(word, FieldKind::WORDS.iter().map(|(known, _)| *known)),
    };
    report.add(finding);
    FieldKind::Anything
}
