//! Writing XML, in lines that people can read. A file has several elements for each text, so that
//! they are put together in one buffer and not each by itself.

use std::borrow::Cow;
use std::io::{self, Write};

use quick_xml::escape::{escape, partial_escape};

/// How much is gathered before it is written.
const TOGETHER: usize = 32 * 1024;

pub(in crate::translate) struct Xml<W: Write> {
    to: W,
    text: String,
}

impl<W: Write> Xml<W> {
    pub(in crate::translate) fn begin(to: W) -> io::Result<Xml<W>> {
        let text = String::with_capacity(TOGETHER + TOGETHER / 4);
        let mut xml = Xml { to, text };
        xml.text.push_str("<?xml version=\"1.0\" encoding=\"UTF-8\"?>");
        Ok(xml)
    }

    /// A new line, so far in.
    pub(in crate::translate) fn line(&mut self, depth: usize) -> io::Result<()> {
        const SPACE: &str = "\n                ";
        if self.text.len() >= TOGETHER {
            self.to.write_all(self.text.as_bytes())?;
            self.text.clear();
        }
        self.text.push_str(&SPACE[..1 + depth.min(8) * 2]);
        Ok(())
    }

    fn tag(&mut self, name: &str, attributes: &[(&str, &str)], end: &str) {
        self.text.push('<');
        self.text.push_str(name);
        for (name, value) in attributes {
            self.text.push(' ');
            self.text.push_str(name);
            self.text.push_str("=\"");
            self.text.push_str(&escape(sound(value)));
            self.text.push('"');
        }
        self.text.push_str(end);
    }

    pub(in crate::translate) fn start(&mut self, name: &str, attributes: &[(&str, &str)]) -> io::Result<()> {
        self.tag(name, attributes, ">");
        Ok(())
    }

    pub(in crate::translate) fn empty(&mut self, name: &str, attributes: &[(&str, &str)]) -> io::Result<()> {
        self.tag(name, attributes, "/>");
        Ok(())
    }

    pub(in crate::translate) fn end(&mut self, name: &str) -> io::Result<()> {
        self.text.push_str("</");
        self.text.push_str(name);
        self.text.push('>');
        Ok(())
    }

    pub(in crate::translate) fn text(&mut self, text: &str) -> io::Result<()> {
        self.text.push_str(&partial_escape(sound(text)));
        Ok(())
    }

    /// An element with text in it, on a line of its own.
    pub(in crate::translate) fn element(
        &mut self,
        depth: usize,
        name: &str,
        attributes: &[(&str, &str)],
        text: &str,
    ) -> io::Result<()> {
        self.line(depth)?;
        self.start(name, attributes)?;
        self.text(text)?;
        self.end(name)
    }

    pub(in crate::translate) fn flush(mut self) -> io::Result<()> {
        self.text.push('\n');
        self.to.write_all(self.text.as_bytes())?;
        self.to.flush()
    }
}

/// Without what XML 1.0 cannot hold (§2.2).
fn sound(text: &str) -> Cow<'_, str> {
    // The two characters beyond the controls both begin with this byte in UTF-8.
    if !text.bytes().any(|byte| byte < 0x20 || byte == 0xef) {
        return Cow::Borrowed(text);
    }
    let unsound = |c: char| (c < ' ' && !matches!(c, '\t' | '\n' | '\r')) || matches!(c, '\u{fffe}' | '\u{ffff}');
    if text.contains(unsound) { Cow::Owned(text.replace(unsound, "\u{fffd}")) } else { Cow::Borrowed(text) }
}

/// What an inline tag is called in XLIFF: its type, its sub-type of XLIFF 2, its `ctype` of 1.2.
pub(super) fn kind_of(name: &str) -> (&'static str, Option<&'static str>, &'static str) {
    match name {
        "b" | "strong" => ("fmt", Some("xlf:b"), "bold"),
        "i" | "em" | "cite" | "dfn" => ("fmt", Some("xlf:i"), "italic"),
        "u" | "ins" => ("fmt", Some("xlf:u"), "underlined"),
        "br" => ("fmt", Some("xlf:lb"), "lb"),
        "a" => ("link", None, "link"),
        "img" | "svg" | "picture" => ("image", None, "image"),
        "q" => ("quote", None, "x-quote"),
        "keep" | "number" => ("other", None, "x-keep"),
        "code" | "kbd" | "samp" | "var" | "tt" => ("other", None, "x-code"),
        "comment" | "control" => ("other", None, "x-other"),
        _ => ("fmt", None, "x-fmt"),
    }
}
