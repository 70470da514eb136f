//! Documents of words: made once, or found, and then left as they are.

use diaporos_core::plan::{Counterpart, Document, Hold, HoldReason, Presence, Step};
use diaporos_core::value::Value;

use crate::config::ConfiguredLane;

/// A word's document as it was made, or found: it is neither renamed nor taken away, whatever the lane would make of
/// the word by now.
pub(super) fn as_made(lane: &ConfiguredLane, document: Document, known: Option<&Counterpart>) -> Document {
    match known {
        Some(known) if lane.is_of_words() => {
            let key = lane.lane.key.as_ref().and_then(|key| known.fields.get(key)).and_then(Value::scalar_text);
            let key = key.map(std::borrow::Cow::into_owned).or(document.key);
            Document { fields: known.fields.clone(), key, ..document }
        }
        _ => document,
    }
}

/// What is done about a word's document: it is made, or found and left as it is.
pub(super) fn made_once(step: Step, document: &mut Document) -> Step {
    match step {
        Step::Adopt(existing) if existing.presence != Presence::Present => {
            let message = format!("`{}` there has the word's key, and is off view", existing.id);
            Step::Hold(Hold::new(HoldReason::FoundOther, message))
        }
        Step::Adopt(existing) => {
            for (name, value) in &mut document.fields {
                *value = existing.fields.get(name).cloned().unwrap_or(Value::Null);
            }
            Step::Adopt(existing)
        }
        // What is known to be off view was made by us in a run that was broken off, and never shown.
        Step::Update => Step::Unchanged,
        step => step,
    }
}
