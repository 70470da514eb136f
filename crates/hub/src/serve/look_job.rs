//! Looking at what calls from outside were about.

use std::sync::Arc;

use diaporos_core::value::{EntryId, SystemName, TypeName};
use diaporos_store::{AfterLook, Leased, Store, StoreError, WaitingEvent};
use diaporos_systems::Read;
use indexmap::IndexMap;

use super::looks::{Hints, Listed};
use super::shared::{Progressing, Shared};
use crate::leases::{Clock, Worker};
use crate::pull::{AloneSource, FoundAlone, PullOptions, PullRow, PullSource, pull, pull_alone};
use crate::{ConnectError, Connector};

/// Entries that are looked at in one job.
pub(super) const TOGETHER: usize = 256;

/// What was looked at.
#[derive(Debug)]
pub struct Looked {
    /// The system.
    pub system: SystemName,
    /// The entries, and what came of each.
    pub entries: Vec<((TypeName, EntryId), FoundAlone)>,
    /// The listing, where one was needed.
    pub listed: Vec<PullRow>,
}

/// Hints by the entry that they are about; everything of the system where they name none.
type ByEntry = IndexMap<Option<(TypeName, EntryId)>, Vec<WaitingEvent>>;

pub(super) fn hints(events: &[WaitingEvent]) -> Option<Hints> {
    Some(Hints {
        calls: events.len(),
        looks: events.iter().map(|event| event.looks).max()?,
        received: events.iter().map(|event| event.received).min()?,
    })
}

/// What looking needs.
pub(super) struct LookTools<'a> {
    pub(super) worker: &'a Worker,
    pub(super) clock: Clock,
    pub(super) shared: &'a Arc<Shared>,
}

impl LookTools<'_> {
    /// Looks at what calls of a system were about, and notes what becomes of them.
    ///
    /// # Errors
    /// Where the store fails.
    pub(super) async fn look(
        &self,
        system: &SystemName,
        connector: &Connector<'_>,
        store: &mut Store,
    ) -> Result<Result<Looked, ConnectError>, StoreError> {
        let mut by_entry = ByEntry::new();
        for event in store.waiting_events(system, (self.clock)(), TOGETHER)? {
            by_entry.entry(event.entry.clone()).or_default().push(event);
        }
        let reader = match connector.reader(system) {
            Ok(reader) => reader,
            Err(error) => {
                let now = (self.clock)();
                let after = |hints: Hints| hints.after_failure(&error.to_string(), now);
                let all = by_entry.values().filter_map(|events| Some((numbers(events), after(hints(events)?))));
                store.looked(&all.collect::<Vec<_>>(), now)?;
                return Ok(Err(error));
            }
        };
        let wanted: Vec<(TypeName, EntryId)> = by_entry.keys().flatten().cloned().collect();
        let source = AloneSource { system, reader: reader.as_ref(), clock: &self.clock };
        let found = pull_alone(store, &source, &wanted).await?;
        let needs_listing = by_entry.contains_key(&None) || found.iter().any(FoundAlone::needs_listing);
        let (listed, rows) = match needs_listing {
            true => self.listed(system, reader, store).await?,
            false => (None, Vec::new()),
        };
        let now = (self.clock)();
        let entries: Vec<_> = wanted.into_iter().zip(found).collect();
        let mut after: Vec<(Vec<i64>, AfterLook)> = Vec::new();
        for (entry, found) in &entries {
            let Some(events) = by_entry.get(&Some(entry.clone())) else { continue };
            after.extend(hints(events).map(|hints| (numbers(events), hints.after(found, listed, now))));
        }
        if let Some(events) = by_entry.get(&None) {
            let listed = listed.unwrap_or(Listed::Failed);
            after.extend(hints(events).map(|hints| (numbers(events), hints.after_listing(listed, now))));
        }
        store.looked(&after, now)?;
        Ok(Ok(Looked { system: system.clone(), entries, listed: rows }))
    }

    /// Lists the whole system, where no other process does.
    async fn listed(
        &self,
        system: &SystemName,
        reader: Box<dyn Read>,
        store: &mut Store,
    ) -> Result<(Option<Listed>, Vec<PullRow>), StoreError> {
        match self.worker.take(store, &[Leased::System(system.clone())], "serve") {
            Err(StoreError::Leased(_)) => return Ok((Some(Listed::Failed), Vec::new())),
            other => other?,
        }
        let source = PullSource { system, reader: Ok(reader) };
        let rows =
            pull(store, vec![source], PullOptions::default(), &self.clock, &mut Progressing(Arc::clone(self.shared)))
                .await?;
        let has_news = |row: &PullRow| row.tally.new + row.tally.changed + row.gone > 0;
        let listed = match rows.iter().all(|row| row.complete) {
            false => Listed::Failed,
            true if rows.iter().any(has_news) => Listed::News,
            true => Listed::NoNews,
        };
        Ok((Some(listed), rows))
    }
}

pub(super) fn numbers(events: &[WaitingEvent]) -> Vec<i64> {
    events.iter().map(|event| event.number).collect()
}
