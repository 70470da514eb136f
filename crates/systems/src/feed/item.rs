//! An item's fields, gathered as its elements come.

use std::collections::{BTreeMap, BTreeSet};

use diaporos_core::value::{Record, State, Value};
use jiff::Timestamp;

use super::dates;
use super::extra::Extra;
use super::media::{Piece, Said};
use super::people::Person;
use super::references::Mended;

/// An item on its way to an entry.
#[derive(Debug, Default)]
pub(super) struct Item {
    /// The identifier that its source gives it.
    pub(super) id: Option<String>,
    /// The identifier as an address, where it is one.
    pub(super) id_link: Option<String>,
    /// Values of which the one that stands first in the table counts, with their rank.
    single: BTreeMap<&'static str, (usize, Value)>,
    /// Values of which all count.
    lists: BTreeMap<&'static str, Vec<Value>>,
    /// Those who made it.
    pub(super) people: Vec<Person>,
    /// What there is to see or hear.
    pub(super) pieces: Vec<Piece>,
    /// What is said of all of it.
    pub(super) said: Said,
    /// Where it is about.
    pub(super) place: Record,
    /// What has no field of its own.
    pub(super) extra: Extra,
    /// When it was first shown.
    pub(super) published: Option<Timestamp>,
    /// When it last changed.
    pub(super) updated: Option<Timestamp>,
    /// What state it is in.
    pub(super) is_draft: bool,
    /// What was mended.
    pub(super) mended: BTreeSet<Mended>,
    /// What else a person should know of it.
    pub(super) notes: Vec<String>,
}

impl Item {
    /// Keeps a value for a field, unless a better one is there.
    pub(super) fn set(&mut self, field: &'static str, rank: usize, value: Value) -> bool {
        if value.is_blank() {
            return false;
        }
        match self.single.get(field) {
            Some((known, _)) if *known <= rank => false,
            _ => {
                self.single.insert(field, (rank, value));
                true
            }
        }
    }

    /// Adds a value to a field that holds several.
    pub(super) fn add(&mut self, field: &'static str, value: Value) {
        let values = self.lists.entry(field).or_default();
        if !value.is_blank() && !values.contains(&value) {
            values.push(value);
        }
    }

    /// Keeps what has no field of its own.
    pub(super) fn keep(&mut self, whose: &str, name: &str, value: Value) {
        if !value.is_blank() {
            self.extra.put(whose, name, value);
        }
    }

    /// Takes a date, and says what became of one that is not written as the standards have it.
    pub(super) fn moment(&mut self, field: &'static str, rank: usize, text: &str) -> bool {
        if text.is_empty() {
            return false;
        }
        let Some(moment) = dates::read(text) else {
            self.notes.push(format!("its date `{text}` cannot be read, and was left out"));
            return false;
        };
        if !moment.is_standard {
            let at = moment.at;
            self.notes.push(format!("its date `{text}` is not written as the standards say, and was read as {at}"));
        }
        let is_taken = self.set(field, rank, Value::Text(moment.at.to_string()));
        if is_taken {
            let place = if field == "updated" { &mut self.updated } else { &mut self.published };
            *place = Some(moment.at);
        }
        is_taken
    }

    /// The item's own address: as it says, or its identifier where that is one.
    pub(super) fn link_address(&self) -> Option<&str> {
        self.single.get("link").and_then(|(_, link)| link.as_text()).or(self.id_link.as_deref())
    }

    /// What the item is first of all: what goes with it, or a text.
    pub(super) fn medium(&self) -> super::Medium {
        let files = self.lists.get("enclosures").into_iter().flatten();
        let of_file = |file: &Value| match file {
            Value::Record(file) => {
                file.get("type").and_then(Value::as_text).and_then(|kind| kind.split('/').next()).map(str::to_owned)
            }
            _ => None,
        };
        let media =
            files.filter_map(of_file).chain(self.pieces.iter().filter_map(|piece| piece.medium().map(str::to_owned)));
        let mut media = media.filter_map(|word| match word.as_str() {
            "audio" => Some(super::Medium::Audio),
            "video" => Some(super::Medium::Video),
            "image" => Some(super::Medium::Picture),
            _ => None,
        });
        media.next().unwrap_or(super::Medium::Text)
    }

    /// What state the item is in.
    pub(super) fn state(&self) -> State {
        if self.is_draft { State::Draft } else { State::Live }
    }

    /// Whether nothing at all is known of it.
    pub(super) fn is_empty(&self) -> bool {
        self.id.is_none()
            && self.single.is_empty()
            && self.lists.is_empty()
            && self.people.is_empty()
            && self.pieces.is_empty()
            && self.place.is_empty()
            && self.extra.clone().into_value().is_blank()
    }

    /// Its own fields, in the order of the model.
    pub(super) fn fields(mut self) -> Record {
        let mut fields = Record::default();
        if let Some(link) = self.link_address().map(Value::from) {
            self.set("link", 0, link);
        }
        if !self.single.contains_key("image") {
            let first = self.lists.get("thumbnails").and_then(|pictures| match pictures.first() {
                Some(Value::Record(picture)) => picture.get("url").cloned(),
                _ => None,
            });
            self.set("image", 0, first.unwrap_or_default());
        }
        let by_role = |people: &[Person], is_author: bool| {
            let mut names: Vec<Value> = Vec::new();
            for person in people {
                if (person.role.as_deref() == Some("author")) == is_author
                    && let Some(name) = person.called().map(Value::from)
                    && !names.contains(&name)
                {
                    names.push(name);
                }
            }
            names
        };
        self.lists.insert("authors", by_role(&self.people, true));
        self.lists.insert("contributors", by_role(&self.people, false));
        self.lists.insert("people", self.people.iter().map(Person::record).collect());
        for piece in &self.pieces {
            let known = |file: &Value, url: &Value| matches!(file, Value::Record(file) if file.get("url") == Some(url));
            let files = self.lists.entry("enclosures").or_default();
            if let Some(Value::Record(file)) = piece.file()
                && let Some(url) = file.get("url")
                && !files.iter().any(|other| known(other, url))
            {
                files.push(Value::Record(file));
            }
        }
        let media = self.pieces.into_iter().map(|piece| piece.record(&self.said)).collect();
        self.lists.entry("media").or_default().extend::<Vec<Value>>(media);
        let guid = self.id.map_or(Value::Null, Value::Text);
        let (place, extra) = (Value::Record(self.place), self.extra.into_value());
        for name in super::model().types.values().flat_map(|item| item.fields.keys()) {
            let value = match name.as_str() {
                "guid" => guid.clone(),
                "place" => place.clone(),
                "extra" => extra.clone(),
                name => match self.single.remove(name) {
                    Some((_, value)) => value,
                    None => self.lists.remove(name).map_or(Value::Null, Value::List),
                },
            };
            if !value.is_blank() {
                fields.insert(name.clone(), value);
            }
        }
        fields
    }
}
