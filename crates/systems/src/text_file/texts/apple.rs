//! Texts of Apple's systems (`.strings`): `"key" = "value";` with comments before them, in UTF-8 or UTF-16; or the same
//! as a property list of XML.

use encoding_rs::Encoding;

use super::tree;
use super::{Said, Text, Texts};

pub(super) fn read(bytes: &[u8], texts: &mut Texts) -> Result<(), String> {
    if bytes.starts_with(b"bplist") {
        return Err("is a binary property list; save it as text".to_owned());
    }
    let encoding = Encoding::for_bom(bytes).map_or_else(|| guessed(bytes), |(encoding, _)| encoding);
    let (text, used, is_broken) = encoding.decode(bytes);
    if is_broken {
        return Err(format!("is not {}; save it as UTF-8", used.name()));
    }
    if text.trim_start().starts_with('<') {
        return property_list(&text, texts);
    }
    let mut reading = Reading { text: &text, at: 0 };
    reading.all(texts)
}

/// The encoding of a file without a byte order mark: such files begin with a comment or a quote.
fn guessed(bytes: &[u8]) -> &'static Encoding {
    match bytes {
        [0, second, ..] if second.is_ascii() => encoding_rs::UTF_16BE,
        [first, 0, ..] if first.is_ascii() => encoding_rs::UTF_16LE,
        _ => encoding_rs::UTF_8,
    }
}

fn property_list(text: &str, texts: &mut Texts) -> Result<(), String> {
    let root = tree::read(text)?;
    let Some((dict, _)) = root.elements().find(|(element, _)| element.name == "dict") else {
        return Err("is a property list without a `dict`".to_owned());
    };
    let mut key = None;
    for (element, note) in dict.elements() {
        match (element.name.as_str(), key.take()) {
            ("key", _) => key = Some(element.text()),
            ("string", Some(key)) => {
                let said = Said::Plain(element.text());
                texts.add(Text { key, note: note.to_owned(), said, is_kept: false })?;
            }
            (_, Some(key)) => texts.problem(&key, "is no text"),
            _ => {}
        }
    }
    Ok(())
}

struct Reading<'a> {
    text: &'a str,
    at: usize,
}

impl Reading<'_> {
    fn rest(&self) -> &str {
        self.text.get(self.at..).unwrap_or_default()
    }

    fn wrong(&self, what: &str) -> String {
        let line = self.text.get(..self.at).unwrap_or_default().matches('\n').count() + 1;
        format!("{what} (line {line})")
    }

    fn all(&mut self, texts: &mut Texts) -> Result<(), String> {
        loop {
            let note = self.comments()?;
            if self.rest().is_empty() {
                return Ok(());
            }
            let key = self.word()?;
            self.comments()?;
            let value = if self.takes('=') {
                self.comments()?;
                self.word()?
            } else {
                key.clone()
            };
            self.comments()?;
            if !self.takes(';') {
                return Err(self.wrong("a `;` is missing"));
            }
            texts.add(Text { key, note, said: Said::Plain(value), is_kept: false })?;
        }
    }

    fn takes(&mut self, mark: char) -> bool {
        let is_there = self.rest().starts_with(mark);
        self.at += if is_there { mark.len_utf8() } else { 0 };
        is_there
    }

    /// Skips white space and comments; gives the last one.
    fn comments(&mut self) -> Result<String, String> {
        let mut last = String::new();
        loop {
            let rest = self.rest();
            let inner = rest.trim_start();
            self.at += rest.len() - inner.len();
            let (start, end) = match self.rest() {
                rest if rest.starts_with("/*") => (2, rest.find("*/")),
                rest if rest.starts_with("//") => (2, Some(rest.find('\n').unwrap_or(rest.len()))),
                _ => return Ok(last),
            };
            let Some(end) = end else { return Err(self.wrong("a comment is not closed")) };
            let is_block = self.rest().starts_with("/*");
            last = self.rest().get(start..end).unwrap_or_default().trim().to_owned();
            self.at += end + if is_block { 2 } else { 0 };
        }
    }

    /// A key or a value: between quotes, or a bare word.
    fn word(&mut self) -> Result<String, String> {
        if !self.takes('"') {
            let is_bare = |c: char| c.is_ascii_alphanumeric() || "_.$:/-".contains(c);
            let word: String = self.rest().chars().take_while(|c| is_bare(*c)).collect();
            if word.is_empty() {
                return Err(self.wrong("neither a text between quotes nor a word"));
            }
            self.at += word.len();
            return Ok(word);
        }
        let mut units: Vec<u16> = Vec::new();
        loop {
            let Some(c) = self.rest().chars().next() else { return Err(self.wrong("a quote is not closed")) };
            self.at += c.len_utf8();
            match c {
                '"' => return Ok(String::from_utf16_lossy(&units)),
                '\\' => units.extend(self.escape()?),
                other => units.extend_from_slice(other.encode_utf16(&mut [0; 2])),
            }
        }
    }

    fn escape(&mut self) -> Result<Vec<u16>, String> {
        let Some(c) = self.rest().chars().next() else { return Err(self.wrong("a quote is not closed")) };
        self.at += c.len_utf8();
        let meant = match c {
            'n' => '\n',
            't' => '\t',
            'r' => '\r',
            'U' | 'u' => {
                let digits: String = self.rest().chars().take(4).collect();
                let unit = u16::from_str_radix(&digits, 16).ok().filter(|_| digits.len() == 4);
                let unit = unit.ok_or_else(|| self.wrong("`\\U` is not followed by four digits"))?;
                self.at += 4;
                return Ok(vec![unit]);
            }
            other => other,
        };
        Ok(meant.encode_utf16(&mut [0; 2]).to_vec())
    }
}
