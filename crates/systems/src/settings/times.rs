//! When `serve` does something.

use diaporos_core::diagnostic::Report;
use diaporos_core::schedule::{Cron, Schedule, Times};
use diaporos_core::settings;
use diaporos_core::settings::forms::{DURATION, TEXT};
use diaporos_core::settings::{Form, Section, Setting, TextForm};
use jiff::SignedDuration;
use jiff::civil::Time;
use jiff::tz::TimeZone;

use super::duration;

const TIME_OF_DAY: Form =
    Form::Text(&TextForm { name: "a time of the day, `06:30`", pattern: Some("^([01][0-9]|2[0-3]):[0-5][0-9]$") });
const CRON: Form = Form::Text(&TextForm { name: "a cron expression of five fields", pattern: None });

/// When `serve` does something by itself; never where nothing is said.
pub const TIMES: &[Setting] = settings![
    every: DURATION, none, "how long after it last began `serve` begins it again; at least a second", "5m";
    at: Form::List(&TIME_OF_DAY), none, "instead of `every`: the times of the day at which `serve` begins it", "[\"06:30\", \"18:00\"]";
    cron: CRON, none, "instead of `every`: a cron expression by which `serve` begins it", "0 7 * * MON-FRI";
    zone: TEXT, usual "UTC", "the time zone (IANA) in which `at` and `cron` are meant", "Europe/London";
];

/// Reads when `serve` does something.
pub fn times(table: &mut Section<'_>, report: &mut Report) -> Option<Schedule> {
    let keys = ["every", "at", "cron"].into_iter().filter(|key| table.has(key)).count();
    let interval = duration(table, "every", report);
    let of_day = table.texts("at", report);
    let cron = table.text("cron", report);
    let zone = table.text("zone", report);
    let zone = zone.and_then(|item| match TimeZone::get(item.value.as_str()) {
        Ok(zone) => Some(zone),
        Err(_) => {
            table.refuse("zone", item.span, "this is not a time zone that is known", report);
            None
        }
    });
    if keys > 1 {
        let message = format!("`{}` has more than one of `every`, `at` and `cron`", table.path());
        table.refuse("every", table.span(), message, report);
        return None;
    }
    let times = match (interval, of_day, cron) {
        (Some(interval), _, _) => {
            let interval = SignedDuration::try_from(interval).unwrap_or(SignedDuration::MAX);
            Times::Every(interval.max(SignedDuration::from_secs(1)))
        }
        (_, Some(items), _) => {
            let mut times = Vec::new();
            for item in items {
                match Time::strptime("%H:%M", &item.value) {
                    Ok(time) => times.push(time),
                    Err(_) => table.refuse("at", item.span, "this is not a time of the day", report),
                }
            }
            times.sort();
            times.dedup();
            (!times.is_empty()).then_some(Times::At(times))?
        }
        (_, _, Some(item)) => match Cron::read(item.value.as_str()) {
            Ok(cron) => Times::Cron(Box::new(cron)),
            Err(error) => {
                table.refuse("cron", item.span, format!("this is no cron expression: {error}"), report);
                return None;
            }
        },
        _ => return None,
    };
    Some(Schedule { times, zone: zone? })
}
