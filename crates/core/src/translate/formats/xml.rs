//! Writing XML, in lines that people can read.

use std::borrow::Cow;
use std::io::{self, Write};

use quick_xml::Writer;
use quick_xml::escape::partial_escape;
use quick_xml::events::{BytesDecl, BytesEnd, BytesStart, BytesText, Event};

pub(super) struct Xml<W: Write> {
    writer: Writer<W>,
}

impl<W: Write> Xml<W> {
    pub(super) fn begin(to: W) -> io::Result<Xml<W>> {
        let mut writer = Writer::new(to);
        writer.write_event(Event::Decl(BytesDecl::new("1.0", Some("UTF-8"), None)))?;
        Ok(Xml { writer })
    }

    /// A new line, so far in.
    pub(super) fn line(&mut self, depth: usize) -> io::Result<()> {
        const SPACE: &str = "\n                ";
        self.writer.get_mut().write_all(&SPACE.as_bytes()[..1 + depth.min(8) * 2])
    }

    pub(super) fn start(&mut self, name: &str, attributes: &[(&str, &str)]) -> io::Result<()> {
        self.writer.write_event(Event::Start(tag(name, attributes)))
    }

    pub(super) fn empty(&mut self, name: &str, attributes: &[(&str, &str)]) -> io::Result<()> {
        self.writer.write_event(Event::Empty(tag(name, attributes)))
    }

    pub(super) fn end(&mut self, name: &str) -> io::Result<()> {
        self.writer.write_event(Event::End(BytesEnd::new(name)))
    }

    pub(super) fn text(&mut self, text: &str) -> io::Result<()> {
        self.writer.write_event(Event::Text(BytesText::from_escaped(partial_escape(sound(text)))))
    }

    /// An element with text in it, on a line of its own.
    pub(super) fn element(
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

    pub(super) fn flush(mut self) -> io::Result<()> {
        self.writer.get_mut().write_all(b"\n")?;
        self.writer.get_mut().flush()
    }
}

fn tag<'a>(name: &'a str, attributes: &[(&str, &str)]) -> BytesStart<'a> {
    let mut tag = BytesStart::new(name);
    for (name, value) in attributes {
        tag.push_attribute((*name, &*sound(value)));
    }
    tag
}

/// Without what XML 1.0 cannot hold (§2.2).
fn sound(text: &str) -> Cow<'_, str> {
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
        "keep" => ("other", None, "x-keep"),
        "code" | "kbd" | "samp" | "var" | "tt" => ("other", None, "x-code"),
        "comment" | "control" => ("other", None, "x-other"),
        _ => ("fmt", None, "x-fmt"),
    }
}
