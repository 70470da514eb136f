//! What was delivered, what would be, and what is there now, side by side.

use diaporos_core::change::Divergence;
use diaporos_core::lane::Mapped;
use diaporos_core::value::{Address, EntryId, LanguageTag, Value};
use diaporos_store::Store;
use diaporos_systems::Write;
use jiff::Timestamp;

use crate::config::ConfiguredLane;
use crate::mapping::{map, with_itself};
use crate::push::PushError;

/// What the next push makes of a field.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum FieldEnd {
    /// Ours is written.
    OursGoes,
    /// Theirs stays.
    TheirsStays,
    /// Something of each is written.
    BothGo,
    /// Both changed it, and nobody has said whose is right.
    Undecided,
    /// It is the destination's own way of storing ours.
    StoredSo,
}

impl FieldEnd {
    /// The end's word.
    #[must_use]
    pub fn word(self) -> &'static str {
        match self {
            FieldEnd::OursGoes => "ours goes",
            FieldEnd::TheirsStays => "theirs stays",
            FieldEnd::BothGo => "both go",
            FieldEnd::Undecided => "undecided",
            FieldEnd::StoredSo => "stored so",
        }
    }
}

/// A field of which not all three are the same.
#[derive(Debug, Clone, PartialEq)]
pub struct ThreeSides {
    /// The destination's field.
    pub field: String,
    /// What was last delivered.
    pub delivered: Value,
    /// What it becomes now.
    pub ours: Value,
    /// What is there now.
    pub theirs: Value,
    /// What the next push makes of it.
    pub end: FieldEnd,
}

/// A document with the fields of which not all three are the same.
#[derive(Debug, Clone, PartialEq)]
pub struct ThreeWay {
    /// Its language, where there is a document per language.
    pub language: Option<LanguageTag>,
    /// What the destination calls it.
    pub id: EntryId,
    /// Whether it is still there.
    pub is_there: bool,
    /// The fields.
    pub fields: Vec<ThreeSides>,
}

/// Reads what is there of an entry, and puts it beside what was delivered and what would be. There is
/// none of what was never delivered.
///
/// # Errors
/// Where the destination cannot be read or the store fails.
pub async fn three_way(
    store: &Store,
    lane: &ConfiguredLane,
    writer: &dyn Write,
    address: &Address,
    now: Timestamp,
) -> Result<Vec<ThreeWay>, PushError> {
    let Some(due) = store.look_at(&lane.lane.name, address)? else { return Ok(Vec::new()) };
    let due = with_itself(store, lane, due)?;
    let documents = match map(store, lane, &due, now)?.mapped {
        Mapped::Goes { documents, .. } => documents,
        _ => Vec::new(),
    };
    let mut found = Vec::new();
    for row in due.counterparts {
        let known = row.counterpart;
        let there = writer.read(&lane.lane.to.kind, &known.id).await?;
        let ours = documents.iter().find(|document| document.language == row.language);
        let mut sides = Vec::new();
        if let (Some(there), Some(ours)) = (&there, ours) {
            let merged = known.merge(&ours.fields, there, &lane.lane.changed_there);
            for (field, value) in &ours.fields {
                let null = || Value::Null;
                let delivered = known.fields.get(field).cloned().unwrap_or_else(null);
                let theirs = there.fields.get(field).cloned().unwrap_or_else(null);
                let same = |a: &Value, b: &Value| a == b || (a.is_null() && b.is_null());
                if same(&delivered, value) && same(value, &theirs) {
                    continue;
                }
                let end = match (merged.divergences.get(field), merged.fields.get(field)) {
                    _ if merged.conflicts.contains(field) => FieldEnd::Undecided,
                    (Some(Divergence::Stored(_)), _) => FieldEnd::StoredSo,
                    (Some(Divergence::Kept(_)), Some(_)) => FieldEnd::BothGo,
                    (Some(Divergence::Kept(_)), None) => FieldEnd::TheirsStays,
                    (None, _) if same(value, &theirs) => continue,
                    (None, _) => FieldEnd::OursGoes,
                };
                sides.push(ThreeSides { field: field.clone(), delivered, ours: value.clone(), theirs, end });
            }
        }
        found.push(ThreeWay { language: row.language, id: known.id, is_there: there.is_some(), fields: sides });
    }
    Ok(found)
}
