//! What `serve` does for a brief by itself.

use diaporos_core::diagnostic::Report;
use diaporos_core::schedule::{Schedule, Times};
use diaporos_core::settings;
use diaporos_core::settings::forms::DURATION;
use diaporos_core::settings::{Form, Section, Setting};
use diaporos_systems::settings::{duration, times};
use jiff::SignedDuration;
use jiff::tz::TimeZone;

/// What `serve` does for a brief by itself: beside its times, how much it sends, and when it collects.
pub(super) const TIMED: &[Setting] = settings![
    least_words: Form::Count(1), usual "1", "at its times `serve` makes and sends a batch, where at least so many words lack a translation", "300";
    most_words: Form::Count(1), usual "10000", "more words than these `serve` does not send by itself: it tells a person, who makes the batch by hand", "50000";
    collected: DURATION, none, "how long after it last did `serve` looks again for what came back, while a batch is with the translators; never by itself without it", "30m";
];

/// What `serve` does for a brief by itself.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct BriefTimes {
    /// When it makes and sends a batch.
    pub made: Option<Schedule>,
    /// How many words must lack a translation.
    pub least: u64,
    /// How many words it sends at most.
    pub most: u64,
    /// When it looks for what came back.
    pub collected: Option<Schedule>,
}

/// Reads what `serve` does for a brief by itself.
pub(super) fn timed(table: &mut Section<'_>, report: &mut Report) -> Option<BriefTimes> {
    let made = times(table, report);
    let least = table.count("least_words", report)?;
    let most = table.count("most_words", report)?;
    if least.value > most.value {
        table.refuse("least_words", least.span, "at least so many words are more than `most_words`", report);
        return None;
    }
    let every = duration(table, "collected", report).and_then(|lasts| SignedDuration::try_from(lasts).ok());
    let collected = every
        .map(|every| Schedule { times: Times::Every(every.max(SignedDuration::from_secs(1))), zone: TimeZone::UTC });
    Some(BriefTimes { made, least: least.value, most: most.value, collected })
}
