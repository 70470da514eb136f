//! Where the store lies: a folder and files that only their owner reads.

use std::fs::{File, OpenOptions};
use std::io;
use std::path::{Path, PathBuf};

use super::{Server, StoreError};

/// Where a store is.
#[derive(Debug, Clone)]
pub enum StorePlace {
    /// In a file, on this machine alone.
    File(PathBuf),
    /// On a server, for many machines.
    Server {
        /// The server.
        server: Box<Server>,
        /// The folder in which this machine keeps what is its own, such as which of its processes live.
        folder: PathBuf,
    },
}

impl StorePlace {
    /// The folder in which this machine keeps what is its own.
    #[must_use]
    pub fn folder(&self) -> &Path {
        match self {
            StorePlace::File(file) => file.parent().unwrap_or(Path::new("")),
            StorePlace::Server { folder, .. } => folder,
        }
    }

    /// Whether there is a store, without making one.
    #[must_use]
    pub fn exists(&self) -> bool {
        match self {
            StorePlace::File(file) => file.exists(),
            StorePlace::Server { .. } => true,
        }
    }

    /// The file, where it is one.
    #[must_use]
    pub fn file(&self) -> Option<&Path> {
        match self {
            StorePlace::File(file) => Some(file),
            StorePlace::Server { .. } => None,
        }
    }

    /// Makes the folder, for its owner alone.
    ///
    /// # Errors
    /// Where it cannot be made.
    pub fn make_folder(&self) -> Result<(), StoreError> {
        make_folder(&self.folder().join("any"))
    }
}

impl From<&Path> for StorePlace {
    fn from(file: &Path) -> StorePlace {
        StorePlace::File(file.to_owned())
    }
}

impl std::fmt::Display for StorePlace {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        match self {
            StorePlace::File(file) => write!(f, "{}", file.display()),
            StorePlace::Server { server, .. } => f.write_str(&server.place()),
        }
    }
}

/// Makes the folder that a file lies in, for its owner alone.
pub(super) fn make_folder(file: &Path) -> Result<(), StoreError> {
    let Some(folder) = file.parent() else { return Ok(()) };
    let failed = |error: io::Error| StoreError::file(folder, &error);
    match std::fs::symlink_metadata(folder) {
        Ok(found) if found.is_symlink() => {
            return Err(failed(io::Error::other("it is a link; the store lies in the hub's own folder")));
        }
        Ok(_) => {}
        Err(error) if error.kind() == io::ErrorKind::NotFound => {
            std::fs::create_dir_all(folder).map_err(failed)?;
        }
        Err(error) => return Err(failed(error)),
    }
    // Where it is another's, or on a file system without modes, it stays as it is.
    let _ = private(folder, 0o700);
    Ok(())
}

/// Whether the store is there, and this process may read it and not write it.
pub(super) fn cannot_be_written(file: &Path) -> bool {
    let refused =
        |error: &io::Error| matches!(error.kind(), io::ErrorKind::PermissionDenied | io::ErrorKind::ReadOnlyFilesystem);
    let is_refused = OpenOptions::new().write(true).open(file).is_err_and(|error| refused(&error));
    file.is_file() && (is_refused || file.parent().is_some_and(folder_is_closed))
}

#[cfg(unix)]
fn folder_is_closed(folder: &Path) -> bool {
    use rustix::fs::Access;
    rustix::fs::access(folder, Access::WRITE_OK).is_err()
}

#[cfg(not(unix))]
fn folder_is_closed(folder: &Path) -> bool {
    std::fs::metadata(folder).is_ok_and(|found| found.permissions().readonly())
}

/// Makes a file of the store where there is none, for its owner alone: what SQLite puts beside it takes
/// its mode. Nothing that is in it is touched, and no link is followed.
pub(super) fn make_file(file: &Path) -> Result<File, StoreError> {
    let mut options = OpenOptions::new();
    options.read(true).write(true).create(true).truncate(false);
    #[cfg(unix)]
    {
        use std::os::unix::fs::OpenOptionsExt;
        let no_link = rustix::fs::OFlags::NOFOLLOW.bits();
        options.mode(0o600).custom_flags(i32::try_from(no_link).unwrap_or(0));
    }
    let opened = options.open(file).map_err(|error| {
        let is_link = std::fs::symlink_metadata(file).is_ok_and(|found| found.is_symlink());
        let error = if is_link { io::Error::other("it is a link, and is not followed") } else { error };
        StoreError::file(file, &error)
    })?;
    let _ = private(file, 0o600);
    Ok(opened)
}

#[cfg(unix)]
fn private(path: &Path, mode: u32) -> io::Result<()> {
    use std::os::unix::fs::PermissionsExt;
    let found = std::fs::metadata(path)?.permissions();
    if found.mode() & 0o077 == 0 {
        return Ok(());
    }
    std::fs::set_permissions(path, std::fs::Permissions::from_mode(mode))
}

#[cfg(not(unix))]
fn private(_: &Path, _: u32) -> io::Result<()> {
    Ok(())
}
