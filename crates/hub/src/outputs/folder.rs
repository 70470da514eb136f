//! The folder of an output: what is ours in it, and what is written.

use std::collections::{BTreeMap, BTreeSet};
use std::io::{self, Write as _};
use std::path::{Path, PathBuf};

use diaporos_systems::files::publish;
use sha2::{Digest, Sha256};

use super::{OutputProblem, OutputTally};

/// Lists what we wrote, with what was in it, so that nothing else is written over or removed.
const OURS: &str = ".diaporos-output.json";

/// The files that we wrote, each with the hashes that it may have: of what was written, and of what was about to be.
type Ours = BTreeMap<String, BTreeSet<String>>;

pub(super) struct OutputFolder<'a> {
    folder: &'a Path,
}

fn hash(bytes: &[u8]) -> String {
    Sha256::digest(bytes).iter().map(|byte| format!("{byte:02x}")).collect()
}

impl OutputFolder<'_> {
    pub(super) fn new(folder: &Path) -> OutputFolder<'_> {
        OutputFolder { folder }
    }

    /// Writes what differs, and removes what is ours and not wanted. What somebody else changed or put there stays,
    /// and is told.
    pub(super) fn write(&self, files: &BTreeMap<String, Vec<u8>>, kept: &[String]) -> io::Result<OutputTally> {
        std::fs::create_dir_all(self.folder)?;
        let before = self.ours()?;
        let mut tally = OutputTally::default();
        let (mut writes, mut ours) = (Vec::new(), Ours::new());
        for (path, bytes) in files {
            let wanted = hash(bytes);
            let target = self.path(path)?;
            let there = match std::fs::read(&target) {
                Ok(there) => Some(hash(&there)),
                Err(error) if error.kind() == io::ErrorKind::NotFound => None,
                Err(error) => return Err(error),
            };
            if there.as_ref() == Some(&wanted) {
                tally.unchanged += 1;
                ours.insert(path.clone(), BTreeSet::from([wanted]));
                continue;
            }
            let is_ours = |there: &String| before.get(path).is_some_and(|known| known.contains(there));
            if there.as_ref().is_some_and(|there| !is_ours(there)) {
                let message = format!(
                    "`{path}` was changed or put there by somebody else, and stays; take it away to have it written"
                );
                tally.problems.push(OutputProblem { of: None, message });
                ours.extend(before.get(path).map(|known| (path.clone(), known.clone())));
                continue;
            }
            ours.insert(path.clone(), there.into_iter().chain([wanted]).collect());
            writes.push((target, path, bytes));
        }
        let mut removals = Vec::new();
        for (path, hashes) in &before {
            if ours.contains_key(path) || files.contains_key(path) {
                continue;
            }
            ours.insert(path.clone(), hashes.clone());
            if kept.contains(path) {
                continue;
            }
            removals.push(path.clone());
        }
        // What is about to be written is known as ours first, so that a run that dies leaves nothing that it does not
        // know again.
        if !writes.is_empty() {
            self.keep(&ours)?;
        }
        for (target, path, bytes) in writes {
            replace(&target, bytes)?;
            ours.insert(path.clone(), BTreeSet::from([hash(bytes)]));
            tally.written += 1;
        }
        for path in removals {
            self.remove(&path, &mut ours, &mut tally)?;
        }
        if ours != before {
            self.keep(&ours)?;
        }
        Ok(tally)
    }

    /// Removes a file that is as we wrote it, and folders that it leaves empty.
    fn remove(&self, path: &str, ours: &mut Ours, tally: &mut OutputTally) -> io::Result<()> {
        let target = self.path(path)?;
        let known = ours.remove(path).unwrap_or_default();
        match std::fs::read(&target) {
            Err(error) if error.kind() == io::ErrorKind::NotFound => return Ok(()),
            Err(error) => return Err(error),
            Ok(there) if !known.contains(&hash(&there)) => {
                let message = format!("nothing needs `{path}` any more, and somebody else changed it; it stays");
                tally.problems.push(OutputProblem { of: None, message });
                return Ok(());
            }
            Ok(_) => {}
        }
        std::fs::remove_file(&target)?;
        tally.removed += 1;
        let mut folder = target.parent();
        // A folder that others have something in is not removed, which the system sees to.
        while let Some(empty) = folder.filter(|folder| *folder != self.folder) {
            if std::fs::remove_dir(empty).is_err() {
                break;
            }
            folder = empty.parent();
        }
        Ok(())
    }

    /// The file at a path. None of its steps is a link, which may lead anywhere.
    fn path(&self, path: &str) -> io::Result<PathBuf> {
        let mut target = self.folder.to_owned();
        for step in path.split('/') {
            if step.is_empty() || step.starts_with('.') {
                return Err(io::Error::other(format!("`{path}` is no path of an output")));
            }
            target.push(step);
            if target.symlink_metadata().is_ok_and(|found| found.file_type().is_symlink()) {
                return Err(io::Error::other(format!("`{path}` is, or is in, a link that may lead anywhere")));
            }
        }
        Ok(target)
    }

    fn ours(&self) -> io::Result<Ours> {
        match std::fs::read(self.folder.join(OURS)) {
            Err(error) if error.kind() == io::ErrorKind::NotFound => Ok(Ours::new()),
            Err(error) => Err(error),
            Ok(text) => serde_json::from_slice(&text).map_err(io::Error::other),
        }
    }

    fn keep(&self, ours: &Ours) -> io::Result<()> {
        replace(&self.folder.join(OURS), serde_json::to_string_pretty(ours)?.as_bytes())
    }
}

/// Writes beside the file, and puts it in its place in one step.
fn replace(path: &Path, bytes: &[u8]) -> io::Result<()> {
    let folder = path.parent().unwrap_or(Path::new("."));
    std::fs::create_dir_all(folder)?;
    let mut beside = tempfile::Builder::new().prefix(".diaporos-").tempfile_in(folder)?;
    beside.write_all(bytes)?;
    beside.as_file().sync_all()?;
    publish(beside, path)
}

#[cfg(test)]
mod tests {
    use super::*;

    fn files(all: &[(&str, &str)]) -> BTreeMap<String, Vec<u8>> {
        all.iter().map(|(path, text)| ((*path).to_owned(), text.as_bytes().to_vec())).collect()
    }

    #[test]
    fn what_differs_is_written_and_only_ours_is_removed() {
        let folder = tempfile::tempdir().unwrap();
        let write = |all: &[(&str, &str)], kept: &[String]| {
            let OutputTally { written, unchanged, removed, problems } =
                OutputFolder::new(folder.path()).write(&files(all), kept).unwrap();
            (written, unchanged, removed, problems.len())
        };
        let text = |path: &str| std::fs::read_to_string(folder.path().join(path)).unwrap_or_default();
        std::fs::write(folder.path().join("theirs.html"), "theirs").unwrap();
        assert_eq!(write(&[("en/a/index.html", "a"), ("b.html", "b"), ("theirs.html", "ours")], &[]), (2, 0, 0, 1));
        assert_eq!((text("theirs.html").as_str(), text("en/a/index.html").as_str()), ("theirs", "a"));
        assert_eq!(write(&[("en/a/index.html", "a"), ("b.html", "b2")], &[]), (1, 1, 0, 0));
        // Changed by somebody else: it is neither written over nor removed.
        std::fs::write(folder.path().join("b.html"), "edited").unwrap();
        assert_eq!(write(&[("en/a/index.html", "a"), ("b.html", "b3")], &[]), (0, 1, 0, 1));
        assert_eq!(write(&[("en/a/index.html", "a")], &[]), (0, 1, 0, 1));
        assert_eq!(text("b.html"), "edited");
        // What cannot be made just now stays; what nothing needs goes, with its folder.
        assert_eq!(write(&[], &["en/a/index.html".to_owned()]), (0, 0, 0, 0));
        assert_eq!(text("en/a/index.html"), "a");
        assert_eq!(write(&[], &[]), (0, 0, 1, 0));
        assert!(!folder.path().join("en").exists() && folder.path().join("theirs.html").exists());
        assert_eq!(write(&[], &[]), (0, 0, 0, 0));
    }

    #[cfg(unix)]
    #[test]
    fn no_link_is_followed() {
        let (folder, outside) = (tempfile::tempdir().unwrap(), tempfile::tempdir().unwrap());
        std::os::unix::fs::symlink(outside.path(), folder.path().join("en")).unwrap();
        let done = OutputFolder::new(folder.path()).write(&files(&[("en/a.html", "a")]), &[]);
        assert!(done.is_err() && std::fs::read_dir(outside.path()).unwrap().next().is_none());
        assert!(OutputFolder::new(folder.path()).write(&files(&[("../a.html", "a")]), &[]).is_err());
    }
}
