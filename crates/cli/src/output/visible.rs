//! What a terminal would obey or hide is made visible on its way there. Files and pipes get every
//! character as it is.

use std::io::{Result, Write};

/// Which escapes a terminal may be sent.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Escapes {
    /// None: the text holds what others wrote.
    None,
    /// Colours (SGR, ECMA-48 §8.3.117): what others wrote in it was made visible before.
    Colours,
}

/// A terminal that is shown what it would obey.
pub(crate) struct Visible<W: Write> {
    out: W,
    escapes: Escapes,
    /// The start of a character whose rest is to come.
    rest: Vec<u8>,
}

impl<W: Write> Visible<W> {
    pub(crate) fn new(out: W, escapes: Escapes) -> Visible<W> {
        Visible { out, escapes, rest: Vec::new() }
    }
}

impl<W: Write> Write for Visible<W> {
    fn write(&mut self, bytes: &[u8]) -> Result<usize> {
        let mut all = std::mem::take(&mut self.rest);
        all.extend_from_slice(bytes);
        let whole = match std::str::from_utf8(&all) {
            Err(error) if error.error_len().is_none() => error.valid_up_to(),
            _ => all.len(),
        };
        self.rest = all.split_off(whole);
        self.out.write_all(visible(&String::from_utf8_lossy(&all), self.escapes).as_bytes())?;
        Ok(bytes.len())
    }

    fn flush(&mut self) -> Result<()> {
        self.out.flush()
    }
}

/// A text of one or more lines as it may go to a terminal.
pub(crate) fn visible(text: &str, escapes: Escapes) -> String {
    let mut shown = String::with_capacity(text.len());
    let mut rest = text;
    while let Some(c) = rest.chars().next() {
        if c == '\u{1b}'
            && escapes == Escapes::Colours
            && let Some(length) = colour_length(rest)
        {
            shown.push_str(&rest[..length]);
            rest = &rest[length..];
            continue;
        }
        match c {
            '\n' | '\t' => shown.push(c),
            // Unicode has pictures of the control characters of ASCII.
            '\0'..='\u{1f}' => shown.push(char::from_u32(0x2400 + c as u32).unwrap_or('?')),
            '\u{7f}' => shown.push('\u{2421}'),
            c if c.is_control() || is_unseen(c) => shown.push_str(&format!("<U+{:04X}>", c as u32)),
            c => shown.push(c),
        }
        rest = &rest[c.len_utf8()..];
    }
    shown
}

/// How long a colour's escape at the start of a text is.
fn colour_length(text: &str) -> Option<usize> {
    let inner = text.strip_prefix("\u{1b}[")?;
    let end = inner.find(|c: char| !c.is_ascii_digit() && c != ';')?;
    inner[end..].starts_with('m').then_some(end + 3)
}

/// Marks that nobody sees, and that turn the direction of text or make one word look like another.
pub(crate) fn is_unseen(c: char) -> bool {
    matches!(c,
        '\u{202a}'..='\u{202e}' | '\u{2066}'..='\u{2069}' | '\u{200b}' | '\u{200e}' | '\u{200f}' | '\u{061c}'
        | '\u{2060}'..='\u{2064}' | '\u{feff}' | '\u{e0000}'..='\u{e007f}')
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_a_terminal_would_obey_is_shown() {
        for (text, expected) in [
            ("a\u{1b}[2Jb\r\n\tc", "a␛[2Jb␍\n\tc"),
            ("\u{9b}31m \u{7f}", "<U+009B>31m ␡"),
            ("a\u{202e}b\u{200b}c", "a<U+202E>b<U+200B>c"),
            ("Fougère 👩‍🌾", "Fougère 👩‍🌾"),
        ] {
            assert_eq!(visible(text, Escapes::None), expected);
        }
        assert_eq!(visible("\u{1b}[31mred\u{1b}[0m\u{1b}[2J", Escapes::Colours), "\u{1b}[31mred\u{1b}[0m␛[2J");
        assert_eq!(visible("\u{1b}[31mred", Escapes::None), "␛[31mred");
    }

    #[test]
    fn characters_are_whole_wherever_they_are_cut() {
        let text = "Fougère\u{1b}👩";
        for cut in 0..text.len() {
            let mut shown = Vec::new();
            let mut out = Visible::new(&mut shown, Escapes::None);
            out.write_all(&text.as_bytes()[..cut]).unwrap();
            out.write_all(&text.as_bytes()[cut..]).unwrap();
            assert_eq!(String::from_utf8(shown).unwrap(), "Fougère␛👩");
        }
    }
}
