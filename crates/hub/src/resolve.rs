//! Resolve: a person's answer where the hub must not guess.

use diaporos_core::plan::HoldReason;
use diaporos_core::value::Address;
use diaporos_store::{Delivered, Standing, Store, Verdict};
use diaporos_systems::Write;
use jiff::Timestamp;

use crate::config::ConfiguredLane;
use crate::push::{PushError, map};
use diaporos_core::lane::Mapped;

/// Whose version is taken.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Take {
    /// Ours: the next push writes it over theirs.
    Ours,
    /// Theirs: it stays until the entry changes at its source.
    Theirs,
}

/// What became of the question.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Resolved {
    /// Settled; the next push goes on from there.
    Settled,
    /// The entry is not held for a reason that a choice between versions settles.
    NotAQuestion,
    /// The entry does not go on this lane.
    Unknown,
}

/// Takes one side for an entry that was changed or deleted at the destination.
///
/// # Errors
/// Where the destination cannot be read or the store fails.
pub async fn resolve(
    store: &mut Store,
    lane: &ConfiguredLane,
    writer: &dyn Write,
    address: &Address,
    take: Take,
    now: Timestamp,
) -> Result<Resolved, PushError> {
    let name = &lane.lane.name;
    let Some(due) = store.look_at(name, address)? else { return Ok(Resolved::Unknown) };
    match store.standing(name, due.number)? {
        None => return Ok(Resolved::Unknown),
        Some((_, Some(HoldReason::ChangedThere | HoldReason::DeletedThere | HoldReason::InDoubt))) => {}
        // What is protected stays theirs; ours would be held again.
        Some((_, Some(HoldReason::Protected))) if take == Take::Theirs => {}
        Some(_) => return Ok(Resolved::NotAQuestion),
    }
    let mapping = map(store, lane, &due, now);
    let documents = match mapping.mapped {
        Mapped::Goes { documents, .. } => documents,
        _ => Vec::new(),
    };
    let mut delivered = Vec::new();
    for row in &due.counterparts {
        let there = writer.read(&lane.lane.to.kind, &row.counterpart.id).await?;
        let ours = documents.iter().find(|document| document.language == row.language);
        let mut counterpart = row.counterpart.clone();
        let mut fields = row.fields.clone();
        match (take, there) {
            (Take::Ours, Some(existing)) => {
                // The version there is the one we now knowingly write over.
                counterpart.revision = existing.revision;
                fields = existing.fields.into_iter().filter(|(name, _)| row.fields.contains_key(name)).collect();
            }
            (Take::Ours, None) => {
                store.forget_counterpart(name, due.number, row.language.as_ref())?;
                continue;
            }
            (Take::Theirs, there) => {
                // What we would send counts as delivered, so that it is not sent until it changes.
                if let Some(document) = ours {
                    counterpart.fingerprint = document.fingerprint();
                    fields.clone_from(&document.fields);
                }
                match there {
                    Some(existing) => counterpart.revision = existing.revision,
                    None => counterpart.presence = diaporos_core::plan::Presence::Withdrawn,
                }
            }
        }
        delivered.push(Delivered { language: row.language.clone(), counterpart, fields });
    }
    let standing = if take == Take::Ours { Standing::Owed } else { Standing::Delivered };
    let verdict = Verdict { delivered, reads: mapping.looks.reads, ..Verdict::new(due.number, standing) };
    store.note(name, &[verdict], now)?;
    Ok(Resolved::Settled)
}
