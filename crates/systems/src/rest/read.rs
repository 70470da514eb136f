//! Reading a REST system.

use std::collections::BTreeSet;

use async_trait::async_trait;
use diaporos_core::change::{Fingerprint, fingerprint_bytes, fingerprint_texts};
use diaporos_core::intake::{CacheValidators, Incoming, Listing, later};
use diaporos_core::model::Model;
use diaporos_core::value::{EntryId, TypeName};
use url::Url;
use url::form_urlencoded::byte_serialize;

use super::asking::Asking;
use super::listing::{Pages, items_on};
use super::paging::{Answered, Turn};
use crate::decode::{Decoder, id_at};
use crate::elements::within_root;
use crate::http::{Answer, Client, Method, Request, join_url, shown_url};
use crate::languages::LanguageCodes;
use crate::profile::{Profile, ReadType};
use crate::query::scalar_text;
use crate::{Ask, ErrorKind, HttpSystem, ListingCapabilities, Page, PageContent, Read, SystemError};

/// Raised when items come to be read otherwise, so that unchanged pages are read anew.
const SCHEME: &str = "rest 1";

/// Reads a REST system by its profile.
#[derive(Debug)]
pub struct RestReader {
    client: Client,
    base: Url,
    profile: Profile,
    languages: LanguageCodes,
    /// What decides how a page is read, as a fingerprint.
    reading: Fingerprint,
}

impl RestReader {
    /// A reader with the credential for reading.
    ///
    /// # Errors
    /// Where TLS cannot be set up.
    pub fn new(system: HttpSystem) -> Result<Self, SystemError> {
        let client = system.client()?;
        let HttpSystem { url: base, profile, languages, .. } = system;
        let reading = fingerprint_texts([SCHEME, &profile.fingerprint().to_string(), &format!("{languages:?}")]);
        Ok(RestReader { client, base, profile, languages, reading })
    }

    fn read_type(&self, kind: &TypeName) -> Result<&ReadType, SystemError> {
        let error = |kind| SystemError { system: self.client.system().clone(), url: shown_url(&self.base), kind };
        self.profile.read_type(kind).map_err(error)
    }

    fn asking<'r>(&self, read: &'r ReadType, ask: Ask<'_>) -> Asking<'r> {
        let mut asking = Asking::new(self.joined(&read.list), read.search.as_ref());
        if let (Some(since), Some(moment)) = (&read.since, ask.since)
            && let Some(asked) = since.asks(moment)
        {
            asking.set(&since.parameter, asked);
        }
        read.paging.ask(asking, ask.cursor)
    }

    fn joined(&self, path: &str) -> Url {
        join_url(&self.base, path).unwrap_or_else(|_| self.base.clone())
    }

    fn pages(&self) -> Pages<'_> {
        Pages { client: &self.client, base: &self.base }
    }

    /// An entry at a path of its own, which must be that entry.
    async fn at_path(&self, path: &str, kind: &TypeName, id: &EntryId) -> Result<Option<Incoming>, SystemError> {
        let read = self.read_type(kind)?;
        let escaped: String = byte_serialize(id.as_str().as_bytes()).collect::<String>().replace('+', "%20");
        let request = self.pages().request(self.joined(&path.replace("{id}", &escaped)));
        let answer = match self.client.read(&request).await {
            Err(SystemError { kind: ErrorKind::NotFound | ErrorKind::GoneForGood, .. }) => return Ok(None),
            answer => answer?,
        };
        let wrong = |kind| self.client.error(&request, kind);
        let json = answer.json().map_err(wrong)?;
        let item = if read.elements { within_root(&json) } else { &json };
        let entry = self.decoder(kind, read).incoming(id.as_str(), item, item.to_string());
        let entry =
            entry.map_err(|problem| wrong(ErrorKind::Content(format!("{} {}", problem.item, problem.message))))?;
        if entry.id != *id {
            return Err(wrong(ErrorKind::Content(format!("it was asked for `{id}` and answers with `{}`", entry.id))));
        }
        Ok(Some(entry))
    }

    fn decoder<'a>(&'a self, kind: &TypeName, read: &'a ReadType) -> Decoder<'a> {
        let known = self.profile.types.get(kind);
        let fields = known.and_then(|known| known.fields.as_ref());
        Decoder { system: self.client.system(), languages: &self.languages, read, fields }
    }

    fn same(&self, answer: &Answer, known: Option<&CacheValidators>) -> Option<Page> {
        let known = known?;
        let same = answer.is_not_modified() || known.content == fingerprint_bytes("", &answer.body);
        same.then(|| Page::new(PageContent::Same, known.next.clone()))
    }
}

#[async_trait]
impl Read for RestReader {
    fn types(&self) -> Vec<TypeName> {
        self.profile.readable()
    }

    fn model(&self) -> &Model {
        self.profile.model()
    }

    fn first_requests(&self) -> Vec<Request> {
        let types = self.types();
        let ask = |kind| Ask { kind, cursor: None, since: None, now: jiff::Timestamp::UNIX_EPOCH, moved: None };
        types
            .iter()
            .filter_map(|kind| {
                let asking = self.asking(self.read_type(kind).ok()?, ask(kind));
                let request = self.pages().request(asking.url.clone());
                asking.finish(request).ok()
            })
            .collect()
    }

    fn client(&self) -> Option<&Client> {
        Some(&self.client)
    }

    fn capabilities(&self, kind: &TypeName) -> ListingCapabilities {
        let Ok(read) = self.read_type(kind) else { return ListingCapabilities::plain(Listing::Window) };
        ListingCapabilities {
            listing: if read.absent_is_gone { Listing::Complete } else { Listing::Window },
            items_move: read.paging.has_pages(),
            pages_apart: false,
            parts: read.languages.parts(&self.languages),
            since: read.since.is_some(),
            whole_every: read.since.as_ref().and_then(|since| since.whole_every),
            items_hold_entries: read.each.is_some(),
            repeated_is_end: read.paging.ends.repeated && read.paging.goes_by_number(),
            total_is_end: read.paging.ends.total,
            detail: read.detail.is_some(),
            deleted: read.deleted.is_some(),
        }
    }

    fn page_key(&self, ask: Ask<'_>) -> String {
        // A mark made with another profile says nothing of how this one reads the page.
        let asking = self.read_type(ask.kind).ok().map(|read| self.asking(read, ask));
        let (url, said) = asking.map(|asking| (shown_url(&asking.url), asking.said())).unwrap_or_default();
        format!("{url} {said}{}", self.reading)
    }

    async fn page(&self, ask: Ask<'_>, known: Option<&CacheValidators>) -> Result<Page, SystemError> {
        let read = self.read_type(ask.kind)?;
        let request = self.pages().page(self.asking(read, ask))?;
        // A search is answered whole: a condition on it would be a refusal (RFC 9110 §13.1.2).
        let mark = known.filter(|_| request.method == Method::Get);
        let answer = match self.client.read(&request.clone().unless_known(mark)).await {
            // Past the last page there is none, which some say with an error.
            Err(error) if read.paging.ends_with(ask.cursor, &error) => return Ok(Page::nothing()),
            Err(error) => return Err(self.pages().without_credential(error, &request)),
            Ok(answer) => answer,
        };
        if let Some(page) = self.same(&answer, known) {
            return Ok(page);
        }
        let wrong = |kind| self.client.error(&request, kind);
        let json = answer.json().map_err(wrong)?;
        let (cursor, url, is_increment) = (ask.cursor, &request.url, ask.since.is_some());
        let page = Answered { cursor, url, answer: &answer, json: &json, items: 0, is_increment };
        let (items, turn) = items_on(&read.items, &read.paging, page).map_err(wrong)?;
        let Turn { next, counts, doubt } = turn;
        let (entries, problems) = self.decoder(ask.kind, read).entries(&json);
        let mark = answer.mark(fingerprint_bytes("", &answer.body), next.clone(), counts);
        let moments = read.since.iter().flat_map(|since| items.iter().filter_map(|item| since.at.first(item)));
        let newest = moments.filter_map(scalar_text).fold(None, |newest, moment| Some(later(newest, moment)));
        let note = answer
            .moved
            .as_ref()
            .map(|url| format!("it has moved for good to {}; change the system's `url`", shown_url(url)));
        Ok(Page { content: PageContent::Entries { entries, problems, mark }, next, doubt, newest, note, moved: None })
    }

    fn reads_one(&self, kind: &TypeName) -> bool {
        // Several entries of an item, and languages of an entry, are known from the listing alone.
        let Ok(read) = self.read_type(kind) else { return false };
        read.one_path().is_some() && read.each.is_none() && read.languages.parts(&self.languages).is_none()
    }

    async fn one(&self, kind: &TypeName, id: &EntryId) -> Result<Option<Incoming>, SystemError> {
        match self.read_type(kind)?.one_path() {
            Some(path) => self.at_path(path, kind, id).await,
            None => Ok(None),
        }
    }

    async fn detail(&self, kind: &TypeName, id: &EntryId) -> Result<Option<Incoming>, SystemError> {
        match &self.read_type(kind)?.detail {
            Some(path) => self.at_path(path, kind, id).await,
            None => Ok(None),
        }
    }

    async fn deleted(&self, kind: &TypeName, since: Option<&str>) -> Result<Vec<EntryId>, SystemError> {
        let read = self.read_type(kind)?;
        let Some(deleted) = &read.deleted else { return Ok(Vec::new()) };
        let mut asking = Asking::new(self.joined(&deleted.list), deleted.search.as_ref());
        if let (Some(since), Some(moment)) = (&read.since, since)
            && let Some(asked) = since.asks(moment)
        {
            asking.set(&since.parameter, asked);
        }
        let paging = deleted.paging.as_ref().unwrap_or(&read.paging);
        let mut cursor: Option<String> = None;
        let mut ids = Vec::new();
        let mut visited = BTreeSet::new();
        loop {
            let asked = paging.ask(asking.clone(), cursor.as_deref());
            let request = self.pages().request(asked.url.clone());
            let request = asked.finish(request.clone()).map_err(|kind| self.client.error(&request, kind))?;
            let answer = match self.client.read(&request).await {
                Err(error) if paging.ends_with(cursor.as_deref(), &error) => return Ok(ids),
                answer => answer?,
            };
            let wrong = |kind| self.client.error(&request, kind);
            let json = answer.json().map_err(wrong)?;
            deleted.items.is_a_listing(&json).map_err(|message| wrong(ErrorKind::Content(message)))?;
            let items = deleted.items.all(&json);
            for item in &items {
                ids.push(id_at(&deleted.id, item).map_err(|message| wrong(ErrorKind::Content(message)))?);
            }
            let (url, is_increment) = (&request.url, since.is_some());
            let cursor_now = cursor.as_deref();
            let page =
                Answered { cursor: cursor_now, url, answer: &answer, json: &json, items: items.len(), is_increment };
            match paging.turn(page).next {
                Some(next) if visited.insert(next.clone()) => cursor = Some(next),
                _ => return Ok(ids),
            }
        }
    }
}
