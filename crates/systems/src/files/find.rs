//! The files of a folder that a pattern names.

use std::path::Path;

use globset::GlobBuilder;
use walkdir::WalkDir;

/// Files of one type, at most.
const MOST: usize = 1_000_000;

/// Says what is wrong with a pattern, if anything: it stays in its folder.
///
/// # Errors
/// Where it leads out of the folder, or is no pattern.
pub fn check_pattern(pattern: &str) -> Result<(), String> {
    if pattern.starts_with('/') || pattern.contains('\\') || pattern.split('/').any(|part| part == "..") {
        return Err("a pattern stays in the system's folder: no `/` at its start, no `..`, no `\\`".to_owned());
    }
    GlobBuilder::new(pattern).literal_separator(true).build().map(drop).map_err(|error| error.to_string())
}

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

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn patterns_stay_in_their_folder() {
        for good in ["*.md", "pages/**/*.json", "a{b,c}.csv"] {
            assert_eq!(check_pattern(good), Ok(()), "{good}");
        }
        for bad in ["/etc/*", "../*.md", "a/../../b", "a\\b", "a{b"] {
            assert!(check_pattern(bad).is_err(), "{bad}");
        }
    }
}
