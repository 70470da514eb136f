//! A first look through a file: whose it is, and whether any unit stands in it twice. Nothing is taken
//! of it before.

use std::collections::{HashMap, HashSet};

use diaporos_core::change::{Fingerprint, fingerprint_texts};
use diaporos_core::translate::{Incoming, Inline, Nearness, Returned, Told, UnitsError, nearness, read_units};
use diaporos_core::value::LanguageTag;
use diaporos_store::{BatchRow, BatchStanding};

use super::FileSource;
use crate::batch::BatchError;

/// Why a file is none of a batch's.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum Refusal {
    /// It cannot be read.
    #[error("{0}")]
    Unreadable(String),
    /// It is another's.
    #[error("it is of the batch `{said}`, not of `{wanted}`")]
    OtherBatch {
        /// Which it says it is of.
        said: String,
        /// Which it was collected for.
        wanted: String,
    },
    /// It is from or into another language.
    #[error("it is {way} {said}, and the batch is {way} {wanted}")]
    OtherLanguage {
        /// `from` or `into`.
        way: &'static str,
        /// What it says.
        said: String,
        /// What the batch says.
        wanted: String,
    },
    /// It does not say into which of several languages it is.
    #[error("it does not say into which language it is")]
    NoLanguage,
    /// Its parts are not of one batch and into one language.
    #[error("its parts are into different languages, or of different batches")]
    Mixed,
    /// The batch is not waited for.
    #[error("the batch `{0}` was cancelled")]
    Cancelled(String),
}

/// What a file is, and what is wrong with it.
#[derive(Debug)]
pub(super) struct Survey {
    pub(super) language: LanguageTag,
    pub(super) pseudo: bool,
    /// Why it cannot be read to its end.
    pub(super) broken: Option<String>,
    twice: HashSet<String>,
}

impl Survey {
    /// Whether a unit stands in the file twice, with different texts.
    pub(super) fn is_twice(&self, returned: &Returned) -> bool {
        !self.twice.is_empty() && self.twice.contains(&key(returned))
    }
}

fn key(returned: &Returned) -> String {
    match (&returned.id, &returned.source) {
        (Some(id), _) => id.clone(),
        (None, source) => source.as_ref().map(Inline::coded).unwrap_or_default(),
    }
}

/// The batch that a file says it is of; none where it does not, and why where it is no file of units.
///
/// # Errors
/// Where it cannot be opened.
pub fn batch_told(source: &FileSource) -> Result<Result<Option<String>, Refusal>, BatchError> {
    let mut told = None;
    let stop = || "that is all that is wanted".to_owned();
    let read = read_units(&mut *source.open()?, &mut |incoming| match incoming {
        Incoming::Heading(heading) => {
            told = heading.batch;
            Err(stop())
        }
        Incoming::Unit(_) => Err(stop()),
    });
    Ok(match read {
        Ok(_) | Err(UnitsError::Taker(_)) => Ok(told),
        Err(error) => Err(Refusal::Unreadable(error.to_string())),
    })
}

pub(super) fn survey(source: &FileSource, batch: &BatchRow) -> Result<Result<Survey, Refusal>, BatchError> {
    if batch.standing == BatchStanding::Cancelled {
        return Ok(Err(Refusal::Cancelled(batch.name.clone())));
    }
    let mut told: Vec<Told> = Vec::new();
    let mut seen: HashMap<String, Fingerprint> = HashMap::new();
    let mut twice = HashSet::new();
    let read = read_units(&mut *source.open()?, &mut |incoming| {
        match incoming {
            Incoming::Heading(heading) if !told.contains(&heading) => told.push(heading),
            Incoming::Heading(_) => {}
            Incoming::Unit(returned) => {
                let key = key(&returned);
                let text = returned.target.as_ref().map(Inline::coded).unwrap_or_default();
                let print = fingerprint_texts([text.as_str()]);
                match seen.get(&key) {
                    Some(before) if *before != print => drop(twice.insert(key)),
                    Some(_) => {}
                    None => drop(seen.insert(key, print)),
                }
            }
        }
        // Nobody's file has so many parts.
        if told.len() > 10_000 { Err("it has more than 10,000 parts".to_owned()) } else { Ok(()) }
    });
    let broken = match read {
        Ok(_) => None,
        Err(error @ (UnitsError::CutOff { .. } | UnitsError::IllFormed { .. })) if !told.is_empty() => {
            Some(error.to_string())
        }
        Err(error) => return Ok(Err(Refusal::Unreadable(error.to_string()))),
    };
    Ok(whose(&told, batch).map(|(language, pseudo)| Survey { language, pseudo, broken, twice }))
}

/// The language of a file of the batch, by what all its parts say.
fn whose(told: &[Told], batch: &BatchRow) -> Result<(LanguageTag, bool), Refusal> {
    let mut found = None;
    for heading in told {
        if let Some(said) = heading.batch.as_ref().filter(|said| **said != batch.name) {
            return Err(Refusal::OtherBatch { said: said.clone(), wanted: batch.name.clone() });
        }
        if let Some(said) = heading.from.as_ref().filter(|said| !is_same(said, &batch.from)) {
            let wanted = batch.from.to_string();
            return Err(Refusal::OtherLanguage { way: "from", said: said.clone(), wanted });
        }
        let language = match &heading.into {
            None if batch.into.len() == 1 => batch.into.first().cloned(),
            None => return Err(Refusal::NoLanguage),
            Some(said) => Some(one_of(said, batch)?),
        };
        let own = language.map(|language| (language, heading.pseudo));
        if found.is_some() && found != own {
            return Err(Refusal::Mixed);
        }
        found = own;
    }
    found.ok_or(Refusal::NoLanguage)
}

/// Whether a file means the language: tools drop regions, and add them to languages that say none.
fn is_same(said: &str, wanted: &LanguageTag) -> bool {
    nearness(said, wanted.as_str()) < Nearness::Other
}

/// The language of the batch that a file means: the same, or the only one that differs by a region of
/// which one of them says nothing.
fn one_of(said: &str, batch: &BatchRow) -> Result<LanguageTag, Refusal> {
    if let Some(same) = batch.into.iter().find(|known| nearness(said, known.as_str()) == Nearness::Same) {
        return Ok(same.clone());
    }
    let mut near = batch.into.iter().filter(|known| is_same(said, known));
    match (near.next(), near.next()) {
        (Some(only), None) => Ok(only.clone()),
        _ => {
            let wanted = batch.into.iter().map(ToString::to_string).collect::<Vec<_>>().join(", ");
            Err(Refusal::OtherLanguage { way: "into", said: said.to_owned(), wanted })
        }
    }
}
