//! Settling a request whose answer was lost, by what the destination now shows.

use super::{Counterpart, Existing, FoundDocument, Presence};
use crate::change::{Divergence, Divergences, Fingerprint, MergePolicies, alike, fingerprint_record};
use crate::value::{EntryId, Record, Revision, Value};

/// What a lost request was to do to a document that was known.
#[derive(Debug, Clone, PartialEq)]
pub enum Intended {
    /// Make its fields these, from that version.
    Write {
        /// The mapped fields that it was to write.
        fields: Record,
        /// The fingerprint of all that was to be there after it.
        fingerprint: Fingerprint,
        /// The version it was based on; none where the destination has no versions.
        base: Option<Revision>,
    },
    /// Put on view what is saved of it.
    Show,
    /// Take it off view.
    Withdraw,
    /// Delete it.
    Delete,
}

/// What became of a lost request.
#[derive(Debug, Clone, PartialEq)]
pub enum Settled {
    /// It was done; this is the document now.
    Done(Counterpart),
    /// It was not done and can be planned again.
    NotDone,
    /// The document is neither as it was nor quite as it was to be: somebody else wrote too, or the
    /// destination stores some of it in its own way. What is there of ours is known as ours.
    Partly(Counterpart),
    /// There was no document with the entry's key before, and the one that is there now is not as we
    /// wrote it. It is bound to the entry, and what is in it is another's until somebody says otherwise.
    FoundThere(Counterpart),
    /// The document is not there any more, or there are several with its key.
    Unclear,
}

/// Reads what became of a lost request from what the destination shows under the document's id.
#[must_use]
pub fn settle(
    intended: &Intended,
    id: &EntryId,
    known: Option<&Counterpart>,
    now: Option<&Existing>,
    policies: &MergePolicies,
) -> Settled {
    let gone = |presence| {
        known.map_or(Settled::Unclear, |known| {
            Settled::Done(Counterpart { id: id.clone(), revision: None, presence, ..known.clone() })
        })
    };
    let (fields, fingerprint, base, found) = match (intended, now) {
        (Intended::Delete | Intended::Withdraw, None) => return gone(Presence::Deleted),
        (Intended::Withdraw, Some(found)) if found.presence == Presence::Withdrawn => return gone(Presence::Withdrawn),
        (Intended::Withdraw | Intended::Delete, Some(_)) => return Settled::NotDone,
        // To put on view what is on view changes nothing, so nothing needs to be found out.
        (Intended::Show, Some(_)) => return Settled::NotDone,
        (Intended::Write { .. } | Intended::Show, None) => return Settled::Unclear,
        (Intended::Write { fields, fingerprint, base }, Some(found)) => (fields, *fingerprint, base, found),
    };
    let with = |landed: &Record| {
        let mut delivered = known.map_or_else(Record::default, |known| known.fields.clone());
        delivered.extend(landed.iter().map(|(name, value)| (name.clone(), value.clone())));
        let mut divergences = known.map_or_else(Divergences::new, |known| known.divergences.clone());
        divergences.retain(|name, _| !landed.contains_key(name));
        (delivered, divergences)
    };
    if found.holds(fields) && found.presence == Presence::Present {
        let (delivered, mut divergences) = with(fields);
        // What the request did not name may be somebody else's by now.
        if let Some(known) = known {
            let others = known.changed_in(found).into_iter().filter(|name| !fields.contains_key(name));
            let kept = |name: String| {
                let theirs = found.fields.get(&name).cloned().unwrap_or_default();
                (name, Divergence::Kept(theirs))
            };
            divergences.extend(others.map(kept));
        }
        let past = known.map(Counterpart::past_with_this).unwrap_or_default();
        return Settled::Done(counterpart(found, delivered, fingerprint, divergences, past));
    }
    // The version is the one we started from: nothing was written since, by us or anybody.
    let untouched = base.is_some() && *base == found.revision;
    let Some(known) = known.filter(|_| !untouched) else { return Settled::NotDone };
    // What was sent may have been merged with somebody else's: it is there where nothing of ours is missing.
    let (delivered, _) = with(fields);
    let merge = known.merge(&delivered, found, policies);
    let is_there = found.presence == Presence::Present && !merge.owes && merge.conflicts.is_empty();
    if is_there && !known.changed_in(found).is_empty() {
        let past = known.past_with_this();
        return Settled::Done(counterpart(found, delivered, fingerprint, merge.divergences, past));
    }
    partly(known, fields, found).map_or(Settled::NotDone, Settled::Partly)
}

/// What is known of a document when a write of those fields landed in part: what is there of ours is
/// ours. With the old version, so that the next write meets what else is there; none where nothing
/// landed.
pub(super) fn partly(known: &Counterpart, fields: &Record, found: &Existing) -> Option<Counterpart> {
    let there = known.there();
    let is_landed =
        |(name, value): &(&String, &Value)| found.fields.get(*name) == Some(*value) && there.get(*name) != Some(*value);
    let landed: Vec<(&String, &Value)> = fields.iter().filter(is_landed).collect();
    if landed.is_empty() && found.presence == known.presence {
        return None;
    }
    let mut partly = Counterpart { presence: found.presence, ..known.clone() };
    for (name, value) in &landed {
        partly.fields.insert((*name).clone(), (*value).clone());
        partly.divergences.remove(*name);
    }
    if !landed.is_empty() {
        partly.fingerprint = fingerprint_record(&partly.fields);
    }
    Some(partly)
}

/// Reads what became of a lost request for a new document from what the destination shows under its
/// key.
#[must_use]
pub fn settle_new(fields: &Record, fingerprint: Fingerprint, found: &FoundDocument) -> Settled {
    match found {
        FoundDocument::NotAsked | FoundDocument::Nothing => Settled::NotDone,
        FoundDocument::One(one) => {
            let theirs = |name: &String| one.fields.get(name).unwrap_or(&Value::Null);
            if fields.iter().any(|(name, ours)| !alike(ours, theirs(name))) {
                return Settled::FoundThere(Counterpart::undecided(one, fields));
            }
            let differs = |(name, ours): &(&String, &Value)| *ours != theirs(name) && !theirs(name).is_null();
            let forms = fields.iter().filter(differs);
            let divergences = forms.map(|(name, _)| (name.clone(), Divergence::Stored(theirs(name).clone()))).collect();
            Settled::Done(counterpart(one, fields.clone(), fingerprint, divergences, Vec::new()))
        }
        FoundDocument::Taken(_)
        | FoundDocument::OtherKeys(_)
        | FoundDocument::OtherLanguage(_)
        | FoundDocument::Several(_) => Settled::Unclear,
    }
}

fn counterpart(
    found: &Existing,
    fields: Record,
    fingerprint: Fingerprint,
    divergences: Divergences,
    past: Vec<Fingerprint>,
) -> Counterpart {
    let Existing { id, item, revision, presence, .. } = found.clone();
    Counterpart { id, item, revision, fingerprint, presence, fields, divergences, past }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn record(heading: &str) -> Record {
        [("heading".to_owned(), heading.into())].into_iter().collect()
    }

    fn id() -> EntryId {
        EntryId::new("1").unwrap()
    }

    fn existing(heading: &str, revision: Option<&str>, presence: Presence) -> Existing {
        let theirs = [("theirs".to_owned(), "kept".into())];
        Existing {
            id: id(),
            item: None,
            language: None,
            revision: revision.map(|text| Revision::new(text).unwrap()),
            fields: record(heading).into_iter().chain(theirs).collect(),
            presence,
        }
    }

    #[test]
    fn every_case() {
        use Presence::{Present, Withdrawn};
        let write = |base: Option<&str>| Intended::Write {
            fields: record("new"),
            fingerprint: fingerprint_record(&record("new")),
            base: base.map(|text| Revision::new(text).unwrap()),
        };
        for (intended, now, expected) in [
            (write(Some("1")), Some(existing("old", Some("1"), Present)), "NotDone"),
            (write(Some("1")), Some(existing("new", Some("2"), Present)), "Done present"),
            (write(Some("1")), Some(existing("new", Some("1"), Present)), "Done present"),
            (write(Some("1")), Some(existing("third", Some("2"), Present)), "NotDone"),
            (write(Some("1")), Some(existing("new", Some("1"), Withdrawn)), "NotDone"),
            (write(Some("1")), Some(existing("new", Some("2"), Withdrawn)), "Partly withdrawn"),
            (write(None), Some(existing("old", None, Present)), "NotDone"),
            (write(None), None, "Unclear"),
            (Intended::Withdraw, Some(existing("old", None, Withdrawn)), "Done withdrawn"),
            (Intended::Withdraw, Some(existing("old", None, Present)), "NotDone"),
            (Intended::Withdraw, None, "Done deleted"),
            (Intended::Show, Some(existing("old", None, Present)), "NotDone"),
            (Intended::Show, None, "Unclear"),
            (Intended::Delete, None, "Done deleted"),
            (Intended::Delete, Some(existing("old", None, Present)), "NotDone"),
        ] {
            let fingerprint = fingerprint_record(&record("old"));
            let known = counterpart(
                &existing("old", Some("1"), Present),
                record("old"),
                fingerprint,
                Divergences::new(),
                Vec::new(),
            );
            let settled = match settle(&intended, &id(), Some(&known), now.as_ref(), &MergePolicies::default()) {
                Settled::Done(known) => format!("Done {}", known.presence.word()),
                Settled::Partly(known) => format!("Partly {}", known.presence.word()),
                other => format!("{other:?}"),
            };
            assert_eq!(settled, expected, "{intended:?} {now:?}");
        }
    }

    #[test]
    fn what_landed_of_a_lost_write_is_ours() {
        let of = |heading: &str, teaser: &str| -> Record {
            [("heading".to_owned(), heading.into()), ("teaser".to_owned(), teaser.into())].into_iter().collect()
        };
        let (old, new) = (of("old", "old"), of("new", "new"));
        let mut found = existing("", None, Presence::Present);
        found.fields = of("new", "New!");
        let known = counterpart(&found, old.clone(), fingerprint_record(&old), Divergences::new(), Vec::new());
        let intended = Intended::Write { fields: new.clone(), fingerprint: fingerprint_record(&new), base: None };
        let settled = settle(&intended, &id(), Some(&known), Some(&found), &MergePolicies::default());
        let Settled::Partly(settled) = settled else { panic!("the heading is there") };
        assert_eq!(settled.fields, of("new", "old"));
        assert_ne!(settled.fingerprint, known.fingerprint, "what did not land is owed still");
    }

    #[test]
    fn a_list_that_was_merged_with_somebody_elses_is_found_done() {
        let of = |items: &[&str]| -> Record {
            let items = items.iter().map(|item| Value::from(*item)).collect();
            [("topics".to_owned(), Value::List(items))].into_iter().collect()
        };
        let (old, new) = (of(&["a", "b"]), of(&["b", "ours"]));
        let mut found = existing("", None, Presence::Present);
        let known = counterpart(&found, old.clone(), fingerprint_record(&old), Divergences::new(), Vec::new());
        let intended = Intended::Write { fields: new.clone(), fingerprint: fingerprint_record(&new), base: None };
        for (there, expected) in [
            (["b", "ours", "theirs"].as_slice(), "done"),
            (&["a", "b", "theirs"], "not done"),
            (&["a", "b", "ours"], "not done"),
            (&["a", "b"], "not done"),
        ] {
            found.fields = of(there);
            let settled = settle(&intended, &id(), Some(&known), Some(&found), &MergePolicies::default());
            let done = match settled {
                Settled::Done(settled) => {
                    assert_eq!(settled.fields, new, "what is theirs stays theirs");
                    assert_eq!(settled.there(), found.fields);
                    "done"
                }
                _ => "not done",
            };
            assert_eq!(done, expected, "{there:?}");
        }
    }
}
