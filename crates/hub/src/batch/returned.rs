//! An entry with what came back of it, before anybody has accepted that.

use std::collections::{BTreeMap, HashMap};

use diaporos_core::translate::{Block, Form, Inline, TextStructure};
use diaporos_core::value::{Address, LanguageTag, Record, Value};
use diaporos_store::{BatchRow, BatchUnit, Store};

use super::BatchError;
use super::complete::joined;
use super::files::all_units;
use super::texts::text_in;
use crate::config::Brief;

/// The texts of an entry into a language: with what came back in its place, and what has not come back in
/// the language of the source.
pub(super) fn returned_values(
    store: &Store,
    brief: &Brief,
    into: &LanguageTag,
    units: &[BatchUnit],
) -> Result<Vec<(String, Form, String)>, BatchError> {
    let mut by_field: BTreeMap<&str, HashMap<u32, &BatchUnit>> = BTreeMap::new();
    for unit in units {
        by_field.entry(unit.field.as_str()).or_default().insert(unit.block, unit);
    }
    let mut values = Vec::new();
    for (name, field) in &brief.fields {
        let Some(units) = by_field.get(name.as_str()) else { continue };
        let Some(unit) = units.values().next() else { continue };
        let Some(content) = store.version(unit.entry, unit.version)? else { continue };
        let Some(source) = text_in(&content.fields, name, &brief.from) else { continue };
        let shape = TextStructure::of(field.form, source, &brief.protected);
        let of = |(block, at): (&Block, u32)| {
            let own = units.get(&at).and_then(|unit| unit.target.clone());
            let instead = if block.is_for(into) { block.source.clone() } else { Inline::default() };
            Some(own.unwrap_or(instead))
        };
        let targets = shape.blocks().iter().zip(1..).map(of).collect();
        values.extend(joined(brief, into, &shape, targets).map(|value| (name.clone(), field.form, value)));
    }
    Ok(values)
}

/// What came back of an entry in a batch, by field and language; to be put into its fields with
/// [`Returns::put_into`].
#[derive(Debug, Clone, Default)]
pub struct Returns {
    values: Vec<(String, LanguageTag, String)>,
}

impl Returns {
    /// What came back of an entry.
    ///
    /// # Errors
    /// Where the store fails.
    pub fn of(store: &Store, brief: &Brief, batch: &BatchRow, address: &Address) -> Result<Returns, BatchError> {
        let mut values = Vec::new();
        let entry = address.to_string();
        for into in &batch.into {
            let mut units = Vec::new();
            all_units(store, batch, into, |unit| {
                units.extend((unit.unit.context.entry == entry).then(|| unit.clone()));
                Ok(())
            })?;
            if units.iter().all(|unit| unit.target.is_none()) {
                continue;
            }
            let own = returned_values(store, brief, into, &units)?;
            values.extend(own.into_iter().map(|(field, _, value)| (field, into.clone(), value)));
        }
        Ok(Returns { values })
    }

    /// Whether nothing of the entry came back.
    #[must_use]
    pub fn is_empty(&self) -> bool {
        self.values.is_empty()
    }

    /// Puts it into the entry's fields.
    pub fn put_into(&self, fields: &mut Record) {
        for (field, language, value) in &self.values {
            if let Some(Value::Localised(by_language)) = fields.get_mut(field.as_str()) {
                by_language.insert(language.clone(), Value::Text(value.clone()));
            }
        }
    }
}
