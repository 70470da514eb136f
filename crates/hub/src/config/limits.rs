//! What is asked of a system at most.

use std::time::Duration;

use diaporos_core::diagnostic::{Code, Diagnostic, Report};
use diaporos_core::settings::Section;
use diaporos_systems::http::{Limits, Network, Rate};

pub(super) fn limits(table: &mut Section<'_>, report: &mut Report) -> Limits {
    let usual = Limits::default();
    let whole = duration(table, "timeout", report).unwrap_or(usual.whole);
    let first_byte = duration(table, "first_byte", report).unwrap_or(usual.first_byte.min(whole));
    let connect = duration(table, "connect", report).unwrap_or(usual.connect.min(whole));
    let settles_within = duration(table, "settles_within", report).unwrap_or(usual.settles_within);
    let rate = table.text("rate", report).and_then(|item| {
        let rate = Rate::read(item.value.as_str());
        if rate.is_none() {
            let finding = Diagnostic::error(Code::BadValue, item.span, "this is not a rate");
            report.add(finding.help("for example `rate = \"10/s\"`, `\"600/min\"` or `\"5000/h\"`"));
        }
        rate
    });
    let count = |table: &mut Section<'_>, key, least, report: &mut Report| {
        table.count(key, least, report).map(|count| count.value)
    };
    Limits {
        max_bytes: count(table, "max_bytes", 1, report).unwrap_or(usual.max_bytes),
        retries: count(table, "retries", 0, report)
            .map_or(usual.retries, |most| u32::try_from(most).unwrap_or(10).min(10)),
        concurrency: count(table, "concurrency", 1, report)
            .map_or(usual.concurrency, |most| usize::try_from(most).unwrap_or(64).min(64)),
        failures: count(table, "failures", 1, report)
            .map_or(usual.failures, |most| u32::try_from(most).unwrap_or(u32::MAX)),
        redirects: count(table, "redirects", 0, report)
            .map_or(usual.redirects, |most| usize::try_from(most).unwrap_or(20).min(20)),
        connect,
        first_byte,
        whole,
        rate,
        settles_within,
        network: Network::default(),
    }
}

/// A duration as the configuration writes it: `30s`, `2m`, `90d`, where a day has 24 hours.
pub(super) fn duration(table: &mut Section<'_>, key: &'static str, report: &mut Report) -> Option<Duration> {
    let item = table.text(key, report)?;
    let span = item.value.as_str().parse::<jiff::Span>().ok();
    let duration = span.and_then(|span| span.to_duration(jiff::SpanRelativeTo::days_are_24_hours()).ok());
    match duration {
        Some(duration) if duration.is_positive() => Some(duration.unsigned_abs()),
        _ => {
            let finding = Diagnostic::error(Code::BadValue, item.span, "this is not a duration");
            report.add(finding.help(format!("for example `{key} = \"30s\"`, `\"2m\"` or `\"90d\"`")));
            None
        }
    }
}
