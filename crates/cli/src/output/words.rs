//! What differs between two texts, word by word.

use diaporos_core::change::{Stretch, word_difference};

use super::one_line;

/// What goes stands in `[-…-]`, what comes in `{+…+}`; on a terminal struck through red, and green.
pub(crate) fn draw(old: &str, new: &str, colour: bool) -> String {
    let painted = |stretch: &Stretch| match (stretch, colour) {
        (Stretch::Same(text), _) => text.clone(),
        (Stretch::Gone(text), true) => format!("\u{1b}[9;91m{text}\u{1b}[0m"),
        (Stretch::New(text), true) => format!("\u{1b}[32m{text}\u{1b}[0m"),
        (Stretch::Gone(text), false) => format!("[-{text}-]"),
        (Stretch::New(text), false) => format!("{{+{text}+}}"),
    };
    // Another's text must not move the cursor.
    let stretches = word_difference(&one_line(old), &one_line(new));
    let mut drawn = String::new();
    for (place, stretch) in stretches.iter().enumerate() {
        drawn += &painted(stretch);
        // What went and what came for it would read as one word.
        let joined = matches!(stretch, Stretch::Gone(text) if !text.ends_with(' '))
            && matches!(stretches.get(place + 1), Some(Stretch::New(_)));
        if colour && joined {
            drawn.push(' ');
        }
    }
    drawn
}
