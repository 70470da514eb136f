//! Destinations where each document stands at a place of our choosing: files in a folder, files on
//! a WebDAV server, documents of a store. What is written goes into what is there, and only over the
//! version that is known.

use std::time::Duration;

use async_trait::async_trait;
use diaporos_core::lane::Documents;
use diaporos_core::model::EntryType;
use diaporos_core::plan::{Existing, Lack, Order, Presence, Written};
use diaporos_core::value::{EntryId, LanguageTag, Record, Revision, SystemName, TypeName, from_json};
use serde_json::{Map, Value as Json};

use crate::asset::{Asset, Fetcher};
use crate::http::{Limits, Request};
use crate::languages::LanguageCodes;
use crate::profile::{PlaceType, Profile};
use crate::query::scalar_text;
use crate::{ErrorKind, SystemError, Write};

/// What a document must be like for a write to go ahead.
#[derive(Debug, Clone, Copy)]
pub(crate) enum Base<'a> {
    /// Not there.
    Absent,
    /// In this version.
    Version(&'a Revision),
}

/// A document as it stands, with its version.
pub(crate) type Stored = (Map<String, Json>, Revision);

/// Where documents stand.
#[async_trait]
pub(crate) trait KeyedStore: Send + Sync {
    /// The document at a place.
    async fn get(&self, kind: &TypeName, place: &str) -> Result<Option<Stored>, SystemError>;

    /// Writes a document, if it is as it must be. Gives it as it is kept, with its new version.
    async fn put(
        &self,
        kind: &TypeName,
        place: &str,
        document: Map<String, Json>,
        base: Base<'_>,
    ) -> Result<Stored, SystemError>;

    /// Removes a document of that version.
    async fn remove(&self, kind: &TypeName, place: &str, base: &Revision) -> Result<(), SystemError>;

    /// The request that writes a document, or removes it.
    fn request(
        &self,
        kind: &TypeName,
        place: &str,
        document: Option<&Map<String, Json>>,
    ) -> Result<Request, SystemError>;

    /// The system's name, and what is asked of it at most.
    fn system(&self) -> &SystemName;
    fn limits(&self) -> &Limits;

    /// How many documents may be under way at once.
    fn max_in_flight(&self) -> usize {
        self.limits().concurrency
    }

    /// After how many failures in a row a push stops.
    fn failure_limit(&self) -> u32 {
        self.limits().failures
    }

    /// Keeps a file, unless one with its content is there; gives its place.
    async fn keep_asset(&self, asset: &Asset) -> Result<String, SystemError> {
        let why = "no files are delivered to a system of this kind".to_owned();
        Err(self.error(&asset.name, ErrorKind::Refused(why)))
    }

    /// What is in a file that was kept; none where there is none, or files are not given back.
    async fn kept_asset(&self, place: &str) -> Result<Option<Vec<u8>>, SystemError> {
        let _ = place;
        Ok(None)
    }

    /// An error at a place.
    fn error(&self, place: &str, kind: ErrorKind) -> SystemError;

    /// Gives back what a run that died may have left on a document.
    async fn release_stale_lock(&self, place: &str) -> Result<(), SystemError> {
        let _ = place;
        Ok(())
    }
}

/// Writes documents at places by a profile.
pub(crate) struct KeyedStoreWriter<S> {
    store: S,
    profile: Profile,
    languages: LanguageCodes,
}

impl<S: KeyedStore> KeyedStoreWriter<S> {
    pub(crate) fn new(store: S, profile: Profile, languages: LanguageCodes) -> Self {
        KeyedStoreWriter { store, profile, languages }
    }

    fn place_type(&self, kind: &TypeName) -> Result<&PlaceType, SystemError> {
        let known = self.profile.places(kind);
        known.ok_or_else(|| self.content("", format!("the profile does not say how to write `{kind}`")))
    }

    fn content(&self, place: &str, message: impl Into<String>) -> SystemError {
        self.store.error(place, ErrorKind::Refused(message.into()))
    }

    fn code(&self, language: Option<&LanguageTag>) -> Result<Option<String>, SystemError> {
        language.map(|tag| self.languages.code(tag)).transpose().map_err(|error| self.content("", error.to_string()))
    }

    /// Puts what an order writes into a document.
    fn put_members(
        &self,
        write: &PlaceType,
        fields: &Record,
        language: Option<&LanguageTag>,
        into: &mut Map<String, Json>,
    ) -> Result<(), SystemError> {
        for (name, value) in fields {
            let json =
                write.languages.encode(value, &self.languages).map_err(|error| self.content("", error.to_string()))?;
            write.layout.place(name).put(into, json);
        }
        into.extend(write.members.clone());
        write.languages.name(into, self.code(language)?, None);
        Ok(())
    }

    /// The members that an order writes, by themselves.
    fn members(
        &self,
        write: &PlaceType,
        fields: &Record,
        language: Option<&LanguageTag>,
    ) -> Result<Map<String, Json>, SystemError> {
        let mut members = Map::new();
        self.put_members(write, fields, language, &mut members)?;
        Ok(members)
    }

    fn existing(
        &self,
        kind: &TypeName,
        write: &PlaceType,
        place: &str,
        stored: Stored,
    ) -> Result<Existing, SystemError> {
        let (document, revision) = stored;
        let document = Json::Object(document);
        let members = write.layout.members(&document);
        let localised = |name: &str| {
            write.languages.documents() == Documents::One
                && self.fields(kind).and_then(|known| known.fields.get(name)).is_some_and(|field| field.localised)
        };
        let mut fields = Record::default();
        for (name, json) in &members {
            let value = if localised(name) { write.languages.decode(json, &self.languages) } else { from_json(json) };
            fields.insert(name.clone(), value);
        }
        let withdrawn = write.withdrawn.as_ref().is_some_and(|(at, words)| {
            at.first(&document).and_then(scalar_text).is_some_and(|word| words.contains(&word))
        });
        let id = EntryId::new(place).map_err(|error| self.content(place, error.to_string()))?;
        let presence = if withdrawn { Presence::Withdrawn } else { Presence::Present };
        let language = write.languages.language_of(&document, "").and_then(|code| self.languages.tag(&code).ok());
        Ok(Existing { id, item: None, language, revision: Some(revision), fields, presence })
    }

    /// Puts members into what is there, if that is the version that the order is based on.
    async fn change(
        &self,
        kind: &TypeName,
        write: &PlaceType,
        (id, revision): (&EntryId, Option<&Revision>),
        alter: impl FnOnce(&mut Map<String, Json>) -> Result<(), SystemError> + Send,
    ) -> Result<Written, SystemError> {
        let place = id.as_str();
        let Some((mut document, now)) = self.store.get(kind, place).await? else {
            return Err(self.store.error(place, ErrorKind::NotFound));
        };
        if revision.is_some_and(|base| *base != now) {
            return Err(self.store.error(place, ErrorKind::Differs { status: 412, message: String::new() }));
        }
        alter(&mut document)?;
        let kept = self.store.put(kind, place, document, Base::Version(&now)).await?;
        self.written(kind, write, place, kept, 200)
    }

    fn written(
        &self,
        kind: &TypeName,
        write: &PlaceType,
        place: &str,
        stored: Stored,
        status: u16,
    ) -> Result<Written, SystemError> {
        let existing = self.existing(kind, write, place, stored)?;
        let Existing { id, revision, fields, .. } = existing;
        Ok(Written { id: Some(id), item: None, revision, fields: Some(fields), presence: Presence::Present, status })
    }
}

#[async_trait]
impl<S: KeyedStore> Write for KeyedStoreWriter<S> {
    fn documents(&self, kind: &TypeName) -> Option<Documents> {
        self.profile.places(kind).map(|write| write.languages.documents())
    }

    fn fields(&self, kind: &TypeName) -> Option<&EntryType> {
        self.profile.model().get(kind)
    }

    fn max_in_flight(&self, _: &TypeName) -> usize {
        self.store.max_in_flight()
    }

    fn failure_limit(&self) -> u32 {
        self.store.failure_limit()
    }

    fn place(&self) -> String {
        self.store.error("", ErrorKind::NotFound).url
    }

    fn failed(&self, kind: ErrorKind) -> SystemError {
        self.store.error("", kind)
    }

    fn settles_within(&self) -> Duration {
        self.store.limits().settles_within
    }

    /// What is there is compared before anything is written over it.
    fn guards(&self, _: &TypeName, revision: Option<&Revision>) -> bool {
        revision.is_some()
    }

    fn key_is_place(&self, _: &TypeName) -> bool {
        true
    }

    async fn find(
        &self,
        kind: &TypeName,
        key: &str,
        language: Option<&LanguageTag>,
    ) -> Result<Vec<Existing>, SystemError> {
        let write = self.place_type(kind)?;
        let place = write.fill(key, self.code(language)?.as_deref());
        let stored = self.store.get(kind, &place).await?;
        stored.map(|stored| self.existing(kind, write, &place, stored)).into_iter().collect()
    }

    async fn read(&self, kind: &TypeName, id: &EntryId) -> Result<Option<Existing>, SystemError> {
        let write = self.place_type(kind)?;
        let stored = self.store.get(kind, id.as_str()).await?;
        stored.map(|stored| self.existing(kind, write, id.as_str(), stored)).transpose()
    }

    fn request(&self, kind: &TypeName, order: &Order) -> Result<Request, SystemError> {
        let write = self.place_type(kind)?;
        let within = |members: &Map<String, Json>, id: &EntryId| {
            let request = self.store.request(kind, id.as_str(), Some(members))?;
            Ok(Request { within_whole: true, ..request })
        };
        match order {
            Order::Create { .. } => {
                let (place, members) = self.new_document(write, order)?;
                self.store.request(kind, &place, Some(&members))
            }
            Order::Update { id, fields, language, .. } => within(&self.members(write, fields, language.as_ref())?, id),
            Order::Withdraw { id, .. } => match &write.withdraw {
                Some(members) => within(members, id),
                None => Err(self.content(id.as_str(), format!("the profile has no `withdraw` for `{kind}`"))),
            },
            Order::Delete { id, .. } => self.store.request(kind, id.as_str(), None),
            Order::Show { id, .. } => Err(self.nothing_unseen(id)),
        }
    }

    async fn write(&self, kind: &TypeName, order: &Order, _: &str) -> Result<Written, SystemError> {
        let write = self.place_type(kind)?;
        match order {
            Order::Create { .. } => {
                let (place, document) = self.new_document(write, order)?;
                let kept = self.store.put(kind, &place, document, Base::Absent).await?;
                self.written(kind, write, &place, kept, 201)
            }
            Order::Update { id, revision, fields, language } => {
                let put = |document: &mut _| self.put_members(write, fields, language.as_ref(), document);
                self.change(kind, write, (id, revision.as_ref()), put).await
            }
            Order::Withdraw { id, revision } => {
                let put = |document: &mut Map<String, Json>| {
                    document.extend(write.withdraw.clone().unwrap_or_default());
                    Ok(())
                };
                self.change(kind, write, (id, revision.as_ref()), put).await
            }
            Order::Delete { id, revision } => {
                let Some((_, now)) = self.store.get(kind, id.as_str()).await? else {
                    return Err(self.store.error(id.as_str(), ErrorKind::NotFound));
                };
                if revision.as_ref().is_some_and(|base| *base != now) {
                    let kind = ErrorKind::Differs { status: 412, message: String::new() };
                    return Err(self.store.error(id.as_str(), kind));
                }
                self.store.remove(kind, id.as_str(), &now).await?;
                let presence = Presence::Deleted;
                Ok(Written { id: Some(id.clone()), item: None, revision: None, fields: None, presence, status: 204 })
            }
            Order::Show { id, .. } => Err(self.nothing_unseen(id)),
        }
    }

    fn asset_fetcher(&self, kind: &TypeName) -> Option<Result<Fetcher, SystemError>> {
        let wanted = self.profile.places(kind)?.assets.clone()?;
        Some(Fetcher::new(self.store.system().clone(), self.store.limits().clone(), wanted))
    }

    async fn deliver_asset(&self, _: &TypeName, asset: &Asset) -> Result<EntryId, SystemError> {
        let place = self.store.keep_asset(asset).await?;
        EntryId::new(place).map_err(|error| self.content("", error.to_string()))
    }

    async fn kept_asset(&self, id: &EntryId) -> Result<Option<Vec<u8>>, SystemError> {
        self.store.kept_asset(id.as_str()).await
    }

    async fn make(&self, _: &TypeName, lack: &Lack) -> Result<(), SystemError> {
        Err(self.content("", format!("{lack} needs no making here")))
    }

    async fn release_stale_lock(&self, _: &TypeName, id: &EntryId) -> Result<(), SystemError> {
        self.store.release_stale_lock(id.as_str()).await
    }
}

impl<S: KeyedStore> KeyedStoreWriter<S> {
    fn nothing_unseen(&self, id: &EntryId) -> SystemError {
        self.content(id.as_str(), "what is written here is on view")
    }

    fn new_document(&self, write: &PlaceType, order: &Order) -> Result<(String, Map<String, Json>), SystemError> {
        let Order::Create { fields, language, key, .. } = order else {
            return Err(self.content("", "only a new document has a new place"));
        };
        let Some(key) = key.as_deref().filter(|key| !key.is_empty()) else {
            return Err(self.content("", "a document without a key has no place"));
        };
        let code = self.code(language.as_ref())?;
        let members = self.members(write, fields, language.as_ref())?;
        Ok((write.fill(key, code.as_deref()), members))
    }
}
