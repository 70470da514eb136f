//! Reading XLIFF 2.0 to 2.2 and 1.2 as they come back: with elements that tools have added, units that
//! tools have cut into segments, and of inline tags whichever kind a tool prefers.

use std::io::{BufRead, BufReader};

use quick_xml::events::{BytesStart, Event};
use quick_xml::{Reader, XmlVersion};

use super::xliff_unit::Unit;
use super::xml_read::{attribute, referenced, unreadable};
use super::{Incoming, LARGEST_UNIT, Told, UnitFormat, UnitsError};
use crate::translate::{Inline, Piece};

/// Elements within elements.
const DEEPEST: usize = 64;

/// A tag that the source cannot have.
const UNKNOWN_TAG: u32 = 0;

pub(super) fn read(
    from: &mut dyn BufRead,
    take: &mut dyn FnMut(Incoming) -> Result<(), String>,
) -> Result<UnitFormat, UnitsError> {
    // A buffer of our own: every event asks it several times, and it is known at once.
    let mut reader = Reader::from_reader(BufReader::with_capacity(1 << 16, from));
    reader.config_mut().check_end_names = true;
    let mut buffer = Vec::new();
    let mut state = Reading {
        take,
        format: None,
        told: Told::default(),
        is_told: false,
        path: Vec::new(),
        passed_over: 0,
        unit: None,
        units: 0,
    };
    loop {
        buffer.clear();
        let at = reader.buffer_position();
        let event = reader.read_event_into(&mut buffer).map_err(|error| unreadable(error, at, state.units))?;
        let wrong = |message: String| UnitsError::IllFormed { message, at };
        // Nothing of ours, and nothing in it is.
        if state.passed_over > 0 {
            match event {
                Event::Start(_) => state.passed_over += 1,
                Event::End(_) => state.passed_over -= 1,
                Event::Eof => return Err(UnitsError::CutOff { units: state.units }),
                _ => {}
            }
            continue;
        }
        match event {
            Event::Start(tag) => state.open(&tag, at)?,
            Event::Empty(tag) => {
                state.open(&tag, at)?;
                match state.passed_over {
                    0 => state.close(at)?,
                    _ => state.passed_over = 0,
                }
            }
            Event::End(_) => state.close(at)?,
            Event::Text(text) if state.reads() => state.text(&text.xml_content(XmlVersion::Implicit1_0))?,
            Event::CData(text) if state.reads() => state.text(&text.xml_content(XmlVersion::Implicit1_0))?,
            Event::Text(_) | Event::CData(_) => {}
            Event::GeneralRef(reference) => state.text(&referenced(&reference).map_err(wrong)?)?,
            Event::DocType(text) if text.contains("<!ENTITY") || text.contains("SYSTEM") || text.contains("PUBLIC") => {
                return Err(UnitsError::Entities);
            }
            Event::Eof if state.format.is_none() => return Err(UnitsError::Foreign),
            Event::Eof if !state.path.is_empty() => return Err(UnitsError::CutOff { units: state.units }),
            Event::Eof => return Ok(state.format.unwrap_or_default()),
            Event::Decl(_) | Event::PI(_) | Event::DocType(_) | Event::Comment(_) => {}
        }
    }
}

/// What an open element means.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Element {
    File,
    /// A note of the file whose text says something of it.
    FileNote(FileNote),
    Unit,
    Segment,
    Source,
    Target,
    /// Within source or target: text counts.
    Span,
    /// A pair that ends with the element.
    Pair(u32),
    /// Nothing of ours, but what is in it may be.
    Around,
}

#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum FileNote {
    Batch,
    Pseudo,
}

struct Reading<'a> {
    take: &'a mut dyn FnMut(Incoming) -> Result<(), String>,
    format: Option<UnitFormat>,
    told: Told,
    is_told: bool,
    path: Vec<Element>,
    /// How many elements are open that are passed over.
    passed_over: usize,
    unit: Option<Unit>,
    units: u64,
}

/// The number that the first of these attributes gives.
fn number(tag: &BytesStart<'_>, names: &[&str]) -> u32 {
    // The last name is the one that is nearly always there, and first.
    let rarer = &names[..names.len().saturating_sub(1)];
    let names =
        if rarer.iter().any(|name| tag.attributes_raw().contains(name)) { names } else { &names[rarer.len()..] };
    let mut found: Option<(usize, u32)> = None;
    for attribute in tag.attributes().with_checks(false).flatten() {
        let Some(place) = names.iter().position(|name| attribute.key.as_ref() == *name) else { continue };
        if found.is_none_or(|(known, _)| place < known) {
            found = Some((place, attribute.value.parse().unwrap_or(UNKNOWN_TAG)));
        }
        if place == 0 {
            break;
        }
    }
    found.map_or(UNKNOWN_TAG, |(_, number)| number)
}

fn file_note(tag: &BytesStart<'_>) -> Option<FileNote> {
    let about = attribute(tag, "category").or_else(|| attribute(tag, "from"));
    match about.as_deref() {
        Some("batch") => Some(FileNote::Batch),
        Some("pseudo") => Some(FileNote::Pseudo),
        _ => None,
    }
}

impl Reading<'_> {
    /// Whether text counts here.
    fn reads(&self) -> bool {
        matches!(
            self.path.last(),
            Some(Element::Source | Element::Target | Element::Span | Element::Pair(_) | Element::FileNote(_))
        )
    }

    fn open(&mut self, tag: &BytesStart<'_>, at: u64) -> Result<(), UnitsError> {
        if self.path.len() >= DEEPEST {
            return Err(UnitsError::TooMuch("64 elements within each other"));
        }
        let parent = self.path.last().copied().unwrap_or(Element::Around);
        let name = tag.local_name();
        let name = name.as_ref();
        if self.format.is_none() {
            return self.root(name, tag);
        }
        let element = match (parent, name) {
            (Element::Source | Element::Target | Element::Span | Element::Pair(_), _) => match self.inline(name, tag) {
                Some(element) => element,
                None => return self.pass_over(),
            },
            (Element::Around, "file") => {
                self.file(tag);
                Element::File
            }
            // A tool's own elements, but those of the format by another prefix.
            (_, "matches" | "glossary" | "alt-trans" | "seg-source" | "originalData" | "skeleton") => {
                return self.pass_over();
            }
            (Element::File | Element::Around, "note") => match file_note(tag) {
                Some(note) => Element::FileNote(note),
                None => return self.pass_over(),
            },
            (Element::File | Element::Around, "unit" | "trans-unit") => {
                self.heading()?;
                self.unit = Some(Unit::begin(tag, at));
                Element::Unit
            }
            (Element::File | Element::Around, "group" | "body" | "header" | "notes") => Element::Around,
            (Element::Unit, "segment" | "ignorable") => {
                self.unit.iter_mut().for_each(|unit| unit.begin_segment(tag, name == "ignorable"));
                Element::Segment
            }
            (Element::Unit | Element::Segment, "source") => {
                self.begin(true);
                Element::Source
            }
            (Element::Unit | Element::Segment, "target") => {
                self.unit.iter_mut().for_each(|unit| unit.begin_target(tag, parent == Element::Unit));
                self.begin(false);
                Element::Target
            }
            _ => return self.pass_over(),
        };
        self.path.push(element);
        Ok(())
    }

    /// The root says which version of the format it is, and often the languages.
    fn root(&mut self, name: &str, tag: &BytesStart<'_>) -> Result<(), UnitsError> {
        if name != "xliff" {
            return Err(UnitsError::Foreign);
        }
        let version = attribute(tag, "version").unwrap_or_default();
        self.format = Some(match version.as_str() {
            "1.0" | "1.1" | "1.2" => UnitFormat::Xliff1,
            "2.0" | "2.1" | "2.2" => UnitFormat::Xliff2,
            _ => return Err(UnitsError::Version(version.chars().take(20).collect())),
        });
        self.told.from = attribute(tag, "srcLang");
        self.told.into = attribute(tag, "trgLang");
        self.path.push(Element::Around);
        Ok(())
    }

    fn pass_over(&mut self) -> Result<(), UnitsError> {
        self.passed_over = 1;
        Ok(())
    }

    fn file(&mut self, tag: &BytesStart<'_>) {
        if self.format == Some(UnitFormat::Xliff1) {
            self.told.from = attribute(tag, "source-language");
            self.told.into = attribute(tag, "target-language");
            self.told.batch = attribute(tag, "product-name").filter(|name| !name.is_empty());
        } else {
            let id = attribute(tag, "id").unwrap_or_default();
            self.told.batch = id.rsplit_once('.').map(|(batch, _)| batch.to_owned());
        }
        self.told.pseudo = false;
        self.is_told = false;
    }

    /// Says what is known of the units that follow, once.
    fn heading(&mut self) -> Result<(), UnitsError> {
        if !std::mem::replace(&mut self.is_told, true) {
            (self.take)(Incoming::Heading(self.told.clone())).map_err(UnitsError::Taker)?;
        }
        Ok(())
    }

    fn begin(&mut self, is_source: bool) {
        let Some(unit) = &mut self.unit else { return };
        unit.segment.in_source = is_source;
        let place = if is_source { &mut unit.segment.source } else { &mut unit.segment.target };
        *place = Some(Inline::with_room(4));
    }

    /// The text that is being read.
    fn current(&mut self) -> Option<&mut Inline> {
        let segment = &mut self.unit.as_mut()?.segment;
        if segment.in_source { segment.source.as_mut() } else { segment.target.as_mut() }
    }

    fn push(&mut self, piece: Piece) {
        if let Some(current) = self.current() {
            current.push(piece);
        }
    }

    /// An element within source or target; none where what stands in it is markup, not text.
    fn inline(&mut self, name: &str, tag: &BytesStart<'_>) -> Option<Element> {
        let piece = match name {
            "pc" | "g" => {
                let number = number(tag, &["copyOf", "id"]);
                self.push(Piece::Open(number));
                return Some(Element::Pair(number));
            }
            "ph" | "x" | "it" => Piece::Alone(number(tag, &["copyOf", "id"])),
            "sc" | "bpt" | "bx" => Piece::Open(number(tag, &["copyOf", "rid", "id"])),
            "ec" | "ept" | "ex" => Piece::Close(number(tag, &["startRef", "rid", "id"])),
            "cp" => {
                let code = attribute(tag, "hex").and_then(|hex| u32::from_str_radix(&hex, 16).ok());
                let character = code.and_then(char::from_u32).unwrap_or('\u{fffd}');
                Piece::Text(character.to_string())
            }
            // Marks and whatever else a tool has put around text.
            _ => return Some(Element::Span),
        };
        self.push(piece);
        None
    }

    fn text(&mut self, text: &str) -> Result<(), UnitsError> {
        match self.path.last() {
            Some(Element::Source | Element::Target | Element::Span | Element::Pair(_)) => {
                if let Some(unit) = &mut self.unit {
                    unit.size += text.len();
                    if unit.size > LARGEST_UNIT {
                        return Err(UnitsError::TooMuch("4 MiB in one unit"));
                    }
                }
                if let Some(current) = self.current() {
                    current.push_text(text);
                }
            }
            Some(Element::FileNote(FileNote::Batch)) => {
                // The note says it last; an id may have been made anew.
                self.told.batch = Some(text.trim().to_owned()).filter(|batch| !batch.is_empty());
            }
            Some(Element::FileNote(FileNote::Pseudo)) => self.told.pseudo = true,
            _ => {}
        }
        Ok(())
    }

    fn close(&mut self, at: u64) -> Result<(), UnitsError> {
        let Some(element) = self.path.pop() else { return Ok(()) };
        match element {
            Element::Pair(number) => {
                // The element is closed: its text is still the one that is read.
                self.push(Piece::Close(number));
            }
            Element::Segment => self.unit.iter_mut().for_each(Unit::end_segment),
            Element::Unit => {
                if let Some(mut unit) = self.unit.take() {
                    if self.format == Some(UnitFormat::Xliff1) {
                        unit.end_segment();
                    }
                    self.units += 1;
                    (self.take)(Incoming::Unit(unit.returned(at))).map_err(UnitsError::Taker)?;
                }
            }
            _ => {}
        }
        Ok(())
    }
}
