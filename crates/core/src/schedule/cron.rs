//! Cron expressions of five fields: minute, hour, day of the month, month, day of the week (POSIX crontab, with
//! the names of months and days, ranges, lists and steps).

use std::cmp::Ordering;
use std::fmt;

use croner::parser::{CronParser, Seconds};
use croner::time::{CivilDate, CivilDateTime, CivilTime, CronDateTime, Resolution, Weekday};
use jiff::civil::DateTime;
use jiff::tz::{AmbiguousOffset, TimeZone};
use jiff::{SignedDuration, Timestamp, ZonedDateTime};

/// A cron expression.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Cron {
    text: String,
    parsed: croner::Cron,
}

/// Why a text is no cron expression.
#[derive(Debug, thiserror::Error)]
#[error("{0}")]
pub struct CronError(String);

impl Cron {
    /// Reads an expression.
    ///
    /// # Errors
    /// Where it is none.
    pub fn read(text: &str) -> Result<Cron, CronError> {
        let parser = CronParser::builder().seconds(Seconds::Disallowed).build();
        let parsed = parser.parse(text).map_err(|error| CronError(error.to_string()))?;
        Ok(Cron { text: text.to_owned(), parsed })
    }

    /// The first moment after another at which it is due; none where no such moment comes, as on a 30th of
    /// February. A time that a clock skips comes when it has moved; what recurs every hour or minute does so
    /// by the time that passes, and a time of the day comes once where the clock shows it twice.
    #[must_use]
    pub fn next(&self, after: Timestamp, zone: &TimeZone) -> Option<Timestamp> {
        let after = Moment(after.to_zoned_datetime(zone.clone()));
        self.parsed.find_next_occurrence(&after, false).ok().map(|next| next.0.timestamp())
    }
}

impl fmt::Display for Cron {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(&self.text)
    }
}

/// A moment in a zone, as the crate that reads expressions wants it.
#[derive(Debug, Clone)]
struct Moment(ZonedDateTime);

fn small(number: i8) -> u32 {
    u32::try_from(number).unwrap_or_default()
}

fn to_datetime(civil: CivilDateTime) -> Option<DateTime> {
    let part = |number: u32| i8::try_from(number).ok();
    let year = i16::try_from(civil.year()).ok()?;
    let (month, day) = (part(civil.month())?, part(civil.day())?);
    let (hour, minute, second) = (part(civil.hour())?, part(civil.minute())?, part(civil.second())?);
    DateTime::new(year, month, day, hour, minute, second, 0).ok()
}

impl CronDateTime for Moment {
    fn to_civil(&self) -> CivilDateTime {
        let at = self.0.datetime();
        CivilDateTime::new(
            CivilDate::from_parts_unchecked(i32::from(at.year()), small(at.month()), small(at.day())),
            CivilTime::from_parts_unchecked(small(at.hour()), small(at.minute()), small(at.second())),
        )
    }

    fn civil_weekday(&self) -> Weekday {
        Weekday::from_days_from_sunday(small(self.0.weekday().to_sunday_zero_offset()))
    }

    fn resolve_civil(&self, civil: CivilDateTime) -> Result<Resolution<Self>, croner::errors::CronError> {
        let datetime = to_datetime(civil).ok_or(croner::errors::CronError::InvalidDate)?;
        let ambiguous = self.0.time_zone().to_ambiguous_zoned_datetime(datetime);
        let wrong = |_| croner::errors::CronError::InvalidTime;
        Ok(match ambiguous.offset() {
            AmbiguousOffset::Unambiguous { .. } => Resolution::Single(Moment(ambiguous.unambiguous().map_err(wrong)?)),
            AmbiguousOffset::Fold { .. } => {
                let earlier = ambiguous.clone().earlier().map_err(wrong)?;
                Resolution::Ambiguous(Moment(earlier), Moment(ambiguous.later().map_err(wrong)?))
            }
            AmbiguousOffset::Gap { .. } => Resolution::Gap,
        })
    }

    fn checked_add_seconds(&self, seconds: i64) -> Option<Self> {
        self.0.checked_add(SignedDuration::from_secs(seconds)).ok().map(Moment)
    }

    fn cmp_instant(&self, other: &Self) -> Ordering {
        self.0.timestamp().cmp(&other.0.timestamp())
    }
}
