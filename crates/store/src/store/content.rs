//! What a version holds: its fields, the notes on it and the item as received, packed together. The
//! item says the same as the fields in other words, so it adds little.

use std::collections::HashMap;

use super::database::{Connection, OptionalRow, params};
use diaporos_core::intake::Incoming;
use diaporos_core::value::{Record, stored_text};
use rayon::prelude::*;
use zstd::bulk::{Compressor, Decompressor};
use zstd::dict::EncoderDictionary;

use super::StoreError;
use super::row::fields;

/// Fast, and a third of the size is saved all the same.
const LEVEL: i32 = 1;
/// From so many entries of a type it is learnt what they have in common.
const SAMPLES: std::ops::Range<usize> = 64..1_000;
/// Contents that one thread packs in a row.
pub(super) const SHARE: usize = 64;
const DICTIONARY_BYTES: usize = 48 * 1024;
/// No version is larger; what claims to be is damaged.
const MOST_BYTES: usize = 1 << 30;

/// What a version holds.
#[derive(Debug, Clone, PartialEq)]
pub struct Content {
    /// Its fields.
    pub fields: Record,
    /// What could not be read as it was meant.
    pub notes: Vec<String>,
    /// The item as the source gave it.
    pub raw: Option<String>,
}

impl Content {
    /// A line of fields; where there is more, a line of notes and the item.
    pub(super) fn write(entry: &Incoming) -> Result<String, StoreError> {
        let mut text = stored_text(&entry.fields);
        if !entry.notes.is_empty() || entry.raw.is_some() {
            text.push('\n');
            text.push_str(&serde_json::to_string(&entry.notes).map_err(StoreError::content)?);
        }
        if let Some(raw) = &entry.raw {
            text.push('\n');
            text.push_str(raw);
        }
        Ok(text)
    }

    pub(super) fn read(text: &str) -> Result<Content, StoreError> {
        let mut parts = text.splitn(3, '\n');
        let fields = fields(parts.next().unwrap_or_default())?;
        let notes = parts.next().map_or(Ok(Vec::new()), serde_json::from_str).map_err(StoreError::content)?;
        Ok(Content { fields, notes, raw: parts.next().map(str::to_owned) })
    }
}

/// Packs and unpacks, by the dictionaries of the types.
#[derive(Default)]
pub(super) struct Packing {
    /// By type: its dictionary's number, 0 where it has none yet, and what packs by it.
    packers: HashMap<i64, (i64, EncoderDictionary<'static>)>,
    /// By dictionary.
    unpackers: HashMap<i64, Decompressor<'static>>,
}

impl std::fmt::Debug for Packing {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.write_str("Packing")
    }
}

impl Packing {
    /// Packs contents of a type, and says by what. From the first large page it is learnt what the
    /// type's entries have in common.
    pub(super) fn pack(
        &mut self,
        connection: &Connection,
        kind: i64,
        contents: &[String],
    ) -> Result<Vec<(Vec<u8>, i64)>, StoreError> {
        let known = self.packers.get(&kind).map(|(number, _)| *number);
        let number = match known {
            Some(number) if number > 0 => number,
            _ => dictionary_of(connection, kind)?.map_or_else(|| learn(connection, kind, contents), Ok)?,
        };
        if known != Some(number) {
            let bytes = if number == 0 { Vec::new() } else { dictionary(connection, number)? };
            self.packers.insert(kind, (number, EncoderDictionary::copy(&bytes, LEVEL)));
        }
        let Some((number, dictionary)) = self.packers.get(&kind) else { return Ok(Vec::new()) };
        let packer = || match number {
            0 => Compressor::new(LEVEL),
            _ => Compressor::with_prepared_dictionary(dictionary),
        };
        let pack = |packer: &mut std::io::Result<Compressor<'_>>, text: &String| {
            let packer = packer.as_mut().map_err(StoreError::content)?;
            Ok((packer.compress(text.as_bytes()).map_err(StoreError::content)?, *number))
        };
        contents.par_iter().with_min_len(SHARE).map_init(packer, pack).collect()
    }

    /// Forgets what a transaction that failed may have learnt.
    pub(super) fn forget(&mut self) {
        *self = Packing::default();
    }

    /// Unpacks a content.
    pub(super) fn unpack(
        &mut self,
        connection: &Connection,
        bytes: &[u8],
        packing: Option<i64>,
    ) -> Result<Content, StoreError> {
        let Some(number) = packing else {
            return Content::read(std::str::from_utf8(bytes).map_err(StoreError::content)?);
        };
        let unpacker = match self.unpackers.entry(number) {
            std::collections::hash_map::Entry::Occupied(known) => known.into_mut(),
            std::collections::hash_map::Entry::Vacant(place) => place.insert(
                match number {
                    0 => Decompressor::new(),
                    _ => Decompressor::with_dictionary(&dictionary(connection, number)?),
                }
                .map_err(StoreError::content)?,
            ),
        };
        let size = zstd::zstd_safe::get_frame_content_size(bytes).ok().flatten();
        let size = size.and_then(|size| usize::try_from(size).ok()).filter(|size| *size <= MOST_BYTES);
        let size = size.ok_or_else(|| StoreError::Content("a version without a size".to_owned()))?;
        let text = unpacker.decompress(bytes, size).map_err(StoreError::content)?;
        Content::read(std::str::from_utf8(&text).map_err(StoreError::content)?)
    }
}

fn dictionary_of(connection: &Connection, kind: i64) -> Result<Option<i64>, StoreError> {
    let mut find = connection.prepare_cached("SELECT id FROM dictionary WHERE type = ?1")?;
    Ok(find.query_row([kind], |row| row.get(0)).optional()?)
}

fn dictionary(connection: &Connection, number: i64) -> Result<Vec<u8>, StoreError> {
    let mut find = connection.prepare_cached("SELECT bytes FROM dictionary WHERE id = ?1")?;
    Ok(find.query_row([number], |row| row.get(0))?)
}

/// The number of a new dictionary; 0 where there is too little to learn from.
fn learn(connection: &Connection, kind: i64, contents: &[String]) -> Result<i64, StoreError> {
    if contents.len() < SAMPLES.start {
        return Ok(0);
    }
    let samples = &contents[..contents.len().min(SAMPLES.end)];
    // Contents that have nothing in common make no dictionary, which is no fault.
    let Ok(bytes) = zstd::dict::from_samples(samples, DICTIONARY_BYTES) else { return Ok(0) };
    let add = "INSERT INTO dictionary (type, bytes) VALUES (?1, ?2) RETURNING id";
    Ok(connection.query_row(add, params![kind, bytes], |row| row.get(0))?)
}
