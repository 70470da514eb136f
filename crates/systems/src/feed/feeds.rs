//! A system of feeds, read one document after the other.

use std::collections::HashMap;
use std::path::Path;
use std::sync::{Mutex, MutexGuard, PoisonError};

use async_trait::async_trait;
use diaporos_core::change::fingerprint_bytes;
use diaporos_core::intake::{CacheValidators, Listing, PageCounts};
use diaporos_core::model::Model;
use diaporos_core::value::{SystemName, TypeName};

use super::listing::{FeedListing, Place};
use super::model::{model, model_type};
use super::{FeedSource, ItemChoice};
use crate::http::{Answer, Client, Limits, Method, Request, shown_url};
use crate::{Ask, DocumentPlace, ErrorKind, ListingCapabilities, Page, PageContent, Read, SystemError};

/// Raised when items come to be read otherwise, so that unchanged feeds are read anew.
const SCHEME: &str = "feed 4";

/// A file as an answer, whole, up to so many bytes.
pub(crate) fn read_file(system: &SystemName, path: &Path, most: u64) -> Result<Answer, SystemError> {
    let error = |kind| SystemError { system: system.clone(), url: path.display().to_string(), kind };
    let unreadable = |cause: std::io::Error| error(ErrorKind::Unreachable(cause.to_string()));
    if std::fs::metadata(path).map_err(unreadable)?.len() > most {
        return Err(error(ErrorKind::TooLarge { limit: most }));
    }
    let body = std::fs::read(path).map_err(unreadable)?;
    Ok(Answer { status: 200, headers: Vec::new(), body, moved: None })
}

/// A system of one or more feeds.
#[derive(Debug)]
pub struct Feeds {
    client: Client,
    limits: Limits,
    sources: Vec<FeedSource>,
    kind: TypeName,
    listings: Mutex<HashMap<usize, FeedListing>>,
}

impl Feeds {
    /// A system of these feeds.
    ///
    /// # Errors
    /// Where TLS cannot be set up.
    pub fn new(system: SystemName, sources: Vec<FeedSource>, limits: Limits) -> Result<Self, SystemError> {
        let client = Client::new(system, limits.clone(), None)?;
        Ok(Feeds { client, limits, sources, kind: model_type().0, listings: Mutex::default() })
    }

    fn source(&self, cursor: Option<&str>) -> Option<(Place, &FeedSource)> {
        let place = Place::read(cursor)?;
        let source = self.sources.get(place.feed)?;
        Some((place, source))
    }

    fn listings(&self) -> MutexGuard<'_, HashMap<usize, FeedListing>> {
        self.listings.lock().unwrap_or_else(PoisonError::into_inner)
    }

    /// The address of a document: the feed's own, or the one that the document before led to.
    fn address(source: &FeedSource, place: &Place) -> DocumentPlace {
        place.url.clone().map_or_else(|| source.place.clone(), DocumentPlace::Web)
    }

    async fn answer(&self, place: &DocumentPlace, known: Option<&CacheValidators>) -> Result<Answer, SystemError> {
        let url = match place {
            DocumentPlace::Web(url) => url.clone(),
            DocumentPlace::File(path) => return read_file(self.client.system(), path, self.limits.max_bytes),
        };
        let request = Request::new(Method::Get, url).unless_known(known);
        self.client.read(&request).await
    }

    /// A page that is as it was: the feed goes on as it did then, or the next feed is read.
    fn as_before(&self, place: &Place, known: Option<&CacheValidators>) -> Page {
        // The number of feeds may have changed since the mark was made: only a page of this very
        // feed is believed.
        let own = known
            .and_then(|known| known.next.clone())
            .filter(|next| Place::read(Some(next)).is_some_and(|next| !next.is_start() && next.feed == place.feed));
        Page::new(PageContent::Same, own.or_else(|| self.feed_after(place)))
    }

    fn feed_after(&self, place: &Place) -> Option<String> {
        let feed = place.feed + 1;
        (feed < self.sources.len()).then(|| Place::start(feed).write())
    }
}

#[async_trait]
impl Read for Feeds {
    fn types(&self) -> Vec<TypeName> {
        vec![self.kind.clone()]
    }

    fn model(&self) -> &Model {
        model()
    }

    fn first_requests(&self) -> Vec<Request> {
        let web = self.sources.iter().filter_map(|source| match &source.place {
            DocumentPlace::Web(url) => Some(Request::new(Method::Get, url.clone())),
            DocumentPlace::File(_) => None,
        });
        web.collect()
    }

    fn client(&self) -> Option<&Client> {
        Some(&self.client)
    }

    fn capabilities(&self, _: &TypeName) -> ListingCapabilities {
        ListingCapabilities { pages_apart: true, ..ListingCapabilities::plain(Listing::Window) }
    }

    fn after(&self, cursor: Option<&str>) -> Option<String> {
        self.feed_after(&Place::read(cursor)?)
    }

    fn page_key(&self, ask: Ask<'_>) -> String {
        self.source(ask.cursor).map_or(String::new(), |(place, source)| {
            let mut key = match Self::address(source, &place) {
                DocumentPlace::Web(url) => shown_url(&url),
                DocumentPlace::File(path) => path.display().to_string(),
            };
            if place.part > 0 {
                key.push_str(&format!(" part {}", place.part + 1));
            }
            // A mark made for other wishes says nothing of how these read the feed.
            if source.wanted == ItemChoice::default() { key } else { format!("{key} {:?}", source.wanted) }
        })
    }

    async fn page(&self, ask: Ask<'_>, known: Option<&CacheValidators>) -> Result<Page, SystemError> {
        let Some((place, source)) = self.source(ask.cursor) else {
            let kind = ErrorKind::Content("there is no feed to read".to_owned());
            return Err(SystemError { system: self.client.system().clone(), url: String::new(), kind });
        };
        let mut listing = self.listings().remove(&place.feed).filter(|_| !place.is_start()).unwrap_or_default();
        let page = self.page_of(&mut listing, source, &place, ask, known).await;
        self.listings().insert(place.feed, listing);
        page
    }
}

impl Feeds {
    async fn page_of(
        &self,
        listing: &mut FeedListing,
        source: &FeedSource,
        place: &Place,
        ask: Ask<'_>,
        known: Option<&CacheValidators>,
    ) -> Result<Page, SystemError> {
        let address = Self::address(source, place);
        let (url, shown) = match &address {
            DocumentPlace::Web(url) => (Some(url), shown_url(url)),
            DocumentPlace::File(path) => (None, path.display().to_string()),
        };
        let mut moved = None;
        let mut mark = CacheValidators {
            etag: None,
            last_modified: None,
            content: listing.content.unwrap_or_else(|| fingerprint_bytes(SCHEME, b"")),
            next: None,
            counts: PageCounts::default(),
        };
        if place.part == 0 || !listing.goes_on_at(place.part) {
            // A later part is as it was if it was taken from this very document.
            if place.part > 0 && known.is_some_and(|known| Some(known.content) == listing.content) {
                return Ok(self.as_before(place, known));
            }
            listing.close();
            let answer = self.answer(&address, known.filter(|_| place.part == 0)).await?;
            if answer.is_not_modified() {
                listing.content = known.map(|known| known.content);
                return Ok(self.as_before(place, known));
            }
            let content = fingerprint_bytes(SCHEME, &answer.body);
            if place.part == 0 && known.is_some_and(|known| known.content == content) {
                listing.content = Some(content);
                return Ok(self.as_before(place, known));
            }
            mark = answer.mark(content, None, PageCounts::default());
            moved.clone_from(&answer.moved);
            let charset = answer.charset().map(str::to_owned);
            let wrong = |kind| SystemError { system: self.client.system().clone(), url: shown.clone(), kind };
            listing.begin(url, answer.body, charset.as_deref()).map_err(wrong)?;
            listing.content = Some(content);
            listing.skip_to(source, place.part, ask.now);
        }
        let part = listing.next_part(source, place, url, ask.now);
        let next = part.next.map(|next| next.write()).or_else(|| self.feed_after(place));
        mark.content = listing.content.unwrap_or(mark.content);
        mark.next.clone_from(&next);
        let moved = moved.map(|url| {
            format!("the feed `{}` has moved for good to {}; change its address", source.name, shown_url(&url))
        });
        let (entries, problems) = (part.entries.entries, part.entries.problems);
        let content = PageContent::Entries { entries, problems, mark };
        Ok(Page { note: moved.or(part.note), ..Page::new(content, next) })
    }
}
