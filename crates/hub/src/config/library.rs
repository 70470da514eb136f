//! What the expressions of a hub share: `[functions]`, `[tables]` and `[languages]`.

use std::path::Path;
use std::sync::Arc;

use diaporos_core::diagnostic::{Code, Diagnostic, Report};
use diaporos_core::expr::functions::Function;
use diaporos_core::expr::library::UserFunction;
use diaporos_core::expr::types::Kind;
use diaporos_core::expr::{Expression, Library, compile_function};
use diaporos_core::settings;
use diaporos_core::settings::forms::{EXPRESSION, LANGUAGE};
use diaporos_core::settings::{Form, InnerText, Item, Section, Table, one_of, words};
use diaporos_core::value::LanguageTag;
use indexmap::IndexMap;

use super::expression::tree;
use super::renditions::renditions;
use super::table::tables;

/// The languages of the hub.
pub(super) static LANGUAGES: Table = Table::new(
    "languages of the hub",
    &[settings![
        known: Form::List(&LANGUAGE), none, "the languages that `in_language` and its like may name", "[\"en\", \"fr\", \"cy\"]";
        fallback: Form::List(&LANGUAGE), none, "which languages stand in for one that is not there, in their order", "[\"en\"]";
    ]],
);
/// A function of the hub's own.
pub(super) static FUNCTION: Table = Table::new(
    "function",
    &[settings![
        takes: KIND, usual "anything", "what comes through the pipe", "text";
        with: Form::Named(&KIND), none, "what follows the name: parameters by name", "{ most = \"count\" }";
        is: EXPRESSION, required, "what it gives; `it` is what comes through the pipe", "it | plain | shorten 160";
    ]],
);
const KIND: Form = Form::Word { what: "a kind of value", of: || words(&Kind::WORDS) };

/// Reads what the expressions of the hub share.
pub(super) fn library(file: &mut Section<'_>, folder: &Path, report: &mut Report) -> Library {
    let mut library = Library::default();
    library.tables = tables(file, folder, &mut library.faulty, report);
    if let Some(mut section) = file.section("languages", report) {
        library.languages = languages("known", &mut section, report);
        library.fallback = languages("fallback", &mut section, report);
        section.finish(report);
    }
    library.renditions = renditions(file, &mut library.faulty, report);
    functions(file, &mut library, report);
    library
}

fn languages(key: &'static str, section: &mut Section<'_>, report: &mut Report) -> Vec<LanguageTag> {
    let mut tags = Vec::new();
    for item in section.texts(key, report).unwrap_or_default() {
        match item.value.parse() {
            Ok(tag) => tags.push(tag),
            Err(error) => report.add(Diagnostic::error(Code::BadValue, item.span, format!("{error}"))),
        }
    }
    tags
}

/// A function as it stands in the file.
struct Written {
    item: Item<InnerText>,
    body: Expression,
    takes: Kind,
    parameters: Vec<(String, Kind)>,
}

/// Functions may use each other in any order; one that comes back to itself is refused.
fn functions(file: &mut Section<'_>, library: &mut Library, report: &mut Report) {
    let Some(mut section) = file.section("functions", report) else { return };
    let mut written: IndexMap<String, Written> = IndexMap::new();
    for name in section.names() {
        if Function::named(&name.value).is_some() {
            let message = format!("`{}` is a built-in function", name.value);
            report.add(Diagnostic::error(Code::BadValue, name.span, message).help("give it another name"));
            continue;
        }
        let Some(mut table) = section.named_section(&name.value, report) else { continue };
        let function = function(&mut table, report);
        table.finish(report);
        match function {
            Some(function) => drop(written.insert(name.value, function)),
            None => drop(library.faulty.insert(name.value)),
        }
    }
    let mut path = Vec::new();
    for name in written.keys().cloned().collect::<Vec<_>>() {
        define(&name, &written, &mut path, library, report);
    }
}

fn function(table: &mut Section<'_>, report: &mut Report) -> Option<Written> {
    let takes = table.word("takes", &Kind::WORDS, report);
    let item = table.text("is", report);
    let mut parameters = Vec::new();
    let what = table.what("with");
    if let Some(mut with) = table.section("with", report) {
        for parameter in with.names() {
            let item = with.named_text(&parameter.value, report)?;
            let kind = one_of(item.value.as_str(), item.span, &Kind::WORDS, what, report)?;
            parameters.push((parameter.value, kind));
        }
    }
    let item = item?;
    let body = tree(&item, report)?;
    Some(Written { item, body, takes: takes?, parameters })
}

fn define(
    name: &str,
    written: &IndexMap<String, Written>,
    path: &mut Vec<String>,
    library: &mut Library,
    report: &mut Report,
) {
    let Some(function) = written.get(name).filter(|_| !library.functions.contains_key(name)) else { return };
    if path.iter().any(|known| known == name) {
        let circle = format!("`{}` → `{name}`", path.join("` → `"));
        let finding = Diagnostic::error(
            Code::Recursion,
            function.item.span.clone(),
            format!("a function calls itself: {circle}"),
        );
        report.add(finding.help("a function may use others, but not come back to itself"));
        library.faulty.extend(path.iter().cloned());
        return;
    }
    if library.faulty.contains(name) {
        return;
    }
    path.push(name.to_owned());
    for called in calls(&function.body) {
        define(&called, written, path, library, report);
    }
    path.pop();
    let (gives, findings) = compile_function(function.takes, &function.parameters, &function.body, library);
    for finding in findings {
        report.add(finding.within(|span| function.item.value.in_file(span)));
    }
    if library.faulty.contains(name) || gives.is_none() {
        library.faulty.insert(name.to_owned());
    } else if let Some(gives) = gives {
        let Written { item, body, takes, parameters } = function;
        let own = UserFunction {
            takes: *takes,
            parameters: parameters.clone(),
            text: item.value.as_str().to_owned(),
            body: body.clone(),
            gives,
        };
        library.functions.insert(name.to_owned(), own);
    }
}

/// The functions that an expression calls; a name alone may be one, as in `each trim`.
fn calls(tree: &Expression) -> Vec<String> {
    use diaporos_core::expr::ast::Node;
    let mut found: Vec<String> = tree.children().into_iter().flat_map(calls).collect();
    match &tree.node {
        Node::Pipe(_, call) => found.push(call.function.clone()),
        Node::Name(name) => found.push(name.clone()),
        _ => {}
    }
    found
}

/// Warns of tables and functions that nothing uses.
pub(super) fn warn_of_unused<'a>(
    file: &Section<'_>,
    library: &Arc<Library>,
    uses: impl Iterator<Item = &'a diaporos_core::expr::Uses>,
    report: &mut Report,
) {
    let mut used = diaporos_core::expr::Uses::default();
    uses.for_each(|uses| used.extend(uses));
    for function in library.functions.values() {
        used.functions.extend(calls(&function.body));
    }
    for (section, names, known) in [
        ("tables", library.tables.keys().collect::<Vec<_>>(), &used.tables),
        ("functions", library.functions.keys().collect(), &used.functions),
        ("renditions", library.renditions.keys().collect(), &used.renditions),
    ] {
        for name in names.into_iter().filter(|name| !known.contains(*name)) {
            let Some(span) = file.place(&[section, name]) else { continue };
            let what = section.trim_end_matches('s');
            let finding = Diagnostic::warning(Code::Unused, span, format!("nothing uses the {what} `{name}`"));
            report.add(finding.help("take it out, or use it"));
        }
    }
}
