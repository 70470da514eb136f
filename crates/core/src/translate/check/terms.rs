//! The glossary: words that a translation must have, and words that it must not.

use std::cell::OnceCell;
use std::collections::{BTreeMap, BTreeSet};

use quick_xml::Reader;
use quick_xml::events::{BytesStart, Event};
use regex::{Regex, RegexBuilder};

use super::inflected::{has_in_any_form, stems};
use crate::translate::variety::{Nearness, nearness};
use crate::value::LanguageTag;

/// A row of a glossary.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct TermRow {
    /// The term in the language of the source.
    pub term: String,
    /// The language of the translation.
    pub language: LanguageTag,
    /// One of these must be there; none need be where none is named.
    pub say: Vec<String>,
    /// None of these may be there.
    pub avoid: Vec<String>,
}

/// A glossary, ready to be held against texts.
#[derive(Debug, Clone, Default)]
pub struct Terms {
    rows: BTreeMap<LanguageTag, Vec<Row>>,
}

#[derive(Debug, Clone)]
struct Row {
    term: String,
    in_source: Regex,
    say: Vec<(String, Regex)>,
    avoid: Vec<(String, Regex)>,
}

impl Terms {
    /// Makes rows ready.
    ///
    /// # Errors
    /// Where a term is too long to be looked for.
    pub fn new(rows: Vec<TermRow>) -> Result<Terms, String> {
        let mut terms = Terms::default();
        for row in rows {
            let all = |texts: Vec<String>| {
                texts.into_iter().map(|text| Ok((text.clone(), whole_word(&text)?))).collect::<Result<Vec<_>, String>>()
            };
            let ready =
                Row { in_source: whole_word(&row.term)?, term: row.term, say: all(row.say)?, avoid: all(row.avoid)? };
            terms.rows.entry(row.language).or_default().push(ready);
        }
        Ok(terms)
    }

    /// The rows, as they were read.
    #[must_use]
    pub fn rows(&self) -> Vec<TermRow> {
        let texts = |of: &[(String, Regex)]| of.iter().map(|(text, _)| text.clone()).collect();
        let all = self.rows.iter().flat_map(|(language, rows)| rows.iter().map(move |row| (language, row)));
        all.map(|(language, row)| TermRow {
            term: row.term.clone(),
            language: language.clone(),
            say: texts(&row.say),
            avoid: texts(&row.avoid),
        })
        .collect()
    }

    /// The rows that a source text calls for, for its translator: the term, what to say, what to
    /// avoid.
    pub fn called_for<'a>(
        &'a self,
        into: &LanguageTag,
        source: &'a str,
    ) -> impl Iterator<Item = (&'a str, Vec<&'a str>, Vec<&'a str>)> + 'a {
        let texts = |of: &'a [(String, Regex)]| of.iter().map(|(text, _)| text.as_str()).collect();
        self.rows_for(into)
            .into_iter()
            .filter(|(_, row)| row.in_source.is_match(source))
            .map(move |(_, row)| (row.term.as_str(), texts(&row.say), texts(&row.avoid)))
    }

    /// The rows of a language, and those of the same language that say nothing of a region, or of whose
    /// region it says nothing, for terms that have no row of the language's own.
    fn rows_for(&self, into: &LanguageTag) -> Vec<(&LanguageTag, &Row)> {
        let starts_alike = |other: &LanguageTag| other.as_str().get(..2) == into.as_str().get(..2);
        let mut of: Vec<(Nearness, &LanguageTag, &Vec<Row>)> = self
            .rows
            .iter()
            .filter(|(language, _)| starts_alike(language))
            .map(|(language, rows)| (nearness(language.as_str(), into.as_str()), language, rows))
            .filter(|(near, ..)| *near < Nearness::Other)
            .collect();
        of.sort_by_key(|(near, language, _)| (*near, *language != into));
        let mut found: Vec<(&LanguageTag, &Row)> = Vec::new();
        for (_, language, rows) in of {
            let own = |row: &&Row| found.iter().all(|(known, other)| *known == language || other.term != row.term);
            let more: Vec<_> = rows.iter().filter(own).map(|row| (language, row)).collect();
            found.extend(more);
        }
        found
    }

    pub(in crate::translate) fn check(&self, into: &LanguageTag, source: &str, target: &str) -> Vec<String> {
        let mut messages = Vec::new();
        let target_stems = OnceCell::new();
        for (language, row) in self.rows_for(into) {
            if !row.in_source.is_match(source) {
                continue;
            }
            let by = if language == into { String::new() } else { format!(" (the glossary says so for {language})") };
            let say: Vec<String> = row.say.iter().map(|(text, _)| format!("`{text}`")).collect();
            let is_said = |(text, pattern): &(String, Regex)| {
                let in_stems = || target_stems.get_or_init(|| stems(into, target)).as_deref();
                pattern.is_match(target) || has_in_any_form(into, text, in_stems())
            };
            if !say.is_empty() && !row.say.iter().any(is_said) {
                messages.push(format!("`{}` is to be {}{by}", row.term, say.join(" or ")));
            }
            for (text, _) in row.avoid.iter().filter(|(_, pattern)| pattern.is_match(target)) {
                messages.push(format!("`{text}` is not to be said for `{}`{by}", row.term));
            }
        }
        messages
    }
}

fn whole_word(text: &str) -> Result<Regex, String> {
    let edge = |c: Option<char>| if c.is_some_and(char::is_alphanumeric) { r"\b" } else { "" };
    let words: Vec<String> = text.split_whitespace().map(regex::escape).collect();
    let pattern = format!("{}{}{}", edge(text.chars().next()), words.join(r"\s+"), edge(text.chars().next_back()));
    RegexBuilder::new(&pattern).case_insensitive(true).build().map_err(|error| format!("`{text}`: {error}"))
}

/// Reads a glossary from CSV with the headings `term`, `language`, `say` and `avoid`; several texts in
/// one cell are parted by `|`.
///
/// # Errors
/// Says what is wrong, and on which line.
pub fn terms_from_csv(text: &str) -> Result<Vec<TermRow>, String> {
    let mut reader = csv::ReaderBuilder::new()
        .flexible(true)
        .trim(csv::Trim::All)
        .from_reader(text.trim_start_matches('\u{feff}').as_bytes());
    let headings = reader.headers().map_err(|error| error.to_string())?.clone();
    let column = |name: &str| headings.iter().position(|heading| heading == name);
    let (Some(term), Some(language)) = (column("term"), column("language")) else {
        return Err("a glossary has the headings `term,language,say,avoid`".to_owned());
    };
    let (say, avoid) = (column("say"), column("avoid"));
    let mut rows = Vec::new();
    for row in reader.records() {
        let row = row.map_err(|error| error.to_string())?;
        let line = row.position().map_or(0, csv::Position::line);
        let cell = |at: Option<usize>| at.and_then(|at| row.get(at)).unwrap_or_default();
        let several = |at: Option<usize>| -> Vec<String> {
            cell(at).split('|').map(str::trim).filter(|text| !text.is_empty()).map(str::to_owned).collect()
        };
        let read = TermRow {
            term: cell(Some(term)).to_owned(),
            language: cell(Some(language)).parse().map_err(|error| format!("line {line}: {error}"))?,
            say: several(say),
            avoid: several(avoid),
        };
        if read.term.is_empty() || (read.say.is_empty() && read.avoid.is_empty()) {
            return Err(format!("line {line}: a row needs a term, and what to say or to avoid"));
        }
        rows.push(read);
    }
    Ok(rows)
}

/// Reads a glossary from TBX-Basic (ISO 30042), of its edition of 2008 or of 2019. Terms whose
/// administrative status is `deprecatedTerm-admn-sts` or `supersededTerm-admn-sts` are avoided.
///
/// # Errors
/// Says what is wrong, and at which byte.
pub fn terms_from_tbx(text: &str, from: &LanguageTag) -> Result<Vec<TermRow>, String> {
    let mut reader = Reader::from_str(text);
    let mut glossary = Glossary::default();
    let mut depth = 0_usize;
    loop {
        let at = reader.buffer_position();
        let event = reader.read_event().map_err(|error| format!("{error} at byte {at}"))?;
        match &event {
            Event::Start(tag) => {
                depth += 1;
                glossary.open(tag).map_err(|error| format!("{error} at byte {at}"))?;
            }
            Event::Text(text) => glossary.text(text),
            Event::GeneralRef(reference) if glossary.into == Some(TextOf::Term) => {
                let name: &str = reference;
                let known = reference.resolve_char_ref().map_err(|error| error.to_string())?.map(String::from);
                let known = known.or_else(|| quick_xml::escape::resolve_xml_entity(name).map(str::to_owned));
                glossary.text(&known.ok_or_else(|| format!("the entity `&{name};` is not read, at byte {at}"))?);
            }
            Event::End(tag) => {
                depth -= 1;
                glossary.close(tag.local_name().as_ref(), from);
            }
            Event::Eof if depth > 0 => return Err("it ends in the middle".to_owned()),
            Event::Eof => return Ok(glossary.rows),
            _ => {}
        }
    }
}

/// Where the status of a term stands: as the type of a `termNote` (DCA style), or as the name of an element
/// of its own (DCT style of 2019).
const STATUSES: [&str; 2] = ["administrativeStatus", "normativeAuthorization"];
/// What the status of a term has that is to be avoided: `deprecatedTerm-admn-sts`, `supersededTerm`.
const AVOIDED: [&str; 3] = ["deprecatedTerm", "supersededTerm", "notRecommendedTerm"];

/// Where a text of a glossary goes.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum TextOf {
    Term,
    Status,
}

/// A glossary as far as it was read.
#[derive(Debug, Default)]
struct Glossary {
    /// The terms of the entry that is read.
    entry: Vec<(LanguageTag, String, bool)>,
    language: Option<LanguageTag>,
    term: String,
    status: String,
    into: Option<TextOf>,
    rows: Vec<TermRow>,
}

impl Glossary {
    fn open(&mut self, tag: &BytesStart<'_>) -> Result<(), String> {
        let attribute = |name: &str| {
            let found = tag.attributes().flatten().find(|attribute| attribute.key.as_ref() == name);
            found.map(|attribute| attribute.value.into_owned())
        };
        match tag.local_name().as_ref() {
            "termEntry" | "conceptEntry" => self.entry.clear(),
            "langSet" | "langSec" => {
                let tag = attribute("xml:lang").unwrap_or_default();
                self.language = Some(tag.parse().map_err(|error| format!("{error}"))?);
            }
            "term" => {
                self.term.clear();
                self.into = Some(TextOf::Term);
            }
            "termNote" => {
                let kind = attribute("type").unwrap_or_default();
                self.into = STATUSES.contains(&kind.as_str()).then_some(TextOf::Status);
            }
            name if STATUSES.contains(&name) => self.into = Some(TextOf::Status),
            _ => {}
        }
        Ok(())
    }

    fn text(&mut self, text: &str) {
        match self.into {
            Some(TextOf::Term) => self.term.push_str(text),
            Some(TextOf::Status) => self.status.push_str(text),
            None => {}
        }
    }

    fn close(&mut self, name: &str, from: &LanguageTag) {
        match name {
            "term" | "termNote" => self.into = None,
            name if STATUSES.contains(&name) => self.into = None,
            "tig" | "ntig" | "termSec" => {
                let avoided = AVOIDED.iter().any(|word| self.status.contains(word));
                if let Some(language) = &self.language {
                    self.entry.push((language.clone(), self.term.trim().to_owned(), avoided));
                }
                self.status.clear();
            }
            "termEntry" | "conceptEntry" => self.rows.append(&mut rows_of(&self.entry, from)),
            _ => {}
        }
    }
}

fn rows_of(entry: &[(LanguageTag, String, bool)], from: &LanguageTag) -> Vec<TermRow> {
    let mut rows = Vec::new();
    let is_source = |language: &LanguageTag| nearness(language.as_str(), from.as_str()) < Nearness::Other;
    let others: BTreeSet<&LanguageTag> =
        entry.iter().map(|(language, ..)| language).filter(|language| !is_source(language)).collect();
    for (_, term, _) in entry.iter().filter(|(language, term, _)| is_source(language) && !term.is_empty()) {
        for language in others.iter().copied() {
            let of = |avoided: bool| -> Vec<String> {
                let own = entry.iter().filter(|(tag, _, avoid)| tag == language && *avoid == avoided);
                own.map(|(_, term, _)| term.clone()).collect()
            };
            rows.push(TermRow { term: term.clone(), language: language.clone(), say: of(false), avoid: of(true) });
        }
    }
    rows
}
