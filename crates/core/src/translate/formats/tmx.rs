//! TMX 1.4b: the memory, in and out.

use std::collections::BTreeMap;
use std::io::{self, BufRead, Write};

use quick_xml::events::{BytesStart, Event};
use quick_xml::{Reader, XmlVersion};

use super::xml::Xml;
use super::xml_read::{attribute, referenced};
use super::{LARGEST_UNIT, UnitsError};
use crate::translate::{Case, Inline, Piece};
use crate::value::LanguageTag;

/// A text with its translation.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct MemoryPair {
    /// The language of the source.
    pub from: LanguageTag,
    /// The language of the translation.
    pub into: LanguageTag,
    /// The source.
    pub source: Inline,
    /// Its translation.
    pub target: Inline,
    /// In which cases it counts, which the format has no place for.
    pub cases: Vec<Case>,
    /// Where it stands, where it was translated for one place.
    pub place: Option<String>,
}

/// Writes a memory.
pub struct TmxWriter<W: Write> {
    xml: Xml<W>,
}

impl<W: Write> TmxWriter<W> {
    /// Begins the file.
    ///
    /// # Errors
    /// Where writing fails.
    pub fn begin(to: W, from: Option<&LanguageTag>) -> io::Result<TmxWriter<W>> {
        let mut xml = Xml::begin(to)?;
        xml.line(0)?;
        xml.start("tmx", &[("version", "1.4")])?;
        xml.line(1)?;
        xml.empty(
            "header",
            &[
                ("creationtool", "diaporos"),
                ("creationtoolversion", env!("CARGO_PKG_VERSION")),
                ("segtype", "block"),
                ("o-tmf", "diaporos"),
                ("adminlang", "en"),
                ("srclang", from.map_or("*all*", LanguageTag::as_str)),
                ("datatype", "html"),
            ],
        )?;
        xml.line(1)?;
        xml.start("body", &[])?;
        Ok(TmxWriter { xml })
    }

    /// Writes a pair.
    ///
    /// # Errors
    /// Where writing fails.
    pub fn pair(&mut self, pair: &MemoryPair) -> io::Result<()> {
        self.xml.line(2)?;
        self.xml.start("tu", &[("srclang", pair.from.as_str())])?;
        if let Some(place) = &pair.place {
            self.xml.element(3, "prop", &[("type", "x-place")], place)?;
        }
        for (language, text) in [(&pair.from, &pair.source), (&pair.into, &pair.target)] {
            self.xml.line(3)?;
            self.xml.start("tuv", &[("xml:lang", language.as_str())])?;
            self.xml.start("seg", &[])?;
            for piece in text.pieces() {
                match piece {
                    Piece::Text(text) => self.xml.text(text)?,
                    Piece::Open(number) => {
                        let number = number.to_string();
                        self.xml.empty("bpt", &[("i", &number), ("x", &number)])?;
                    }
                    Piece::Close(number) => self.xml.empty("ept", &[("i", &number.to_string())])?,
                    Piece::Alone(number) => self.xml.empty("ph", &[("x", &number.to_string())])?,
                }
            }
            self.xml.end("seg")?;
            self.xml.end("tuv")?;
        }
        self.xml.line(2)?;
        self.xml.end("tu")
    }

    /// Ends the file.
    ///
    /// # Errors
    /// Where writing fails.
    pub fn end(mut self) -> io::Result<()> {
        self.xml.line(1)?;
        self.xml.end("body")?;
        self.xml.line(0)?;
        self.xml.end("tmx")?;
        self.xml.flush()
    }
}

#[derive(Default)]
struct Reading {
    /// The language of sources where a unit does not say.
    srclang: Option<LanguageTag>,
    own_srclang: Option<LanguageTag>,
    place: Option<String>,
    in_place: bool,
    texts: Vec<(LanguageTag, Inline)>,
    language: Option<LanguageTag>,
    text: Option<Inline>,
    /// How many elements are open whose text is markup.
    code: usize,
    size: usize,
}

/// Reads a memory; hands over a pair for the source of each unit with each of its other languages.
/// Tags are numbered anew, in the order of the source.
///
/// # Errors
/// Where it cannot be read on; what was handed over before was whole.
pub fn read_tmx(
    from: &mut dyn BufRead,
    take: &mut dyn FnMut(MemoryPair) -> Result<(), String>,
) -> Result<(), UnitsError> {
    let mut reader = Reader::from_reader(from);
    let mut buffer = Vec::new();
    let mut state = Reading::default();
    let (mut depth, mut is_tmx, mut units) = (0_usize, false, 0_u64);
    loop {
        buffer.clear();
        let at = reader.buffer_position();
        let wrong = |message: String| UnitsError::IllFormed { message, at };
        let event = match reader.read_event_into(&mut buffer) {
            Ok(event) => event,
            Err(quick_xml::Error::Syntax(_)) => return Err(UnitsError::CutOff { units }),
            Err(error) => return Err(wrong(error.to_string())),
        };
        match event {
            Event::Start(tag) => {
                depth += 1;
                if depth > 64 {
                    return Err(UnitsError::TooMuch("64 elements within each other"));
                }
                is_tmx |= depth == 1 && tag.name().as_ref() == "tmx";
                if !is_tmx {
                    return Err(UnitsError::Foreign);
                }
                state.open(&tag, false).map_err(wrong)?;
            }
            Event::Empty(tag) => state.open(&tag, true).map_err(wrong)?,
            Event::End(tag) => {
                depth -= 1;
                if let Some(pairs) = state.close(tag.name().as_ref()) {
                    units += 1;
                    pairs.into_iter().try_for_each(&mut *take).map_err(UnitsError::Taker)?;
                }
            }
            Event::Text(text) => state.text(&text.xml_content(XmlVersion::Implicit1_0))?,
            Event::CData(text) => state.text(&text.xml_content(XmlVersion::Implicit1_0))?,
            Event::GeneralRef(reference) => state.text(&referenced(&reference).map_err(wrong)?)?,
            // The standard's own document type is named by most files; it is not fetched.
            Event::DocType(text) if text.contains("<!ENTITY") => return Err(UnitsError::Entities),
            Event::Eof if !is_tmx => return Err(UnitsError::Foreign),
            Event::Eof if depth > 0 => return Err(UnitsError::CutOff { units }),
            Event::Eof => return Ok(()),
            Event::Decl(_) | Event::PI(_) | Event::DocType(_) | Event::Comment(_) => {}
        }
    }
}

impl Reading {
    fn open(&mut self, tag: &BytesStart<'_>, is_empty: bool) -> Result<(), String> {
        let language = |names: &[&str]| {
            let given = names.iter().find_map(|name| attribute(tag, name)).filter(|given| given != "*all*");
            given.map(|given| given.parse::<LanguageTag>().map_err(|error| error.to_string())).transpose()
        };
        let number = |name: &str| attribute(tag, name).and_then(|given| given.parse().ok()).unwrap_or(0);
        match tag.name().as_ref() {
            "header" => self.srclang = language(&["srclang"])?,
            "tu" => {
                self.own_srclang = language(&["srclang"])?;
                (self.place, self.size) = (None, 0);
                self.texts.clear();
            }
            "prop" => self.in_place = !is_empty && attribute(tag, "type").as_deref() == Some("x-place"),
            "tuv" => self.language = language(&["xml:lang", "lang"])?,
            "seg" => self.text = Some(Inline::default()),
            name @ ("bpt" | "ept" | "ph" | "it" | "ut") => {
                let piece = match name {
                    "bpt" => Piece::Open(number("i")),
                    "ept" => Piece::Close(number("i")),
                    _ => Piece::Alone(1_000_000 + number("x")),
                };
                if let Some(text) = self.text.as_mut().filter(|_| self.code == 0) {
                    text.push(piece);
                }
                self.code += usize::from(!is_empty);
            }
            _ => {}
        }
        Ok(())
    }

    fn close(&mut self, name: &str) -> Option<Vec<MemoryPair>> {
        match name {
            "prop" => self.in_place = false,
            "bpt" | "ept" | "ph" | "it" | "ut" => self.code = self.code.saturating_sub(1),
            "seg" => {
                let (language, text) = (self.language.take()?, self.text.take()?);
                self.texts.push((language, text));
            }
            "tu" => return Some(self.pairs()),
            _ => {}
        }
        None
    }

    fn text(&mut self, text: &str) -> Result<(), UnitsError> {
        if self.in_place {
            self.place.get_or_insert_default().push_str(text.trim());
        } else if let Some(into) = self.text.as_mut().filter(|_| self.code == 0) {
            self.size += text.len();
            if self.size > LARGEST_UNIT {
                return Err(UnitsError::TooMuch("4 MiB in one unit"));
            }
            into.push_text(text);
        }
        Ok(())
    }

    fn pairs(&mut self) -> Vec<MemoryPair> {
        let texts = std::mem::take(&mut self.texts);
        let srclang = self.own_srclang.take().or_else(|| self.srclang.clone());
        let source = match &srclang {
            Some(srclang) => texts.iter().position(|(language, _)| language == srclang),
            None => (!texts.is_empty()).then_some(0),
        };
        let Some((from, source)) = source.and_then(|at| texts.get(at)) else { return Vec::new() };
        let mut numbers = BTreeMap::new();
        let source_again = renumbered(source, &mut numbers);
        let others = texts.iter().filter(|(language, text)| language != from && !text.is_blank());
        others
            .map(|(into, target)| MemoryPair {
                from: from.clone(),
                into: into.clone(),
                source: source_again.clone(),
                target: renumbered(target, &mut numbers.clone()),
                cases: Vec::new(),
                place: self.place.clone(),
            })
            .collect()
    }
}

fn renumbered(text: &Inline, numbers: &mut BTreeMap<u32, u32>) -> Inline {
    let mut again = Inline::default();
    for piece in text.pieces() {
        let mut of = |number: &u32| {
            let next = u32::try_from(numbers.len()).unwrap_or(u32::MAX).saturating_add(1);
            *numbers.entry(*number).or_insert(next)
        };
        again.push(match piece {
            Piece::Text(text) => Piece::Text(text.clone()),
            Piece::Open(number) => Piece::Open(of(number)),
            Piece::Close(number) => Piece::Close(of(number)),
            Piece::Alone(number) => Piece::Alone(of(number)),
        });
    }
    again
}
