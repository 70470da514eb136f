//! What becomes of a hint after its entry was looked at. A source may call before it shows what it calls about, so
//! that what shows nothing new is looked at again. Pure.

use diaporos_store::AfterLook;
use jiff::{SignedDuration, Timestamp};

use crate::pull::FoundAlone;

/// How long after a look that shows nothing new it is looked again.
const LOOKS: [SignedDuration; 3] =
    [SignedDuration::from_secs(1), SignedDuration::from_secs(5), SignedDuration::from_secs(30)];
/// The same where only a listing tells, which costs more.
const LISTED_LOOKS: [SignedDuration; 1] = [SignedDuration::from_secs(10)];
/// The longest pause after a failure, and for how long it is tried again.
const LONGEST_PAUSE: SignedDuration = SignedDuration::from_mins(5);
const GIVEN_UP_AFTER: SignedDuration = SignedDuration::from_hours(24);

/// The hints about one entry.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) struct Hints {
    /// How many calls there were.
    pub(super) calls: usize,
    /// How often it was looked at before.
    pub(super) looks: u32,
    /// When the first came.
    pub(super) received: Timestamp,
}

/// What a listing of the whole system showed.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum Listed {
    /// It came to its end, and something was new.
    News,
    /// It came to its end.
    NoNews,
    /// It failed, or another process does it.
    Failed,
}

impl Hints {
    /// After the entry was asked for by itself; `listed` tells of the listing where one was needed.
    pub(super) fn after(self, found: &FoundAlone, listed: Option<Listed>, now: Timestamp) -> AfterLook {
        match found {
            FoundAlone::New => self.after_news("new", now),
            FoundAlone::Changed => self.after_news("changed", now),
            FoundAlone::Gone => self.after_news("gone", now),
            FoundAlone::Unchanged => self.after_no_news(&LOOKS, "unchanged", now),
            FoundAlone::NotThere => self.after_no_news(&LOOKS, "not there", now),
            FoundAlone::Doubtful(_) | FoundAlone::OnlyListed => {
                self.after_listing(listed.unwrap_or(Listed::Failed), now)
            }
            FoundAlone::Failed(error) => self.after_failure(&error.to_string(), now),
        }
    }

    /// After everything was listed.
    pub(super) fn after_listing(self, listed: Listed, now: Timestamp) -> AfterLook {
        match listed {
            Listed::News => self.after_news("listed", now),
            Listed::NoNews => self.after_no_news(&LISTED_LOOKS, "listed, nothing new", now),
            Listed::Failed => self.after_failure("the listing failed", now),
        }
    }

    /// What was seen may be of the first of several calls alone.
    fn after_news(self, word: &str, now: Timestamp) -> AfterLook {
        if self.calls > 1 && self.looks == 0 { again(now, LOOKS[0]) } else { AfterLook::Done(word.to_owned()) }
    }

    fn after_no_news(self, pauses: &[SignedDuration], word: &str, now: Timestamp) -> AfterLook {
        let pause = usize::try_from(self.looks).ok().and_then(|looks| pauses.get(looks));
        pause.map_or_else(|| AfterLook::Done(word.to_owned()), |pause| again(now, *pause))
    }

    /// After it could not be had.
    pub(super) fn after_failure(self, why: &str, now: Timestamp) -> AfterLook {
        if now.duration_since(self.received) > GIVEN_UP_AFTER {
            return AfterLook::Done(format!("given up: {why}"));
        }
        let pause = SignedDuration::from_secs(1_i64 << self.looks.min(20));
        again(now, pause.min(LONGEST_PAUSE))
    }
}

fn again(now: Timestamp, pause: SignedDuration) -> AfterLook {
    AfterLook::Again(now.checked_add(pause).unwrap_or(now))
}

#[cfg(test)]
mod tests {
    use diaporos_core::value::SystemName;
    use diaporos_systems::{ErrorKind, SystemError};

    use super::*;

    fn at(second: i64) -> Timestamp {
        Timestamp::from_second(1_790_000_000 + second).unwrap()
    }

    /// The seconds between looks that all find the same, till the hint is done with, and how it is.
    fn looks(calls: usize, found: &FoundAlone, listed: Option<Listed>) -> (Vec<i64>, String) {
        let (mut now, mut pauses) = (at(0), Vec::new());
        for looks in 0..1_000 {
            match (Hints { calls, looks, received: at(0) }).after(found, listed, now) {
                AfterLook::Done(word) => return (pauses, word),
                AfterLook::Again(next) => {
                    pauses.push(next.duration_since(now).as_secs());
                    now = next;
                }
            }
        }
        panic!("it is never done with: {found:?}");
    }

    #[test]
    fn what_shows_nothing_new_is_looked_at_again() {
        assert_eq!(looks(1, &FoundAlone::Changed, None), (vec![], "changed".to_owned()));
        assert_eq!(looks(100, &FoundAlone::Changed, None), (vec![1], "changed".to_owned()));
        assert_eq!(looks(1, &FoundAlone::Unchanged, None), (vec![1, 5, 30], "unchanged".to_owned()));
        assert_eq!(looks(1, &FoundAlone::NotThere, None), (vec![1, 5, 30], "not there".to_owned()));
        assert_eq!(looks(1, &FoundAlone::OnlyListed, Some(Listed::News)), (vec![], "listed".to_owned()));
        assert_eq!(
            looks(1, &FoundAlone::OnlyListed, Some(Listed::NoNews)),
            (vec![10], "listed, nothing new".to_owned())
        );
    }

    #[test]
    fn what_fails_is_tried_for_a_day() {
        let error = SystemError {
            system: SystemName::new("catalogue").unwrap(),
            url: String::new(),
            kind: ErrorKind::Unreachable("closed".to_owned()),
        };
        let doubtful = FoundAlone::Doubtful("no other".to_owned());
        for (found, listed) in
            [(&FoundAlone::Failed(error), None), (&doubtful, Some(Listed::Failed)), (&doubtful, None)]
        {
            let (pauses, word) = looks(1, found, listed);
            assert_eq!(&pauses[..9], [1, 2, 4, 8, 16, 32, 64, 128, 256]);
            assert!(pauses[9..].iter().all(|pause| *pause == 300) && word.starts_with("given up"), "{word}");
            assert!((86_400..87_000).contains(&pauses.iter().sum::<i64>()));
        }
    }
}
