//! Views: lists of entries that are looked at again and again, under a name.

use diaporos_core::diagnostic::{Code, Diagnostic, Report};
use diaporos_core::expr::Library;
use diaporos_core::lane::FieldExpression;
use diaporos_core::settings::Section;
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
    let text = |table: &mut Section<'_>, key, report: &mut Report| {
        table.text(key, report).map(|item| item.value.as_str().to_owned())
    };
    let mut states = Vec::new();
    for item in table.texts("state", report).unwrap_or_default() {
        match State::from_word(&item.value) {
            Some(state) => states.push(state),
            None => {
                let finding = Diagnostic::error(Code::BadValue, item.span, format!("`{}` is not a state", item.value));
                report.add(finding.suggest(&item.value, State::WORDS.map(|(word, _)| word)));
            }
        }
    }
    View {
        system: text(table, "system", report),
        kind: text(table, "type", report),
        states,
        text: text(table, "text", report),
        holds: table.text("where", report).and_then(|item| Expressions::over(None, library).read(&item, report)),
        sort: text(table, "sort", report),
        columns: table.texts("columns", report).unwrap_or_default().into_iter().map(|item| item.value).collect(),
        most: table.count("most", 1, report).map(|count| count.value),
    }
}
