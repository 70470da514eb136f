//! Why an entry is kept back, and the way out.

/// The kinds of reason for which an entry is kept back.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub enum HoldReason {
    /// A field has no value, or one that the destination does not take.
    Unfit,
    /// It breaks a rule that the lane requires.
    Rule,
    /// A rule of the lane protects what is there.
    Protected,
    /// Another entry of the hub has the same key, or is already the counterpart of what was found.
    KeyTaken,
    /// Several documents at the destination have the key.
    Ambiguous,
    /// The destination finds documents that have other keys.
    FoundOther,
    /// The destination's document was changed by somebody else.
    ChangedThere,
    /// The destination's document was deleted by somebody else.
    DeletedThere,
    /// Somebody else has the destination's document locked.
    Locked,
    /// It refers to an entry that is not there.
    Reference,
    /// The destination refused the request.
    Refused,
    /// A request was sent whose answer is lost, and the destination does not tell.
    InDoubt,
    /// A slate keeps it back till it is launched.
    KeptBack,
    /// A service that gives it a field did not answer, or may not be asked.
    Service,
}

impl HoldReason {
    /// Every reason with its word.
    pub const WORDS: [(&str, HoldReason); 14] = [
        ("unfit", HoldReason::Unfit),
        ("rule", HoldReason::Rule),
        ("protected", HoldReason::Protected),
        ("key-taken", HoldReason::KeyTaken),
        ("ambiguous", HoldReason::Ambiguous),
        ("found-other", HoldReason::FoundOther),
        ("changed-there", HoldReason::ChangedThere),
        ("deleted-there", HoldReason::DeletedThere),
        ("locked", HoldReason::Locked),
        ("reference", HoldReason::Reference),
        ("refused", HoldReason::Refused),
        ("in-doubt", HoldReason::InDoubt),
        ("kept-back", HoldReason::KeptBack),
        ("service", HoldReason::Service),
    ];

    /// The reason's word.
    #[must_use]
    pub fn word(self) -> &'static str {
        Self::WORDS.iter().find(|(_, reason)| *reason == self).map_or("", |(word, _)| word)
    }

    /// The reason of that word.
    #[must_use]
    pub fn from_word(word: &str) -> Option<HoldReason> {
        Self::WORDS.iter().find(|(name, _)| *name == word).map(|(_, reason)| *reason)
    }

    /// What a person can do about it.
    #[must_use]
    pub fn way_out(self) -> &'static str {
        match self {
            HoldReason::Unfit => {
                "mend the entry at its source and pull, or mend the lane's field; the next push tries again"
            }
            HoldReason::Rule => {
                "mend the entry at its source and pull, or change the lane's rule; the next push tries again"
            }
            HoldReason::Protected => {
                "`resolve ADDRESS --take theirs` leaves it as it is; to change it, alter the lane's `protect`"
            }
            HoldReason::KeyTaken => {
                "give one of the two another value in the lane's `match` field; the next push tries again"
            }
            HoldReason::Ambiguous => "leave one document with that key at the destination; the next push tries again",
            HoldReason::FoundOther => {
                "see that the profile's `find` asks by the key, and that documents show it under the lane's `match` field; the next push tries again"
            }
            HoldReason::ChangedThere => {
                "`show ADDRESS --three-way` shows both; `resolve ADDRESS --take ours`, `theirs`, or field by field `heading=ours`"
            }
            HoldReason::DeletedThere => {
                "`resolve ADDRESS --take ours` creates it again, `--take theirs` leaves it deleted"
            }
            HoldReason::Locked => "wait until they let go of it, or ask them to; the next push tries again",
            HoldReason::Reference => {
                "see why that entry does not go (`explain`), or say `references = \"leave-out\"` on the lane"
            }
            HoldReason::Refused => "mend what the destination names; the next push tries again",
            HoldReason::KeptBack => {
                "`slate show NAME` lists what goes with it; `slate launch` sends it, `slate drop` lets it go by itself"
            }
            HoldReason::Service => {
                "see that the service answers, raise its `a_day`, or say what the field is without it (`otherwise`); the next push asks again"
            }
            HoldReason::InDoubt => {
                "look at the destination; `resolve ADDRESS --take ours` sends again, `--take theirs` accepts what is there"
            }
        }
    }
}

/// An entry that is kept back.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Hold {
    /// The kind of reason.
    pub reason: HoldReason,
    /// What exactly.
    pub message: String,
    /// The fields that it is about, where it is about any.
    pub fields: Vec<String>,
}

impl Hold {
    /// A hold that is about no field more than another.
    #[must_use]
    pub fn new(reason: HoldReason, message: impl Into<String>) -> Hold {
        Hold { reason, message: message.into(), fields: Vec::new() }
    }

    /// Says which fields it is about.
    #[must_use]
    pub fn about(self, fields: impl IntoIterator<Item = String>) -> Hold {
        Hold { fields: fields.into_iter().collect(), ..self }
    }
}
