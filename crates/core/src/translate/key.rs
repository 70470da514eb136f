//! By what a text is known again.

use super::case::Case;
use super::inline::Inline;

/// By what a text is known again: as it is coded, with the cases in which it counts. The same words in
/// another case are another text.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub struct TextKey(String);

impl TextKey {
    /// The key of a text.
    #[must_use]
    pub fn of(source: &Inline, cases: &[Case]) -> TextKey {
        let mut key = source.coded();
        for case in cases {
            key.push('\u{1f}');
            key.push_str(&case.to_string());
        }
        TextKey(key)
    }

    /// The key as text.
    #[must_use]
    pub fn as_str(&self) -> &str {
        &self.0
    }
}
