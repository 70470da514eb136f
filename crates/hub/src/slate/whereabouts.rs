//! Where the entries of a slate are.

use diaporos_core::plan::Presence;
use diaporos_core::value::LaneName;
use diaporos_store::{Slate, SlateEntry, Standing, Store, StoreError};

/// Where an entry is on a lane.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Whereabouts {
    /// The lane.
    pub lane: LaneName,
    /// Where it stands there.
    pub standing: Standing,
    /// Whether it is saved at the destination, and waits to be put on view.
    pub is_saved: bool,
}

impl Whereabouts {
    /// In a sign and a word.
    #[must_use]
    pub fn words(&self) -> String {
        match self.is_saved {
            true => "◌ saved, not on view".to_owned(),
            false => format!("{} {}", self.standing.sign(), self.standing.word()),
        }
    }
}

/// Where an entry of a slate is, on each lane that the slate is for.
///
/// # Errors
/// Where the store fails.
pub fn whereabouts(store: &Store, slate: &Slate, of: &SlateEntry) -> Result<Vec<Whereabouts>, StoreError> {
    let documents = store.counterparts(of.entry)?;
    let is_saved = |lane: &LaneName| {
        documents.iter().any(|row| row.lane == lane.as_str() && row.counterpart.presence == Presence::Unseen)
    };
    let known = store.standings(&of.address)?.into_iter();
    let of_slate = known.filter(|known| slate.lanes.is_empty() || slate.lanes.contains(&known.lane));
    Ok(of_slate
        .map(|known| Whereabouts { is_saved: is_saved(&known.lane), lane: known.lane, standing: known.standing })
        .collect())
}
