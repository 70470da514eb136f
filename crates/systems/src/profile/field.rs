//! The fields of a type.

use diaporos_core::diagnostic::{Code, Diagnostic, Report};
use diaporos_core::model::{Field, FieldKind};
use diaporos_core::settings;
use diaporos_core::settings::forms::{PATTERN, TEXT, TEXTS};
use diaporos_core::settings::{Form, InnerText, Item, Section, Table, TextOrTable, words};
use diaporos_core::value::TypeName;
use indexmap::IndexMap;
use regex::Regex;

use crate::query::{JSON_PATH, Query};

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

const KIND: Form = Form::Word { what: "a kind of field", of: kinds };
/// A field: its kind alone, or a table.
pub(crate) const FIELDS: Form = Form::Named(&Form::Either(&KIND, &Form::Table(&FIELD)));
static FIELD: Table = Table::new(
    "field",
    &[settings![
        kind: KIND, usual "anything", "what it holds", "text";
        to: TEXT, none, "of a reference: the type that it leads to", "curator";
        choices: TEXTS, none, "of a choice: the texts that it can be", "[\"bog\", \"moor\"]";
        many: Form::Boolean, usual "false", "whether it is a list of such values", "true";
        localised: Form::Boolean, usual "false", "whether it has a value per language", "true";
        required: Form::Boolean, usual "false", "whether a destination takes no entry without it", "true";
        max_length: Form::Count(1), none, "the most characters of a text", "90";
        pattern: PATTERN, none, "what a text must match", "^[a-z-]+$";
        at: JSON_PATH, none, "where it is in an item, where that is not under its own name in `fields_at`", "$.size.height";
        id: JSON_PATH, none, "of a reference that is written out as an object: where the other entry's id is in it", "$.id";
        node_language: TEXT, none, "of a localised field that is a list of nodes: the member that names each node's language", "@xml:lang";
    ]],
);

/// The words for kinds of fields, those with more to say among them.
fn kinds() -> Vec<&'static str> {
    let mut kinds = words(&FieldKind::WORDS);
    kinds.extend(["choice", "reference"]);
    kinds
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
    let choices = table.texts("choices", report);
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
        (Some(kind), _) if kind.value.as_str() == "choice" => match choices {
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
    let max_length = table.count("max_length", report).and_then(|count| usize::try_from(count.value).ok());
    ProfileField {
        field: Field {
            kind,
            many: table.boolean("many", report),
            localised: table.boolean("localised", report),
            required: table.boolean("required", report),
            max_length,
            pattern,
        },
        at: Query::from_key(table, "at", report),
        id: Query::from_key(table, "id", report),
        node_language: table.string("node_language", report),
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
