//! Characters by name and number, as XML and HTML have them.

use std::borrow::Cow;
use std::collections::BTreeSet;

use encoding_rs::WINDOWS_1252;

/// What had to be mended in an item.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
pub(super) enum Mended {
    /// `&` that begins no reference.
    Ampersand,
    /// Characters that XML forbids (XML 1.0 §2.2).
    Control,
    /// A number that means something in windows-1252 alone.
    WindowsNumber,
    /// Elements in a text for which none are meant.
    Markup,
    /// An item without an end.
    ItemEnd,
    /// An element of an item without an end.
    ElementEnd,
    /// Something that was to be base64 and is not.
    Base64,
    /// More elements than are read.
    TooMuch,
}

impl Mended {
    /// What a person is told.
    pub(super) fn says(self) -> &'static str {
        match self {
            Mended::Ampersand => "`&` stood in it unescaped, and was read as the character",
            Mended::Control => "it held control characters, which were left out",
            Mended::WindowsNumber => "it had characters by the numbers of windows-1252, and they were read so",
            Mended::Markup => "markup stood in its texts unescaped, and was read as part of them",
            Mended::ItemEnd => "it had no end, and was read up to the next",
            Mended::ElementEnd => "one of its elements had no end, and was read up to the next",
            Mended::Base64 => "its content is not the base64 that it claims to be, and was left out",
            Mended::TooMuch => "it holds more elements than are read; the rest was left out",
        }
    }
}

/// The longest name of a character.
const LONGEST_NAME: usize = 32;

/// Texts that a document gives names to (XML 1.0 §4.2). Nothing is fetched for one, and none holds
/// another, so that none grows.
#[derive(Debug, Clone, Default)]
pub(super) struct Entities(Vec<(String, String)>);

/// Names of texts that are taken of one document, and how long a text may be.
const MOST_ENTITIES: usize = 100;
const LONGEST_ENTITY: usize = 1_000;

impl Entities {
    /// Takes the names that a document type declares.
    pub(super) fn declare(&mut self, declaration: &str) {
        for rest in declaration.split("<!ENTITY").skip(1).take(MOST_ENTITIES) {
            let rest = rest.trim_start();
            let Some((name, rest)) = rest.split_once(char::is_whitespace) else { continue };
            let rest = rest.trim_start();
            let Some(quote) = rest.chars().next().filter(|c| matches!(c, '"' | '\'')) else { continue };
            let Some((text, _)) = rest[1..].split_once(quote) else { continue };
            if name != "%" && text.len() <= LONGEST_ENTITY && self.get(name).is_none() && self.0.len() < MOST_ENTITIES {
                let text = resolve(text, &Entities::default(), &mut BTreeSet::new()).into_owned();
                self.0.push((name.to_owned(), text));
            }
        }
    }

    fn get(&self, name: &str) -> Option<&str> {
        self.0.iter().find(|(known, _)| known == name).map(|(_, text)| text.as_str())
    }
}

/// A text with its references resolved and without what XML forbids.
pub(super) fn resolve<'a>(text: &'a str, own: &Entities, mended: &mut BTreeSet<Mended>) -> Cow<'a, str> {
    let text = without_control(text, mended);
    let Some(first) = text.find('&') else { return text };
    let mut resolved = String::with_capacity(text.len());
    resolved.push_str(&text[..first]);
    let mut rest = &text[first..];
    while let Some(after) = rest.strip_prefix('&') {
        let length = after.bytes().take(LONGEST_NAME + 1).position(|byte| byte == b';').unwrap_or_default();
        let entity = own.get(&after[..length]);
        rest = match reference(after, mended) {
            Some((characters, length)) => {
                characters.into_iter().flatten().for_each(|c| resolved.push(c));
                &after[length..]
            }
            None if let Some(text) = entity => {
                resolved.push_str(text);
                &after[length + 1..]
            }
            None => {
                mended.insert(Mended::Ampersand);
                resolved.push('&');
                after
            }
        };
        let next = rest.find('&').unwrap_or(rest.len());
        resolved.push_str(&rest[..next]);
        rest = &rest[next..];
    }
    Cow::Owned(resolved)
}

/// A text without the characters that XML forbids.
pub(super) fn without_control<'a>(text: &'a str, mended: &mut BTreeSet<Mended>) -> Cow<'a, str> {
    if text.contains(is_forbidden) {
        mended.insert(Mended::Control);
        return Cow::Owned(text.chars().filter(|c| !is_forbidden(*c)).collect());
    }
    Cow::Borrowed(text)
}

fn is_forbidden(c: char) -> bool {
    matches!(c, '\0'..='\u{8}' | '\u{b}' | '\u{c}' | '\u{e}'..='\u{1f}' | '\u{fffe}' | '\u{ffff}')
}

/// The characters that a reference stands for, and how long it is after its `&`.
fn reference(text: &str, mended: &mut BTreeSet<Mended>) -> Option<([Option<char>; 2], usize)> {
    let end = text.bytes().take(LONGEST_NAME + 1).position(|byte| byte == b';')?;
    let name = &text[..end];
    if let Some(number) = name.strip_prefix('#') {
        let number = match number.strip_prefix(['x', 'X']) {
            Some(digits) if !digits.is_empty() => u32::from_str_radix(digits, 16),
            _ => number.parse(),
        };
        return Some(([numbered(number.ok()?, mended), None], end + 1));
    }
    let (first, second) = named(name)?;
    Some(([Some(first), second], end + 1))
}

/// The character with a number; nothing for one that is forbidden.
fn numbered(number: u32, mended: &mut BTreeSet<Mended>) -> Option<char> {
    if let byte @ 0x80..=0x9f = number {
        // HTML reads these so, and nobody means the control characters (HTML, numeric character
        // reference end state).
        mended.insert(Mended::WindowsNumber);
        let byte = u8::try_from(byte).ok()?;
        return WINDOWS_1252.decode_without_bom_handling(&[byte]).0.chars().next();
    }
    let found = char::from_u32(number).filter(|c| !is_forbidden(*c));
    if found.is_none() {
        mended.insert(Mended::Control);
    }
    found
}

/// The characters with a name of HTML.
pub(super) fn named(name: &str) -> Option<(char, Option<char>)> {
    let mut key = String::with_capacity(name.len() + 1);
    key.push_str(name);
    key.push(';');
    // The list also holds the beginnings of names, which stand for nothing.
    let (first, second) = *web_atoms::NAMED_ENTITIES.get(&key)?;
    let first = char::from_u32(first).filter(|c| *c != '\0')?;
    Some((first, char::from_u32(second).filter(|c| *c != '\0')))
}

#[cfg(test)]
mod tests {
    use super::*;

    fn read(text: &str) -> (String, Vec<Mended>) {
        let mut mended = BTreeSet::new();
        let text = resolve(text, &Entities::default(), &mut mended).into_owned();
        (text, mended.into_iter().collect())
    }

    #[test]
    fn references_as_people_write_them() {
        for (text, expected, mended) in [
            ("C&oelig;ur &amp; Vi&scaron;nja", "Cœur & Višnja", vec![]),
            ("&Alpha;&alpha;&lambda;", "Ααλ", vec![]),
            ("&#233;&#xE9;&#XE9;&#x1F33F;", "ééé🌿", vec![]),
            ("&NotEqualTilde;", "\u{2242}\u{338}", vec![]),
            ("AT&T & co; R&D;", "AT&T & co; R&D;", vec![Mended::Ampersand]),
            ("a&nosuch;b", "a&nosuch;b", vec![Mended::Ampersand]),
            ("?a=1&copy=2&lt=3", "?a=1&copy=2&lt=3", vec![Mended::Ampersand]),
            ("&#146;", "’", vec![Mended::WindowsNumber]),
            ("a\u{0}b&#0;&#xD800;&#x7;", "ab", vec![Mended::Control]),
            ("&#;&#x;&;", "&#;&#x;&;", vec![Mended::Ampersand]),
            ("&&amp;&", "&&&", vec![Mended::Ampersand]),
            ("é&é", "é&é", vec![Mended::Ampersand]),
        ] {
            assert_eq!(read(text), (expected.to_owned(), mended), "{text}");
        }
    }

    #[test]
    fn names_of_a_documents_own() {
        let mut own = Entities::default();
        own.declare(r#"<!DOCTYPE rss [<!ENTITY site "Ferns &amp; <b>moss</b>"> <!ENTITY twice '&site;&site;'> <!ENTITY file SYSTEM "file:///etc/passwd"> <!ENTITY % p "x">]>"#);
        let mut mended = BTreeSet::new();
        assert_eq!(
            resolve("&site; &twice; &file; &p;", &own, &mut mended),
            "Ferns & <b>moss</b> &site;&site; &file; &p;"
        );
    }

    /// Against the list as another keeps it.
    #[test]
    fn every_name_of_html() {
        let list: Vec<(String, String)> = serde_json::from_str(include_str!("names_of_characters.json")).unwrap();
        assert_eq!(list.iter().filter(|(name, _)| name.ends_with(';')).count(), 2125);
        assert_eq!(list.len(), 2231);
        for (name, characters) in list {
            let (text, mended) = read(&format!("&{name}"));
            match name.strip_suffix(';') {
                Some(_) => assert_eq!((text, mended), (characters, vec![]), "{name}"),
                // Without its end, it may be part of an address.
                None => assert_eq!((text, mended), (format!("&{name}"), vec![Mended::Ampersand]), "{name}"),
            }
        }
    }
}
