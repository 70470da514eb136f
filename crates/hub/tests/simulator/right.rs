//! What must hold when all is calm.

use diaporos_core::plan::{HoldReason, Presence};
use diaporos_core::value::{Address, LaneName, LanguageTag, Value};
use diaporos_store::{CounterpartRow, Standing, StoreError};

use crate::history::ENTRIES;
use crate::hub::{Hub, HubForm};
use crate::world::{Page, World};

impl Hub {
    /// Looks at every document of every entry.
    pub(crate) fn everything_is_right(&self, world: &World) {
        let store = self.store.as_ref().unwrap();
        let lane = LaneName::new("pages").unwrap();
        assert_eq!(store.count_in_doubt(&lane).unwrap(), 0, "in doubt for good");
        let address = |entry: usize| -> Address { format!("garden/plant/{entry}").parse().unwrap() };
        let known: Vec<Vec<CounterpartRow>> = (0..ENTRIES)
            .map(|entry| store.look_at(&lane, &address(entry)).unwrap().map(|due| due.counterparts).unwrap_or_default())
            .collect();
        let mut words: Vec<&Value> = world.pages.values().filter_map(|page| page.fields.get("slug")).collect();
        words.retain(|slug| slug.as_text().is_some_and(|slug| slug.starts_with("word-")));
        let many = words.len();
        words.sort_by_key(|slug| slug.as_text());
        words.dedup();
        assert_eq!(words.len(), many, "each word is there once: {words:?}");
        let mut held: Vec<Option<HoldReason>> = vec![None; ENTRIES];
        let noted = store.held::<StoreError>(|row| {
            assert_eq!(row.standing, Standing::Held, "{}: {}", row.address, row.message);
            if row.address.system.as_str() == "hub" {
                let others_did = !world.deleted.is_empty() || !world.touched.is_empty() || !world.unsure.is_empty();
                assert!(others_did, "{} is held, and nobody else did anything: {}", row.address, row.message);
                return Ok(());
            }
            held[row.address.id.as_str().parse::<usize>().unwrap()] = HoldReason::from_word(&row.reason);
            Ok(())
        });
        noted.unwrap();
        for (entry, held) in held.into_iter().enumerate() {
            if !self.is_held_rightly(entry, held, &known[entry], world) {
                for language in ["en", "fr"].map(|tag| Some(tag.parse().unwrap())).into_iter().chain([None]) {
                    self.document_is_right((entry, language), &known, world);
                }
            }
        }
    }

    /// Whether an entry is held, which it is only for what somebody else did.
    fn is_held_rightly(&self, entry: usize, held: Option<HoldReason>, known: &[CounterpartRow], world: &World) -> bool {
        let is_doubtful = |row: &CounterpartRow| {
            let id: u64 = row.counterpart.id.as_str().parse().unwrap();
            world.deleted.contains(&id) || world.touched.contains(&id) || world.unsure.contains(&id)
        };
        match held {
            None => return false,
            Some(HoldReason::KeyTaken) => {
                assert!(self.garden.shares_key() && entry < 2, "only what shares a key is held for it");
            }
            Some(reason) => {
                assert!(known.iter().any(is_doubtful), "held, {reason:?}, and nobody else did anything");
            }
        }
        true
    }

    fn document_is_right(
        &self,
        (entry, language): (usize, Option<LanguageTag>),
        counterparts: &[Vec<CounterpartRow>],
        world: &World,
    ) {
        let key = Value::from(self.garden.key(entry).as_str());
        let is_anothers = |id: &u64| {
            let others = counterparts.iter().enumerate().filter(|(by, _)| *by != entry);
            others.flat_map(|(_, rows)| rows).any(|row| row.counterpart.id.as_str() == id.to_string())
        };
        let has_key = |(_, page): &(&u64, &Page)| page.fields.get("slug") == Some(&key) && page.language == language;
        let all = world.pages.iter().filter(has_key).count();
        assert!(all <= 1, "the key of `page-{entry}` is there {all} times");
        let pages: Vec<_> = world.pages.iter().filter(has_key).filter(|(id, _)| !is_anothers(id)).collect();
        let known = counterparts[entry].iter().find(|row| row.language == language).map(|row| &row.counterpart);
        let by_hand = |id: u64| world.deleted.contains(&id) || world.touched.contains(&id);
        let goes = self.garden.is_live(entry) && self.garden.languages(entry).contains(&language);
        match (goes, pages.first()) {
            (true, Some((id, page))) => {
                assert_eq!(known.unwrap().id.as_str(), id.to_string(), "the identifier that is kept");
                assert_eq!(page.presence, Presence::Present);
                if world.shows_apart() {
                    let shown = page.shown.as_ref().unwrap_or_else(|| panic!("`page-{entry}` was never shown"));
                    let differs = |(name, saved): &(&String, &Value)| shown.get(*name) != Some(*saved);
                    // What may be a hand's draft is not ours to show.
                    let is_ours = |(name, _): &(&String, &Value)| *name != "teaser" || !world.unsure.contains(id);
                    let unshown: Vec<_> = page.fields.iter().filter(differs).filter(is_ours).collect();
                    assert!(unshown.is_empty(), "what is saved of `page-{entry}` is on view, but for {unshown:?}");
                }
                self.page_is_right(entry, (**id, page), world);
                if language.is_none() {
                    self.friend_is_right(entry, page, counterparts);
                }
                let items = counterparts[entry].iter().map(|row| &row.counterpart);
                let together = items.filter(|other| other.presence == Presence::Present);
                assert!(together.into_iter().all(|other| other.item == page.item), "its languages are apart");
            }
            (true, None) => panic!("`page-{entry}` {language:?} is not there, is not held, and should be there"),
            (false, Some((id, page))) => {
                assert!(page.presence == Presence::Withdrawn || by_hand(**id), "`page-{entry}` should be off view");
            }
            (false, None) => {}
        }
    }

    /// What an entry refers to is named as it is called there, where it is there to be named.
    fn friend_is_right(&self, entry: usize, page: &Page, counterparts: &[Vec<CounterpartRow>]) {
        if self.form == HubForm::Words {
            return self.word_is_right(entry, page);
        }
        let friend = self.garden.friend(entry);
        let known = friend.and_then(|friend| counterparts[friend].first()).map(|row| &row.counterpart);
        let called = known.filter(|known| known.presence.is_there()).map(|known| Value::from(known.id.as_str()));
        let named = page.fields.get("friend").filter(|named| !named.is_null()).cloned();
        assert_eq!(named, called, "the friend of `page-{entry}`, {friend:?}");
    }

    /// The word of an entry is named as it is called there.
    fn word_is_right(&self, entry: usize, page: &Page) {
        let fields = self.garden.fields_in(entry, None);
        let word: Address = format!("hub/word/word-{}", fields["heading"].as_text().unwrap()).parse().unwrap();
        let called = self.store.as_ref().unwrap().called(&word, |lane| lane == "words").unwrap();
        assert!(!called.is_null(), "`page-{entry}` is there, and its word {word} is not");
        assert_eq!(page.fields.get("friend"), Some(&called), "the word of `page-{entry}`, {word}");
    }

    fn page_is_right(&self, entry: usize, (id, page): (u64, &Page), world: &World) {
        for (name, ours) in &self.garden.fields_in(entry, page.language.as_ref()) {
            let theirs = page.fields.get(name).unwrap();
            let is_ours = match (ours, theirs) {
                (Value::Text(ours), Value::Text(theirs)) => ours.trim_end() == theirs.trim_end(),
                (ours, theirs) => ours == theirs,
            };
            let merged = matches!((ours, theirs), (Value::List(ours), Value::List(theirs))
                if ours.iter().all(|item| theirs.contains(item)));
            // Nobody can tell its own spelling from a hand's, nor who took an item out of a list that a
            // hand wrote to while our own write was in doubt.
            let in_doubt = world.lost.contains(&id) && world.touched.contains(&id);
            let unsure = (name == "teaser" && world.unsure.contains(&id)) || (name == "topics" && in_doubt);
            assert!(
                is_ours || unsure || page.by_hand.get(name) == Some(theirs) || merged,
                "`{name}` of `page-{entry}` is {theirs:?}, and should be {ours:?}"
            );
        }
    }
}
