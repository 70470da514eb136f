//! What is asked of a system at most.

use std::time::Duration;

use super::forms::RATE;
use crate::http::{Limits, Network, Rate};
use diaporos_core::diagnostic::Report;
use diaporos_core::settings;
use diaporos_core::settings::forms::DURATION;
use diaporos_core::settings::{Form, Section, Setting, Table, usual};

/// How much is asked of a system.
pub(super) const LIMITS: &[Setting] = settings![
    connect: DURATION, usual "10s", "how long it may take until a connection is there", "5s";
    first_byte: DURATION, usual "30s", "how long it may take until an answer begins", "20s";
    timeout: DURATION, usual "60s", "how long an answer may take in all", "10s";
    max_bytes: Form::Count(1), usual "33554432", "the most decoded bytes of one answer or file", "67108864";
    retries: Form::Count(0), usual "2", "how often a read is tried again, and a write that was surely not done; at most 10", "4";
    rate: RATE, none, "how many requests are sent in a second, a minute or an hour", "600/min";
    concurrency: Form::Count(1), usual "8", "how many requests are under way at once; at most 64", "2";
    failures: Form::Count(1), usual "20", "after how many failures in a row, all the system's fault, a push stops", "5";
    redirects: Form::Count(0), usual "5", "how many redirects are followed; a credential goes to no other host, nothing from https to http", "0";
    settles_within: DURATION, usual "5s", "how long it may take until a look-up sees what was written", "30s";
];

/// The limits alone, as where nothing is said.
static USUAL: Table = Table::new("limits", &[LIMITS]);

/// What is asked of a system whose table says nothing of it.
#[must_use]
pub fn usual_limits() -> Limits {
    usual(&USUAL, limits)
}

/// Reads what is asked of a system at most.
pub fn limits(table: &mut Section<'_>, report: &mut Report) -> Limits {
    let whole = duration(table, "timeout", report).unwrap_or_default();
    let first_byte = duration(table, "first_byte", report).unwrap_or_default().min(whole);
    let connect = duration(table, "connect", report).unwrap_or_default().min(whole);
    let settles_within = duration(table, "settles_within", report).unwrap_or_default();
    let rate = table.text("rate", report).and_then(|item| {
        let rate = Rate::read(item.value.as_str());
        if rate.is_none() {
            table.refuse("rate", item.span, "this is not a rate", report);
        }
        rate
    });
    let mut count = |key| table.count(key, report).map_or(0, |count| count.value);
    let within = |count: u64, most: usize| usize::try_from(count).unwrap_or(most).min(most);
    Limits {
        max_bytes: count("max_bytes"),
        retries: u32::try_from(count("retries").min(10)).unwrap_or(10),
        concurrency: within(count("concurrency"), 64),
        failures: u32::try_from(count("failures")).unwrap_or(u32::MAX),
        redirects: within(count("redirects"), 20),
        connect,
        first_byte,
        whole,
        rate,
        together: None,
        settles_within,
        network: Network::default(),
    }
}

/// A duration as the configuration writes it: `30s`, `2m`, `90d`, where a day has 24 hours.
pub fn duration(table: &mut Section<'_>, key: &'static str, report: &mut Report) -> Option<Duration> {
    let item = table.text(key, report)?;
    let span = item.value.as_str().parse::<jiff::Span>().ok();
    let duration = span.and_then(|span| span.to_duration(jiff::SpanRelativeTo::days_are_24_hours()).ok());
    match duration {
        Some(duration) if duration.is_positive() => Some(duration.unsigned_abs()),
        _ => {
            table.refuse(key, item.span, "this is not a duration", report);
            None
        }
    }
}
