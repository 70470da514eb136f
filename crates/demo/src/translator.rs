//! The agency's translators: they put a target beside each source of an XLIFF file, from a book of
//! phrases, and leave the rest of the file as it is.

use std::collections::BTreeMap;
use std::sync::LazyLock;

use quick_xml::events::{BytesEnd, BytesStart, BytesText, Event};
use quick_xml::{Reader, Writer};

use crate::slip::{Slip, Spoilt};

/// Texts with their translations by language; tags are written `<1>`, `</1>` and `<2/>`.
static PHRASES: LazyLock<BTreeMap<String, BTreeMap<String, String>>> =
    LazyLock::new(|| serde_json::from_str(include_str!("content/translations.json")).unwrap_or_default());

/// A source as it was met: its text with tags by number, and what each tag was written as.
#[derive(Default)]
struct Source {
    coded: String,
    tags: BTreeMap<String, Vec<Event<'static>>>,
}

/// The file with so many percent of its units translated.
pub(crate) fn translated(file: &[u8], language: &str, percent: f64, spoilt: &[&Spoilt]) -> Result<String, String> {
    let text = std::str::from_utf8(file).map_err(|error| error.to_string())?;
    let units =
        text.matches("<source").count() - text.matches("<mtc:match ").count() - text.matches("<alt-trans").count();
    #[expect(clippy::cast_precision_loss, reason = "no file has so many units")]
    let mut left = (units as f64 * percent / 100.0).floor();
    let mut reader = Reader::from_str(text);
    let mut writer = Writer::new(Vec::new());
    let mut depth_of_others = 0_usize;
    let mut unit: Vec<Event<'static>> = Vec::new();
    let mut in_unit = false;
    loop {
        let event = reader.read_event().map_err(|error| error.to_string())?.into_owned();
        let name = match &event {
            Event::Start(tag) => tag.name().as_ref().to_owned(),
            Event::End(tag) => tag.name().as_ref().to_owned(),
            Event::Eof => break,
            _ => String::new(),
        };
        let starts = matches!(event, Event::Start(_));
        if name == "mtc:matches" || name == "alt-trans" {
            depth_of_others = if starts { depth_of_others + 1 } else { depth_of_others.saturating_sub(1) };
        }
        let is_unit = name == "unit" || name == "trans-unit";
        if is_unit && starts {
            in_unit = true;
        }
        if name == "source" && starts && depth_of_others == 0 {
            let mut events = vec![event];
            let source = captured(&mut reader, &mut events)?;
            if left < 1.0 {
                unit.append(&mut events);
                continue;
            }
            left -= 1.0;
            let own = slips(&source, spoilt);
            events.extend(target(&source, language, &own));
            come_to(&mut unit);
            unit.append(&mut events);
            if own.contains(&Slip::RenamesUnit) {
                rename(&mut unit);
            }
            if own.contains(&Slip::Twice) {
                finish(&mut reader, &mut unit)?;
                let second: Vec<Event<'static>> = unit.iter().map(with_another_text).collect();
                unit.extend(second);
                write_all(&mut writer, &mut unit)?;
                in_unit = false;
            }
            continue;
        }
        unit.push(event);
        if !in_unit || (is_unit && !starts) {
            in_unit = in_unit && (starts || !is_unit);
            write_all(&mut writer, &mut unit)?;
        }
    }
    write_all(&mut writer, &mut unit)?;
    String::from_utf8(writer.into_inner()).map_err(|error| error.to_string())
}

/// The slips that are made with a source.
fn slips(source: &Source, spoilt: &[&Spoilt]) -> Vec<Slip> {
    let own = spoilt.iter().filter(|spoilt| source.coded.contains(&spoilt.source));
    own.map(|spoilt| spoilt.slip).collect()
}

fn write_all(writer: &mut Writer<Vec<u8>>, events: &mut Vec<Event<'static>>) -> Result<(), String> {
    events.drain(..).try_for_each(|event| writer.write_event(event)).map_err(|error| error.to_string())
}

/// Reads on to the unit's end.
fn finish(reader: &mut Reader<&[u8]>, unit: &mut Vec<Event<'static>>) -> Result<(), String> {
    loop {
        let event = reader.read_event().map_err(|error| error.to_string())?.into_owned();
        let is_end = matches!(&event, Event::End(tag) if matches!(tag.name().as_ref(), "unit" | "trans-unit"));
        if matches!(event, Event::Eof) {
            return Err("the file ends in the middle".to_owned());
        }
        unit.push(event);
        if is_end {
            return Ok(());
        }
    }
}

fn with_another_text(event: &Event<'static>) -> Event<'static> {
    match event {
        Event::Text(text) if text.trim().len() > 3 => {
            Event::Text(BytesText::from_escaped(format!("{} bis", &**text)).into_owned())
        }
        other => other.clone(),
    }
}

/// Says of the segment that somebody has come to it.
fn come_to(unit: &mut [Event<'static>]) {
    let segment =
        unit.iter_mut().rev().find(|event| matches!(event, Event::Start(tag) if tag.name().as_ref() == "segment"));
    if let Some(Event::Start(tag)) = segment {
        tag.clear_attributes();
        tag.extend_attributes([("id", "s1"), ("state", "translated")]);
    }
}

fn rename(unit: &mut [Event<'static>]) {
    for event in unit {
        if let Event::Start(tag) = event
            && matches!(tag.name().as_ref(), "unit" | "trans-unit")
        {
            let name = tag.name().as_ref().to_owned();
            *event = Event::Start(BytesStart::new(name).with_attributes([("id", "u00000000000000aa")]).into_owned());
        }
    }
}

/// Reads a source to its end.
fn captured(reader: &mut Reader<&[u8]>, events: &mut Vec<Event<'static>>) -> Result<Source, String> {
    let mut source = Source::default();
    let mut open: Vec<String> = Vec::new();
    // What stands within a tag of XLIFF 1.2 is markup.
    let mut code: Option<(String, Vec<Event<'static>>)> = None;
    loop {
        let event = reader.read_event().map_err(|error| error.to_string())?.into_owned();
        events.push(event.clone());
        if let Some((key, chunk)) = &mut code {
            chunk.push(event.clone());
            if matches!(&event, Event::End(tag) if matches!(tag.name().as_ref(), "bpt" | "ept" | "ph")) {
                source.tags.insert(key.clone(), std::mem::take(chunk));
                code = None;
            }
            continue;
        }
        let id = |tag: &BytesStart<'_>| {
            let found = tag.attributes().flatten().find(|attribute| attribute.key.as_ref() == "id");
            found.map(|attribute| attribute.value.into_owned()).unwrap_or_default()
        };
        match &event {
            Event::Text(text) => source.coded.push_str(text),
            Event::GeneralRef(reference) => {
                let name: &str = reference;
                let known = reference.resolve_char_ref().ok().flatten().map(String::from);
                let known = known.or_else(|| quick_xml::escape::resolve_xml_entity(name).map(str::to_owned));
                source.coded.push_str(match known.as_deref() {
                    Some("<") => "&lt;",
                    Some("&") => "&amp;",
                    Some(other) => other,
                    None => "",
                });
            }
            Event::Empty(tag) => source.tag(&format!("<{}/>", id(tag)), vec![event.clone()]),
            Event::Start(tag) if matches!(tag.name().as_ref(), "bpt" | "ept" | "ph") => {
                let key = match tag.name().as_ref() {
                    "bpt" => format!("<{}>", id(tag)),
                    "ept" => format!("</{}>", id(tag)),
                    _ => format!("<{}/>", id(tag)),
                };
                source.coded.push_str(&key);
                code = Some((key, vec![event.clone()]));
            }
            Event::Start(tag) => {
                let number = id(tag);
                source.tag(&format!("<{number}>"), vec![event.clone()]);
                open.push(number);
            }
            Event::End(tag) if tag.name().as_ref() == "source" => return Ok(source),
            Event::End(_) => {
                let number = open.pop().unwrap_or_default();
                source.tag(&format!("</{number}>"), vec![event.clone()]);
            }
            Event::Eof => return Err("the file ends in the middle".to_owned()),
            _ => {}
        }
    }
}

impl Source {
    fn tag(&mut self, key: &str, events: Vec<Event<'static>>) {
        self.coded.push_str(key);
        self.tags.insert(key.to_owned(), events);
    }
}

/// Two pairs of tags of which neither is within the other.
fn overlapping() -> Vec<Event<'static>> {
    let empty = |name: &'static str, attribute: &'static str, number: &'static str| {
        Event::Empty(BytesStart::new(name).with_attributes([(attribute, number)]))
    };
    let text = |text: &'static str| Event::Text(BytesText::from_escaped(text));
    vec![
        Event::Start(BytesStart::new("target")),
        empty("sc", "id", "1"),
        text("Un "),
        empty("sc", "id", "2"),
        text("dau "),
        empty("ec", "startRef", "1"),
        text("tri"),
        empty("ec", "startRef", "2"),
        Event::End(BytesEnd::new("target")),
    ]
}

fn target(source: &Source, language: &str, slips: &[Slip]) -> Vec<Event<'static>> {
    let known = PHRASES.get(&source.coded).and_then(|by_language| by_language.get(language));
    let mut text = known.cloned().unwrap_or_else(|| {
        let before = match language {
            "fr" => "En français : ",
            "cy" => "Yn Gymraeg: ",
            _ => "~ ",
        };
        format!("{before}{}", source.coded)
    });
    for slip in slips {
        text = match slip {
            Slip::Empty => String::new(),
            Slip::LosesTag => {
                let first = source.tags.keys().next().map(|key| key.replace(['<', '>', '/'], "")).unwrap_or_default();
                text.replace(&format!("<{first}>"), "")
                    .replace(&format!("</{first}>"), "")
                    .replace(&format!("<{first}/>"), "")
            }
            Slip::DoublesTag => {
                let alone = source.tags.keys().find(|key| key.ends_with("/>")).cloned().unwrap_or_default();
                format!("{text} {alone}")
            }
            Slip::OverlapsTags => return overlapping(),
            Slip::OtherWords => text.replace("wardens", "garddwyr"),
            Slip::AltersNumber => format!("{text} 1987"),
            Slip::TooLong => format!("{text} ").repeat(10).trim_end().to_owned(),
            Slip::Copies => source.coded.clone(),
            Slip::LeavesSpace => format!("{text} "),
            Slip::WrongLetters => "Ένα φυτό του κήπου μας".to_owned(),
            Slip::Twice | Slip::RenamesUnit => text,
        };
    }
    let mut events = vec![Event::Start(BytesStart::new("target"))];
    let mut rest = text.as_str();
    while !rest.is_empty() {
        if let Some((key, own)) = source.tags.iter().find(|(key, _)| rest.starts_with(key.as_str())) {
            events.extend(own.iter().cloned());
            rest = &rest[key.len()..];
            continue;
        }
        // A text is written with the escapes of XML.
        let end = rest.char_indices().skip(1).find(|(_, c)| *c == '<').map_or(rest.len(), |(at, _)| at);
        events.push(Event::Text(BytesText::from_escaped(rest[..end].to_owned())));
        rest = &rest[end..];
    }
    events.push(Event::End(BytesEnd::new("target")));
    events
}
