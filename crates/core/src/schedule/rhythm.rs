//! The rhythm in which something comes in, learned by the hour of the week, and whether a silence is out of it.

use std::collections::BTreeSet;

use jiff::Timestamp;

/// Hours of a week.
const WEEK: i64 = 7 * 24;
/// A rhythm is known from so many whole weeks on.
const WEEKS_NEEDED: i64 = 4;
/// Of older weeks nothing is held against today.
const WEEKS_KEPT: i64 = 12;
/// How improbable a silence is before it counts as one, in thousandths.
const IMPROBABLE: f64 = 0.001;

/// The whole hours since 1970 in which something came in.
pub type Hours = BTreeSet<i64>;

/// The hour of a moment, in whole hours since 1970, UTC.
#[must_use]
pub fn hour_of(moment: Timestamp) -> i64 {
    moment.as_second().div_euclid(3_600)
}

/// How often something came in, by the hour of the week, learned from whole weeks.
#[derive(Debug, Clone, PartialEq)]
pub struct Rhythm {
    /// In how many of the weeks something came in within this hour.
    by_hour: Vec<u32>,
    /// How many weeks were looked at.
    weeks: u32,
}

impl Rhythm {
    /// The rhythm of the weeks before a moment; none where fewer than four are known.
    #[must_use]
    pub fn learned(hours: &Hours, before: Timestamp) -> Option<Rhythm> {
        let now = hour_of(before);
        let first = *hours.first()?;
        let weeks = ((now - first) / WEEK).min(WEEKS_KEPT);
        if weeks < WEEKS_NEEDED {
            return None;
        }
        let mut by_hour = vec![0; usize::try_from(WEEK).unwrap_or_default()];
        for hour in hours.range(now - weeks * WEEK..now) {
            if let Some(count) = usize::try_from(hour.rem_euclid(WEEK)).ok().and_then(|at| by_hour.get_mut(at)) {
                *count += 1;
            }
        }
        Some(Rhythm { by_hour, weeks: u32::try_from(weeks).unwrap_or(u32::MAX) })
    }

    /// How likely something comes in within an hour. Of a few weeks nobody knows for certain.
    #[must_use]
    pub fn likelihood(&self, hour: i64) -> f64 {
        let at = usize::try_from(hour.rem_euclid(WEEK)).unwrap_or_default();
        let count = self.by_hour.get(at).copied().unwrap_or_default();
        f64::from(count) / f64::from(self.weeks + 1)
    }

    /// How likely a silence of whole hours is, from the hour after the last arrival to the one before now.
    #[must_use]
    pub fn likelihood_of_silence(&self, last: Timestamp, now: Timestamp) -> f64 {
        let silent = hour_of(last) + 1..hour_of(now);
        // More than a week tells nothing that a week does not.
        silent.take(usize::try_from(2 * WEEK).unwrap_or_default()).map(|hour| 1.0 - self.likelihood(hour)).product()
    }

    /// Whether a silence is out of this rhythm.
    #[must_use]
    pub fn is_broken(&self, last: Timestamp, now: Timestamp) -> bool {
        self.likelihood_of_silence(last, now) < IMPROBABLE
    }
}

#[cfg(test)]
mod tests {
    use jiff::SignedDuration;

    use super::*;

    /// Monday, 7 September 2026, 0:00 UTC.
    fn monday() -> Timestamp {
        "2026-09-07T00:00:00Z".parse().unwrap()
    }

    fn after(hours: i64) -> Timestamp {
        monday() + SignedDuration::from_hours(hours)
    }

    /// Arrivals in the hours of `weeks` weeks for which this holds, given the day from Monday and the hour.
    fn arrivals(weeks: i64, holds: impl Fn(i64, i64) -> bool) -> Hours {
        let first = hour_of(monday());
        (0..weeks * WEEK).filter(|hour| holds(hour / 24 % 7, hour % 24)).map(|hour| first + hour).collect()
    }

    /// The first hour after the weeks at which the silence is out of rhythm, where nothing more comes in.
    fn noticed(hours: &Hours, weeks: i64) -> Option<i64> {
        let last = Timestamp::from_second((*hours.last().unwrap()) * 3_600).unwrap();
        (0..3 * WEEK).find(|hour| {
            let now = after(weeks * WEEK + hour);
            Rhythm::learned(hours, last + SignedDuration::from_hours(1))
                .is_some_and(|rhythm| rhythm.is_broken(last, now))
        })
    }

    #[test]
    fn a_newsroom_is_missed_on_monday_and_not_at_the_week_end() {
        let work = |day: i64, hour: i64| day < 5 && (8..18).contains(&hour);
        let hours = arrivals(8, work);
        // The last came in on Friday at 17:00; the week end and the night are as ever.
        let noticed = noticed(&hours, 8).unwrap();
        assert!((9..=13).contains(&noticed), "Monday, {noticed}:00");
    }

    #[test]
    fn what_comes_in_every_hour_is_missed_within_hours() {
        let noticed = noticed(&arrivals(6, |_, _| true), 6).unwrap();
        assert!(noticed <= 6, "{noticed}");
    }

    #[test]
    fn what_comes_in_once_a_week_is_missed_after_weeks_or_never() {
        let weekly = arrivals(12, |day, hour| day == 2 && hour == 9);
        assert!(noticed(&weekly, 12).is_none_or(|hour| hour > WEEK), "one missed week proves little");
    }

    #[test]
    fn of_few_weeks_nothing_is_learned() {
        assert_eq!(Rhythm::learned(&arrivals(3, |_, _| true), after(3 * WEEK)), None);
        assert_eq!(Rhythm::learned(&Hours::new(), after(0)), None);
        // A first load of everything at once is one hour, and no rhythm.
        let first: Hours = [hour_of(monday())].into();
        let rhythm = Rhythm::learned(&first, after(6 * WEEK)).unwrap();
        assert!(!rhythm.is_broken(monday(), after(6 * WEEK)));
    }

    #[test]
    fn a_rhythm_that_changes_is_learned_anew() {
        let mut hours = arrivals(20, |_, hour| hour % 2 == 0);
        let first = hour_of(monday());
        hours.retain(|hour| (hour - first) < 6 * WEEK || (hour - first) / 24 % 7 == 0);
        let rhythm = Rhythm::learned(&hours, after(20 * WEEK)).unwrap();
        assert!(!rhythm.is_broken(after(19 * WEEK + 22), after(20 * WEEK)), "only Mondays by now");
    }
}
