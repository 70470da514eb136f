//! The texts of an entry, and whether their translations are of what they say today.

use std::cell::OnceCell;
use std::ops::ControlFlow;

use diaporos_core::change::{Fingerprint, fingerprint};
use diaporos_core::expr::is_true;
use diaporos_core::translate::{Checker, TextStructure};
use diaporos_core::value::{LanguageTag, Record, State, Value};
use diaporos_store::{EntryFilter, EntryRow, Store, StoreError, StoredEntry, TranslationRow, TranslationStanding};

use super::BatchError;
use crate::config::{Brief, BriefField};
use crate::look::{Glance, LookError, value_for};

/// The text of a field in a language; none where there is nothing to read.
pub(super) fn text_in<'a>(fields: &'a Record, field: &str, language: &LanguageTag) -> Option<&'a str> {
    let value = match fields.get(field)? {
        Value::Localised(by_language) => by_language.get(language)?,
        _ => return None,
    };
    value.as_text().filter(|text| !text.trim().is_empty())
}

/// By what a text is known again.
pub(super) fn print(text: &str) -> Fingerprint {
    fingerprint(&Value::from(text))
}

/// How a translation stands to its source.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(super) enum Freshness {
    /// There is none.
    Missing,
    /// It is of what the source says.
    Fresh,
    /// The source has changed since; what it said before, where that is known, and the translation.
    Stale(Option<String>, String),
}

/// An entry whose texts are looked at.
pub(super) struct Texts<'a> {
    pub(super) store: &'a Store,
    pub(super) brief: &'a Brief,
    pub(super) entry: &'a StoredEntry,
    translations: OnceCell<Vec<TranslationRow>>,
    /// What earlier versions held, the newest first.
    earlier: OnceCell<Vec<Record>>,
}

impl<'a> Texts<'a> {
    pub(super) fn new(store: &'a Store, brief: &'a Brief, entry: &'a StoredEntry) -> Texts<'a> {
        Texts { store, brief, entry, translations: OnceCell::new(), earlier: OnceCell::new() }
    }

    /// The fields of the brief that say something in the language of the texts.
    pub(super) fn sources(&self) -> impl Iterator<Item = (&'a str, &'a BriefField, &'a str)> + use<'a> {
        let (brief, fields) = (self.brief, &self.entry.row.fields);
        brief
            .fields
            .iter()
            .filter_map(move |(name, field)| Some((name.as_str(), field, text_in(fields, name, &brief.from)?)))
    }

    pub(super) fn shape(&self, field: &BriefField, source: &str) -> TextStructure {
        TextStructure::of(field.form, source, &self.brief.protected)
    }

    /// A place in the memory: the entry and the field.
    pub(super) fn place(&self, field: &str) -> String {
        format!("{}#{field}", self.entry.row.address)
    }

    fn translations(&self) -> Result<&[TranslationRow], StoreError> {
        if let Some(known) = self.translations.get() {
            return Ok(known);
        }
        let rows = self.store.translations(self.entry.number)?;
        Ok(self.translations.get_or_init(|| rows))
    }

    fn earlier(&self) -> Result<&[Record], StoreError> {
        if let Some(known) = self.earlier.get() {
            return Ok(known);
        }
        let mut versions = Vec::new();
        for number in (1..self.entry.row.version).rev() {
            versions.extend(self.store.version(self.entry.number, number)?.map(|content| content.fields));
        }
        Ok(self.earlier.get_or_init(|| versions))
    }

    /// How the translation of a text into a language stands to it. One that was accepted here says of
    /// which text it is; of any other, it is the text that stood beside it when it was first seen.
    pub(super) fn freshness(&self, field: &str, source: &str, into: &LanguageTag) -> Result<Freshness, StoreError> {
        let Some(target) = text_in(&self.entry.row.fields, field, into) else { return Ok(Freshness::Missing) };
        let own = self.translations()?.iter().find(|row| {
            row.translation.field == field
                && row.translation.language == *into
                && row.translation.value == target
                && row.standing != TranslationStanding::Superseded
        });
        let from = &self.brief.from;
        if let Some(own) = own {
            if own.translation.is_pseudo {
                return Ok(Freshness::Missing);
            }
            if own.translation.source == print(source) {
                return Ok(Freshness::Fresh);
            }
            let said = self.earlier()?.iter().filter_map(|fields| text_in(fields, field, from));
            let of = said.into_iter().find(|text| print(text) == own.translation.source);
            return Ok(Freshness::Stale(of.map(str::to_owned), target.to_owned()));
        }
        if self.entry.row.version == 1 {
            return Ok(Freshness::Fresh);
        }
        let mut of = source;
        for fields in self.earlier()? {
            if text_in(fields, field, into) != Some(target) {
                break;
            }
            // Where the source had nothing yet, its first text is what is beside it.
            of = text_in(fields, field, from).unwrap_or(of);
        }
        Ok(if of == source { Freshness::Fresh } else { Freshness::Stale(Some(of.to_owned()), target.to_owned()) })
    }
}

/// The checks of a brief for a language.
pub(super) fn checker<'a>(brief: &'a Brief, into: &'a LanguageTag) -> Checker<'a> {
    let rules = brief.rules(into);
    Checker { from: &brief.from, into, terms: &rules.terms, policies: &rules.checks }
}

/// Whether an entry is one of the brief's.
fn goes(brief: &Brief, row: &EntryRow, glance: Glance<'_>) -> Result<bool, LookError> {
    let Some(when) = &brief.when else { return Ok(row.state == State::Live) };
    let value = value_for(&when.program, &brief.slots, row, glance)?;
    is_true(&value).map_err(|message| LookError::Expression { address: row.address.clone(), message })
}

/// Hands over the entries of a brief that are not gone, one after the other.
pub(super) fn entries(
    glance: Glance<'_>,
    brief: &Brief,
    mut each: impl FnMut(&StoredEntry) -> Result<(), BatchError>,
) -> Result<(), BatchError> {
    let states = State::WORDS.iter().map(|(_, state)| *state).filter(|state| *state != State::Gone).collect();
    let filter = EntryFilter {
        system: Some(brief.of.system.to_string()),
        kind: Some(brief.of.kind.to_string()),
        states,
        text: None,
    };
    glance.store.entries(&filter, |entry| -> Result<_, BatchError> {
        if goes(brief, &entry.row, glance)? {
            each(&entry)?;
        }
        Ok(ControlFlow::Continue(()))
    })
}
