//! What differs between two texts, word by word.

use similar::{ChangeTag, TextDiff};

/// A stretch of two texts that are compared.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Stretch {
    /// It stands in both.
    Same(String),
    /// It stands in the first alone.
    Gone(String),
    /// It stands in the second alone.
    New(String),
}

/// The stretches of two texts, in order; white space belongs to the words around it.
#[must_use]
pub fn word_difference(before: &str, after: &str) -> Vec<Stretch> {
    let mut stretches: Vec<Stretch> = Vec::new();
    // A word takes the space after it along, or every space would count as something in common.
    let words = |text| -> Vec<&str> { str::split_inclusive(text, char::is_whitespace).collect() };
    let (before, after) = (words(before), words(after));
    for change in TextDiff::from_slices(&before, &after).iter_all_changes() {
        let text = change.value();
        match (change.tag(), stretches.last_mut()) {
            (ChangeTag::Equal, Some(Stretch::Same(known)))
            | (ChangeTag::Delete, Some(Stretch::Gone(known)))
            | (ChangeTag::Insert, Some(Stretch::New(known))) => known.push_str(text),
            (ChangeTag::Equal, _) => stretches.push(Stretch::Same(text.to_owned())),
            (ChangeTag::Delete, _) => stretches.push(Stretch::Gone(text.to_owned())),
            (ChangeTag::Insert, _) => stretches.push(Stretch::New(text.to_owned())),
        }
    }
    stretches
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    #[test]
    fn words_that_differ() {
        let stretches = word_difference("A rare royal fern", "A royal fern, tall");
        assert_eq!(
            stretches,
            [
                Stretch::Same("A ".into()),
                Stretch::Gone("rare ".into()),
                Stretch::Same("royal ".into()),
                Stretch::Gone("fern".into()),
                Stretch::New("fern, tall".into()),
            ]
        );
    }

    proptest! {
        #[test]
        fn both_texts_come_back(a in "[a-c ]{0,30}", b in "[a-c ]{0,30}") {
            let (mut before, mut after) = (String::new(), String::new());
            for stretch in word_difference(&a, &b) {
                match stretch {
                    Stretch::Same(text) => { before += &text; after += &text; }
                    Stretch::Gone(text) => before += &text,
                    Stretch::New(text) => after += &text,
                }
            }
            prop_assert_eq!((before, after), (a, b));
        }
    }
}
