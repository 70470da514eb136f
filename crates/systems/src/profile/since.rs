//! How a system is asked for what changed since a moment.

use std::time::Duration;

use diaporos_core::diagnostic::Report;
use diaporos_core::settings;
use diaporos_core::settings::forms::{DURATION, TEXT};
use diaporos_core::settings::{Form, Section, Table, TextForm};
use jiff::SignedDuration;

use crate::query::{JSON_PATH, Query};

/// How only what changed is asked for.
pub(super) static SINCE: Table = Table::new(
    "since",
    &[settings![
        parameter: TEXT, required, "the parameter that says since when; of a query, its variable", "updated_after";
        at: JSON_PATH, required, "where an item says when it changed", "$.updated";
        overlap: DURATION, usual "5m", "how far before the newest change it is asked, against clocks that differ", "10m";
        whole_every: Form::Text(&TextForm { name: "a duration, or `never`", pattern: None }), usual "7d", "how often all is listed, for changes alone do not show what went", "30d";
    ]],
);

/// How only what changed is asked for.
#[derive(Debug, Clone)]
pub(crate) struct Since {
    /// The query parameter.
    pub(crate) parameter: String,
    /// Where an item says when it changed.
    pub(crate) at: Query,
    /// How far before the newest change it is asked, against clocks that differ.
    pub(crate) overlap: Duration,
    /// How often everything is listed all the same; never where none.
    pub(crate) whole_every: Option<SignedDuration>,
}

impl Since {
    pub(super) fn from_section(section: &mut Section<'_>, report: &mut Report) -> Option<Since> {
        let parameter = section.text("parameter", report);
        let at = Query::from_key(section, "at", report);
        let (overlap, whole_every) = Since::lengths(section, report)?;
        Some(Since { parameter: parameter?.value.as_str().to_owned(), at: at?, overlap, whole_every })
    }

    /// How far back it is asked, and how often everything is listed all the same.
    pub(super) fn lengths(
        section: &mut Section<'_>,
        report: &mut Report,
    ) -> Option<(Duration, Option<SignedDuration>)> {
        let overlap = length(section, "overlap", report);
        let whole_every = match section.string("whole_every", report).as_deref() {
            Some("never") => Some(None),
            _ => length(section, "whole_every", report).map(Some),
        };
        Some((overlap?.unsigned_abs(), whole_every?))
    }
}

/// A length of time that is not negative; days have 24 hours.
fn length(section: &mut Section<'_>, key: &'static str, report: &mut Report) -> Option<SignedDuration> {
    let item = section.text(key, report)?;
    let span = item.value.as_str().parse::<jiff::Span>().ok();
    let duration = span.and_then(|span| span.to_duration(jiff::SpanRelativeTo::days_are_24_hours()).ok());
    let duration = duration.filter(|duration| !duration.is_negative());
    if duration.is_none() {
        section.refuse(key, item.span, "this is not a duration", report);
    }
    duration
}
