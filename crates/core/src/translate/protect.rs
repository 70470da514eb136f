//! Text within a text that must not change: names, codes, placeholders, addresses.

use std::ops::Range;
use std::sync::LazyLock;

use regex::{Regex, RegexBuilder};

/// Placeholders of the usual template languages and of `printf`, and addresses on the web.
const USUAL: &str = r"\{\{[^{}\n]{1,80}\}\}|\$\{[^{}\n]{1,80}\}|\{[A-Za-z0-9_.]{1,40}\}|%\([A-Za-z0-9_]{1,40}\)[sdif]|%(?:\d\$)?[sd]\b|\bhttps?://[^\s<>]*[^\s<>.,;:!?)]";

#[expect(clippy::expect_used, reason = "the pattern is a constant that every test of texts compiles")]
static USUAL_PATTERN: LazyLock<Regex> = LazyLock::new(|| Regex::new(USUAL).expect("a pattern"));

/// Finds what must not change.
#[derive(Debug, Clone)]
pub struct Protected {
    pattern: Regex,
}

impl Default for Protected {
    fn default() -> Self {
        Protected { pattern: USUAL_PATTERN.clone() }
    }
}

impl Protected {
    /// Placeholders and addresses, these names where they stand as whole words, and what these
    /// patterns match.
    ///
    /// # Errors
    /// Says which pattern cannot be used, and why.
    pub fn new(names: &[String], patterns: &[String]) -> Result<Protected, String> {
        let mut any = vec![USUAL.to_owned()];
        for pattern in patterns {
            match Regex::new(pattern) {
                Ok(known) if known.is_match("") => return Err(format!("`{pattern}` matches nothing at all")),
                Ok(_) => any.push(format!("(?:{pattern})")),
                Err(error) => {
                    let reason = error.to_string();
                    let last = reason.lines().last().unwrap_or_default().trim_start_matches("error: ");
                    return Err(format!("`{pattern}` is not a pattern: {last}"));
                }
            }
        }
        let mut longest_first: Vec<&String> = names.iter().filter(|name| !name.trim().is_empty()).collect();
        longest_first.sort_by(|a, b| b.len().cmp(&a.len()).then(a.cmp(b)));
        any.extend(longest_first.iter().map(|name| {
            let edge = |c: Option<char>| if c.is_some_and(char::is_alphanumeric) { r"\b" } else { "" };
            format!("{}{}{}", edge(name.chars().next()), regex::escape(name), edge(name.chars().next_back()))
        }));
        let pattern = RegexBuilder::new(&any.join("|")).size_limit(1 << 24).build();
        Ok(Protected { pattern: pattern.map_err(|error| error.to_string())? })
    }

    /// Where in the text something stands that must not change, in order.
    pub fn find<'a>(&'a self, text: &'a str) -> impl Iterator<Item = Range<usize>> + 'a {
        self.pattern.find_iter(text).map(|found| found.range()).filter(|range| !range.is_empty())
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn placeholders_names_and_addresses() {
        let protected = Protected::new(&["Fernhollow".into(), "Fernhollow East".into()], &[r"OG-\d+".into()]).unwrap();
        let found = |text: &str| -> Vec<String> { protected.find(text).map(|range| text[range].to_owned()).collect() };
        for (text, expected) in [
            ("Hello {name}, {{ count }} ferns", vec!["{name}", "{{ count }}"]),
            ("%s of %(all)d, 5 % more", vec!["%s", "%(all)d"]),
            ("Fernhollow East and Fernhollows", vec!["Fernhollow East"]),
            ("OG-17 at https://ostrel.example/a.", vec!["OG-17", "https://ostrel.example/a"]),
            ("{} and { a b }", vec![]),
        ] {
            assert_eq!(found(text), expected, "{text}");
        }
        assert_eq!(Protected::new(&[], &["(".into()]).unwrap_err(), "`(` is not a pattern: unclosed group");
        assert_eq!(Protected::new(&[], &["x*".into()]).unwrap_err(), "`x*` matches nothing at all");
    }
}
