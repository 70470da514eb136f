//! Our own TOML files: each setting is described once, and read so that every fault is reported with its
//! place, not only the first.

mod described;
pub mod forms;
mod inner;
mod reference;
mod schema;
mod section;
mod values;
mod walk;

pub use described::{Form, Setting, Table, TextForm, Usual, Variants, words};
pub use inner::InnerText;
pub use reference::reference;
pub use schema::schema;
pub use section::{Item, Section, TextOrTable};
pub use values::one_of;
pub use walk::texts_of;

use crate::diagnostic::{Code, Diagnostic, Report, Source};

/// What counts where nothing of a table's settings is there.
pub fn usual<T>(described: &'static Table, read: impl FnOnce(&mut Section<'_>, &mut Report) -> T) -> T {
    let nothing = toml::de::DeTable::new();
    let mut report = Report::new(Source { name: String::new(), text: String::new() });
    read(&mut Section::whole("", &nothing, 0..0, described), &mut report)
}

/// Parses a TOML file and hands its top-level table to `read`; whatever is wrong is in the report.
/// A file that is not TOML is reported and not read further, so that no echoes follow.
pub fn read_toml<T>(
    source: Source,
    described: &'static Table,
    read: impl FnOnce(&mut Section<'_>, &mut Report) -> Option<T>,
) -> (Option<T>, Report) {
    let text = source.text.clone();
    let mut report = Report::new(source);
    let (table, errors) = toml::de::DeTable::parse_recoverable(&text);
    if !errors.is_empty() {
        for error in &errors {
            let span = error.span().unwrap_or(0..0);
            report.add(Diagnostic::error(Code::Syntax, span, format!("this is not TOML: {}", error.message())));
        }
        report.finish();
        return (None, report);
    }
    let span = 0..text.lines().next().map_or(0, str::len);
    let mut section = Section::whole(&text, table.get_ref(), span, described);
    let value = read(&mut section, &mut report);
    section.finish(&mut report);
    report.finish();
    (value, report)
}
