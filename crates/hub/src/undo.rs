//! Taking a run back: what it did is kept as it was before, till a person releases it.

use std::collections::{BTreeMap, BTreeSet};

use diaporos_core::plan::{GonePolicy, Presence};
use diaporos_core::value::{Address, LaneName, LanguageTag, Record};
use diaporos_store::{Action, CounterpartRow, KeptDocument, RunChange, Store, StoreError, Undone};
use jiff::Timestamp;

use crate::config::{Config, ConfiguredLane};

/// An entry of a lane that a run changed.
#[derive(Debug, Clone, PartialEq)]
pub struct UndoRow {
    /// The lane.
    pub lane: LaneName,
    /// The entry.
    pub address: Address,
    /// The entry's number.
    pub entry: i64,
    /// How it is to be kept; or why it is left as it is.
    pub end: Result<Undone, String>,
}

/// What is to become of everything that runs changed; it is kept as it was before them, and as undone with the last.
///
/// # Errors
/// Where the store fails.
pub fn undo(
    config: &Config,
    store: &Store,
    runs: &[i64],
    (who, now): (&str, Timestamp),
) -> Result<Vec<UndoRow>, StoreError> {
    let run = runs.iter().max().copied().unwrap_or_default();
    let mut by_entry: BTreeMap<(LaneName, i64), Vec<RunChange>> = BTreeMap::new();
    for change in store.run_changes(runs)? {
        by_entry.entry((change.lane.clone(), change.entry)).or_default().push(change);
    }
    let mut rows = Vec::new();
    // A word's document stays: who else has come to use it there, nobody can tell.
    let stays = |lane: &LaneName| config.lanes.get(lane).is_some_and(ConfiguredLane::is_of_words);
    for ((lane, entry), changes) in by_entry.into_iter().filter(|((lane, _), _)| !stays(lane)) {
        let Some(address) = changes.first().map(|change| change.address.clone()) else { continue };
        let mut known = store.counterparts(entry)?;
        known.retain(|row| row.lane == lane.as_str());
        let end = match why_not(config, store, (&lane, entry, run))? {
            Some(why) => Err(why),
            None => as_it_was(&changes, &known)
                .map(|documents| Undone { run, who: who.to_owned(), since: now, documents })
                .and_then(|undone| can_be_taken_off(config, &lane, undone)),
        };
        rows.push(UndoRow { lane, address, entry, end });
    }
    Ok(rows)
}

/// Why an entry is left as it is.
fn why_not(
    config: &Config,
    store: &Store,
    (lane, entry, run): (&LaneName, i64, i64),
) -> Result<Option<String>, StoreError> {
    let Some(configured) = config.lanes.get(lane) else {
        return Ok(Some(format!("the configuration has no lane `{lane}` any more")));
    };
    if configured.returns.is_some() {
        return Ok(Some("what went back to its source is its source's to change".to_owned()));
    }
    if let Some(later) = store.changed_after(lane, entry, run)? {
        return Ok(Some(format!("run {later} changed it since; undo that one first")));
    }
    Ok(None)
}

/// An entry of which nothing was there is taken off, where its lane says how.
fn can_be_taken_off(config: &Config, lane: &LaneName, undone: Undone) -> Result<Undone, String> {
    let keeps = config.lanes.get(lane).is_some_and(|lane| lane.lane.gone == GonePolicy::Keep);
    if undone.documents.is_empty() && keeps {
        return Err("the lane keeps what it made, and is not told how to take anything off (`gone`)".to_owned());
    }
    Ok(undone)
}

/// The documents of an entry as they were before changes; those that were not changed are as they are. What counts
/// is what we wanted of them: what somebody else keeps there beside it stays theirs.
///
/// # Errors
/// Says why it is not known.
fn as_it_was(changes: &[RunChange], known: &[CounterpartRow]) -> Result<Vec<KeptDocument>, String> {
    let mut ours: BTreeMap<Option<LanguageTag>, Record> =
        known.iter().map(|row| (row.language.clone(), row.counterpart.fields.clone())).collect();
    let there = known.iter().filter(|row| row.counterpart.presence.is_there());
    let mut there: BTreeSet<Option<LanguageTag>> = there.map(|row| row.language.clone()).collect();
    // Put on view, and what saved them is not among the changes so far.
    let mut shown: BTreeSet<&Option<LanguageTag>> = BTreeSet::new();
    // The last change is taken back first.
    for RunChange { language, action, fields, was, .. } in changes.iter().rev() {
        match action {
            Action::Show => shown.insert(language),
            _ => shown.remove(language),
        };
        let was = match (was, action) {
            (Some(was), _) => was,
            (None, Action::Create) => {
                there.remove(language);
                continue;
            }
            (None, _) => return Err("the ledger does not say what it was before".to_owned()),
        };
        match was.presence {
            Presence::Present => there.insert(language.clone()),
            // What was there before it was saved is told by the change that saved it.
            Presence::Unseen => false,
            Presence::Withdrawn | Presence::Deleted => there.remove(language),
        };
        ours.entry(language.clone()).or_insert_with(|| fields.clone()).extend(was.fields.clone());
    }
    if !shown.is_empty() {
        return Err("an earlier run of its slate saved it; undo the slate, which takes back both".to_owned());
    }
    let kept = |(language, fields)| KeptDocument { language, fields };
    Ok(ours.into_iter().filter(|(language, _)| there.contains(language)).map(kept).collect())
}
