//! What tells this hub from every other: a number made once by chance, kept beside the store.

use std::io::Write;
use std::path::Path;

use diaporos_store::{Store, StoreError};

use crate::config::own_folder;

/// The hub's identity, made where there is none yet. Another hub's is another, whatever their folders
/// and accounts are called.
///
/// # Errors
/// Where it can be neither read nor written.
pub(crate) fn identity(folder: &Path) -> std::io::Result<String> {
    let parent = &own_folder(folder);
    let file = parent.join("identity");
    match std::fs::read_to_string(&file) {
        Ok(text) if !text.trim().is_empty() => return Ok(text.trim().to_owned()),
        Err(error) if error.kind() != std::io::ErrorKind::NotFound => return Err(error),
        _ => {}
    }
    std::fs::create_dir_all(parent)?;
    let made = format!("{:032x}", fastrand::u128(..));
    let mut beside = tempfile::NamedTempFile::new_in(parent)?;
    writeln!(beside, "{made}")?;
    match beside.persist_noclobber(&file) {
        Ok(_) => Ok(made),
        // Another process was faster, and its number is the hub's.
        Err(error) if error.error.kind() == std::io::ErrorKind::AlreadyExists => {
            Ok(std::fs::read_to_string(&file)?.trim().to_owned())
        }
        Err(error) => Err(error.error),
    }
}

/// Makes the hub's identity the one that its store knows, where the store is on a server that other machines work on
/// too: the first to come gives it its own.
///
/// # Errors
/// Where the store fails, or it cannot be kept here.
pub fn share_identity(folder: &Path, store: &mut Store) -> Result<(), StoreError> {
    let failed = |error: std::io::Error| StoreError::Content(format!("the hub's identity: {error}"));
    if store.place().file().is_some() {
        return Ok(());
    }
    let own = identity(folder).map_err(failed)?;
    let shared = store.keep_identity(&own)?;
    if shared == own {
        return Ok(());
    }
    let parent = own_folder(folder);
    let mut beside = tempfile::NamedTempFile::new_in(&parent).map_err(failed)?;
    writeln!(beside, "{shared}").map_err(failed)?;
    beside.persist(parent.join("identity")).map_err(|error| failed(error.error))?;
    Ok(())
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn two_hubs_are_never_one() {
        let (one, other) = (tempfile::tempdir().unwrap(), tempfile::tempdir().unwrap());
        let first = identity(one.path()).unwrap();
        assert_eq!((first.len(), identity(one.path()).unwrap()), (32, first.clone()));
        assert_ne!(first, identity(other.path()).unwrap());
    }
}
