//! The files of a folder that a pattern names.

use std::path::Path;

use globset::GlobBuilder;
use walkdir::WalkDir;

use crate::text_file::check_pattern;

/// Files of one type, at most.
const MOST: usize = 1_000_000;

/// The files that a pattern names, by their paths within the folder, sorted. Links are not
/// followed: what they lead to may be outside.
pub(super) fn find(folder: &Path, pattern: &str) -> Result<Vec<String>, String> {
    check_pattern(pattern)?;
    let pattern = GlobBuilder::new(pattern).literal_separator(true).build().map_err(|error| error.to_string())?;
    let pattern = pattern.compile_matcher();
    if !folder.is_dir() {
        return Err("there is no such folder".to_owned());
    }
    let mut files = Vec::new();
    for found in WalkDir::new(folder).follow_links(false) {
        let found = found.map_err(|error| error.to_string())?;
        if !found.file_type().is_file() {
            continue;
        }
        let path = found.path().strip_prefix(folder).map_err(|error| error.to_string())?;
        let Some(name) = path.to_str() else {
            return Err(format!("the name of {} is not UTF-8", found.path().display()));
        };
        let name = name.replace(std::path::MAIN_SEPARATOR, "/");
        if pattern.is_match(&name) {
            files.push(name);
        }
        if files.len() > MOST {
            return Err(format!("more than {MOST} files have such names"));
        }
    }
    files.sort();
    Ok(files)
}
