//! Patterns of file names.

use globset::GlobBuilder;

/// Says what is wrong with a pattern, if anything: it stays in its folder.
///
/// # Errors
/// Where it leads out of the folder, or is no pattern.
pub(crate) fn check_pattern(pattern: &str) -> Result<(), String> {
    if pattern.starts_with('/') || pattern.contains('\\') || pattern.split('/').any(|part| part == "..") {
        return Err("a pattern stays in the system's folder: no `/` at its start, no `..`, no `\\`".to_owned());
    }
    GlobBuilder::new(pattern).literal_separator(true).build().map(drop).map_err(|error| error.to_string())
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
