//! Resolve: a person's answer where the hub must not guess.

use std::collections::BTreeMap;

use diaporos_core::change::{Divergence, fingerprint_record};
use diaporos_core::lane::Mapped;
use diaporos_core::plan::{Counterpart, Document, Existing, HoldReason, Presence};
use diaporos_core::value::{Address, Value};
use diaporos_store::{Delivered, Standing, Store, Verdict};
use diaporos_systems::Write;
use jiff::Timestamp;

use crate::config::ConfiguredLane;
use crate::mapping::{map, with_itself};
use crate::push::PushError;

/// Whose version is taken.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Side {
    /// Ours: the next push writes it over theirs.
    Ours,
    /// Theirs: it stays until the entry changes at its source.
    Theirs,
}

/// What a person takes: one side for all, or a side for each field named.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Take {
    /// One side.
    All(Side),
    /// By field; what is not named is decided as before.
    Fields(BTreeMap<String, Side>),
}

impl Take {
    fn of(&self, field: &str) -> Option<Side> {
        match self {
            Take::All(side) => Some(*side),
            Take::Fields(fields) => fields.get(field).copied(),
        }
    }
}

/// Whose version is right, of which entry on which lane.
#[derive(Debug, Clone, Copy)]
pub struct Answer<'a> {
    /// The lane.
    pub lane: &'a ConfiguredLane,
    /// The entry.
    pub address: &'a Address,
    /// The side.
    pub take: &'a Take,
}

/// What became of the question.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Resolved {
    /// Settled; the next push goes on from there.
    Settled,
    /// The entry is not held for a reason that a choice between versions settles.
    NotAQuestion,
    /// The entry does not go on this lane.
    Unknown,
    /// The lane does not map these fields.
    NoSuchFields(Vec<String>),
}

/// Takes a side for an entry that was changed or deleted at the destination.
///
/// # Errors
/// Where the destination cannot be read or the store fails.
pub async fn resolve(
    store: &mut Store,
    answer: Answer<'_>,
    writer: &dyn Write,
    now: Timestamp,
) -> Result<Resolved, PushError> {
    let Answer { lane, address, take } = answer;
    let name = &lane.lane.name;
    let Some(due) = store.look_at(name, address)? else { return Ok(Resolved::Unknown) };
    match store.standing(name, due.number)? {
        None => return Ok(Resolved::Unknown),
        Some((_, Some(HoldReason::ChangedThere | HoldReason::DeletedThere | HoldReason::InDoubt))) => {}
        // What is protected stays theirs; ours would be held again.
        Some((_, Some(HoldReason::Protected))) if *take == Take::All(Side::Theirs) => {}
        Some(_) => return Ok(Resolved::NotAQuestion),
    }
    if let Take::Fields(fields) = take {
        let mapped = |field: &&String| lane.lane.fields.contains_key(*field) || lane.lane.defaults.contains_key(*field);
        let unknown: Vec<String> = fields.keys().filter(|field| !mapped(field)).cloned().collect();
        if !unknown.is_empty() {
            return Ok(Resolved::NoSuchFields(unknown));
        }
    }
    let due = with_itself(store, lane, due)?;
    let mapping = map(store, lane, &due, now)?;
    let documents = match mapping.mapped {
        Mapped::Goes { documents, .. } => documents,
        _ => Vec::new(),
    };
    let mut delivered = Vec::new();
    let mut owes = false;
    for row in due.counterparts {
        let there = writer.read(&lane.lane.to.kind, &row.counterpart.id).await?;
        let ours = documents.iter().find(|document| document.language == row.language);
        match settled(row.counterpart, ours, there, take) {
            None => {
                store.forget_counterpart(name, due.number, row.language.as_ref())?;
                owes = true;
            }
            Some(counterpart) => {
                owes |= ours.is_some_and(|ours| ours.fingerprint() != counterpart.fingerprint);
                let hidden = counterpart.presence != Presence::Present;
                owes |= (ours.is_none() || hidden) && *take == Take::All(Side::Ours);
                delivered.push(Delivered { language: row.language, counterpart });
            }
        }
    }
    let standing = if owes { Standing::Owed } else { Standing::Delivered };
    let verdict =
        Verdict { delivered, reads: mapping.dependencies.reads, ..Verdict::new((due.number, due.touched), standing) };
    store.note(name, &[verdict], now)?;
    Ok(Resolved::Settled)
}

/// A counterpart after a side was taken; none where it is to be created again.
fn settled(known: Counterpart, ours: Option<&Document>, there: Option<Existing>, take: &Take) -> Option<Counterpart> {
    let Some(there) = there else {
        if *take == Take::All(Side::Ours) {
            return None;
        }
        // What we would send counts as delivered, so that it is not sent until it changes.
        let fields = ours.map_or(known.fields, |ours| ours.fields.clone());
        let fingerprint = ours.map_or(known.fingerprint, Document::fingerprint);
        return Some(Counterpart { fields, fingerprint, presence: Presence::Deleted, ..known });
    };
    let mut settled = Counterpart { revision: there.revision, ..known };
    let Some(ours) = ours else { return Some(settled) };
    for (name, our_value) in &ours.fields {
        let now = there.fields.get(name).cloned().unwrap_or_default();
        match take.of(name) {
            // The value there is the one we now knowingly write over.
            Some(Side::Ours) => {
                settled.divergences.remove(name);
                settled.fields.insert(name.clone(), now);
            }
            Some(Side::Theirs) => {
                settled.fields.insert(name.clone(), our_value.clone());
                if now == *our_value {
                    settled.divergences.remove(name);
                } else {
                    settled.divergences.insert(name.clone(), Divergence::Kept(now));
                }
            }
            // What was not asked about is as open as before.
            None if now
                != *settled
                    .divergences
                    .get(name)
                    .map_or(settled.fields.get(name).unwrap_or(&Value::Null), Divergence::value) =>
            {
                settled.divergences.insert(name.clone(), Divergence::Kept(now));
            }
            None => {}
        }
    }
    if let Take::All(_) = take {
        settled.presence = there.presence;
    }
    settled.fingerprint = fingerprint_record(&settled.fields);
    if *take == Take::All(Side::Theirs) {
        settled.fields.clone_from(&ours.fields);
        settled.fingerprint = ours.fingerprint();
    }
    Some(settled)
}
