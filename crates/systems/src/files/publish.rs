//! A file put in its place in one step: whole, or as it was.

use std::io;
use std::path::Path;

use tempfile::NamedTempFile;

/// Puts a temporary file, which lies in the same folder, in its place. It keeps mode and owner of what
/// it replaces; a new file gets what this process gives every new file.
///
/// # Errors
/// Where it cannot be put there; what was there stays.
pub fn publish(temporary: NamedTempFile, path: &Path) -> io::Result<()> {
    liken(temporary.path(), path)?;
    temporary.persist(path).map_err(|error| error.error)?;
    Ok(())
}

#[cfg(unix)]
fn liken(temporary: &Path, path: &Path) -> io::Result<()> {
    use std::os::unix::fs::{MetadataExt, PermissionsExt, chown};
    let mode = match std::fs::metadata(path) {
        Ok(found) => {
            // Only an administrator may give a file away; others keep it as theirs.
            if chown(temporary, Some(found.uid()), Some(found.gid())).is_err() {
                let _ = chown(temporary, None, Some(found.gid()));
            }
            found.mode() & 0o777
        }
        Err(_) => {
            let mask = rustix::process::umask(rustix::fs::Mode::from_raw_mode(0o077));
            rustix::process::umask(mask);
            0o666 & !mask.as_raw_mode()
        }
    };
    std::fs::set_permissions(temporary, std::fs::Permissions::from_mode(mode))
}

#[cfg(not(unix))]
fn liken(_: &Path, _: &Path) -> io::Result<()> {
    Ok(())
}

#[cfg(all(test, unix))]
mod tests {
    use super::*;
    use std::os::unix::fs::PermissionsExt;

    #[test]
    fn the_mode_of_what_was_there_stays() {
        let folder = tempfile::tempdir().unwrap();
        let path = folder.path().join("a.json");
        let mode = || std::fs::metadata(&path).unwrap().permissions().mode() & 0o777;
        publish(NamedTempFile::new_in(folder.path()).unwrap(), &path).unwrap();
        std::fs::write(folder.path().join("other"), "").unwrap();
        let usual = std::fs::metadata(folder.path().join("other")).unwrap().permissions().mode() & 0o777;
        assert_eq!(mode(), usual);
        std::fs::set_permissions(&path, std::fs::Permissions::from_mode(0o640)).unwrap();
        publish(NamedTempFile::new_in(folder.path()).unwrap(), &path).unwrap();
        assert_eq!(mode(), 0o640);
    }
}
