//! Reading a document database by its changes.

use async_trait::async_trait;
use diaporos_core::change::fingerprint_bytes;
use diaporos_core::intake::{CacheValidators, Listing, PageCounts};
use diaporos_core::model::Model;
use diaporos_core::value::{EntryId, TypeName};
use serde_json::{Map, Value as Json};

use super::Database;
use crate::decode::Decoder;
use crate::http::{Client, Method, Request};
use crate::languages::LanguageCodes;
use crate::profile::{Profile, ReadType};
use crate::{Ask, ErrorKind, HttpSystem, ListingCapabilities, Page, PageContent, Read, SystemError};

/// Changes of one page.
const CHANGES_A_PAGE: usize = 200;

/// Reads a database's documents by a profile.
#[derive(Debug)]
pub struct DocstoreReader {
    database: Database,
    profile: Profile,
    languages: LanguageCodes,
}

/// A page of changes.
struct Changes {
    results: Vec<Json>,
    /// The mark of the last, exactly as it was given.
    last: String,
}

impl DocstoreReader {
    /// A reader of a database at that address.
    ///
    /// # Errors
    /// Where TLS cannot be set up.
    pub fn new(system: HttpSystem) -> Result<DocstoreReader, SystemError> {
        let database = Database { client: system.client()?, base: system.url };
        Ok(DocstoreReader { database, profile: system.profile, languages: system.languages })
    }

    fn read_type(&self, kind: &TypeName) -> Result<&ReadType, SystemError> {
        self.profile.read_type(kind).map_err(|kind| self.database.error("", kind))
    }

    fn asking(&self, since: Option<&str>, with_documents: bool) -> Result<Request, SystemError> {
        let mut url = self.database.url(&["_changes"])?;
        {
            let mut query = url.query_pairs_mut();
            query.append_pair("limit", &CHANGES_A_PAGE.to_string());
            if with_documents {
                query.append_pair("include_docs", "true");
            }
            if let Some(since) = since {
                query.append_pair("since", since);
            }
        }
        Ok(self.database.client.request(Method::Get, url))
    }

    async fn changes(&self, since: Option<&str>, with_documents: bool) -> Result<Changes, SystemError> {
        let request = self.asking(since, with_documents)?;
        let answer = self.database.client.read(&request).await?;
        let mut members = self.database.object(&request, &answer)?;
        let wrong =
            |what: &str| self.database.client.error(&request, ErrorKind::Content(format!("the answer has no {what}")));
        let Some(Json::Array(results)) = members.remove("results") else { return Err(wrong("list of `results`")) };
        let last = members
            .get("last_seq")
            .or_else(|| results.last()?.get("seq"))
            .map(mark)
            .ok_or_else(|| wrong("`last_seq`"))?;
        Ok(Changes { results, last })
    }

    /// A mark's change, and the database that it is of.
    fn parted(mark: &str) -> (&str, &str) {
        mark.rsplit_once(' ').unwrap_or((mark, ""))
    }

    /// What the database says of itself that another of the same name does not; nothing where it says
    /// nothing, or not to us.
    async fn identity(&self) -> Result<String, SystemError> {
        let about = self.about().await?;
        let told = ["instance_start_time", "uuid"].iter().filter_map(|name| about.get(*name)).map(mark);
        Ok(told.filter(|text| text != "0").collect::<Vec<_>>().join("-").replace(' ', "-"))
    }

    async fn about(&self) -> Result<Map<String, Json>, SystemError> {
        let request = self.database.client.request(Method::Get, self.database.base.clone());
        match self.database.client.read(&request).await {
            Ok(answer) => Ok(answer.json().ok().and_then(|json| json.as_object().cloned()).unwrap_or_default()),
            // Some may read the documents and not this.
            Err(error) if error.kind.status().is_some_and(|status| status < 500) => Ok(Map::new()),
            Err(error) => Err(error),
        }
    }

    async fn last_change(&self) -> Result<String, SystemError> {
        Ok(self.about().await?.get("update_seq").map(mark).unwrap_or_default())
    }

    /// Whether a document is of the type: it has the members that the profile asks for.
    fn is_of(read: &ReadType, document: &Json) -> bool {
        read.variables.iter().all(|(name, wanted)| document.get(name) == Some(wanted))
    }
}

/// A mark as it goes back: a text as it is, anything else as JSON.
fn mark(seq: &Json) -> String {
    seq.as_str().map_or_else(|| seq.to_string(), str::to_owned)
}

/// The number that a mark begins with: it grows with every change.
fn count(mark: &str) -> Option<u64> {
    let digits = mark.find(|c: char| !c.is_ascii_digit()).unwrap_or(mark.len());
    mark[..digits].parse().ok()
}

#[async_trait]
impl Read for DocstoreReader {
    fn types(&self) -> Vec<TypeName> {
        self.profile.readable()
    }

    fn model(&self) -> &Model {
        self.profile.model()
    }

    fn capabilities(&self, kind: &TypeName) -> ListingCapabilities {
        let Ok(read) = self.read_type(kind) else { return ListingCapabilities::plain(Listing::Window) };
        let parts = read.languages.parts(&self.languages);
        ListingCapabilities { parts, since: true, deleted: true, ..ListingCapabilities::plain(Listing::Complete) }
    }

    fn page_key(&self, ask: Ask<'_>) -> String {
        let (cursor, since) = (ask.cursor.unwrap_or_default(), ask.since.unwrap_or_default());
        format!("{} {cursor} {since} {}", ask.kind, self.profile.fingerprint())
    }

    async fn page(&self, ask: Ask<'_>, _: Option<&CacheValidators>) -> Result<Page, SystemError> {
        let read = self.read_type(ask.kind)?;
        let from = ask.cursor.or(ask.since.map(|since| Self::parted(since).0));
        let Changes { results, last } = self.changes(from, true).await?;
        let fields = self.profile.types.get(ask.kind).and_then(|known| known.fields.as_ref());
        let decoder = Decoder { system: self.database.system(), languages: &self.languages, read, fields };
        let (mut entries, mut problems) = (Vec::new(), Vec::new());
        for change in &results {
            let Some(document) = change.get("doc").filter(|document| Self::is_of(read, document)) else { continue };
            if change.get("deleted") == Some(&Json::Bool(true)) {
                continue;
            }
            let place = change.get("id").map_or_else(String::new, mark);
            match decoder.incoming(&place, document, document.to_string()) {
                Ok(mut entry) => {
                    if read.fields_at.is_none() && fields.is_none() {
                        entry.fields.retain(|name, _| !super::is_its_own(name));
                        entry.fingerprint = diaporos_core::change::fingerprint_record(&entry.fields);
                    }
                    entries.push(entry);
                }
                Err(problem) => problems.push(problem),
            }
        }
        let next = (results.len() >= CHANGES_A_PAGE && from != Some(last.as_str())).then(|| last.clone());
        let content = fingerprint_bytes("changes", last.as_bytes());
        let counts = PageCounts::default();
        let mark = CacheValidators { etag: None, last_modified: None, content, next: next.clone(), counts };
        let newest = match next {
            Some(_) => None,
            None => Some(format!("{last} {}", self.identity().await?).trim_end().to_owned()),
        };
        Ok(Page { newest, ..Page::new(PageContent::Entries { entries, problems, mark }, next) })
    }

    async fn begins_anew(&self, _: &TypeName, since: &str) -> Result<bool, SystemError> {
        let (since, known) = Self::parted(since);
        let now = self.identity().await?;
        if !known.is_empty() && !now.is_empty() && known != now {
            return Ok(true);
        }
        // A database that was put back counts on from an earlier change.
        let last = self.last_change().await?;
        Ok(count(since).zip(count(&last)).is_some_and(|(since, last)| last < since))
    }

    /// What was deleted, and what changed so that it is of the type no longer.
    async fn deleted(&self, kind: &TypeName, since: Option<&str>) -> Result<Vec<EntryId>, SystemError> {
        let read = self.read_type(kind)?;
        let mut ids = Vec::new();
        // A whole listing shows by itself what is of the type.
        let with_documents = since.is_some();
        let mut from = since.map(|since| Self::parted(since).0.to_owned());
        loop {
            let Changes { results, last } = self.changes(from.as_deref(), with_documents).await?;
            let left = results.iter().filter(|change| {
                let is_of = |document: &Json| Self::is_of(read, document);
                change.get("deleted") == Some(&Json::Bool(true))
                    || change.get("doc").is_some_and(|document| !is_of(document))
            });
            ids.extend(left.filter_map(|change| EntryId::new(change.get("id")?.as_str()?).ok()));
            if results.len() < CHANGES_A_PAGE || from.as_deref() == Some(last.as_str()) {
                return Ok(ids);
            }
            from = Some(last);
        }
    }

    fn first_requests(&self) -> Vec<Request> {
        self.asking(None, false).into_iter().collect()
    }

    fn client(&self) -> Option<&Client> {
        Some(&self.database.client)
    }
}
