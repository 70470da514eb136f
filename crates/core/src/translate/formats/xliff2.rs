//! Writing XLIFF 2.1 (OASIS, 13 February 2018): core, with the modules for translation candidates
//! and for size restriction.

use std::io::{self, Write};

use super::xml::{Xml, kind_of};
use super::{Candidate, Heading, MACHINE, Outgoing, Purpose, WriteUnits, candidates};
use crate::translate::stage::MADE_BY_MACHINE;
use crate::translate::{Inline, Piece, Tag, TagKind, Unit};

pub(super) struct Writer<W: Write> {
    xml: Xml<W>,
    heading: Heading,
    /// The entry whose file is open, and how many files there were.
    entry: Option<String>,
    files: u64,
}

impl<W: Write> Writer<W> {
    pub(super) fn begin(heading: &Heading, to: W) -> io::Result<Writer<W>> {
        let mut xml = Xml::begin(to)?;
        xml.line(0)?;
        xml.start(
            "xliff",
            &[
                ("xmlns", "urn:oasis:names:tc:xliff:document:2.0"),
                ("xmlns:mtc", "urn:oasis:names:tc:xliff:matches:2.0"),
                ("xmlns:slr", "urn:oasis:names:tc:xliff:sizerestriction:2.0"),
                ("version", "2.1"),
                ("srcLang", heading.from.as_str()),
                ("trgLang", heading.into.as_str()),
            ],
        )?;
        Ok(Writer { xml, heading: heading.clone(), entry: None, files: 0 })
    }

    fn open_file(&mut self, entry: &str, title: Option<&str>) -> io::Result<()> {
        self.close_file()?;
        self.files += 1;
        let id = format!("{}.{}", self.heading.batch, self.files);
        self.xml.line(1)?;
        self.xml.start("file", &[("id", &id), ("original", entry), ("xml:space", "preserve")])?;
        self.xml.line(2)?;
        self.xml.empty("slr:profiles", &[("generalProfile", "xliff:codepoints")])?;
        self.xml.line(2)?;
        self.xml.start("notes", &[])?;
        self.xml.element(3, "note", &[("category", "batch")], &self.heading.batch)?;
        if self.heading.purpose == Purpose::Pseudo {
            self.xml.element(3, "note", &[("category", "pseudo")], "made up, for trying")?;
        }
        if let Some(title) = title {
            self.xml.element(3, "note", &[("category", "title")], title)?;
        }
        self.xml.line(2)?;
        self.xml.end("notes")?;
        self.entry = Some(entry.to_owned());
        Ok(())
    }

    fn close_file(&mut self) -> io::Result<()> {
        if self.entry.take().is_some() {
            self.xml.line(1)?;
            self.xml.end("file")?;
        }
        Ok(())
    }

    fn notes(&mut self, outgoing: Outgoing<'_>) -> io::Result<()> {
        let context = &outgoing.unit.context;
        self.xml.line(3)?;
        self.xml.start("notes", &[])?;
        let mut note = |category: &str, text: &str, priority: &str| {
            self.xml.element(4, "note", &[("category", category), ("priority", priority)], text)
        };
        for complaint in outgoing.complaints {
            note("rejected", complaint, "1")?;
        }
        for text in &context.notes {
            note("instruction", text, "1")?;
        }
        for (name, address) in &context.references {
            note("reference", &format!("{name}: {address}"), "3")?;
        }
        note("place", &context.within, "5")?;
        for case in &context.cases {
            note("case", &case.told(&self.heading.into), "2")?;
        }
        if let Some(before) = &context.before {
            note("before", before, "8")?;
        }
        if let Some(after) = &context.after {
            note("after", after, "8")?;
        }
        self.xml.line(3)?;
        self.xml.end("notes")
    }

    fn data(&mut self, tags: &[Tag]) -> io::Result<()> {
        if tags.is_empty() {
            return Ok(());
        }
        self.xml.line(3)?;
        self.xml.start("originalData", &[])?;
        for (tag, number) in tags.iter().zip(1..) {
            self.xml.element(4, "data", &[("id", &format!("d{number}"))], &tag.original)?;
            if tag.kind == TagKind::Pair {
                self.xml.element(4, "data", &[("id", &format!("d{number}e"))], &tag.original_end)?;
            }
        }
        self.xml.line(3)?;
        self.xml.end("originalData")
    }

    /// What the text said before, and texts that are nearly the same (module "Translation Candidates").
    fn matches(&mut self, unit: &Unit) -> io::Result<()> {
        let of = |known: &&Candidate<'_>| is_nested(known.source) && is_nested(known.target);
        let candidates = candidates(unit);
        let mut known = candidates.iter().filter(of).peekable();
        if known.peek().is_none() {
            return Ok(());
        }
        self.xml.line(3)?;
        self.xml.start("mtc:matches", &[])?;
        for Candidate { source, target, percent, origin } in known {
            self.xml.line(4)?;
            let percent = percent.map(|percent| format!("{percent}.0"));
            let kind = if *origin == MACHINE { "mt" } else { "tm" };
            let mut attributes = vec![("ref", "#s1"), ("type", kind), ("origin", *origin)];
            attributes.extend(percent.as_deref().map(|percent| ("similarity", percent)));
            self.xml.start("mtc:match", &attributes)?;
            self.xml.line(5)?;
            self.content("source", source, None)?;
            self.xml.line(5)?;
            self.content("target", target, None)?;
            self.xml.line(4)?;
            self.xml.end("mtc:match")?;
        }
        self.xml.line(3)?;
        self.xml.end("mtc:matches")
    }

    fn content(&mut self, name: &str, text: &Inline, tags: Option<&[Tag]>) -> io::Result<()> {
        self.xml.start(name, &[])?;
        for piece in text.pieces() {
            match piece {
                Piece::Text(text) => self.xml.text(text)?,
                Piece::Close(_) => self.xml.end("pc")?,
                Piece::Open(number) | Piece::Alone(number) => {
                    let id = number.to_string();
                    let (start, end) = (format!("d{id}"), format!("d{id}e"));
                    let tag = tags.and_then(|tags| tags.get((*number as usize).checked_sub(1)?));
                    let mut attributes = vec![("id", id.as_str())];
                    if let Some(tag) = tag {
                        let (kind, sub, _) = kind_of(&tag.name);
                        attributes.extend([("canCopy", "no"), ("canDelete", "no"), ("type", kind)]);
                        attributes.extend(sub.map(|sub| ("subType", sub)));
                        if let Some(shown) = &tag.shown {
                            attributes.extend([("equiv", shown.as_str()), ("disp", shown.as_str())]);
                        }
                        attributes.push((if tag.kind == TagKind::Pair { "dataRefStart" } else { "dataRef" }, &start));
                        if tag.kind == TagKind::Pair {
                            attributes.push(("dataRefEnd", &end));
                        }
                    }
                    match piece {
                        Piece::Alone(_) => self.xml.empty("ph", &attributes)?,
                        _ => self.xml.start("pc", &attributes)?,
                    }
                }
            }
        }
        self.xml.end(name)
    }
}

/// Tags that do not close in order cannot be written as elements.
pub(super) fn is_nested(text: &Inline) -> bool {
    let mut open = Vec::new();
    let sound = text.pieces().iter().all(|piece| match piece {
        Piece::Open(number) => {
            open.push(*number);
            true
        }
        Piece::Close(number) => open.pop() == Some(*number),
        _ => true,
    });
    sound && open.is_empty()
}

impl<W: Write> WriteUnits for Writer<W> {
    fn unit(&mut self, outgoing: Outgoing<'_>) -> io::Result<()> {
        let unit = outgoing.unit;
        if self.entry.as_deref() != Some(unit.context.entry.as_str()) {
            self.open_file(&unit.context.entry, unit.context.title.as_deref())?;
        }
        let limit = unit.context.limit.map(|limit| limit.to_string());
        let mut attributes = vec![("id", unit.id.as_str()), ("name", unit.name.as_str())];
        attributes.extend(limit.as_deref().map(|limit| ("slr:sizeRestriction", limit)));
        self.xml.line(2)?;
        self.xml.start("unit", &attributes)?;
        self.matches(unit)?;
        self.notes(outgoing)?;
        self.data(&unit.tags)?;
        let machine = outgoing.suggested().filter(|target| is_nested(target));
        let target = outgoing.target.filter(|target| is_nested(target)).or(machine);
        // Of what is to be done nothing is said: a tool that knows no states would leave it so.
        let states: &[(&str, &str)] = match (target, machine) {
            (_, Some(_)) => &[("state", "initial"), ("subState", MADE_BY_MACHINE)],
            (Some(_), None) if outgoing.complaints.is_empty() => &[("state", "translated")],
            _ => &[],
        };
        self.xml.line(3)?;
        self.xml.start("segment", &[&[("id", "s1")], states].concat())?;
        self.xml.line(4)?;
        self.content("source", &unit.source, Some(&unit.tags))?;
        if let Some(target) = target {
            self.xml.line(4)?;
            self.content("target", target, Some(&unit.tags))?;
        }
        self.xml.line(3)?;
        self.xml.end("segment")?;
        self.xml.line(2)?;
        self.xml.end("unit")
    }

    fn end(mut self: Box<Self>) -> io::Result<()> {
        self.close_file()?;
        self.xml.line(0)?;
        self.xml.end("xliff")?;
        self.xml.flush()
    }
}
