//! Reading PO.

use std::io::{self, BufRead};

use super::plural_forms::places;
use crate::translate::formats::{Incoming, LARGEST_UNIT, Returned, Told, UnitsError};
use crate::translate::{Inline, PluralForm, Stage, StageTold};
use crate::value::LanguageTag;

type Take<'a> = dyn FnMut(Incoming) -> Result<(), String> + 'a;

/// No language has as many plural forms.
const MOST_FORMS: usize = 20;

#[derive(Default)]
struct Message {
    context: String,
    id: String,
    plural: Option<String>,
    texts: Vec<String>,
    fuzzy: bool,
    /// Which of them the next line goes on with.
    at: Option<Part>,
    begun: bool,
}

#[derive(Clone, Copy)]
enum Part {
    Context,
    Id,
    Plural,
    Text(usize),
}

impl Message {
    /// Where the next piece goes.
    fn place(&mut self, part: Part) -> &mut String {
        match part {
            Part::Context => &mut self.context,
            Part::Id => &mut self.id,
            Part::Plural => self.plural.get_or_insert_default(),
            Part::Text(at) => {
                if self.texts.len() <= at {
                    self.texts.resize(at + 1, String::new());
                }
                &mut self.texts[at]
            }
        }
    }
}

/// What the heading of the file says.
#[derive(Default)]
struct FileHeading {
    into: Option<LanguageTag>,
    plural_forms: Option<String>,
}

/// What a line says: which part it begins, with what; nothing of one that says nothing of a message.
fn keyword(line: &str) -> Option<(Part, &str)> {
    let after = |word: &str| line.strip_prefix(word)?.strip_prefix(' ').map(str::trim_start);
    if let Some(rest) = after("msgctxt") {
        return Some((Part::Context, rest));
    }
    if let Some(rest) = after("msgid_plural") {
        return Some((Part::Plural, rest));
    }
    if let Some(rest) = after("msgid") {
        return Some((Part::Id, rest));
    }
    if let Some(rest) = after("msgstr") {
        return Some((Part::Text(0), rest));
    }
    let (number, rest) = line.strip_prefix("msgstr[")?.split_once(']')?;
    let at = number.trim().parse().ok().filter(|at| *at < MOST_FORMS)?;
    Some((Part::Text(at), rest.trim_start()))
}

/// Reads messages. One that has no translation nobody has come to yet; one that is marked `fuzzy` nobody
/// has decided about.
pub(in crate::translate::formats) fn read(from: &mut dyn BufRead, take: &mut Take<'_>) -> Result<(), UnitsError> {
    let mut heading = FileHeading::default();
    let mut message = Message::default();
    let (mut at, mut line) = (0_u64, Vec::new());
    loop {
        line.clear();
        let read = io::Read::take(&mut *from, LARGEST_UNIT as u64).read_until(b'\n', &mut line)?;
        if read == LARGEST_UNIT {
            return Err(UnitsError::TooMuch("4 MiB on one line"));
        }
        let line_at = at;
        let wrong = |message: &str| UnitsError::IllFormed { message: message.to_owned(), at: line_at };
        let text = std::str::from_utf8(&line).map_err(|_| wrong("it is not in UTF-8"))?;
        let text = text.trim_start_matches('\u{feff}').trim();
        at += read as u64;
        let begins = keyword(text);
        let starts_anew = text.starts_with('#') || matches!(begins, Some((Part::Context | Part::Id, _)));
        if read == 0 || (starts_anew && matches!(message.at, Some(Part::Text(_)))) {
            hand_over(std::mem::take(&mut message), at, &mut heading, take)?;
        }
        if read == 0 {
            return Ok(());
        }
        let (part, rest) = match begins {
            Some((part, rest)) => (part, rest),
            None if text.starts_with('"') => {
                (message.at.ok_or_else(|| wrong("a text stands there without a keyword"))?, text)
            }
            None if text.starts_with("#,") => {
                message.fuzzy |= text.contains("fuzzy");
                continue;
            }
            None if text.is_empty() || text.starts_with('#') => continue,
            None => return Err(wrong("this is no line of a PO file")),
        };
        message.begun = true;
        message.at = Some(part);
        let piece = unquoted(rest).ok_or_else(|| wrong("a text is not closed, or has an escape that is not read"))?;
        let into = message.place(part);
        into.push_str(&piece);
        if into.len() > LARGEST_UNIT {
            return Err(UnitsError::TooMuch("4 MiB in one unit"));
        }
    }
}

fn hand_over(message: Message, at: u64, heading: &mut FileHeading, take: &mut Take<'_>) -> Result<(), UnitsError> {
    if !message.begun {
        return Ok(());
    }
    if message.id.is_empty() && message.context.is_empty() {
        let told = file_heading(message.texts.first().map(String::as_str).unwrap_or_default(), heading);
        return take(Incoming::Heading(told)).map_err(UnitsError::Taker);
    }
    let units = match &message.plural {
        Some(plural) => forms(&message, plural, heading),
        None => vec![Returned {
            id: Some(message.context.clone()).filter(|id| !id.is_empty()),
            source: Some(Inline::from_coded(&message.id)),
            target: message.texts.first().and_then(|text| translated(text)),
            ..Returned::default()
        }],
    };
    let fuzzy = message.fuzzy.then(|| StageTold { stage: Stage::Doubted, word: "fuzzy".to_owned() });
    units
        .into_iter()
        .map(|unit| Returned { stage: fuzzy.clone(), at, ..unit })
        .try_for_each(|unit| take(Incoming::Unit(unit)).map_err(UnitsError::Taker))
}

fn translated(text: &str) -> Option<Inline> {
    Some(text).filter(|text| !text.is_empty()).map(Inline::from_coded)
}

fn file_heading(text: &str, heading: &mut FileHeading) -> Told {
    let field = |name: &str| {
        let line = text.lines().find_map(|line| line.strip_prefix(name)?.strip_prefix(':'));
        line.map(|value| value.trim().to_owned()).filter(|value| !value.is_empty())
    };
    let into = field("Language").map(|language| language.replace('_', "-"));
    heading.into = into.as_deref().and_then(|language| language.parse().ok());
    heading.plural_forms = field("Plural-Forms");
    let (batch, from) = (field("X-Batch"), field("X-Source-Language"));
    Told { batch, from, into, pseudo: field("X-Pseudo").is_some() }
}

/// A unit for each form of a message: its ids stand in the order of the forms, its texts as the heading has
/// it.
fn forms(message: &Message, plural: &str, heading: &FileHeading) -> Vec<Returned> {
    // No message of ours has more ids than forms; each would be told with the whole text.
    let ids: Vec<&str> = message.context.split(' ').filter(|id| !id.is_empty()).take(MOST_FORMS).collect();
    let places = match &heading.into {
        Some(language) => places(heading.plural_forms.as_deref(), language)
            .map(|places| (super::plural_forms::whole_forms(language), places)),
        None => Err("its heading does not say into which language it is"),
    };
    let (fault, known) = match places {
        Ok((forms, places)) if forms.len() == ids.len() && message.texts.len() <= ids.len() => (None, (forms, places)),
        Ok(_) => (Some("it has other plural forms than it was sent with"), (Vec::new(), Vec::new())),
        Err(fault) => (Some(fault), (Vec::new(), Vec::new())),
    };
    let source = |form: Option<&PluralForm>| if form == Some(&PluralForm::One) { message.id.as_str() } else { plural };
    let of = |(at, id): (usize, &&str)| Returned {
        id: Some((*id).to_owned()),
        source: Some(Inline::from_coded(source(known.0.get(at)))),
        target: match fault {
            None => known.1.get(at).and_then(|place| translated(message.texts.get(*place)?)),
            // What cannot be told apart is shown, not taken.
            Some(_) => message.texts.iter().find_map(|text| translated(text)),
        },
        fault: fault.map(str::to_owned),
        ..Returned::default()
    };
    match ids.as_slice() {
        // Somebody's own message with plural forms.
        [] => vec![Returned { source: Some(Inline::from_coded(&message.id)), ..Returned::default() }],
        ids => ids.iter().enumerate().map(of).collect(),
    }
}

fn unquoted(text: &str) -> Option<String> {
    let inner = text.strip_prefix('"')?.strip_suffix('"')?;
    let mut read = String::with_capacity(inner.len());
    let mut chars = inner.chars();
    while let Some(c) = chars.next() {
        match c {
            '\\' => read.push(match chars.next()? {
                'n' => '\n',
                't' => '\t',
                'r' => '\r',
                other @ ('"' | '\\') => other,
                _ => return None,
            }),
            '"' => return None,
            other => read.push(other),
        }
    }
    Some(read)
}
