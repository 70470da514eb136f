//! Kind `graphql`: a query file asks for exactly the fields needed. Reading only.

mod errors;
mod introspect;

use async_trait::async_trait;
use diaporos_core::change::{Fingerprint, fingerprint_bytes, fingerprint_texts};
use diaporos_core::intake::{Listing, PageMark};
use diaporos_core::model::Model;
use diaporos_core::value::{SystemName, TypeName};
use indexmap::IndexMap;
use serde_json::{Map, Value as Json, json};
use url::Url;

use crate::decode::{Decoder, LanguageCodes};
use crate::http::{Body, Client, Credential, Limits, Method, Request, shown_url};
use crate::profile::{Paging, Profile, ReadType, Style, scalar_text};
use crate::{Ask, ErrorKind, Manner, Page, PageContent, PartManner, Problem, Read, SystemError};
use errors::AnswerErrors;

/// Raised when answers come to be read otherwise, so that unchanged ones are read anew.
const SCHEME: &str = "graphql 1";

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
    pub fn new(
        system: SystemName,
        url: Url,
        profile: Profile,
        queries: IndexMap<String, String>,
        languages: LanguageCodes,
        credential: Option<Credential>,
        limits: Limits,
    ) -> Result<Self, SystemError> {
        let languages_text = format!("{languages:?}");
        let mut texts = vec![SCHEME.to_owned(), profile.fingerprint().to_string(), languages_text];
        texts.extend(queries.values().cloned());
        let reading = fingerprint_texts(texts.iter().map(String::as_str));
        Ok(GraphqlReader {
            client: Client::new(system, limits, credential)?,
            url,
            profile,
            queries,
            languages,
            reading,
        })
    }

    fn read_type(&self, kind: &TypeName) -> Result<&ReadType, SystemError> {
        let error = |kind| SystemError { system: self.client.system().clone(), url: shown_url(&self.url), kind };
        self.profile.read_type(kind).map_err(error)
    }

    fn request(&self, read: &ReadType, cursor: Option<&str>) -> Request {
        let mut variables: Map<String, Json> = read.variables.clone();
        if let Some(size) = &read.paging.size {
            variables.insert(size.parameter.clone(), size.items.into());
        }
        if let (Style::Connection { variable, .. }, Some(cursor)) = (&read.paging.style, cursor) {
            variables.insert(variable.clone(), cursor.into());
        }
        let query = self.queries.get(&read.list).map(String::as_str).unwrap_or_default();
        let mut request = self.client.request(Method::Post, self.url.clone());
        request.body = Some(Body::json(json!({ "query": query, "variables": variables })));
        request
    }
}

/// Where a connection goes on: it is followed while it says that there is more, and never counted.
fn next(paging: &Paging, answer: &Json) -> Option<String> {
    let Style::Connection { at, .. } = &paging.style else { return None };
    let info = at.first(answer)?;
    let more = info.get("hasNextPage").and_then(Json::as_bool).unwrap_or(false);
    info.get("endCursor").filter(|_| more).and_then(scalar_text)
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
        types.iter().filter_map(|kind| Some(self.request(self.read_type(kind).ok()?, None))).collect()
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

    fn manner(&self, kind: &TypeName) -> Manner {
        let Ok(read) = self.read_type(kind) else { return Manner::plain(Listing::Window) };
        let listing = if read.absent_is_gone { Listing::Complete } else { Listing::Window };
        let parts = read.parts.as_ref().map(|parts| PartManner { main: parts.main.clone() });
        Manner { parts, items_move: read.paging.has_pages(), ..Manner::plain(listing) }
    }

    fn place(&self, ask: Ask<'_>) -> String {
        format!("{} {} {} {}", shown_url(&self.url), ask.kind, ask.cursor.unwrap_or_default(), self.reading)
    }

    async fn page(&self, ask: Ask<'_>, known: Option<&PageMark>) -> Result<Page, SystemError> {
        let read = self.read_type(ask.kind)?;
        let request = self.request(read, ask.cursor);
        let answer = self.client.read(&request).await?;
        let content = fingerprint_bytes("", &answer.body);
        if let Some(known) = known.filter(|known| known.content == content) {
            return Ok(Page::new(PageContent::Same, known.next.clone()));
        }
        let wrong = |kind| self.client.error(&request, kind);
        let json = answer.json().map_err(wrong)?;
        let errors = AnswerErrors::read(&json);
        if json.get("data").is_none_or(Json::is_null) {
            let said = errors.first().unwrap_or("it has neither `data` nor `errors`");
            return Err(wrong(ErrorKind::Content(format!("the query was not answered: {said}"))));
        }
        let fields = self.profile.types.get(ask.kind).and_then(|known| known.fields.as_ref());
        let decoder = Decoder { system: self.client.system(), languages: &self.languages, read, fields };
        let (mut entries, mut problems) = decoder.entries(&json);
        // What a faulty item lacks is not known: its entry stays as it was.
        for (item, message) in errors.of_items(&json, &read.items) {
            let id = decoder.incoming("", &item, String::new()).map(|entry| entry.id);
            entries.retain(|entry| id.as_ref() != Ok(&entry.id));
            problems.push(Problem { item: id.map_or_else(|problem| problem.item, |id| id.to_string()), message });
        }
        if let Some(message) = errors.elsewhere(&json, &read.items) {
            return Err(wrong(ErrorKind::Content(format!("the query was answered in part: {message}"))));
        }
        let next = next(&read.paging, &json);
        if next.is_some() && next.as_deref() == ask.cursor {
            let message = format!("the page names itself as the next (`{}`)", ask.cursor.unwrap_or_default());
            return Err(wrong(ErrorKind::Content(message)));
        }
        let mark = answer.mark(content, next.clone());
        let total = read.paging.total(&json);
        Ok(Page { total, ..Page::new(PageContent::Entries { entries, problems, mark }, next) })
    }
}
