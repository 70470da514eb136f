//! Reading a REST system.

use async_trait::async_trait;
use diaporos_core::change::{Fingerprint, fingerprint_bytes, fingerprint_texts};
use diaporos_core::intake::{Incoming, Listing, PageMark};
use diaporos_core::model::Model;
use diaporos_core::value::{SystemName, TypeName};
use serde_json::Value as Json;
use url::Url;

use super::decode::Decoder;
use super::profile::ReadType;
use super::{LanguageCodes, Profile};
use crate::http::{Answer, Client, Credential, Limits, Method, Request, join_url, shown_url};
use crate::{ErrorKind, Page, PageContent, Problem, Read, SystemError};

/// Raised when items come to be read otherwise, so that unchanged pages are read anew.
const SCHEME: &str = "rest 1";

/// Reads a REST system by its profile.
#[derive(Debug)]
pub struct RestReader {
    client: Client,
    base: Url,
    profile: Profile,
    languages: LanguageCodes,
    credential: Option<Credential>,
    /// What decides how a page is read, as a fingerprint.
    reading: Fingerprint,
}

impl RestReader {
    /// A reader with the credential for reading.
    ///
    /// # Errors
    /// Where TLS cannot be set up.
    pub fn new(
        system: SystemName,
        base: Url,
        profile: Profile,
        languages: LanguageCodes,
        credential: Option<Credential>,
        limits: Limits,
    ) -> Result<Self, SystemError> {
        let reading = fingerprint_texts([SCHEME, &profile.fingerprint().to_string(), &format!("{languages:?}")]);
        Ok(RestReader { client: Client::new(system, limits)?, base, profile, languages, credential, reading })
    }

    fn read_type(&self, kind: &TypeName) -> Result<&ReadType, SystemError> {
        self.profile.types.get(kind).and_then(|known| known.read.as_ref()).ok_or_else(|| SystemError {
            system: self.client.system().clone(),
            url: shown_url(&self.base),
            kind: ErrorKind::Content(format!("the profile does not say how to read `{kind}`")),
        })
    }

    fn url(&self, read: &ReadType, cursor: Option<&str>) -> Url {
        let mut url = join_url(&self.base, &read.list).unwrap_or_else(|_| self.base.clone());
        read.paging.address(&mut url, cursor);
        url
    }

    fn entries(&self, kind: &TypeName, read: &ReadType, answer: &Json) -> (Vec<Incoming>, Vec<Problem>, usize) {
        let known = self.profile.types.get(kind);
        let fields = known.and_then(|known| known.fields.as_ref());
        let decoder = Decoder { system: self.client.system(), languages: &self.languages, read, fields };
        let items = read.items.all(answer);
        let (mut entries, mut problems) = (Vec::with_capacity(items.len()), Vec::new());
        for (place, item) in items.iter().enumerate() {
            match decoder.incoming(place, item) {
                Ok(entry) => entries.push(entry),
                Err(problem) => problems.push(problem),
            }
        }
        (entries, problems, items.len())
    }

    /// An answer without the array of items is not an empty listing.
    fn looks_like_a_listing(read: &ReadType, answer: &Json) -> Result<(), ErrorKind> {
        let array = read.items.as_str().strip_suffix("[*]");
        let is_there = match array {
            Some(array) => serde_json_path::JsonPath::parse(array)
                .is_ok_and(|path| path.query(answer).all().iter().any(|found| found.is_array())),
            None => true,
        };
        if is_there {
            return Ok(());
        }
        Err(ErrorKind::Content(format!(
            "the answer is JSON, and there is no list of items at `{}`",
            array.unwrap_or_default()
        )))
    }

    fn same(&self, answer: &Answer, known: Option<&PageMark>) -> Option<Page> {
        let known = known?;
        let same = answer.is_not_modified() || known.content == fingerprint_bytes("", &answer.body);
        same.then(|| Page { content: PageContent::Same, next: known.next.clone() })
    }
}

#[async_trait]
impl Read for RestReader {
    fn types(&self) -> Vec<TypeName> {
        self.profile.types.iter().filter(|(_, known)| known.read.is_some()).map(|(kind, _)| kind.clone()).collect()
    }

    fn model(&self) -> &Model {
        self.profile.model()
    }

    fn listing(&self, _: &TypeName) -> Listing {
        Listing::Complete
    }

    fn place(&self, kind: &TypeName, cursor: Option<&str>) -> String {
        // A mark made with another profile says nothing of how this one reads the page.
        let url = self.read_type(kind).map_or(String::new(), |read| shown_url(&self.url(read, cursor)));
        format!("{url} {}", self.reading)
    }

    async fn page(&self, kind: &TypeName, cursor: Option<&str>, known: Option<&PageMark>) -> Result<Page, SystemError> {
        let read = self.read_type(kind)?;
        let request = Request::new(Method::Get, self.url(read, cursor)).credential(self.credential.as_ref());
        let conditional = request.clone().unless_known(known);
        let answer = self.client.read(&conditional).await?;
        if let Some(page) = self.same(&answer, known) {
            return Ok(page);
        }
        let wrong = |kind| self.client.error(&request, kind);
        let json = answer.json().map_err(wrong)?;
        Self::looks_like_a_listing(read, &json).map_err(wrong)?;
        let (entries, problems, items) = self.entries(kind, read, &json);
        let next = read.paging.next(cursor, &json, items);
        if next.is_some() && next.as_deref() == cursor {
            return Err(wrong(ErrorKind::Content(format!(
                "the page names itself as the next (`{}`)",
                cursor.unwrap_or_default()
            ))));
        }
        let content = fingerprint_bytes("", &answer.body);
        let mark = PageMark { etag: answer.etag, last_modified: answer.last_modified, content, next: next.clone() };
        Ok(Page { content: PageContent::Entries { entries, problems, mark }, next })
    }
}
