//! Processes that work on the hub. Each holds a file locked as long as it lives, so that others know at once
//! when it is gone, however it ended.

use std::fs::{self, File};
use std::io::{Read, Write};
use std::path::{Path, PathBuf};

use super::place::{make_file, make_folder};
use super::{StoreError, StorePlace};

/// A run of the program that works on the hub.
#[derive(Debug)]
pub struct Process {
    name: String,
    file: PathBuf,
    /// Locked until it is closed, which the operating system sees to.
    _alive: File,
}

impl Process {
    /// Makes a run known under a name that no other has.
    ///
    /// # Errors
    /// Where its file cannot be made.
    pub fn begin(store: &StorePlace, name: &str) -> Result<Process, StoreError> {
        let folder = folder(store);
        make_folder(&folder.join("any"))?;
        let name = match store {
            StorePlace::File(_) => name.to_owned(),
            StorePlace::Server { .. } => format!("{}.{name}", machine(store, name)?),
        };
        let name = name.as_str();
        let (hidden, file) = (folder.join(format!(".{name}")), folder.join(name));
        let failed = |error: std::io::Error| StoreError::file(&file, &error);
        let alive = make_file(&hidden)?;
        // Locked before it has its name, or another might take it for what a dead one left.
        alive.lock().map_err(failed)?;
        fs::rename(&hidden, &file).map_err(failed)?;
        sweep(&folder);
        Ok(Process { name: name.to_owned(), file, _alive: alive })
    }

    /// Its name.
    #[must_use]
    pub fn name(&self) -> &str {
        &self.name
    }
}

impl Drop for Process {
    fn drop(&mut self) {
        // Where it cannot be removed, the next process does it.
        let _ = fs::remove_file(&self.file);
    }
}

/// Whether the process of that name lives, as far as this machine can tell: of another's nothing but the end of its
/// leases does.
pub(super) fn lives(store: &StorePlace, name: &str) -> bool {
    let is_of_another = match (store, name.split_once('.')) {
        (StorePlace::Server { .. }, Some((machine, _))) => {
            fs::read_to_string(machine_file(store)).ok().is_none_or(|own| own.trim() != machine)
        }
        _ => false,
    };
    is_of_another || is_held(&folder(store).join(name))
}

fn machine_file(store: &StorePlace) -> PathBuf {
    store.folder().join("machine")
}

/// What this machine is called among those that work on the store: after the first process that did so here.
fn machine(store: &StorePlace, first: &str) -> Result<String, StoreError> {
    let file = machine_file(store);
    let failed = |error: std::io::Error| StoreError::file(&file, &error);
    let mut own = make_file(&file)?;
    // Two processes that are the first agree on one.
    own.lock().map_err(failed)?;
    let mut text = String::new();
    own.read_to_string(&mut text).map_err(failed)?;
    if text.trim().is_empty() {
        text = first.replace('.', "-");
        own.write_all(text.as_bytes()).and_then(|()| own.sync_all()).map_err(failed)?;
    }
    Ok(text.trim().to_owned())
}

fn is_held(file: &Path) -> bool {
    File::open(file).is_ok_and(|file| matches!(file.try_lock_shared(), Err(fs::TryLockError::WouldBlock)))
}

fn folder(store: &StorePlace) -> PathBuf {
    store.folder().join("running")
}

/// Removes what processes left that were killed.
fn sweep(folder: &Path) {
    let Ok(files) = fs::read_dir(folder) else { return };
    for file in files.flatten().filter(|file| !file.file_name().to_string_lossy().starts_with('.')) {
        if !is_held(&file.path()) {
            let _ = fs::remove_file(file.path());
        }
    }
}
