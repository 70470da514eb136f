//! The store: its calls, each of which commits or changes nothing.

mod absent;
mod alerts;
mod alone;
mod apart;
mod assets;
mod backup;
mod batches;
mod chain;
mod changes;
mod claimed;
mod claims;
mod content;
mod counterparts;
mod cuts;
mod database;
mod delivery;
mod documents;
mod entries;
mod error;
mod groups;
mod happenings;
mod hook_events;
mod hub;
mod inspect;
mod intake;
mod intent;
mod lanes;
mod leaked;
mod lease;
mod leases;
mod ledger;
mod left_behind;
mod lists;
mod memory;
mod migrate;
mod moving;
mod occurrences;
mod outbox;
mod owed;
mod pacing;
mod page_marks;
mod parts;
mod place;
mod process;
mod resumption;
mod row;
mod seen;
mod server_migrations;
mod services;
mod slates;
mod standing;
mod statistics;
mod subscriptions;
mod taken_off;
mod tidy;
mod together;
mod translations;
mod undone;
mod verdict;
mod versions;
mod words;
mod work;
mod world;

use std::cell::RefCell;
use std::fs::{File, TryLockError};
use std::path::Path;

use content::Packing;
use database::{Connection, Session};
use diaporos_core::value::{LanguageTag, SystemName, TypeName};
use leases::Fence;
use place::{cannot_be_written, make_file, make_folder};
use rusqlite::OpenFlags;
use rusqlite::config::DbConfig;
use url::Url;

pub use alerts::{AlertChanges, AlertRow, Condition, LongHeld};
pub use alone::TakenAlone;
pub use apart::Moments;
pub use backup::Copied;
pub use batches::{
    BatchRow, BatchStanding, BatchUnit, NewText, OpenUnit, Origin, UnitCount, UnitStanding, UnitVerdict, WantedLanguage,
};
pub use chain::ChainState;
pub use changes::{ChangeFilter, ChangeRow};
pub use content::Content;
pub use counterparts::{CounterpartRow, Owner};
pub use cuts::{CutPlace, EditorsCut};
pub use database::{DatabaseError, Server, ServerFault};
pub use delivery::{Due, DueFilter, LaneStanding};
pub use entries::{EntryFilter, EntryRow, StoredEntry, VersionRow, WordSearch};
pub use error::StoreError;
pub use happenings::Happening;
pub use hook_events::{AfterLook, NewCall, Waiting, WaitingEvent};
pub use intent::{Action, IntentRecord, OpenIntent, Outcome, OutcomeResult, Was};
pub use lanes::{Counts, HeldRow, LaneRecord};
pub use lease::{LeaseRow, Leased};
pub use leases::Holder;
pub use ledger::{LedgerFilter, LedgerRow};
pub use left_behind::LeftLane;
pub use lists::Pin;
pub use memory::KnownTranslation;
pub use moving::Moved;
pub use outbox::{Attempt, Message, NewMessage};
pub use place::StorePlace;
pub use process::Process;
pub use resumption::Resumption;
pub use seen::{PageTally, Seen};
pub use slates::{KeptBack, Slate, SlateAction, SlateEntry, SlateStanding};
pub use standing::Standing;
pub use statistics::{OccurrenceCount, Passage, SLOT, SlotCount, Span, TranslatedCount};
pub use subscriptions::Subscription;
pub use tidy::Tidying;
pub use translations::{Translation, TranslationRow, TranslationStanding};
pub use undone::{KeptDocument, RunChange, Undone};
pub use verdict::{Delivered, HandEdit, Verdict};
pub use work::{Fault, Pause, Paused, WorkRow};

/// A type of entries: its system, and its name there.
pub type SourceType<'a> = (&'a SystemName, &'a TypeName);

/// The hub's store.
#[derive(Debug)]
pub struct Store {
    connection: Connection,
    place: StorePlace,
    packing: RefCell<Packing>,
    fence: Fence,
    /// The pairs of languages that the memory knows, once they were asked for.
    memory_languages: RefCell<Option<Vec<(LanguageTag, LanguageTag)>>>,
    /// Held while this process may change a file, so that no other copy is put in its place.
    _lock: Option<File>,
}

impl Store {
    /// Opens the store for reading; a hub that has none yet gets an empty one.
    ///
    /// # Errors
    /// Where it cannot be opened, or is of a newer version.
    pub fn open(place: &StorePlace) -> Result<Store, StoreError> {
        match place {
            StorePlace::File(file) => Self::connect(file, None)?.whole(),
            StorePlace::Server { server, .. } => Self::connect_to_server(place, server)?.whole(),
        }
    }

    /// Opens the store for changing. What one process at a time may do needs a lease besides.
    ///
    /// # Errors
    /// Where a copy is put in its place, or it cannot be opened.
    pub fn open_for_change(place: &StorePlace) -> Result<Store, StoreError> {
        match place {
            StorePlace::File(file) => Self::open_locked(file, File::try_lock_shared)?.whole(),
            StorePlace::Server { server, .. } => Self::connect_to_server(place, server)?.whole(),
        }
    }

    /// The store, unless it is being filled from another.
    fn whole(self) -> Result<Store, StoreError> {
        let mark = "SELECT 1 FROM migration WHERE number = ?1";
        let is_marked = self.connection.prepare_cached(mark)?.exists([moving::MARK])?;
        match is_marked {
            true => Err(StoreError::NotMoved(format!("another store is being moved to {}", self.place))),
            false => Ok(self),
        }
    }

    /// Opens the store for changing while no other process may.
    ///
    /// # Errors
    /// Where another process has it open for changing, or the file cannot be opened.
    fn open_alone(file: &Path) -> Result<Store, StoreError> {
        Self::open_locked(file, File::try_lock)
    }

    fn open_locked(file: &Path, try_lock: fn(&File) -> Result<(), TryLockError>) -> Result<Store, StoreError> {
        make_folder(file)?;
        let lock_file = file.with_extension("lock");
        let lock = make_file(&lock_file)?;
        match try_lock(&lock) {
            Ok(()) => Self::connect(file, Some(lock)),
            Err(TryLockError::WouldBlock) => Err(StoreError::Busy),
            Err(TryLockError::Error(error)) => Err(StoreError::file(&lock_file, &error)),
        }
    }

    /// Keeps little of the file in memory, for a store that is open for long and asked for little at a time.
    ///
    /// # Errors
    /// Where the store fails.
    pub fn sparing(self) -> Result<Store, StoreError> {
        if let Some(file) = self.connection.file() {
            file.pragma_update(None, "cache_size", -2 * 1024)?;
        }
        Ok(self)
    }

    /// The same store once more, for reading as it is now while this one is changed.
    ///
    /// # Errors
    /// Where it cannot be opened.
    pub fn another(&self) -> Result<Store, StoreError> {
        Store::open(&self.place)
    }

    /// Makes a change anew where its connection broke off and others changed something in between: nothing of it was
    /// kept.
    fn surely<T>(&mut self, change: impl Fn(&mut Store) -> Result<T, StoreError>) -> Result<T, StoreError> {
        loop {
            match change(self) {
                Err(StoreError::Database(error)) if error.is_overtaken() => {}
                done => return done,
            }
        }
    }

    /// Where the store is.
    #[must_use]
    pub fn place(&self) -> &StorePlace {
        &self.place
    }

    fn of(connection: Connection, place: StorePlace, lock: Option<File>) -> Store {
        let (packing, memory_languages) = (RefCell::default(), RefCell::default());
        Store { connection, place, packing, fence: Fence::default(), memory_languages, _lock: lock }
    }

    fn connect(file: &Path, lock: Option<File>) -> Result<Store, StoreError> {
        let place = StorePlace::File(file.to_owned());
        if lock.is_none() && cannot_be_written(file) {
            let connection = connect_to_read(file).map_err(|error| error.at(file))?;
            return Ok(Store::of(Connection::File(connection), place, None));
        }
        make_folder(file)?;
        drop(make_file(file)?);
        let connection = connect_to_write(file).map_err(|error| error.at(file))?;
        Ok(Store::of(Connection::File(connection), place, lock))
    }

    fn connect_to_server(place: &StorePlace, server: &Server) -> Result<Store, StoreError> {
        let connection = Connection::Server(Box::new(Session::to(server)?));
        server_migrations::migrate(&connection)?;
        Ok(Store::of(connection, place.clone(), None))
    }
}

/// A store on a disk, or of an owner, that lets nobody write. Nothing else writes there either, so
/// what it holds needs no lock.
fn connect_to_read(file: &Path) -> Result<rusqlite::Connection, StoreError> {
    let place = Url::from_file_path(std::path::absolute(file).map_err(|error| StoreError::file(file, &error))?);
    let mut place = place.map_err(|()| StoreError::content("the store's path is no address"))?;
    // A log beside it is read too, where it can be; without one the file alone is whole.
    if !file.with_extension("db-wal").exists() {
        place.set_query(Some("immutable=1"));
    }
    let flags = OpenFlags::SQLITE_OPEN_READ_ONLY | OpenFlags::SQLITE_OPEN_NO_MUTEX | OpenFlags::SQLITE_OPEN_URI;
    let connection = rusqlite::Connection::open_with_flags(place.as_str(), flags)?;
    migrate::is_of_today(&connection)?;
    Ok(connection)
}

fn connect_to_write(file: &Path) -> Result<rusqlite::Connection, StoreError> {
    let flags = OpenFlags::SQLITE_OPEN_READ_WRITE | OpenFlags::SQLITE_OPEN_CREATE | OpenFlags::SQLITE_OPEN_NO_MUTEX;
    let mut connection = rusqlite::Connection::open_with_flags(file, flags)?;
    connection.set_prepared_statement_cache_capacity(128);
    // Else a kept statement is planned anew for every value that a partial index is held against.
    connection.set_db_config(DbConfig::SQLITE_DBCONFIG_ENABLE_QPSG, true)?;
    connection.busy_timeout(std::time::Duration::from_secs(10))?;
    // Large pages: a first load writes less, and the file is smaller (measured on 2.5 kB entries).
    connection.pragma_update(None, "page_size", 16 * 1024)?;
    connection.pragma_update(None, "journal_mode", "WAL")?;
    // An intent must outlive a power cut.
    connection.pragma_update(None, "synchronous", "FULL")?;
    connection.pragma_update(None, "foreign_keys", true)?;
    connection.pragma_update(None, "cache_size", -16 * 1024)?;
    // What a statement may have to take back of itself is no business of the disk.
    connection.pragma_update(None, "temp_store", "MEMORY")?;
    migrate::migrate(&mut connection)?;
    Ok(connection)
}

#[cfg(test)]
mod alone_tests;
#[cfg(test)]
mod lease_tests;
#[cfg(test)]
mod tests;

#[cfg(test)]
mod broken_tests;
#[cfg(test)]
mod moving_tests;
#[cfg(test)]
mod on_a_server;

/// A new place for the store of a test: on a server where the test's module is of those.
#[cfg(test)]
fn place_of_a_test(module: &str, folder: &Path) -> StorePlace {
    match module.contains("on_a_server").then(diaporos_peers::new_database).flatten() {
        None => StorePlace::File(folder.join("hub/store.db")),
        Some(address) => {
            let server = Server::at(&address.into(), None).unwrap();
            StorePlace::Server { server: Box::new(server), folder: folder.join("hub") }
        }
    }
}
