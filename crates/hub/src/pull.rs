//! Pull: take in what is new at sources.

use std::collections::BTreeSet;

use diaporos_core::intake::{Listing, gone_limit};
use diaporos_core::value::{SystemName, TypeName};
use diaporos_store::{PageTally, Seen, Store, StoreError};
use diaporos_systems::{PageContent, Read, SystemError};
use jiff::Timestamp;

use crate::{ConnectError, Event, Listener};

/// What a pull does.
#[derive(Debug, Clone, Copy, Default)]
pub struct PullOptions {
    /// How many entries of a type may be taken for gone; the usual limit where none is given.
    pub allow_gone: Option<u64>,
}

/// What became of one type of one system.
#[derive(Debug, Clone, PartialEq)]
pub struct PullRow {
    /// The system.
    pub system: SystemName,
    /// The type; none where the system could not be set up.
    pub kind: Option<TypeName>,
    /// What was taken in.
    pub tally: PageTally,
    /// Entries taken for gone.
    pub gone: u64,
    /// What went wrong, a sentence each.
    pub problems: Vec<String>,
    /// Whether the listing came to its end.
    pub complete: bool,
}

/// Why a listing did not come to its end.
#[derive(Debug, thiserror::Error)]
enum Stopped {
    #[error(transparent)]
    System(#[from] SystemError),
    #[error(transparent)]
    Store(#[from] StoreError),
    #[error("{0}")]
    Listing(String),
}

/// Pulls every type of a system. A failure is in the rows; what was taken in before it stays.
///
/// # Errors
/// Where the store fails.
pub async fn pull(
    store: &mut Store,
    system: &SystemName,
    reader: Result<Box<dyn Read>, ConnectError>,
    options: PullOptions,
    clock: &(dyn Fn() -> Timestamp + Sync),
    listener: &mut dyn Listener,
) -> Result<Vec<PullRow>, StoreError> {
    let row = |kind: Option<TypeName>| PullRow {
        system: system.clone(),
        kind,
        tally: PageTally::default(),
        gone: 0,
        problems: Vec::new(),
        complete: false,
    };
    let reader = match reader {
        Ok(reader) => reader,
        Err(error) => return Ok(vec![PullRow { problems: vec![error.to_string()], ..row(None) }]),
    };
    let mut rows = Vec::new();
    for kind in reader.types() {
        listener.on(Event::PullBegan { system: system.clone(), kind: kind.clone() });
        let mut row = row(Some(kind.clone()));
        let mut listing = PullListing {
            store,
            system,
            kind: &kind,
            reader: reader.as_ref(),
            row: &mut row,
            seen: Seen::default(),
            clock,
        };
        match listing.run(options, listener).await {
            Ok(()) => row.complete = true,
            Err(Stopped::Store(error)) => return Err(error),
            Err(other) => row.problems.push(other.to_string()),
        }
        rows.push(row);
    }
    Ok(rows)
}

struct PullListing<'a> {
    store: &'a mut Store,
    system: &'a SystemName,
    kind: &'a TypeName,
    reader: &'a dyn Read,
    row: &'a mut PullRow,
    seen: Seen,
    clock: &'a (dyn Fn() -> Timestamp + Sync),
}

impl PullListing<'_> {
    async fn run(&mut self, options: PullOptions, listener: &mut dyn Listener) -> Result<(), Stopped> {
        let started = (self.clock)();
        let mut cursor: Option<String> = None;
        let mut visited = BTreeSet::new();
        loop {
            let next = match self.page(cursor.as_deref()).await {
                // One of several feeds that fails must not keep the others from being read.
                Err(Stopped::System(error)) if self.reader.listing(self.kind) == Listing::Window => {
                    self.row.problems.push(error.to_string());
                    self.reader.after(cursor.as_deref())
                }
                result => result?,
            };
            let (system, kind) = (self.system.clone(), self.kind.clone());
            listener.on(Event::PageTaken { system, kind, entries: self.row.tally.pulled });
            match next {
                None => break,
                Some(next) if !visited.insert(next.clone()) => {
                    let place = self.reader.place(self.kind, Some(&next));
                    let problem =
                        format!("{}: the listing leads in a circle: `{next}` came twice ({place})", self.system);
                    return Err(Stopped::Listing(problem));
                }
                next => cursor = next,
            }
        }
        if self.reader.listing(self.kind) == Listing::Complete {
            self.end(options, started)?;
        }
        if self.row.problems.is_empty() {
            Ok(())
        } else {
            Err(Stopped::Listing(self.row.problems.pop().unwrap_or_default()))
        }
    }

    /// Takes in one page and says where the listing goes on.
    async fn page(&mut self, cursor: Option<&str>) -> Result<Option<String>, Stopped> {
        let key = (self.system, self.kind);
        let place = self.reader.place(self.kind, cursor);
        let known = self.store.page_mark(self.system, self.kind, &place)?;
        let page = self.reader.page(self.kind, cursor, known.as_ref()).await?;
        let now = (self.clock)();
        let before = self.row.tally.pulled;
        let tally = match &page.content {
            PageContent::Same => self.store.take_as_before(key, &place, &mut self.seen, now)?,
            PageContent::Entries { entries, problems, mark } => {
                let named = problems
                    .iter()
                    .map(|problem| format!("{}/{}: {} {}", self.system, self.kind, problem.item, problem.message));
                self.row.problems.extend(named);
                // A page with faults is read again next time, so that a mended profile sees it.
                let mark = problems.is_empty().then_some((place.as_str(), mark));
                let tally = self.store.take_in(key, entries, mark, &mut self.seen, now)?;
                let is_new_to_us = tally.pulled > 0 || entries.is_empty();
                if !is_new_to_us
                    && problems.is_empty()
                    && page.next.is_some()
                    && self.reader.listing(self.kind) == Listing::Complete
                {
                    let problem = format!(
                        "{}: a page shows only entries that pages before it showed; does the source know the paging parameter? ({place})",
                        self.system
                    );
                    return Err(Stopped::Listing(problem));
                }
                tally
            }
        };
        self.row.tally += tally;
        tracing::debug!(system = %self.system, kind = %self.kind, place, entries = self.row.tally.pulled - before, "page");
        Ok(page.next)
    }

    /// Takes what a whole listing did not show for gone, unless that is too much to believe.
    fn end(&mut self, options: PullOptions, started: Timestamp) -> Result<(), Stopped> {
        if !self.row.problems.is_empty() {
            return Ok(());
        }
        let known = self.store.known(self.system, self.kind)?;
        let lists_nothing = self.seen.count() == 0 && known > 0;
        let usual = if lists_nothing { 0 } else { gone_limit(known) };
        let most = options.allow_gone.unwrap_or(usual);
        let now = (self.clock)();
        match self.store.end_listing((self.system, self.kind), &self.seen, most, (started, now))? {
            Ok(gone) => {
                self.row.gone = gone;
                Ok(())
            }
            Err(missing) => {
                let (system, kind) = (self.system, self.kind);
                let what = if lists_nothing {
                    "lists nothing".to_owned()
                } else {
                    format!("lacks {missing} of {known} known entries")
                };
                Err(Stopped::Listing(format!(
                    "{system}/{kind}: the source {what}; nothing was taken for gone (at most {most} may be). \
                     If they are gone: `diaporos pull {system} --allow-gone {missing}`"
                )))
            }
        }
    }
}
