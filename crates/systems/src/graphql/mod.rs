//! Kind `graphql`: a query file asks for exactly the fields needed. It is written by operations, as `operation`
//! has them, which are calls to the writer of kind `rest`.

mod introspect;
mod kind;

pub use kind::Graphql;

use std::collections::BTreeSet;

use async_trait::async_trait;
use diaporos_core::change::{Fingerprint, fingerprint_bytes, fingerprint_texts};
use diaporos_core::intake::{CacheValidators, Incoming, Listing, PageCounts, later};
use diaporos_core::model::Model;
use diaporos_core::value::{EntryId, TypeName};
use indexmap::IndexMap;
use serde_json::{Map, Value as Json, json};
use url::Url;

use crate::decode::{Decoder, id_at};
use crate::http::{Answer, Body, Client, Method, Request, shown_url};
use crate::languages::LanguageCodes;
use crate::operation::AnswerErrors;
use crate::profile::{DetailQuery, Paging, Profile, ReadType};
use crate::query::{Query, scalar_text};
use crate::{Ask, ErrorKind, HttpSystem, ListingCapabilities, Page, PageContent, Problem, Read, SystemError};

/// Raised when answers come to be read otherwise, so that unchanged ones are read anew.
const SCHEME: &str = "graphql 2";

/// Reads a GraphQL system by its profile and queries.
#[derive(Debug)]
pub struct GraphqlReader {
    client: Client,
    url: Url,
    profile: Profile,
    /// The text of each query file that the profile names.
    queries: IndexMap<String, String>,
    languages: LanguageCodes,
    reading: Fingerprint,
}

impl GraphqlReader {
    /// A reader with the credential for reading.
    ///
    /// # Errors
    /// Where TLS cannot be set up.
    pub fn new(system: HttpSystem, queries: IndexMap<String, String>) -> Result<Self, SystemError> {
        let client = system.client()?;
        let HttpSystem { url, profile, languages, .. } = system;
        let mut texts = vec![SCHEME.to_owned(), profile.fingerprint().to_string(), format!("{languages:?}")];
        texts.extend(queries.values().cloned());
        let reading = fingerprint_texts(texts.iter().map(String::as_str));
        Ok(GraphqlReader { client, url, profile, queries, languages, reading })
    }

    fn read_type(&self, kind: &TypeName) -> Result<&ReadType, SystemError> {
        let error = |kind| SystemError { system: self.client.system().clone(), url: shown_url(&self.url), kind };
        self.profile.read_type(kind).map_err(error)
    }

    /// The request for a page. `since` is a moment from which changes are asked for.
    fn request(&self, read: &ReadType, cursor: Option<&str>, since: Option<&str>) -> Request {
        let mut variables = read.variables.clone();
        if let (Some(known), Some(moment)) = (&read.since, since)
            && let Some(asked) = known.asks(moment)
        {
            variables.insert(known.parameter.clone(), asked);
        }
        self.query(&read.list, &read.paging, variables, cursor)
    }

    fn query(&self, file: &str, paging: &Paging, mut variables: Map<String, Json>, cursor: Option<&str>) -> Request {
        paging.put_variables(&mut variables, cursor);
        let query = self.queries.get(file).map(String::as_str).unwrap_or_default();
        let mut request = self.client.request(Method::Post, self.url.clone());
        request.body = Some(Body::json(json!({ "query": query, "variables": variables })));
        request
    }

    /// The answer to a query, with the errors in it.
    async fn answer(&self, request: &Request) -> Result<(Answer, Json, AnswerErrors), SystemError> {
        let answer = self.client.read(request).await?;
        let wrong = |kind| self.client.error(request, kind);
        let json = answer.json().map_err(wrong)?;
        let errors = AnswerErrors::read(&json);
        if json.get("data").is_none_or(Json::is_null) {
            let said = errors.first().unwrap_or("it has neither `data` nor `errors`");
            return Err(wrong(ErrorKind::Content(format!("the query was not answered: {said}"))));
        }
        Ok((answer, json, errors))
    }
}

#[async_trait]
impl Read for GraphqlReader {
    fn types(&self) -> Vec<TypeName> {
        self.profile.readable()
    }

    fn model(&self) -> &Model {
        self.profile.model()
    }

    fn first_requests(&self) -> Vec<Request> {
        let types = self.types();
        types.iter().filter_map(|kind| Some(self.request(self.read_type(kind).ok()?, None, None))).collect()
    }

    fn client(&self) -> Option<&Client> {
        Some(&self.client)
    }

    async fn described(&self) -> Result<Option<Model>, SystemError> {
        let mut request = self.client.request(Method::Post, self.url.clone());
        request.body = Some(Body::json(json!({ "query": introspect::QUERY })));
        let answer = self.client.read(&request).await?;
        let json = answer.json().map_err(|kind| self.client.error(&request, kind))?;
        match introspect::model(&json) {
            Some(model) => Ok(Some(model)),
            None => {
                let errors = AnswerErrors::read(&json);
                let said = errors.first().unwrap_or("the answer has no schema");
                Err(self.client.error(&request, ErrorKind::Content(format!("it does not describe itself: {said}"))))
            }
        }
    }

    fn capabilities(&self, kind: &TypeName) -> ListingCapabilities {
        let Ok(read) = self.read_type(kind) else { return ListingCapabilities::plain(Listing::Window) };
        let listing = if read.absent_is_gone { Listing::Complete } else { Listing::Window };
        let parts = read.languages.parts(&self.languages);
        ListingCapabilities {
            parts,
            items_move: read.paging.has_pages(),
            since: read.since.is_some(),
            whole_every: read.since.as_ref().and_then(|since| since.whole_every),
            items_hold_entries: read.each.is_some(),
            deleted: read.deleted.is_some(),
            detail: read.detail_query.is_some(),
            ..ListingCapabilities::plain(listing)
        }
    }

    fn page_key(&self, ask: Ask<'_>) -> String {
        let (cursor, since) = (ask.cursor.unwrap_or_default(), ask.since.unwrap_or_default());
        format!("{} {} {cursor} {since} {}", shown_url(&self.url), ask.kind, self.reading)
    }

    async fn page(&self, ask: Ask<'_>, known: Option<&CacheValidators>) -> Result<Page, SystemError> {
        let read = self.read_type(ask.kind)?;
        let request = self.request(read, ask.cursor, ask.since);
        let (answer, json, errors) = self.answer(&request).await?;
        let content = fingerprint_bytes("", &answer.body);
        if let Some(known) = known.filter(|known| known.content == content) {
            return Ok(Page::new(PageContent::Same, known.next.clone()));
        }
        let wrong = |kind| self.client.error(&request, kind);
        read.items.is_a_listing(&json).map_err(|message| wrong(ErrorKind::Content(message)))?;
        let fields = self.profile.types.get(ask.kind).and_then(|known| known.fields.as_ref());
        let decoder = Decoder { system: self.client.system(), languages: &self.languages, read, fields };
        let (mut entries, mut problems) = decoder.entries(&json);
        // What a faulty item lacks is not known: its entry stays as it was.
        for (item, place, message) in errors.of_items(&json, &read.items) {
            let told = format!("{message} (at `{place}`, page {})", ask.cursor.unwrap_or("1"));
            match decoder.incoming(&place, &item, String::new()) {
                Ok(entry) => {
                    entries.retain(|known| known.id != entry.id);
                    problems.push(Problem::of(&entry.id, told));
                }
                Err(problem) => {
                    // It was counted already, with less to say.
                    let named = problem.id.is_some();
                    let item = if named { problem.item } else { item_at(&read.items, &json, &place) };
                    problems.retain(|known| known.item != item);
                    problems.push(Problem { item, id: problem.id, message: told });
                }
            }
        }
        // Any other error may have kept items from us, and those that came are good all the same.
        let mut doubt =
            errors.elsewhere(&json, &read.items).map(|said| format!("the query was answered in part: {said}"));
        let next = read.paging.next_of_connection(&json).unwrap_or_else(|message| {
            doubt.get_or_insert(message);
            None
        });
        if next.is_some() && next.as_deref() == ask.cursor {
            let message = format!("the page names itself as the next (`{}`)", ask.cursor.unwrap_or_default());
            return Err(wrong(ErrorKind::Content(message)));
        }
        let found = read.items.all(&json);
        let counts = PageCounts { items: found.len() as u64, total: read.paging.total(&json), pages: None };
        let mark = answer.mark(content, next.clone(), counts);
        let moments = read.since.iter().flat_map(|since| found.iter().filter_map(|item| since.at.first(item)));
        let newest = moments.filter_map(scalar_text).fold(None, |newest, moment| Some(later(newest, moment)));
        Ok(Page { doubt, newest, ..Page::new(PageContent::Entries { entries, problems, mark }, next) })
    }

    fn reads_one(&self, kind: &TypeName) -> bool {
        // Several entries of an item, and languages of an entry, are known from the listing alone.
        let Ok(read) = self.read_type(kind) else { return false };
        read.detail_query.is_some() && read.each.is_none() && read.languages.parts(&self.languages).is_none()
    }

    async fn detail(&self, kind: &TypeName, id: &EntryId) -> Result<Option<Incoming>, SystemError> {
        let read = self.read_type(kind)?;
        let Some(DetailQuery { file, document }) = &read.detail_query else { return Ok(None) };
        let variables = Map::from_iter([("id".to_owned(), Json::String(id.to_string()))]);
        let request = self.query(file, &Paging::NONE, variables, None);
        let (_, json, errors) = self.answer(&request).await?;
        let wrong = |message: String| self.client.error(&request, ErrorKind::Content(message));
        if let Some(said) = errors.first() {
            return Err(wrong(format!("the query for `{id}` was answered in part: {said}")));
        }
        let Some(item) = document.first(&json) else { return Ok(None) };
        let fields = self.profile.types.get(kind).and_then(|known| known.fields.as_ref());
        let decoder = Decoder { system: self.client.system(), languages: &self.languages, read, fields };
        let entry = decoder.incoming(id.as_str(), item, item.to_string());
        let entry = entry.map_err(|problem| wrong(format!("{} {}", problem.item, problem.message)))?;
        if entry.id != *id {
            return Err(wrong(format!("it was asked for `{id}` and answers with `{}`", entry.id)));
        }
        Ok(Some(entry))
    }

    async fn deleted(&self, kind: &TypeName, since: Option<&str>) -> Result<Vec<EntryId>, SystemError> {
        let read = self.read_type(kind)?;
        let Some(deleted) = &read.deleted else { return Ok(Vec::new()) };
        let alone = Paging::NONE;
        let paging = deleted.paging.as_ref().unwrap_or(&alone);
        let mut variables = Map::new();
        if let (Some(known), Some(moment)) = (&read.since, since)
            && let Some(asked) = known.asks(moment)
        {
            variables.insert(known.parameter.clone(), asked);
        }
        let (mut ids, mut cursor, mut visited) = (Vec::new(), None::<String>, BTreeSet::new());
        loop {
            let request = self.query(&deleted.list, paging, variables.clone(), cursor.as_deref());
            let wrong = |message| self.client.error(&request, ErrorKind::Content(message));
            let (_, json, _) = self.answer(&request).await?;
            deleted.items.is_a_listing(&json).map_err(wrong)?;
            for item in deleted.items.all(&json) {
                ids.push(id_at(&deleted.id, item).map_err(wrong)?);
            }
            match paging.next_of_connection(&json).map_err(wrong)? {
                Some(next) if visited.insert(next.clone()) => cursor = Some(next),
                _ => return Ok(ids),
            }
        }
    }
}

/// What an item is called that stands at a place and does not say which it is.
fn item_at(items: &Query, json: &Json, place: &str) -> String {
    let number = items.pointers(json).iter().position(|known| known == place);
    number.map_or_else(String::new, |number| format!("item {}", number + 1))
}
