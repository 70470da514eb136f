//! Writing XLIFF 1.2 (OASIS, 1 February 2008).

use std::io::{self, Write};

use super::xliff2::is_nested;
use super::xml::{Xml, kind_of};
use super::{Candidate, Heading, Outgoing, Purpose, WriteUnits, candidates};
use crate::translate::{Inline, Piece, Tag};

pub(super) struct Writer<W: Write> {
    xml: Xml<W>,
    heading: Heading,
    entry: Option<String>,
}

impl<W: Write> Writer<W> {
    pub(super) fn begin(heading: &Heading, to: W) -> io::Result<Writer<W>> {
        let mut xml = Xml::begin(to)?;
        xml.line(0)?;
        xml.start("xliff", &[("xmlns", "urn:oasis:names:tc:xliff:document:1.2"), ("version", "1.2")])?;
        Ok(Writer { xml, heading: heading.clone(), entry: None })
    }

    fn open_file(&mut self, entry: &str, title: Option<&str>) -> io::Result<()> {
        self.close_file()?;
        self.xml.line(1)?;
        self.xml.start(
            "file",
            &[
                ("original", entry),
                ("source-language", self.heading.from.as_str()),
                ("target-language", self.heading.into.as_str()),
                ("datatype", "html"),
                ("product-name", &self.heading.batch),
                ("xml:space", "preserve"),
            ],
        )?;
        self.xml.line(2)?;
        self.xml.start("header", &[])?;
        self.xml.element(3, "note", &[("from", "batch")], &self.heading.batch)?;
        if self.heading.purpose == Purpose::Pseudo {
            self.xml.element(3, "note", &[("from", "pseudo")], "made up, for trying")?;
        }
        if let Some(title) = title {
            self.xml.element(3, "note", &[("from", "title")], title)?;
        }
        self.xml.line(2)?;
        self.xml.end("header")?;
        self.xml.line(2)?;
        self.xml.start("body", &[])?;
        self.entry = Some(entry.to_owned());
        Ok(())
    }

    fn close_file(&mut self) -> io::Result<()> {
        if self.entry.take().is_some() {
            self.xml.line(2)?;
            self.xml.end("body")?;
            self.xml.line(1)?;
            self.xml.end("file")?;
        }
        Ok(())
    }

    fn notes(&mut self, outgoing: Outgoing<'_>) -> io::Result<()> {
        let context = &outgoing.unit.context;
        for complaint in outgoing.complaints {
            self.xml.element(4, "note", &[("from", "rejected"), ("priority", "1")], complaint)?;
        }
        for text in &context.notes {
            self.xml.element(4, "note", &[("from", "instruction"), ("priority", "1")], text)?;
        }
        for (name, address) in &context.references {
            let told = format!("{name}: {address}");
            self.xml.element(4, "note", &[("from", "reference"), ("priority", "3")], &told)?;
        }
        self.xml.element(4, "note", &[("from", "place"), ("priority", "5")], &context.within)?;
        for case in &context.cases {
            let told = case.told(&self.heading.into);
            self.xml.element(4, "note", &[("from", "case"), ("priority", "2")], &told)?;
        }
        for (from, text) in [("before", &context.before), ("after", &context.after)] {
            if let Some(text) = text {
                self.xml.element(4, "note", &[("from", from), ("priority", "8")], text)?;
            }
        }
        Ok(())
    }

    fn content(&mut self, name: &str, attributes: &[(&str, &str)], text: &Inline, tags: &[Tag]) -> io::Result<()> {
        self.xml.start(name, attributes)?;
        for piece in text.pieces() {
            let (element, number) = match piece {
                Piece::Text(text) => {
                    self.xml.text(text)?;
                    continue;
                }
                Piece::Open(number) => ("bpt", number),
                Piece::Close(number) => ("ept", number),
                Piece::Alone(number) => ("ph", number),
            };
            let id = number.to_string();
            let tag = (*number as usize).checked_sub(1).and_then(|place| tags.get(place));
            let mut attributes = vec![("id", id.as_str())];
            if let Some(tag) = tag.filter(|_| element != "ept") {
                attributes.push(("ctype", kind_of(&tag.name).2));
                attributes.extend(tag.shown.as_deref().filter(|_| element == "ph").map(|shown| ("equiv-text", shown)));
            }
            self.xml.start(element, &attributes)?;
            if let Some(tag) = tag {
                self.xml.text(if element == "ept" { &tag.original_end } else { &tag.original })?;
            }
            self.xml.end(element)?;
        }
        self.xml.end(name)
    }
}

impl<W: Write> WriteUnits for Writer<W> {
    fn unit(&mut self, outgoing: Outgoing<'_>) -> io::Result<()> {
        let unit = outgoing.unit;
        let context = &unit.context;
        if self.entry.as_deref() != Some(context.entry.as_str()) {
            self.open_file(&context.entry, context.title.as_deref())?;
        }
        let limit = context.limit.map(|limit| limit.to_string());
        let mut attributes = vec![("id", unit.id.as_str()), ("resname", unit.name.as_str()), ("xml:space", "preserve")];
        if let Some(limit) = &limit {
            attributes.extend([("maxwidth", limit.as_str()), ("size-unit", "char")]);
        }
        self.xml.line(3)?;
        self.xml.start("trans-unit", &attributes)?;
        self.xml.line(4)?;
        self.content("source", &[], &unit.source, &unit.tags)?;
        if let Some(target) = outgoing.target.filter(|target| is_nested(target)) {
            let state = if outgoing.complaints.is_empty() { "translated" } else { "needs-review-translation" };
            self.xml.line(4)?;
            self.content("target", &[("state", state)], target, &unit.tags)?;
        } else if let Some(target) = outgoing.suggested().filter(|target| is_nested(target)) {
            let states = [("state", "needs-review-translation"), ("state-qualifier", "mt-suggestion")];
            self.xml.line(4)?;
            self.content("target", &states, target, &unit.tags)?;
        }
        self.notes(outgoing)?;
        for Candidate { source, target, percent, origin } in candidates(unit) {
            self.xml.line(4)?;
            let percent = percent.map(|percent| format!("{percent}%"));
            let kind = if origin == "earlier" { "previous-version" } else { "proposal" };
            let mut attributes = vec![("alttranstype", kind), ("origin", origin)];
            attributes.extend(percent.as_deref().map(|percent| ("match-quality", percent)));
            self.xml.start("alt-trans", &attributes)?;
            self.xml.line(5)?;
            self.content("source", &[], source, &[])?;
            self.xml.line(5)?;
            self.content("target", &[], target, &[])?;
            self.xml.line(4)?;
            self.xml.end("alt-trans")?;
        }
        self.xml.line(3)?;
        self.xml.end("trans-unit")
    }

    fn end(mut self: Box<Self>) -> io::Result<()> {
        self.close_file()?;
        self.xml.line(0)?;
        self.xml.end("xliff")?;
        self.xml.flush()
    }
}
