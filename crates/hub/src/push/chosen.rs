//! Entries that are pushed alone.

use std::collections::{BTreeMap, BTreeSet};

use diaporos_core::value::LaneName;
use diaporos_store::{Due, DueFilter, Standing, Store, StoreError, Undone};

/// Entries of a lane that are pushed alone, and what is to become of them where that is another thing than the store
/// knows yet.
#[derive(Debug, Clone, Default, PartialEq)]
pub struct Chosen {
    /// Their numbers.
    pub entries: BTreeSet<i64>,
    /// How they would be kept, in a dry run.
    pub undone: BTreeMap<i64, Undone>,
    /// The slate that is launched with them, which keeps none of them back.
    pub slate: Option<String>,
}

impl Chosen {
    /// The next of them after a number that a push looks at.
    ///
    /// # Errors
    /// Where the store fails.
    pub(super) fn due(
        &self,
        (store, lane): (&Store, &LaneName),
        filter: DueFilter,
        after: i64,
        most: usize,
    ) -> Result<Vec<Due>, StoreError> {
        let mut found = Vec::new();
        for entry in self.entries.range(after + 1..) {
            if filter == DueFilter::Owed
                && store.standing(lane, *entry)?.is_none_or(|(known, _)| known != Standing::Owed)
            {
                continue;
            }
            let Some(due) = store.look_at_number(lane, *entry)? else { continue };
            found.push(self.as_wished(due));
            if found.len() >= most {
                break;
            }
        }
        Ok(found)
    }

    fn as_wished(&self, mut due: Due) -> Due {
        due.kept_back.take_if(|by| Some(&by.slate) == self.slate.as_ref());
        match self.undone.get(&due.number) {
            Some(undone) => Due { undone: Some(undone.clone()), ..due },
            None => due,
        }
    }
}
