//! Texts of Java (`java.util.Properties`, "load"): a key and its value a line, with comments before them.

use std::borrow::Cow;

use super::{Said, Text, Texts};

/// The text of a file: UTF-8, as programs since Java 9 read it, or Latin-1, as those before did.
pub(super) fn decoded(bytes: &[u8]) -> Cow<'_, str> {
    let bytes = bytes.strip_prefix(b"\xef\xbb\xbf").unwrap_or(bytes);
    match std::str::from_utf8(bytes) {
        Ok(text) => Cow::Borrowed(text),
        Err(_) => Cow::Owned(bytes.iter().map(|byte| char::from(*byte)).collect()),
    }
}

pub(super) fn read(text: &str, texts: &mut Texts) -> Result<(), String> {
    let mut note: Vec<&str> = Vec::new();
    let mut lines = text.split('\n').map(|line| line.strip_suffix('\r').unwrap_or(line));
    while let Some(line) = lines.next() {
        let line = line.trim_start();
        if line.is_empty() {
            note.clear();
            continue;
        }
        if let Some(comment) = line.strip_prefix(['#', '!']) {
            note.push(comment.trim());
            continue;
        }
        let mut whole = line.to_owned();
        while is_continued(&whole) {
            whole.pop();
            let Some(next) = lines.next() else { break };
            whole.push_str(next.trim_start());
        }
        let (key, value) = parts(&whole);
        let note = std::mem::take(&mut note).join("\n");
        let said = Said::Plain(unescaped(value));
        texts.add(Text { key: unescaped(key), note, said, is_kept: false })?;
    }
    Ok(())
}

fn is_continued(line: &str) -> bool {
    line.bytes().rev().take_while(|byte| *byte == b'\\').count() % 2 == 1
}

/// The key, to the first `=`, `:` or white space that is not escaped, and the value.
fn parts(line: &str) -> (&str, &str) {
    let mut is_escaped = false;
    let end = line.char_indices().find(|(_, c)| {
        let ends = !is_escaped && matches!(c, '=' | ':' | ' ' | '\t' | '\u{c}');
        is_escaped = *c == '\\' && !is_escaped;
        ends
    });
    let Some((end, _)) = end else { return (line, "") };
    let rest = line[end..].trim_start_matches([' ', '\t', '\u{c}']);
    let rest = rest.strip_prefix(['=', ':']).unwrap_or(rest);
    (&line[..end], rest.trim_start_matches([' ', '\t', '\u{c}']))
}

fn unescaped(text: &str) -> String {
    let mut units: Vec<u16> = Vec::with_capacity(text.len());
    let mut rest = text.chars();
    let push = |units: &mut Vec<u16>, c: char| units.extend_from_slice(c.encode_utf16(&mut [0; 2]));
    while let Some(c) = rest.next() {
        if c != '\\' {
            push(&mut units, c);
            continue;
        }
        match rest.next() {
            Some('n') => push(&mut units, '\n'),
            Some('t') => push(&mut units, '\t'),
            Some('r') => push(&mut units, '\r'),
            Some('f') => push(&mut units, '\u{c}'),
            // Characters beyond the first plane are written as two.
            Some('u') => {
                let digits: String = rest.clone().take(4).collect();
                match u16::from_str_radix(&digits, 16) {
                    Ok(unit) if digits.len() == 4 => {
                        units.push(unit);
                        rest.nth(3);
                    }
                    _ => push(&mut units, 'u'),
                }
            }
            Some(other) => push(&mut units, other),
            None => {}
        }
    }
    String::from_utf16_lossy(&units)
}
