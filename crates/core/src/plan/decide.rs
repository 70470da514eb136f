//! The table of decisions.

use super::{Counterpart, Existing, Hold, HoldReason, Presence};
use crate::change::Fingerprint;
use crate::plan::GonePolicy;
use crate::value::{Address, EntryId};

/// What a document of an entry should be at the destination.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum DesiredState {
    /// There, with this content.
    There(Fingerprint),
    /// Not there.
    NotThere,
    /// As it is: its language is not complete, and nothing is removed on a guess.
    AsItIs,
}

/// What was found at the destination under the lane's key, where no counterpart was known.
#[derive(Debug, Clone, PartialEq)]
pub enum FoundDocument {
    /// It was not asked.
    NotAsked,
    /// Nothing.
    Nothing,
    /// Documents with other keys, one of which is this: the search may not know what it is asked by.
    OtherKeys(EntryId),
    /// The entry's own document in another language: the search does not tell languages apart.
    OtherLanguage(EntryId),
    /// One document that is nobody's counterpart.
    One(Box<Existing>),
    /// A document that is another entry's counterpart, or a key that another entry will create.
    Taken(Address),
    /// Several documents.
    Several(usize),
}

impl FoundDocument {
    /// What was found, held against the identifiers of the entry's documents in other languages.
    #[must_use]
    pub fn apart_from<'a>(self, mut others: impl Iterator<Item = &'a EntryId>) -> FoundDocument {
        match self {
            FoundDocument::One(existing) if others.any(|other| *other == existing.id) => {
                FoundDocument::OtherLanguage(existing.id)
            }
            found => found,
        }
    }
}

/// What is to be done for one document.
#[derive(Debug, Clone, PartialEq)]
pub enum Step {
    /// Nothing was ever there and nothing is to be.
    Nothing,
    /// It is as it should be.
    Unchanged,
    /// Write a new document.
    Create,
    /// Take the document that exists there as the counterpart, and write ours over it.
    Adopt(Box<Existing>),
    /// Nothing is to be sent; what somebody else changed there is noted.
    Note,
    /// Write the change.
    Update,
    /// Put back what was withdrawn, with its content.
    PutBack,
    /// Put on view what was saved unseen.
    Show,
    /// Take it off view.
    Withdraw,
    /// Delete it.
    Delete,
    /// Keep it back.
    Hold(Hold),
}

/// Decides about one document.
#[must_use]
pub fn decide(wanted: DesiredState, counterpart: Option<&Counterpart>, found: FoundDocument, gone: GonePolicy) -> Step {
    use Presence::{Deleted, Present, Unseen, Withdrawn};
    // What was deleted leaves only its number.
    let presence = counterpart.map(|counterpart| counterpart.presence).filter(|presence| *presence != Deleted);
    match (wanted, presence, found) {
        (DesiredState::AsItIs, ..) => Step::Nothing,

        // Never delivered: what has the key there decides between creating and adopting.
        (DesiredState::There(_), None, FoundDocument::NotAsked | FoundDocument::Nothing) => Step::Create,
        (DesiredState::There(_), None, FoundDocument::One(existing)) => Step::Adopt(existing),
        (DesiredState::There(_), None, FoundDocument::Taken(by)) => {
            hold(HoldReason::KeyTaken, format!("`{by}` has the same key there"))
        }
        (DesiredState::There(_), None, FoundDocument::OtherKeys(id)) => {
            hold(HoldReason::FoundOther, format!("the look-up by its key gives `{id}`, which does not show that key"))
        }
        (DesiredState::There(_), None, FoundDocument::OtherLanguage(id)) => {
            let why = "which is the entry's document in another language";
            hold(HoldReason::FoundOther, format!("the look-up by its key gives `{id}`, {why}"))
        }
        (DesiredState::There(_), None, FoundDocument::Several(count)) => {
            hold(HoldReason::Ambiguous, format!("{count} documents there have the same key"))
        }

        // Delivered: only a change is sent.
        (DesiredState::There(new), Some(Present), _) if counterpart.is_some_and(|known| known.fingerprint == new) => {
            Step::Unchanged
        }
        (DesiredState::There(new), Some(Unseen), _) if counterpart.is_some_and(|known| known.fingerprint == new) => {
            Step::Show
        }
        (DesiredState::There(_), Some(Present | Unseen), _) => Step::Update,
        (DesiredState::There(_), Some(Withdrawn | Deleted), _) => Step::PutBack,

        // No longer going. What was there before us, and was never decided about, is not ours to remove.
        (DesiredState::NotThere, ..) if counterpart.is_some_and(Counterpart::is_undecided) => Step::Nothing,
        (DesiredState::NotThere, None | Some(Withdrawn | Deleted), _) => Step::Nothing,
        (DesiredState::NotThere, Some(Present | Unseen), _) => match gone {
            GonePolicy::Withdraw => Step::Withdraw,
            GonePolicy::Delete => Step::Delete,
            GonePolicy::Keep => Step::Unchanged,
        },
    }
}

fn hold(reason: HoldReason, message: String) -> Step {
    Step::Hold(Hold::new(reason, message))
}

impl Step {
    /// The step's word in plans and the ledger.
    #[must_use]
    pub fn word(&self) -> &'static str {
        match self {
            Step::Nothing => "nothing",
            Step::Unchanged => "unchanged",
            Step::Create => "create",
            Step::Adopt(_) => "adopt",
            Step::Note => "note",
            Step::Update => "update",
            Step::PutBack => "put back",
            Step::Show => "show",
            Step::Withdraw => "withdraw",
            Step::Delete => "delete",
            Step::Hold(_) => "hold",
        }
    }

    /// The document it is about, where that is known before it is done.
    #[must_use]
    pub fn adopted(&self) -> Option<&EntryId> {
        match self {
            Step::Adopt(existing) => Some(&existing.id),
            _ => None,
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::change::fingerprint;
    use crate::value::{Record, Value};

    fn counterpart(presence: Presence, content: &str) -> Counterpart {
        Counterpart {
            id: EntryId::new("9001").unwrap(),
            item: None,
            revision: None,
            fingerprint: fingerprint(&Value::from(content)),
            presence,
            fields: Record::default(),
            divergences: crate::change::Divergences::new(),
            past: Vec::new(),
        }
    }

    #[test]
    fn the_whole_table() {
        let existing = Existing {
            id: EntryId::new("9001").unwrap(),
            item: None,
            language: None,
            revision: None,
            fields: Record::default(),
            presence: Presence::Present,
        };
        let there = |content: &str| DesiredState::There(fingerprint(&Value::from(content)));
        let present = counterpart(Presence::Present, "a");
        let unseen = counterpart(Presence::Unseen, "a");
        let withdrawn = counterpart(Presence::Withdrawn, "a");
        let deleted = counterpart(Presence::Deleted, "a");
        let founds = [
            FoundDocument::NotAsked,
            FoundDocument::Nothing,
            FoundDocument::One(Box::new(existing)),
            FoundDocument::Taken("s/t/other".parse().unwrap()),
            FoundDocument::Several(2),
            FoundDocument::OtherKeys(EntryId::new("1").unwrap()),
            FoundDocument::OtherLanguage(EntryId::new("1").unwrap()),
        ];
        let mut table = String::new();
        for (wanted, wanted_name) in [
            (there("a"), "same"),
            (there("b"), "other"),
            (DesiredState::NotThere, "not there"),
            (DesiredState::AsItIs, "as it is"),
        ] {
            for (known, known_name) in [
                (None, "unknown"),
                (Some(&present), "present"),
                (Some(&unseen), "unseen"),
                (Some(&withdrawn), "withdrawn"),
                (Some(&deleted), "deleted"),
            ] {
                // What was found only counts where no counterpart is known.
                let relevant = if known.is_none_or(|known| known.presence == Presence::Deleted)
                    && matches!(wanted, DesiredState::There(_))
                {
                    &founds[..]
                } else {
                    &founds[..1]
                };
                for found in relevant {
                    let policies = GonePolicy::WORDS.map(|(_, gone)| decide(wanted, known, found.clone(), gone).word());
                    let found_name = format!("{found:?}").split(['(', ' ']).next().unwrap_or_default().to_owned();
                    table += &format!("{wanted_name:9} | {known_name:9} | {found_name:8} | {}\n", policies.join(", "));
                }
            }
        }
        insta::assert_snapshot!(table);
    }
}
