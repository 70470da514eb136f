//! Words that must have documents at the destination before the entries that have them.

use std::collections::BTreeMap;

use diaporos_core::value::{Address, State};
use diaporos_store::{Due, EntryRow, Moments, StoreError};

use super::entry_plan::EntryPlan;
use super::flow::Flow;
use crate::mapping::word_entry;

/// Words that a dry run found to be made, by the hub's own entries that would stand for them.
pub type NewWords = BTreeMap<Address, String>;

impl Flow<'_, '_, '_> {
    /// Has the words of entries that go become the hub's own entries, which a lane of words makes documents of. A dry
    /// run only notes them.
    pub(super) fn take_words(&mut self, plans: &[EntryPlan]) -> Result<(), StoreError> {
        let now = (self.push.clock)();
        for (address, word) in plans.iter().filter(|plan| plan.lacks_words()).flat_map(EntryPlan::words) {
            let known = self.push.store.entry(address)?;
            if known.is_some_and(|known| known.row.state != State::Gone) {
                continue;
            }
            if self.options.dry_run {
                self.push.words.insert(address.clone(), word.to_owned());
                continue;
            }
            let moments = Moments { asked: now, taken: now };
            self.push.store.take_in_alone((&address.system, &address.kind), &word_entry(address, word), moments)?;
        }
        Ok(())
    }

    /// The words that a dry run found on other lanes for this one.
    pub(super) fn new_words(&self) -> Vec<Due> {
        let from = &self.push.lane.lane.from;
        let own = self
            .push
            .words
            .iter()
            .filter(|(address, _)| (&address.system, &address.kind) == (&from.system, &from.kind));
        let now = (self.push.clock)();
        // None has a number in the store, and none is another's.
        own.zip(1..).map(|((address, word), place)| new_word(address, word, (-place, now))).collect()
    }
}

fn new_word(address: &Address, word: &str, (number, now): (i64, jiff::Timestamp)) -> Due {
    let fields = word_entry(address, word).fields;
    let entry = EntryRow {
        address: address.clone(),
        state: State::Live,
        revision: None,
        version: 1,
        first_seen: now,
        changed: now,
        fields,
        notes: Vec::new(),
    };
    Due {
        number,
        entry,
        counterparts: Vec::new(),
        taken_off: false,
        undone: None,
        kept_back: None,
        held: None,
        touched: 0,
        is_in_doubt: false,
    }
}

impl EntryPlan {
    /// The words that have no document at the destination yet.
    fn words(&self) -> impl Iterator<Item = (&Address, &str)> {
        self.dependencies.words_not_there()
    }

    /// Whether the entry goes once its words are there: nothing else speaks against it.
    pub(super) fn lacks_words(&self) -> bool {
        self.goes && self.hold.is_none() && self.words().next().is_some()
    }
}
