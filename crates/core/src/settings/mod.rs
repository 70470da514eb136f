//! Reading our own TOML files so that every fault is reported with its place, not only the first.

mod inner;
mod section;

pub use inner::InnerText;
pub use section::{Item, Section, TextOrTable};

use crate::diagnostic::{Code, Diagnostic, Report, Source};

/// Parses a TOML file and hands its top-level table to `read`; whatever is wrong is in the report.
/// A file that is not TOML is reported and not read further, so that no echoes follow.
pub fn read_toml<T>(
    source: Source,
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
    let mut section = Section::new(&text, table.get_ref(), span, String::new());
    let value = read(&mut section, &mut report);
    section.finish(&mut report);
    report.finish();
    (value, report)
}
