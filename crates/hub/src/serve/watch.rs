//! Whether the files of the configuration changed.

use std::hash::{DefaultHasher, Hash, Hasher};
use std::path::{Path, PathBuf};
use std::time::{Duration, Instant};

use walkdir::WalkDir;

/// How often the files are looked at.
const LOOKED_EVERY: Duration = Duration::from_secs(1);
/// How deep in the hub's folder files are looked at, and how many.
const DEPTH: usize = 3;
const MOST_FILES: usize = 1_000;
/// What files of a configuration are called: itself, profiles, tables, models, templates.
const ENDINGS: [&str; 4] = ["toml", "csv", "json", "html"];

/// The files of a hub, as they were when they were last looked at.
pub(super) struct Watch {
    folder: PathBuf,
    looked: Instant,
    seen: u64,
    told: u64,
}

impl Watch {
    pub(super) fn of(folder: &Path) -> Watch {
        let seen = state(folder);
        Watch { folder: folder.to_owned(), looked: Instant::now(), seen, told: seen }
    }

    /// Whether a file changed since this was last asked.
    pub(super) fn has_changed(&mut self) -> bool {
        if self.looked.elapsed() < LOOKED_EVERY {
            return false;
        }
        self.looked = Instant::now();
        let now = state(&self.folder);
        std::mem::replace(&mut self.seen, now) != now
    }

    /// Whether a file changed since this was last asked; what is read anew for another reason is not told.
    pub(super) fn changed_since_told(&mut self) -> bool {
        std::mem::replace(&mut self.told, self.seen) != self.seen
    }
}

/// Changes when a file's time or size does, or one comes or goes.
fn state(folder: &Path) -> u64 {
    let files = WalkDir::new(folder).max_depth(DEPTH).sort_by_file_name().into_iter();
    // The store's own folder changes with every run.
    let files = files.filter_entry(|entry| entry.depth() == 0 || !entry.file_name().to_string_lossy().starts_with('.'));
    let is_ours = |path: &Path| path.extension().is_some_and(|ending| ENDINGS.iter().any(|known| ending == *known));
    let mut hasher = DefaultHasher::new();
    for file in files.flatten().filter(|file| file.file_type().is_file() && is_ours(file.path())).take(MOST_FILES) {
        let Ok(found) = file.metadata() else { continue };
        (file.path(), found.len(), found.modified().ok()).hash(&mut hasher);
    }
    hasher.finish()
}
