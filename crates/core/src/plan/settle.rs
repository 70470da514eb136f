//! Settling a request whose answer was lost, by what the destination now shows.

use super::{Existing, Presence};
use crate::value::{Record, Revision};

/// What a lost request was to do to a document that was known.
#[derive(Debug, Clone, PartialEq)]
pub enum Intended {
    /// Make its fields these, from that version.
    Write {
        /// The mapped fields.
        fields: Record,
        /// The version it was based on; none where the destination has no versions.
        base: Option<Revision>,
    },
    /// Take it off view.
    Withdraw,
    /// Delete it.
    Delete,
}

/// What became of a lost request.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Settled {
    /// It was done.
    Done,
    /// It was not done and can be sent again.
    NotDone,
    /// The document is neither as it was nor as it was to be: somebody else wrote too.
    ChangedThere,
    /// The document is not there any more.
    DeletedThere,
}

/// Reads what became of a lost request from what the destination shows under the document's id.
#[must_use]
pub fn settle(intended: &Intended, now: Option<&Existing>) -> Settled {
    match (intended, now) {
        (Intended::Delete, None) => Settled::Done,
        (Intended::Write { .. } | Intended::Withdraw, None) => Settled::DeletedThere,
        (Intended::Delete, Some(_)) => Settled::NotDone,
        (Intended::Withdraw, Some(found)) if found.presence == Presence::Withdrawn => Settled::Done,
        (Intended::Withdraw, Some(_)) => Settled::NotDone,
        (Intended::Write { fields, .. }, Some(found)) if found.holds(fields) && found.presence == Presence::Present => {
            Settled::Done
        }
        // The version is the one we started from: nothing was written since, by us or anybody.
        (Intended::Write { base, .. }, Some(found)) if *base == found.revision => Settled::NotDone,
        // A text in another spelling may come back (a destination that tidies what it stores),
        // so a version that moved on does not prove that it was us.
        (Intended::Write { .. }, Some(_)) => Settled::ChangedThere,
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::value::EntryId;

    fn existing(heading: &str, revision: Option<&str>, presence: Presence) -> Existing {
        Existing {
            id: EntryId::new("1").unwrap(),
            item: None,
            revision: revision.map(|text| Revision::new(text).unwrap()),
            fields: [("heading".to_owned(), heading.into()), ("theirs".to_owned(), "kept".into())]
                .into_iter()
                .collect(),
            presence,
        }
    }

    #[test]
    fn every_case() {
        use Presence::{Present, Withdrawn};
        let write = |base: Option<&str>| Intended::Write {
            fields: [("heading".to_owned(), "new".into())].into_iter().collect(),
            base: base.map(|text| Revision::new(text).unwrap()),
        };
        for (intended, now, expected) in [
            (write(Some("1")), Some(existing("old", Some("1"), Present)), Settled::NotDone),
            (write(Some("1")), Some(existing("new", Some("2"), Present)), Settled::Done),
            (write(Some("1")), Some(existing("new", Some("1"), Present)), Settled::Done),
            (write(Some("1")), Some(existing("third", Some("2"), Present)), Settled::ChangedThere),
            (write(Some("1")), Some(existing("new", Some("1"), Withdrawn)), Settled::NotDone),
            (write(None), Some(existing("old", None, Present)), Settled::NotDone),
            (write(None), None, Settled::DeletedThere),
            (Intended::Withdraw, Some(existing("old", None, Withdrawn)), Settled::Done),
            (Intended::Withdraw, Some(existing("old", None, Present)), Settled::NotDone),
            (Intended::Withdraw, None, Settled::DeletedThere),
            (Intended::Delete, None, Settled::Done),
            (Intended::Delete, Some(existing("old", None, Present)), Settled::NotDone),
        ] {
            assert_eq!(settle(&intended, now.as_ref()), expected, "{intended:?} {now:?}");
        }
    }
}
