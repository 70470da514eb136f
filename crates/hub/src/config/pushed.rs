//! When a lane is pushed, and by whom.

use diaporos_core::diagnostic::Report;
use diaporos_core::schedule::Schedule;
use diaporos_core::settings;
use diaporos_core::settings::{Form, Section, Setting, words};
use diaporos_systems::settings::times;

/// When `serve` pushes a lane.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Pushed {
    /// After its source was pulled, and something is owed.
    AfterPull,
    /// At times of its own.
    At(Schedule),
    /// Never: a person does it.
    ByHand,
}

/// Whether a person may push a lane.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum ByHand {
    /// As they like.
    Allowed,
    /// Only `serve` does it.
    Refused,
}

/// When a lane is pushed, and by whom.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Pushing {
    /// When `serve` does it.
    pub when: Pushed,
    /// Whether a person may.
    pub by_hand: ByHand,
}

/// What may be said of when a lane is pushed.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Word {
    AfterPull,
    ByHand,
}

const PUSHED_WORDS: [(&str, Word); 2] = [("after-pull", Word::AfterPull), ("by-hand", Word::ByHand)];
const BY_HAND_WORDS: [(&str, ByHand); 2] = [("allowed", ByHand::Allowed), ("refused", ByHand::Refused)];

/// When a lane is pushed, and by whom.
pub(super) const PUSHED: &[Setting] = settings![
    pushed: Form::Word { what: "when a lane can be pushed", of: || words(&PUSHED_WORDS) }, usual "after-pull", "when `serve` pushes it, where no times are given: after its source was pulled, or never", "by-hand";
    by_hand: Form::Word { what: "what can become of a push by hand", of: || words(&BY_HAND_WORDS) }, usual "allowed", "whether a person may push it: with `refused` only `serve` does, unless a person insists", "refused";
];

/// Reads when a lane is pushed, and by whom.
pub(super) fn pushed(table: &mut Section<'_>, report: &mut Report) -> Option<Pushing> {
    let word = table.word("pushed", &PUSHED_WORDS, report)?;
    let by_hand = table.word("by_hand", &BY_HAND_WORDS, report)?;
    let pushed = match (word, times(table, report)) {
        (Word::ByHand, Some(_)) => {
            table.refuse("pushed", table.span(), "a lane that is pushed by hand has no times", report);
            return None;
        }
        (Word::ByHand, None) if by_hand == ByHand::Refused => {
            table.refuse("by_hand", table.span(), "a lane that is pushed by hand alone must be allowed to", report);
            return None;
        }
        (Word::ByHand, None) => Pushed::ByHand,
        (Word::AfterPull, Some(schedule)) => Pushed::At(schedule),
        (Word::AfterPull, None) => Pushed::AfterPull,
    };
    Some(Pushing { when: pushed, by_hand })
}
