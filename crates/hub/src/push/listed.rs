//! What a destination's listing shows, so that a document that is as it was left need not be read by itself.
//!
//! A listing is believed in one thing alone: that a document is, field by field, as it is known. What it leaves out,
//! shortens, shows twice, or shows otherwise is read by itself.

use std::collections::{HashMap, HashSet};

use diaporos_core::change::{Fingerprint, fingerprint_record, fingerprint_texts};
use diaporos_core::lane::Lane;
use diaporos_core::plan::{Counterpart, Existing, Presence};
use diaporos_core::value::{LanguageTag, Record, Revision};
use diaporos_systems::Write;

/// Fewer documents than this are read one by one.
const WORTH_LISTING: u64 = 20;
/// So many documents of a listing are remembered, at about 60 bytes each; those past them are read one by one.
const MOST_LISTED: usize = 1_000_000;

/// How a document is, in short.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
struct State {
    /// Of its fields, its language, and whether it is on view.
    content: Fingerprint,
    /// Of its version, where that is shown.
    revision: Option<Fingerprint>,
}

/// How each document is that a listing shows; none where it is shown in two ways.
#[derive(Debug, Default)]
pub(super) struct Listed(HashMap<Fingerprint, Option<State>>);

impl Listed {
    /// Reads the listing of a lane's destination, where it has one and so many entries are worth it: never more pages
    /// than entries. A listing that breaks off has shown what it has shown.
    pub(super) async fn read(
        writer: &dyn Write,
        lane: &Lane,
        entries: u64,
        stop: &(dyn Fn() -> bool + Sync),
    ) -> Listed {
        let mut listed = Listed::default();
        if entries < WORTH_LISTING {
            return listed;
        }
        let (mut cursor, mut visited) = (None::<String>, HashSet::new());
        for _ in 0..entries {
            if stop() || listed.0.len() >= MOST_LISTED {
                break;
            }
            let Ok(Some(page)) = writer.listed(&lane.to.kind, cursor.as_deref()).await else { break };
            let is_mapped = |name: &str| lane.fields.contains_key(name);
            page.documents.into_iter().for_each(|document| listed.add(is_mapped, document));
            match page.next {
                Some(next) if visited.insert(next.clone()) => cursor = Some(next),
                _ => break,
            }
        }
        listed
    }

    /// Adds a document as it is listed; its fields that nobody maps are left out.
    fn add(&mut self, is_mapped: impl Fn(&str) -> bool, mut document: Existing) {
        document.fields.retain(|name, _| is_mapped(name));
        let content = content(&document.fields, document.language.as_ref(), document.presence);
        let state = State { content, revision: document.revision.as_ref().map(of_revision) };
        let before = self.0.entry(fingerprint_texts([document.id.as_str()])).or_insert(Some(state));
        if *before != Some(state) {
            *before = None;
        }
    }

    /// Whether a document is shown as it is known: then it needs no look of its own.
    pub(super) fn shows(&self, known: &Counterpart, language: Option<&LanguageTag>) -> bool {
        let Some(Some(listed)) = self.0.get(&fingerprint_texts([known.id.as_str()])) else { return false };
        let revision = known.revision.as_ref().map(of_revision);
        listed.content == content(&known.there(), language, known.presence)
            && (listed.revision.is_none() || listed.revision == revision)
    }
}

fn of_revision(revision: &Revision) -> Fingerprint {
    fingerprint_texts([revision.as_str()])
}

fn content(fields: &Record, language: Option<&LanguageTag>, presence: Presence) -> Fingerprint {
    let language = language.map_or_else(String::new, ToString::to_string);
    fingerprint_texts([fingerprint_record(fields).to_string().as_str(), &language, presence.word()])
}

#[cfg(test)]
mod tests {
    use diaporos_core::change::{Divergence, Divergences};
    use diaporos_core::value::{EntryId, Value};

    use super::*;

    fn record(fields: &[(&str, &str)]) -> Record {
        fields.iter().map(|(name, value)| ((*name).to_owned(), Value::from(*value))).collect()
    }

    fn known() -> Counterpart {
        let fields = record(&[("heading", "Fern"), ("teaser", "By the pond.")]);
        Counterpart {
            id: EntryId::new("7").unwrap(),
            item: None,
            revision: Some(Revision::new("3").unwrap()),
            fingerprint: fingerprint_record(&fields),
            presence: Presence::Present,
            // The site writes it otherwise.
            divergences: Divergences::from([("teaser".to_owned(), Divergence::Stored("By the pond".into()))]),
            fields,
            past: Vec::new(),
        }
    }

    fn shown(fields: &[(&str, &str)], revision: Option<&str>) -> Existing {
        Existing {
            id: EntryId::new("7").unwrap(),
            item: None,
            language: None,
            revision: revision.map(|text| Revision::new(text).unwrap()),
            fields: record(fields),
            presence: Presence::Present,
        }
    }

    const AS_IT_IS: [(&str, &str); 3] = [("heading", "Fern"), ("teaser", "By the pond"), ("views", "12")];

    #[test]
    fn a_listing_is_believed_where_it_shows_a_document_as_it_is_known_and_nowhere_else() {
        let off_view = Existing { presence: Presence::Withdrawn, ..shown(&AS_IT_IS, Some("3")) };
        let french = Existing { language: "fr".parse().ok(), ..shown(&AS_IT_IS, Some("3")) };
        let cases: Vec<(&str, Vec<Existing>, bool)> = vec![
            ("as it is known", vec![shown(&AS_IT_IS, Some("3"))], true),
            ("its version is told by a header", vec![shown(&AS_IT_IS, None)], true),
            ("twice, alike", vec![shown(&AS_IT_IS, Some("3")); 2], true),
            ("not listed", vec![], false),
            ("in another version", vec![shown(&AS_IT_IS, Some("4"))], false),
            ("changed", vec![shown(&[("heading", "Ferns"), AS_IT_IS[1]], Some("3"))], false),
            ("shortened", vec![shown(&AS_IT_IS[..1], Some("3"))], false),
            ("off view", vec![off_view], false),
            ("in another language", vec![french], false),
            ("twice, and the later is changed", vec![shown(&AS_IT_IS, Some("3")), shown(&[], Some("3"))], false),
            ("twice, and the earlier is changed", vec![shown(&[], Some("3")), shown(&AS_IT_IS, Some("3"))], false),
        ];
        for (what, documents, believed) in cases {
            let mut listed = Listed::default();
            documents.into_iter().for_each(|document| listed.add(|name| name != "views", document));
            assert_eq!(listed.shows(&known(), None), believed, "{what}");
        }
    }
}
