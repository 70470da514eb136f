//! How a system is asked for what changed since a moment.

use std::time::Duration;

use diaporos_core::diagnostic::{Code, Diagnostic, Report};
use diaporos_core::settings::{InnerText, Item, Section};
use jiff::SignedDuration;

use super::Query;

/// How often everything is listed where a profile does not say.
const WHOLE_EVERY: SignedDuration = SignedDuration::from_hours(7 * 24);

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
        let parameter = section.required_text("parameter", report);
        let at = Query::required(section, "at", report);
        let overlap = match section.text("overlap", report) {
            None => Duration::from_secs(300),
            Some(item) => duration(&item, "overlap = \"5m\"", report)?.unsigned_abs(),
        };
        let whole_every = match section.text("whole_every", report) {
            None => Some(WHOLE_EVERY),
            Some(item) if item.value.as_str() == "never" => None,
            Some(item) => Some(duration(&item, "whole_every = \"7d\"", report)?),
        };
        Some(Since { parameter: parameter?.value.as_str().to_owned(), at: at?, overlap, whole_every })
    }
}

/// A length of time that is not negative; days have 24 hours.
fn duration(item: &Item<InnerText>, example: &str, report: &mut Report) -> Option<SignedDuration> {
    let span = item.value.as_str().parse::<jiff::Span>().ok();
    let duration = span.and_then(|span| span.to_duration(jiff::SpanRelativeTo::days_are_24_hours()).ok());
    let duration = duration.filter(|duration| !duration.is_negative());
    if duration.is_none() {
        let finding = Diagnostic::error(Code::BadValue, item.span.clone(), "this is not a duration");
        report.add(finding.help(format!("for example `{example}`")));
    }
    duration
}
