//! From an item to an entry: who it is, and whether it is wanted.

use std::collections::HashMap;
use std::hash::{BuildHasher, RandomState};

use diaporos_core::change::fingerprint;
use diaporos_core::intake::Incoming;
use diaporos_core::value::{EntryId, Revision, Value};
use jiff::Timestamp;

use super::batch::{Batch, notes};
use super::frame::Frame;
use super::item::Item;
use super::{FeedSource, ItemChoice};
use crate::Problem;

/// The entries of some items.
#[derive(Debug, Default)]
pub(crate) struct Entries {
    /// Those that could be read, of each id one.
    pub(super) entries: Vec<Incoming>,
    /// Those that could not.
    pub(super) problems: Vec<Problem>,
    /// How many stand there again under an id that stands there already.
    pub(super) repeated: usize,
    /// How many are new in this listing.
    pub(super) fresh: usize,
}

/// The ids that a listing has shown, and when each last changed.
#[derive(Debug, Default)]
pub(super) struct SeenIds {
    hasher: RandomState,
    changed: HashMap<u64, Option<Timestamp>>,
}

/// Whether an id was seen before.
enum Sight {
    First,
    Newer,
    Again,
}

impl SeenIds {
    fn see(&mut self, id: &EntryId, changed: Option<Timestamp>) -> Sight {
        match self.changed.entry(self.hasher.hash_one(id.as_str())) {
            std::collections::hash_map::Entry::Vacant(place) => {
                place.insert(changed);
                Sight::First
            }
            std::collections::hash_map::Entry::Occupied(mut place) if changed > *place.get() => {
                place.insert(changed);
                Sight::Newer
            }
            std::collections::hash_map::Entry::Occupied(_) => Sight::Again,
        }
    }
}

/// What items are in.
#[derive(Debug)]
pub(super) struct Around<'a> {
    /// The feed, as it is configured.
    pub(super) source: &'a FeedSource,
    /// What it says of itself.
    pub(super) frame: &'a Frame,
    /// The time, against which an age is told.
    pub(super) now: Timestamp,
    /// What is to be said of all of them.
    pub(super) note: Option<&'a str>,
}

/// The entries of a batch of items. Of several with one id the newest counts, and of those that are as
/// new as each other the first.
pub(super) fn entries(around: &Around<'_>, batch: Batch, seen: &mut SeenIds) -> Entries {
    let Around { source, frame, now, note } = around;
    let mut given = Entries { problems: batch.problems, ..Entries::default() };
    for (mut item, raw) in batch.items {
        if item.is_empty() {
            given.problems.push(Problem::unnamed(shown(&raw), "holds nothing that a feed's item has"));
            continue;
        }
        if !is_wanted(&source.wanted, &item, *now) {
            continue;
        }
        let changed = item.updated.or(item.published);
        item.notes.extend(note.map(str::to_owned));
        match entry(source, frame, item, raw) {
            Err(problem) => given.problems.push(problem),
            Ok(entry) => {
                match seen.see(&entry.id, changed) {
                    Sight::First => given.fresh += 1,
                    Sight::Newer => {
                        given.repeated += 1;
                        given.entries.retain(|other| other.id != entry.id);
                    }
                    Sight::Again => {
                        given.repeated += 1;
                        continue;
                    }
                }
                given.entries.push(entry);
            }
        }
    }
    given
}

/// The beginning of an item, by which a person finds it.
fn shown(raw: &str) -> String {
    let start: String = raw.chars().take(40).collect();
    format!("`{}`", start.split_whitespace().collect::<Vec<_>>().join(" "))
}

fn is_wanted(wanted: &ItemChoice, item: &Item, now: Timestamp) -> bool {
    let young = wanted.newest.is_none_or(|newest| {
        let Some(moment) = item.updated.or(item.published) else { return true };
        let age = now.as_second().saturating_sub(moment.as_second());
        age <= i64::try_from(newest.as_secs()).unwrap_or(i64::MAX)
    });
    young && (wanted.media.is_empty() || wanted.media.contains(&item.medium()))
}

/// An item as an entry: its id is its own, else its address, else the hash of all that it says.
fn entry(source: &FeedSource, frame: &Frame, mut item: Item, raw: String) -> Result<Incoming, Problem> {
    let (state, medium, notes) = (item.state(), item.medium(), notes(&item));
    let revision = item.updated.and_then(|moment| Revision::new(moment.to_string()).ok());
    if item.people.iter().all(|person| person.role.as_deref() != Some("author")) {
        item.people.extend(frame.people.iter().cloned());
    }
    let own = item.id.clone().filter(|id| !id.trim().is_empty());
    let own = own.or_else(|| item.link_address().map(str::to_owned)).map(|id| id.trim().to_owned());
    let mut value = Value::Record(item.fields());
    let id = own.unwrap_or_else(|| fingerprint(&value).to_string());
    let id = EntryId::new(format!("{}/{id}", source.name))
        .map_err(|error| Problem::unnamed(shown(&raw), format!("has an id that cannot be used: {error}")))?;
    if let Value::Record(fields) = &mut value {
        let mut set = |name: &str, text: Option<&str>| {
            if let Some(text) = text
                && !fields.contains_key(name)
            {
                fields.insert(name.to_owned(), text.into());
            }
        };
        set("language", frame.language.as_deref());
        set("feed", Some(&source.name));
        set("feed_title", source.wanted.label.as_deref().or(frame.title.as_deref()));
        set("feed_link", frame.link.as_deref());
        set("medium", Some(medium.word()));
    }
    let fingerprint = fingerprint(&value);
    let Value::Record(fields) = value else { return Err(Problem::unnamed(shown(&raw), "is no record")) };
    Ok(Incoming { id, part: None, state, revision, fields, fingerprint, raw: Some(raw), notes })
}
