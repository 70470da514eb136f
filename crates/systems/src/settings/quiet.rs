//! How long a source may be quiet.

use std::time::Duration;

use diaporos_core::diagnostic::Report;
use diaporos_core::settings::{Form, Section, TextForm};

/// A silence, or how it is known.
pub(super) const SILENCE: Form = Form::Text(&TextForm {
    name: "a duration, `learned` or `never`",
    pattern: Some("^([0-9]+ ?[a-z]+.*|learned|never)$"),
});

/// How long a source may be quiet before a person is told.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Quiet {
    /// As long as its own rhythm has it, by the hour of the week.
    Learned,
    /// So long.
    After(Duration),
    /// As long as it likes.
    Never,
}

/// Reads how long a source may be quiet.
pub fn quiet(table: &mut Section<'_>, report: &mut Report) -> Option<Quiet> {
    let item = table.text("quiet", report)?;
    match item.value.as_str() {
        "learned" => Some(Quiet::Learned),
        "never" => Some(Quiet::Never),
        _ => super::duration(table, "quiet", report).map(Quiet::After),
    }
}
