//! When a person is told.

use std::time::Duration;

use diaporos_core::diagnostic::Report;
use diaporos_core::settings;
use diaporos_core::settings::forms::DURATION;
use diaporos_core::settings::{Form, Section, Table, usual};
use diaporos_systems::settings::duration;
use jiff::SignedDuration;

/// When a person is told of something.
pub(super) static ALERTS: Table = Table::new(
    "alerts",
    &[settings![
        failures: Form::Count(1), usual "3", "after how many failures in a row of a pull or a push", "5";
        held: DURATION, usual "24h", "after how long that an entry is held", "3d";
        credentials: DURATION, usual "14d", "how long before a credential ends", "30d";
        calls: DURATION, usual "10m", "after how long that a call from outside waits", "1h";
        disk: Form::Count(0), usual "1000", "below how many megabytes of free disk", "5000";
    ]],
);

/// When a person is told of something.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Alerting {
    /// After how many failures in a row.
    pub failures: u32,
    /// After how long that an entry is held.
    pub held: SignedDuration,
    /// How long before a credential ends.
    pub credentials: SignedDuration,
    /// After how long that a call from outside waits.
    pub calls: SignedDuration,
    /// Below how many bytes of free disk.
    pub disk: u64,
}

/// Reads when a person is told.
pub(super) fn alerting(file: &mut Section<'_>, report: &mut Report) -> Alerting {
    match file.section("alerts", report) {
        Some(mut table) => {
            let read = read(&mut table, report);
            table.finish(report);
            read
        }
        None => usual(&ALERTS, read),
    }
}

fn read(table: &mut Section<'_>, report: &mut Report) -> Alerting {
    let signed = |lasts: Option<Duration>| SignedDuration::try_from(lasts.unwrap_or_default()).unwrap_or_default();
    let failures = table.count("failures", report).map_or(u64::MAX, |count| count.value);
    Alerting {
        failures: u32::try_from(failures).unwrap_or(u32::MAX),
        held: signed(duration(table, "held", report)),
        credentials: signed(duration(table, "credentials", report)),
        calls: signed(duration(table, "calls", report)),
        disk: table.count("disk", report).map_or(0, |count| count.value).saturating_mul(1_000_000),
    }
}
