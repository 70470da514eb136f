//! Lanes that make documents of words: categories, topics, authors that must exist at a destination.

use std::collections::BTreeSet;
use std::sync::Arc;

use diaporos_core::diagnostic::{Code, Diagnostic, Report, Span};
use diaporos_core::lane::{Lane, TypeRef};
use diaporos_core::model::{EntryType, Field, FieldKind, Model};
use diaporos_core::value::{LaneName, TypeName};
use indexmap::IndexMap;

use super::ConfiguredLane;
use super::own_model::{OWN, own_model};

/// The field of a word's entry that has the word.
pub const WORD: &str = "word";

/// Whether the hub's own entries of a type are words.
#[must_use]
pub fn is_of_words(of: &TypeRef) -> bool {
    of.system.as_str() == OWN && own_model().get(&of.kind).is_none()
}

/// What is known of words of a type.
pub(super) fn word_model(kind: &TypeName) -> Model {
    let word = Field { kind: FieldKind::Text, required: true, ..Field::default() };
    let of = EntryType { fields: std::iter::once((WORD.to_owned(), word)).collect() };
    Model { types: std::iter::once((kind.clone(), of)).collect() }
}

/// Gives each lane those by which the words of its fields become documents. `places` are where the lanes stand in
/// the file.
pub(super) fn join_words(
    lanes: &mut IndexMap<LaneName, ConfiguredLane>,
    places: &IndexMap<LaneName, Span>,
    report: &mut Report,
) {
    let of_words = |lane: &&ConfiguredLane| is_of_words(&lane.lane.from);
    let makers: IndexMap<LaneName, Arc<Lane>> =
        lanes.values().filter(of_words).map(|lane| (lane.lane.name.clone(), Arc::new(lane.lane.clone()))).collect();
    let mut used = BTreeSet::new();
    for lane in lanes.values_mut() {
        let name = lane.lane.name.clone();
        let mut wrong = |message: String, help: String| {
            let place = places.get(&name).cloned().unwrap_or(0..0);
            report.add(Diagnostic::error(Code::Lane, place, format!("the lane `{name}` {message}")).help(help));
        };
        let conditions = lane
            .lane
            .expressions()
            .filter(|(place, _)| !lane.lane.fields.contains_key(*place) && !lane.lane.defaults.contains_key(*place));
        for (place, _) in conditions.filter(|(_, condition)| !condition.program.uses.ensures.is_empty()) {
            wrong(format!("uses `ensure` in `{place}`"), "words become documents for fields alone".to_owned());
        }
        for ensured in &lane.lane.uses().ensures {
            used.insert(ensured.clone());
            let Some(maker) = makers.get(ensured) else {
                let known: Vec<String> = makers.keys().map(|known| format!("`{known}`")).collect();
                let known = if known.is_empty() { "there is none".to_owned() } else { known.join(", ") };
                let help = format!("a lane of words has `from = \"{OWN}/NAME\"`; of those: {known}");
                wrong(format!("has `ensure {ensured}`, and `{ensured}` is not a lane of words"), help);
                continue;
            };
            if is_of_words(&lane.lane.from) {
                wrong(
                    "is a lane of words, and uses `ensure` itself".to_owned(),
                    "words need no other words".to_owned(),
                );
            } else if maker.to.system == lane.lane.to.system {
                lane.words.insert(ensured.clone(), Arc::clone(maker));
            } else {
                let (there, here) = (&maker.to.system, &lane.lane.to.system);
                let help = format!("each destination has a lane of words of its own: `to = \"{here}/TYPE\"`");
                wrong(format!("leads to `{here}`, and `ensure {ensured}` makes documents at `{there}`"), help);
            }
        }
    }
    let mut types: IndexMap<&TypeName, &LaneName> = IndexMap::new();
    for (name, maker) in &makers {
        let place = places.get(name).cloned().unwrap_or(0..0);
        if let Some(other) = types.insert(&maker.from.kind, name) {
            let message = format!("the lanes `{other}` and `{name}` take the same words, `{}`", maker.from);
            let finding = Diagnostic::error(Code::Lane, place, message);
            report.add(finding.help("each lane of words has a type of its own: `from = \"hub/NAME\"`"));
        } else if !used.contains(name) {
            let message = format!("no lane has `ensure {name}`, so that `{}` has no entries", maker.from);
            let known = own_model().types.keys().map(TypeName::as_str);
            let finding = Diagnostic::warning(Code::Lane, place, message);
            report.add(finding.suggest(maker.from.kind.as_str(), known));
        }
    }
}
