//! Translations that go back to the very entries that they are of.
//!
//! What is there is known from the last pull, so that nothing is looked up by a key and nothing is ever
//! created; it is read once more before anything is written.

use diaporos_core::change::{Divergences, fingerprint_record};
use diaporos_core::expr::Dependencies;
use diaporos_core::lane::{Mapped, Mapping};
use diaporos_core::plan::{Counterpart, Document, Presence};
use diaporos_core::value::{LanguageTag, Record, State, Value};
use diaporos_store::{CounterpartRow, Due, Store, StoreError, TranslationRow, TranslationStanding};

use crate::config::ConfiguredLane;

/// The fields of an entry with translations that its source does not have yet: as the source has them,
/// and as they are to be.
struct Returning {
    there: Record,
    ours: Record,
    /// When the newest of the translations was accepted.
    accepted: jiff::Timestamp,
}

fn returning(
    store: &Store,
    lane: &ConfiguredLane,
    languages: &[LanguageTag],
    due: &Due,
) -> Result<Option<Returning>, StoreError> {
    let goes = |row: &TranslationRow| {
        row.standing == TranslationStanding::Ours
            && !row.translation.is_pseudo
            && lane.lane.fields.contains_key(&row.translation.field)
            && languages.contains(&row.translation.language)
    };
    let rows: Vec<TranslationRow> = store.translations(due.number)?.into_iter().filter(goes).collect();
    let Some(accepted) = rows.iter().map(|row| row.at).max() else { return Ok(None) };
    let (mut there, mut ours) = (Record::default(), Record::default());
    for row in &rows {
        let field = &row.translation.field;
        let known = due.entry.fields.get(field).cloned().unwrap_or_default();
        let put = |fields: &mut Record, value: Option<Value>| {
            let place = fields.entry(field.clone()).or_insert_with(|| match &known {
                Value::Localised(_) => known.clone(),
                _ => Value::Localised(std::collections::BTreeMap::new()),
            });
            if let Value::Localised(by_language) = place {
                match value {
                    Some(value) => drop(by_language.insert(row.translation.language.clone(), value)),
                    None => drop(by_language.remove(&row.translation.language)),
                }
            }
        };
        put(&mut there, row.replaced.clone());
        put(&mut ours, Some(row.translation.value.as_str().into()));
    }
    Ok(Some(Returning { there, ours, accepted }))
}

/// What an entry becomes: the fields that have translations to go back.
pub(super) fn map_returned(
    store: &Store,
    lane: &ConfiguredLane,
    languages: &[LanguageTag],
    due: &Due,
) -> Result<Mapping, StoreError> {
    let mapped = match returning(store, lane, languages, due)? {
        Some(returning) if due.entry.state != State::Gone => {
            let document = Document { language: None, fields: returning.ours, key: None };
            Mapped::Goes { documents: vec![document], incomplete: std::collections::BTreeMap::new() }
        }
        _ => Mapped::Outside,
    };
    Ok(Mapping { mapped, dependencies: Dependencies::default(), protected: None })
}

/// The entry with itself as its counterpart, as its source has it; unless something was noted of that
/// after the newest translation was accepted.
pub(crate) fn with_itself(store: &Store, lane: &ConfiguredLane, mut due: Due) -> Result<Due, StoreError> {
    let Some(languages) = &lane.returns else { return Ok(due) };
    let Some(Returning { there, accepted, .. }) = returning(store, lane, languages, &due)? else {
        due.counterparts.clear();
        return Ok(due);
    };
    if due.counterparts.iter().any(|row| row.delivered > accepted) {
        return Ok(due);
    }
    let counterpart = Counterpart {
        id: due.entry.address.id.clone(),
        item: None,
        revision: due.entry.revision.clone(),
        fingerprint: fingerprint_record(&there),
        presence: Presence::Present,
        fields: there,
        divergences: Divergences::new(),
        past: Vec::new(),
    };
    due.counterparts =
        vec![CounterpartRow { lane: lane.lane.name.to_string(), language: None, counterpart, delivered: accepted }];
    Ok(due)
}
