//! Views: lists of entries that are looked at again and again, under a name.

use diaporos_core::diagnostic::Report;
use diaporos_core::expr::Library;
use diaporos_core::lane::FieldExpression;
use diaporos_core::settings;
use diaporos_core::settings::forms::{EXPRESSION, TEXT};
use diaporos_core::settings::{Form, Section, Table, TextForm, words};
use diaporos_core::value::State;
use indexmap::IndexMap;

use super::expression::Expressions;

/// A list of entries under a name.
#[derive(Debug, Clone, Default)]
pub struct View {
    /// Of this system.
    pub system: Option<String>,
    /// Of this type.
    pub kind: Option<String>,
    /// In one of these states.
    pub states: Vec<State>,
    /// With these words.
    pub text: Option<String>,
    /// For which this holds.
    pub holds: Option<FieldExpression>,
    /// In the order of this; a `-` before it turns the order.
    pub sort: Option<String>,
    /// With these columns, each an expression or `name=expression`.
    pub columns: Vec<String>,
    /// At most so many.
    pub most: Option<u64>,
}

/// A view.
pub(super) static VIEW: Table = Table::new(
    "view",
    &[settings![
        system: TEXT, none, "entries of this system", "catalogue";
        type: TEXT, none, "entries of this type", "exhibit";
        state: Form::List(&Form::Word { what: "a state", of: || words(&State::WORDS) }), none, "entries in one of these states", "[\"draft\", \"scheduled\"]";
        text: TEXT, none, "entries with these words", "frond";
        where: EXPRESSION, none, "entries for which this holds", "opens > \"2026-04\"";
        sort: ORDER, none, "in the order of this; a `-` before it turns the order", "-opens";
        columns: Form::List(&COLUMN), none, "with these columns, each an expression or `name=expression`", "[\"title@en\", \"opens\"]";
        most: Form::Count(1), none, "at most so many", "20";
    ]],
);

const ORDER: Form = Form::Text(&TextForm { name: "an expression, with `-` before it or without", pattern: None });
const COLUMN: Form = Form::Text(&TextForm { name: "an expression, or `name=expression`", pattern: None });

/// Reads the views.
pub(super) fn views(file: &mut Section<'_>, library: &Library, report: &mut Report) -> IndexMap<String, View> {
    let mut views = IndexMap::new();
    let Some(mut section) = file.section("views", report) else { return views };
    for name in section.names() {
        let Some(mut table) = section.named_section(&name.value, report) else { continue };
        views.insert(name.value, view(&mut table, library, report));
        table.finish(report);
    }
    views
}

fn view(table: &mut Section<'_>, library: &Library, report: &mut Report) -> View {
    View {
        system: table.string("system", report),
        kind: table.string("type", report),
        states: table.words("state", &State::WORDS, report),
        text: table.string("text", report),
        holds: table.text("where", report).and_then(|item| Expressions::over(None, library).read(&item, report)),
        sort: table.string("sort", report),
        columns: table.texts("columns", report).unwrap_or_default().into_iter().map(|item| item.value).collect(),
        most: table.count("most", report).map(|count| count.value),
    }
}
