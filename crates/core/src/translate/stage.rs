//! How far a translation is, by what its file says.

use crate::text::{Cut, shorten};

/// The most characters of a file's own word that are told.
const LONGEST_WORD: usize = 60;

/// How far a translation is.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
pub enum Stage {
    /// A machine or a memory suggests it, or a reviewer turned it down: a person has to decide.
    Doubted,
    /// Somebody has begun.
    Begun,
    /// It is translated.
    Translated,
    /// It is reviewed.
    Reviewed,
    /// Nothing is left to do.
    Final,
}

/// What a file says of how far a translation is.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct StageTold {
    /// How far.
    pub stage: Stage,
    /// In the file's own words.
    pub word: String,
}

/// From which stage on translations are taken.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub enum AcceptFrom {
    /// Whatever the file says, for tools that leave states as they were.
    Any,
    /// Translated, or nothing said.
    #[default]
    Translated,
    /// Reviewed.
    Reviewed,
    /// Final.
    Final,
}

impl AcceptFrom {
    /// Every one with its word.
    pub const WORDS: [(&str, AcceptFrom); 4] = [
        ("any", AcceptFrom::Any),
        ("translated", AcceptFrom::Translated),
        ("reviewed", AcceptFrom::Reviewed),
        ("final", AcceptFrom::Final),
    ];

    /// Its word.
    #[must_use]
    pub fn word(self) -> &'static str {
        Self::WORDS.iter().find(|(_, known)| *known == self).map_or("", |(word, _)| word)
    }

    /// Why a translation waits, where it does. A doubted one always does: nothing makes it good but a
    /// person.
    #[must_use]
    pub fn keeps_back(self, told: Option<&StageTold>) -> Option<String> {
        let least = match self {
            AcceptFrom::Any => Stage::Begun,
            AcceptFrom::Translated => Stage::Translated,
            AcceptFrom::Reviewed => Stage::Reviewed,
            AcceptFrom::Final => Stage::Final,
        };
        match told {
            None if least <= Stage::Translated => None,
            None => Some(format!("its file does not say that it is {}", self.word())),
            Some(StageTold { stage: Stage::Doubted, word }) if word == MADE_BY_MACHINE => {
                Some("a machine made it: a person has to take or change it".to_owned())
            }
            Some(StageTold { stage: Stage::Doubted, word }) => {
                Some(format!("its file marks it `{word}`, which a person has to take or change"))
            }
            Some(StageTold { stage, word }) => (*stage < least)
                .then(|| format!("its file marks it `{word}`; the brief accepts from `{}` on", self.word())),
        }
    }
}

/// What our own files say of a target that a machine made (XLIFF 2, `subState`).
pub(super) const MADE_BY_MACHINE: &str = "diaporos:mt-suggestion";

/// What says that nobody has decided about a text, whatever its state: XLIFF 1.2 has these words as
/// `state-qualifier`, tools write the like as `subState`.
const DOUBTED: [&str; 10] =
    ["mt", "machine", "fuzzy", "suggestion", "suggested", "pretranslated", "rejected", "tm", "doubtful", "unverified"];

fn is_doubted(word: &str) -> bool {
    word.to_lowercase().split(|c: char| !c.is_alphanumeric()).any(|part| DOUBTED.contains(&part))
}

fn is_rejected(word: &str) -> bool {
    word.to_lowercase().split(|c: char| !c.is_alphanumeric()).any(|part| part == "rejected")
}

/// A suggestion that somebody reviewed is none any more; what was rejected stays so.
fn doubted_by(told: Option<StageTold>, qualifier: Option<&str>) -> Option<StageTold> {
    let reviewed = told.as_ref().is_some_and(|told| told.stage >= Stage::Reviewed);
    match qualifier {
        Some(word) if is_rejected(word) || (is_doubted(word) && !reviewed) => {
            Some(StageTold::new(Stage::Doubted, word))
        }
        _ => told,
    }
}

impl StageTold {
    /// What XLIFF 1.2 says by `state`, `state-qualifier` (both of a target) and `approved` (of its
    /// unit).
    pub(super) fn of_xliff1(state: Option<&str>, qualifier: Option<&str>, approved: Option<&str>) -> Option<StageTold> {
        let told = state.map(|word| {
            let stage = match word {
                "final" => Stage::Final,
                "signed-off" => Stage::Reviewed,
                "translated" | "needs-review-translation" | "needs-review-adaptation" | "needs-review-l10n" => {
                    Stage::Translated
                }
                // Those that need adaptation or localisation, and those that nobody but the tool knows.
                _ => Stage::Begun,
            };
            StageTold::new(stage, word)
        });
        let told = match (approved, told) {
            (Some("yes"), None) => Some(StageTold { stage: Stage::Reviewed, word: "approved".to_owned() }),
            (Some("yes"), Some(told)) if told.stage == Stage::Translated => {
                Some(StageTold { stage: Stage::Reviewed, ..told })
            }
            (Some("no"), Some(told)) if told.stage > Stage::Translated => {
                Some(StageTold { stage: Stage::Translated, word: format!("{}, not approved", told.word) })
            }
            (_, told) => told,
        };
        doubted_by(told, qualifier)
    }

    /// What XLIFF 2 says by `state` and `subState` of a segment.
    pub(super) fn of_xliff2(state: Option<&str>, sub_state: Option<&str>) -> Option<StageTold> {
        let told = state.map(|word| {
            let stage = match word {
                "translated" => Stage::Translated,
                "reviewed" => Stage::Reviewed,
                "final" => Stage::Final,
                _ => Stage::Begun,
            };
            StageTold::new(stage, word)
        });
        doubted_by(told, sub_state)
    }

    /// What a file says, in as many characters of its own as anybody reads.
    fn new(stage: Stage, word: &str) -> StageTold {
        StageTold { stage, word: shorten(word, LONGEST_WORD, Cut::Letters) }
    }

    /// Of two segments of one text, the one that is less far.
    pub(super) fn lesser(one: Option<StageTold>, other: Option<StageTold>) -> Option<StageTold> {
        match (one, other) {
            (Some(one), Some(other)) => Some(if other.stage < one.stage { other } else { one }),
            // A segment of which nothing is said is at most translated.
            (Some(told), None) | (None, Some(told)) if told.stage <= Stage::Translated => Some(told),
            _ => None,
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    /// What becomes of it with `any`, `translated`, `reviewed`, `final`: `+` is taken, `-` waits.
    fn taken(told: Option<&StageTold>) -> String {
        let of = |(_, from): (&str, AcceptFrom)| if from.keeps_back(told).is_none() { '+' } else { '-' };
        AcceptFrom::WORDS.into_iter().map(of).collect()
    }

    #[test]
    fn states_of_xliff_1() {
        for (state, qualifier, approved, expected) in [
            (None, None, None, "++--"),
            (Some("translated"), None, None, "++--"),
            (Some("needs-review-translation"), None, Some("no"), "++--"),
            (Some("needs-adaptation"), None, None, "+---"),
            (Some("needs-l10n"), None, None, "+---"),
            (Some("x-half"), None, None, "+---"),
            (Some("signed-off"), None, None, "+++-"),
            (Some("final"), None, None, "++++"),
            (Some("final"), None, Some("no"), "++--"),
            (None, None, Some("yes"), "+++-"),
            (Some("translated"), None, Some("yes"), "+++-"),
            (Some("needs-adaptation"), None, Some("yes"), "+---"),
            (Some("translated"), Some("exact-match"), None, "++--"),
            (Some("translated"), Some("mt-suggestion"), None, "----"),
            (Some("translated"), Some("leveraged-mt"), None, "----"),
            (None, Some("fuzzy-match"), None, "----"),
            (Some("signed-off"), Some("mt-suggestion"), None, "+++-"),
            (Some("final"), Some("rejected-grammar"), Some("yes"), "----"),
        ] {
            let told = StageTold::of_xliff1(state, qualifier, approved);
            assert_eq!(taken(told.as_ref()), expected, "{state:?} {qualifier:?} {approved:?}");
        }
    }

    #[test]
    fn states_of_xliff_2_and_of_segments() {
        for (state, sub_state, expected) in [
            (None, None, "++--"),
            (Some("initial"), None, "+---"),
            (Some("translated"), None, "++--"),
            (Some("translated"), Some("tool:mt-draft"), "----"),
            (Some("reviewed"), Some("tool:mt-draft"), "+++-"),
            (Some("reviewed"), Some("tool:rejected"), "----"),
            (Some("final"), Some("tool:checked"), "++++"),
        ] {
            let told = StageTold::of_xliff2(state, sub_state);
            assert_eq!(taken(told.as_ref()), expected, "{state:?} {sub_state:?}");
        }
        let of = |state| StageTold::of_xliff2(Some(state), None);
        for (one, other, expected) in [
            (of("final"), of("reviewed"), "+++-"),
            (of("final"), of("initial"), "+---"),
            (of("final"), None, "++--"),
            (None, of("initial"), "+---"),
        ] {
            assert_eq!(taken(StageTold::lesser(one.clone(), other.clone()).as_ref()), expected, "{one:?} {other:?}");
            assert_eq!(taken(StageTold::lesser(other.clone(), one.clone()).as_ref()), expected, "{other:?} {one:?}");
        }
    }
}
