//! Words that become documents: the hub's own entry that stands for each.

use diaporos_core::change::fingerprint_record;
use diaporos_core::expr::{Sight, Subject, World, WorldError};
use diaporos_core::intake::Incoming;
use diaporos_core::lane::Lane;
use diaporos_core::value::{Address, EntryId, Record, State, Value};
use jiff::Timestamp;

use crate::config::WORD;

/// The entry that stands for a word on a lane: one for all words that the lane gives the same key.
pub(super) fn word_address(world: &dyn World, maker: &Lane, word: &str) -> Result<Result<Address, String>, WorldError> {
    let at = |id: EntryId| Address { system: maker.from.system.clone(), kind: maker.from.kind.clone(), id };
    let named = |text: String| {
        EntryId::new(text.clone()).map_err(|error| format!("`{word}` has the key `{text}` there: {error}"))
    };
    let Some(key) = maker.key.as_ref().and_then(|key| maker.fields.get(key)) else {
        return Ok(Err(format!("the lane `{}` gives words no key", maker.name)));
    };
    let fields = word_fields(word);
    let values = maker.slots.resolve(&fields);
    let address = match named(word.to_owned()) {
        Ok(id) => at(id),
        Err(message) => return Ok(Err(message)),
    };
    // A key comes of the word alone: neither time nor what was delivered has a part in it.
    let subject =
        Subject { address: &address, state: State::Live, values: &values, now: Timestamp::UNIX_EPOCH, previous: None };
    let key = match key.program.evaluate(Sight { subject, world, library: &maker.library }) {
        Ok(evaluated) => evaluated.value,
        Err(error) => {
            return error.world.map_or(Ok(Err(format!("`{word}` has no key there: {}", error.message))), Err);
        }
    };
    Ok(match key.scalar_text().filter(|key| !key.trim().is_empty()) {
        Some(key) => named(key.into_owned()).map(at),
        None => Err(format!("the lane `{}` gives the word `{word}` no key", maker.name)),
    })
}

/// A word as an entry that comes in.
pub(crate) fn word_entry(address: &Address, word: &str) -> Incoming {
    let fields = word_fields(word);
    let fingerprint = fingerprint_record(&fields);
    let (part, revision, raw, notes) = (None, None, None, Vec::new());
    Incoming { id: address.id.clone(), part, state: State::Live, revision, fields, fingerprint, raw, notes }
}

fn word_fields(word: &str) -> Record {
    std::iter::once((WORD.to_owned(), Value::Text(word.to_owned()))).collect()
}
