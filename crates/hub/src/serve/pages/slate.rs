//! One slate, gathered to be looked at.

use diaporos_store::{Slate, SlateStanding, Store, StoreError};
use serde::Serialize;

use super::views::{SlateLine, shown};
use crate::slate::whereabouts;

/// Slates that the overview shows.
const SHOWN: usize = 10;

/// A slate with its entries.
#[derive(Serialize)]
pub(super) struct SlateView {
    line: SlateLine,
    who: String,
    made: String,
    keeps_back: bool,
    runs: Vec<i64>,
    says: &'static str,
    entries: Vec<SlateEntryView>,
}

#[derive(Serialize)]
struct SlateEntryView {
    address: String,
    added: u64,
    now: u64,
    lanes: Vec<(String, String)>,
}

fn line(store: &Store, slate: &Slate) -> Result<SlateLine, StoreError> {
    Ok(SlateLine {
        name: slate.name.clone(),
        does: slate.does.word(),
        standing: slate.standing.word(),
        is_under_way: slate.standing.is_under_way(),
        entries: store.slate_entries(&slate.name)?.len(),
        launch_at: slate.launch_at.map(shown),
        launched: slate.launched.map(shown),
    })
}

/// The newest slates.
///
/// # Errors
/// Where the store fails.
pub(super) fn slate_lines(store: &Store) -> Result<Vec<SlateLine>, StoreError> {
    store.slates()?.iter().take(SHOWN).map(|slate| line(store, slate)).collect()
}

/// Gathers a slate; none where it is not known.
///
/// # Errors
/// Where the store fails.
pub(super) fn slate_view(store: &Store, name: &str) -> Result<Option<SlateView>, StoreError> {
    let Some(slate) = store.slate(name)? else { return Ok(None) };
    let mut entries = Vec::new();
    for of in store.slate_entries(name)? {
        let lanes = whereabouts(store, &slate, &of)?;
        entries.push(SlateEntryView {
            address: of.address.to_string(),
            added: of.version,
            now: of.now,
            lanes: lanes.into_iter().map(|at| (at.lane.to_string(), at.words())).collect(),
        });
    }
    Ok(Some(SlateView {
        line: line(store, &slate)?,
        who: slate.who.clone(),
        made: shown(slate.made),
        keeps_back: slate.keeps_back,
        runs: store.slate_runs(name)?,
        says: says(slate.standing),
        entries,
    }))
}

fn says(standing: SlateStanding) -> &'static str {
    match standing {
        SlateStanding::Open => "It is put together; nothing of it went yet.",
        SlateStanding::Saving => {
            "Its launch began: entries are saved where that shows nothing. What is saved so is not on view."
        }
        SlateStanding::Showing => "All of it is saved, and is being put on view. Launched again, the rest follows.",
        SlateStanding::Launched => "It is launched.",
        SlateStanding::Cancelled => "Nothing comes of it any more.",
    }
}
