//! The store copied while it is used, and put back from a copy.

use std::fs;
use std::path::{Path, PathBuf};

use rusqlite::OpenFlags;

use super::database::Connection;
use super::moving::{begin, clear, copy, take_time};
use super::place::make_file;
use super::{Store, StoreError, StorePlace};

/// A copy of a store.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Copied {
    /// How many bytes it has.
    pub bytes: u64,
    /// How many entries are in it.
    pub entries: u64,
}

/// Looks at a copy page by page.
///
/// # Errors
/// Where it is no store, or not sound.
fn look_through(file: &Path) -> Result<Copied, StoreError> {
    let refused = |reason: String| StoreError::Copy { path: file.to_owned(), reason };
    let read = || {
        let connection = rusqlite::Connection::open_with_flags(file, OpenFlags::SQLITE_OPEN_READ_ONLY)?;
        let found: String = connection.query_row("PRAGMA quick_check(1)", [], |row| row.get(0))?;
        Ok::<_, rusqlite::Error>((connection, found))
    };
    let (connection, found) = read().map_err(|error| refused(format!("it is no copy of a store: {error}")))?;
    if found != "ok" {
        return Err(refused(format!("the copy is not sound: {found}")));
    }
    match super::migrate::is_of_today(&connection) {
        // An older one is brought to this version when it is used.
        Err(StoreError::Older { found, .. }) if found > 0 => {}
        other => other?,
    }
    let entries: i64 = connection
        .query_row("SELECT count(*) FROM entry", [], |row| row.get(0))
        .map_err(|error| refused(format!("it is no copy of a store: {error}")))?;
    let bytes = fs::metadata(file).map_err(|error| StoreError::file(file, &error))?.len();
    Ok(Copied { bytes, entries: entries.unsigned_abs() })
}

/// A name beside a file, for what is not whole yet.
fn beside(file: &Path, ending: &str) -> PathBuf {
    let mut name = file.file_name().unwrap_or_default().to_owned();
    name.push(ending);
    file.with_file_name(name)
}

/// Writes what a connection sees, its log included, into a file for its owner alone.
fn write_whole(connection: &rusqlite::Connection, part: &Path) -> Result<(), StoreError> {
    drop(fs::remove_file(part));
    // An empty file is written into as it is, with the permissions that it has.
    drop(make_file(part)?);
    let refused = |reason: &str| StoreError::Copy { path: part.to_owned(), reason: reason.to_owned() };
    let name = part.to_str().ok_or_else(|| refused("its name is no Unicode"))?;
    connection.execute("VACUUM INTO ?1", [name])?;
    fs::File::open(part).and_then(|part| part.sync_all()).map_err(|error| StoreError::file(part, &error))
}

/// Keeps a file under another name beside it, and gives that name.
fn keep(file: &Path, name: &str) -> Result<PathBuf, StoreError> {
    let numbered = (2..100).map(|number| format!("{name}-{number}.db"));
    let names = std::iter::once(format!("{name}.db")).chain(numbered).map(|name| file.with_file_name(name));
    for kept in names {
        match fs::hard_link(file, &kept) {
            Err(error) if error.kind() == std::io::ErrorKind::AlreadyExists => {}
            Err(error) => return Err(StoreError::file(&kept, &error)),
            Ok(()) => return Ok(kept),
        }
    }
    let reason = format!("a hundred files begin with {name} already");
    Err(StoreError::Copy { path: file.to_owned(), reason })
}

impl Store {
    /// Copies the store as it is at this moment into a new file, for its owner alone, while others may go on
    /// changing it. The copy has its name only once it was read through.
    ///
    /// # Errors
    /// Where there is a file of that name, or it cannot be written.
    pub fn back_up(&self, to: &Path) -> Result<Copied, StoreError> {
        let file = |error: &std::io::Error| StoreError::file(to, error);
        if to.exists() {
            let reason = "it is there already, and is not written over".to_owned();
            return Err(StoreError::Copy { path: to.to_owned(), reason });
        }
        let part = beside(to, ".part");
        match &self.connection {
            Connection::File(file) => write_whole(file, &part)?,
            Connection::Server(_) => self.write_into_file(&part)?,
        }
        let copied = look_through(&part)?;
        match fs::hard_link(&part, to) {
            // Where somebody was faster, theirs stays.
            Err(error) if error.kind() == std::io::ErrorKind::AlreadyExists => return Err(file(&error)),
            // A disk that knows no second name takes a new one.
            Err(_) => fs::rename(&part, to).map_err(|error| file(&error))?,
            Ok(()) => fs::remove_file(&part).map_err(|error| file(&error))?,
        }
        Ok(copied)
    }

    /// Puts a copy in the place of a store that nobody else changes meanwhile. What was there is kept beside
    /// it, under the name that is given back.
    ///
    /// # Errors
    /// Where the copy is no sound store, or of a newer version, another process has the store, or a file cannot be
    /// written; the store is as it was then.
    pub fn restore(place: &StorePlace, copy: &Path, kept_as: &str) -> Result<(Copied, Option<PathBuf>), StoreError> {
        match place {
            StorePlace::File(file) => Self::restore_file(file, copy, kept_as),
            StorePlace::Server { .. } => Self::restore_on_server(place, copy, kept_as),
        }
    }

    /// Writes what a server has at this moment into a new file.
    fn write_into_file(&self, part: &Path) -> Result<(), StoreError> {
        drop(fs::remove_file(part));
        take_time(&self.connection)?;
        let one_moment = self.connection.snapshot()?;
        let mut file = Store::connect(part, None)?;
        begin(self, &mut file)?;
        copy(self, &mut file, &mut |_| {})?;
        drop(one_moment);
        let Connection::File(file) = file.connection else { return Ok(()) };
        // Without its log the file alone is the copy.
        file.pragma_update(None, "journal_mode", "DELETE")?;
        file.close().map_err(|(_, error)| error)?;
        fs::File::open(part).and_then(|part| part.sync_all()).map_err(|error| StoreError::file(part, &error))
    }

    /// Fills a store on a server with a copy, window by window. While that goes on, or where it is broken off, no
    /// command takes the store for whole; run again, it is done.
    fn restore_on_server(
        place: &StorePlace,
        from: &Path,
        kept_as: &str,
    ) -> Result<(Copied, Option<PathBuf>), StoreError> {
        let restored = look_through(from)?;
        place.make_folder()?;
        let mut store = Store::open_to_fill(place)?;
        let kept = match store.is_empty()? {
            true => None,
            false => {
                let names = std::iter::once(format!("{kept_as}.db"))
                    .chain((2..100).map(|number| format!("{kept_as}-{number}.db")));
                let kept = names.map(|name| place.folder().join(name)).find(|kept| !kept.exists());
                let kept = kept.ok_or_else(|| StoreError::content("a hundred copies of that name"))?;
                store.back_up(&kept)?;
                Some(kept)
            }
        };
        // Read from a copy of the copy, which is brought to this version.
        let part = place.folder().join("restored.part");
        write_whole(&rusqlite::Connection::open_with_flags(from, OpenFlags::SQLITE_OPEN_READ_ONLY)?, &part)?;
        let source = Store::connect(&part, None)?;
        take_time(&store.connection)?;
        clear(&mut store, source.place())?;
        copy(&source, &mut store, &mut |_| {})?;
        drop(source);
        for ending in ["", "-wal", "-shm"] {
            let _ = fs::remove_file(beside(&part, ending));
        }
        Ok((restored, kept))
    }

    fn restore_file(file: &Path, copy: &Path, kept_as: &str) -> Result<(Copied, Option<PathBuf>), StoreError> {
        let restored = look_through(copy)?;
        let wrong = |error: &std::io::Error| StoreError::file(file, error);
        let part = beside(file, ".part");
        let Store { connection, _lock: lock, .. } = Store::open_alone(file)?;
        let Connection::File(connection) = connection else { return Err(StoreError::content("a file that is none")) };
        let was_there: bool = connection.query_row("SELECT EXISTS (SELECT 1 FROM entry)", [], |row| row.get(0))?;
        write_whole(&rusqlite::Connection::open_with_flags(copy, OpenFlags::SQLITE_OPEN_READ_ONLY)?, &part)?;
        // The last to close a store writes its log into it and takes the log away. A log that is left would be
        // taken for the copy's.
        connection.close().map_err(|(_, error)| error)?;
        if beside(file, "-wal").exists() {
            drop(fs::remove_file(&part));
            let reason = "another command reads the store; nothing was put back".to_owned();
            return Err(StoreError::Copy { path: file.to_owned(), reason });
        }
        let kept = if was_there { Some(keep(file, kept_as)?) } else { None };
        fs::rename(&part, file).map_err(|error| wrong(&error))?;
        drop(lock);
        Ok((restored, kept))
    }
}
