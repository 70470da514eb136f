//! Pull: take in what is new at sources.

mod alone;
mod listing;

use std::sync::{Arc, Mutex, MutexGuard, PoisonError};

use diaporos_core::value::{SystemName, TypeName};
use diaporos_store::{Fault, Leased, PageTally, Store, StoreError};
use diaporos_systems::Read;
use futures::StreamExt;
use futures::stream::FuturesUnordered;
use jiff::Timestamp;

use crate::{ConnectError, Event, Listener};
pub use alone::{AloneSource, FoundAlone, pull_alone};
use listing::{PullListing, Stopped};

/// What a pull does.
#[derive(Debug, Clone, Copy, Default)]
pub struct PullOptions {
    /// How many entries of a type may be taken for gone; the usual limit where none is given.
    pub allow_gone: Option<u64>,
    /// List everything, also where only what changed could be asked for.
    pub whole: bool,
    /// Ask documents again that said that they are gone for good, or want to be left alone for a while.
    pub ask_again: bool,
}

/// A system to be pulled.
pub struct PullSource<'a> {
    /// Its name.
    pub system: &'a SystemName,
    /// How it is read, or why it cannot be.
    pub reader: Result<Box<dyn Read>, ConnectError>,
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
    /// What a person should know.
    pub notes: Vec<String>,
    /// Whether the listing came to its end.
    pub complete: bool,
}

/// What all pulls of a run share, one at a time.
struct SharedStore<'a> {
    store: &'a mut Store,
    listener: &'a mut dyn Listener,
}

/// Where a pull writes, and what it knows of time.
struct PullRun<'a> {
    shared: Mutex<SharedStore<'a>>,
    clock: &'a (dyn Fn() -> Timestamp + Sync),
    options: PullOptions,
}

impl<'a> PullRun<'a> {
    fn shared(&self) -> MutexGuard<'_, SharedStore<'a>> {
        self.shared.lock().unwrap_or_else(PoisonError::into_inner)
    }
}

/// Pulls every type of some systems, the systems at once. A failure is in the rows; what was taken
/// in before it stays.
///
/// # Errors
/// Where the store fails.
pub async fn pull(
    store: &mut Store,
    sources: Vec<PullSource<'_>>,
    options: PullOptions,
    clock: &(dyn Fn() -> Timestamp + Sync),
    listener: &mut dyn Listener,
) -> Result<Vec<PullRow>, StoreError> {
    let run = PullRun { shared: Mutex::new(SharedStore { store, listener }), clock, options };
    let run = &run;
    let jobs =
        sources.into_iter().enumerate().map(|(place, source)| async move { (place, pull_and_note(run, source).await) });
    let mut done: Vec<_> = jobs.collect::<FuturesUnordered<_>>().collect().await;
    done.sort_by_key(|(place, _)| *place);
    let mut rows = Vec::new();
    for (_, of_system) in done {
        rows.extend(of_system?);
    }
    Ok(rows)
}

/// Pulls a system, and notes how that ended.
async fn pull_and_note(run: &PullRun<'_>, source: PullSource<'_>) -> Result<Vec<PullRow>, StoreError> {
    let began = (run.clock)();
    let rows = pull_system(run, source.system, source.reader).await?;
    // An item that cannot be read is told, and fails nothing.
    let problem = rows.iter().filter(|row| !row.complete).flat_map(|row| &row.problems).next();
    let done = (began, (run.clock)());
    let fault = problem.map(|message| Fault { message, asks: false });
    let came_in = rows.iter().map(|row| row.tally.new + row.tally.changed).sum();
    let mut shared = run.shared();
    shared.store.note_work(&Leased::System(source.system.clone()), done, fault)?;
    shared.store.note_arrivals(source.system, came_in, done.1)?;
    Ok(rows)
}

async fn pull_system(
    run: &PullRun<'_>,
    system: &SystemName,
    reader: Result<Box<dyn Read>, ConnectError>,
) -> Result<Vec<PullRow>, StoreError> {
    let row = |kind: Option<TypeName>| PullRow {
        system: system.clone(),
        kind,
        tally: PageTally::default(),
        gone: 0,
        problems: Vec::new(),
        notes: Vec::new(),
        complete: false,
    };
    let reader: Arc<dyn Read> = match reader {
        Ok(reader) => Arc::from(reader),
        Err(error) => return Ok(vec![PullRow { problems: vec![error.to_string()], ..row(None) }]),
    };
    let mut rows = Vec::new();
    for kind in reader.types() {
        run.shared().listener.on(Event::PullBegan { system: system.clone(), kind: kind.clone() });
        let mut row = row(Some(kind.clone()));
        let mut listing = PullListing::new(run, (system, &kind), &reader, &mut row);
        match listing.run().await {
            Ok(()) => row.complete = true,
            Err(Stopped::Store(error)) => return Err(error),
            Err(Stopped::Told) => {}
            Err(other) => row.problems.push(other.to_string()),
        }
        rows.push(row);
    }
    Ok(rows)
}
