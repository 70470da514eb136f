//! A system of feeds, read one document after the other.

use std::collections::HashMap;
use std::io;
use std::path::Path;
use std::sync::{Mutex, MutexGuard, PoisonError};

use async_trait::async_trait;
use diaporos_core::change::{Fingerprint, fingerprint_bytes};
use diaporos_core::intake::{CacheValidators, Listing, PageCounts};
use diaporos_core::model::Model;
use diaporos_core::value::{SystemName, TypeName};
use url::Url;

use super::encoding::scan;
use super::listing::{FeedListing, Place};
use super::model::{model, model_type};
use super::source::{Spool, TextSource};
use super::{FeedSource, ItemChoice};
use crate::http::{Answer, Client, Credential, Limits, Method, Request, shown_url};
use crate::{Ask, Document, DocumentPlace, ErrorKind, ListingCapabilities, Page, PageContent, Read, SystemError};

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
    Ok(Answer::new(200, Vec::new(), body))
}

/// A feed, with what it is asked with.
#[derive(Debug)]
struct Feed {
    source: FeedSource,
    client: Client,
}

/// A system of one or more feeds.
#[derive(Debug)]
pub struct Feeds {
    client: Client,
    limits: Limits,
    feeds: Vec<Feed>,
    kind: TypeName,
    listings: Mutex<HashMap<usize, FeedListing>>,
}

impl Feeds {
    /// A system of these feeds, each with its credential.
    ///
    /// # Errors
    /// Where TLS cannot be set up.
    pub fn new(
        system: SystemName,
        sources: Vec<(FeedSource, Option<Credential>)>,
        limits: Limits,
    ) -> Result<Self, SystemError> {
        let client = Client::new(system, limits.clone(), None)?;
        let feed = |(source, credential)| Feed { source, client: client.for_credential(credential) };
        let feeds = sources.into_iter().map(feed).collect();
        Ok(Feeds { client, limits, feeds, kind: model_type().0, listings: Mutex::default() })
    }

    fn feed(&self, cursor: Option<&str>) -> Option<(Place, &Feed)> {
        let place = Place::read(cursor)?;
        let feed = self.feeds.get(place.feed)?;
        Some((place, feed))
    }

    fn listings(&self) -> MutexGuard<'_, HashMap<usize, FeedListing>> {
        self.listings.lock().unwrap_or_else(PoisonError::into_inner)
    }

    /// The address of a document: the feed's own, or the one that the document before led to.
    fn address(source: &FeedSource, place: &Place) -> DocumentPlace {
        place.url.clone().map_or_else(|| source.place.clone(), DocumentPlace::Web)
    }

    /// A document's answer, with its body kept aside.
    async fn answer(
        &self,
        feed: &Feed,
        place: &DocumentPlace,
        known: Option<&CacheValidators>,
    ) -> Result<(Answer, Spool), SystemError> {
        let unreadable = |error: io::Error| self.error(place, ErrorKind::Unreachable(error.to_string()));
        let url = match place {
            DocumentPlace::Web(url) => url,
            DocumentPlace::File(path) => {
                let (spool, limit) = (Spool::of_file(path).map_err(unreadable)?, self.limits.max_bytes);
                if spool.length().map_err(unreadable)? > limit {
                    return Err(self.error(place, ErrorKind::TooLarge { limit }));
                }
                return Ok((Answer::new(200, Vec::new(), Vec::new()), spool));
            }
        };
        let request = feed.request(url).unless_known(known);
        let full = |error: io::Error| ErrorKind::Content(format!("it cannot be kept while it is read: {error}"));
        let mut spool = Spool::new().map_err(|error| self.error(place, full(error)))?;
        let named = match &feed.source.place {
            // The other side said that it moved there: it leads to no special network.
            DocumentPlace::Web(own) if own.host() != url.host() => Some(self.limits.network.hosts.as_slice()),
            _ => None,
        };
        let answer = feed.client.read_into(&request, named, &mut spool).await?;
        Ok((answer, spool))
    }

    fn error(&self, place: &DocumentPlace, kind: ErrorKind) -> SystemError {
        let url = match place {
            DocumentPlace::Web(url) => shown_url(url),
            DocumentPlace::File(path) => path.display().to_string(),
        };
        SystemError { system: self.client.system().clone(), url, kind }
    }

    /// A page that is as it was: the feed goes on as it did then.
    fn as_before(place: &Place, known: Option<&CacheValidators>) -> Page {
        // The number of feeds may have changed since the mark was made: only a page of this very
        // feed is believed.
        let own = known
            .and_then(|known| known.next.clone())
            .filter(|next| Place::read(Some(next)).is_some_and(|next| !next.is_start() && next.feed == place.feed));
        Page::new(PageContent::Same, own)
    }
}

impl Feed {
    /// A request for an address: the credential goes to the feed's own host alone.
    fn request(&self, url: &Url) -> Request {
        match &self.source.place {
            DocumentPlace::Web(own) if own.origin() == url.origin() => self.client.request(Method::Get, url.clone()),
            _ => Request::new(Method::Get, url.clone()),
        }
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
        let web = self.feeds.iter().filter_map(|feed| match &feed.source.place {
            DocumentPlace::Web(url) => Some(feed.request(url)),
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

    fn documents(&self) -> Vec<Document> {
        let called = |feed: &Feed| format!("the feed `{}`", feed.source.name);
        let start = |(number, feed)| Document { cursor: Some(Place::start(number).write()), called: called(feed) };
        self.feeds.iter().enumerate().map(start).collect()
    }

    fn page_key(&self, ask: Ask<'_>) -> String {
        self.feed(ask.cursor).map_or(String::new(), |(place, feed)| {
            let mut key = match Self::address(&feed.source, &place) {
                DocumentPlace::Web(url) => shown_url(&url),
                DocumentPlace::File(path) => path.display().to_string(),
            };
            if place.part > 0 {
                key.push_str(&format!(" part {}", place.part + 1));
            }
            // A mark made for other wishes says nothing of how these read the feed.
            if feed.source.wanted == ItemChoice::default() { key } else { format!("{key} {:?}", feed.source.wanted) }
        })
    }

    async fn page(&self, ask: Ask<'_>, known: Option<&CacheValidators>) -> Result<Page, SystemError> {
        let Some((place, feed)) = self.feed(ask.cursor) else {
            let kind = ErrorKind::Content("there is no feed to read".to_owned());
            return Err(SystemError { system: self.client.system().clone(), url: String::new(), kind });
        };
        let mut listing = self.listings().remove(&place.feed).filter(|_| !place.is_start()).unwrap_or_default();
        let page = self.page_of(&mut listing, feed, &place, ask, known).await;
        // Past its end nothing is asked of it any more.
        if page.as_ref().is_ok_and(|page| page.next.is_some()) {
            self.listings().insert(place.feed, listing);
        }
        page
    }
}

impl Feeds {
    async fn page_of(
        &self,
        listing: &mut FeedListing,
        feed: &Feed,
        place: &Place,
        ask: Ask<'_>,
        known: Option<&CacheValidators>,
    ) -> Result<Page, SystemError> {
        let source = &feed.source;
        let moved = ask.moved.filter(|_| place.is_start()).and_then(|url| url.parse().ok());
        let address = moved.map_or_else(|| Self::address(source, place), DocumentPlace::Web);
        let url = if let DocumentPlace::Web(url) = &address { Some(url) } else { None };
        let mut had = None;
        if !listing.goes_on_at(place.part) {
            // A later part is as it was if it was taken from this very document.
            if place.part > 0 && known.is_some_and(|known| Some(known.content) == listing.content) {
                return Ok(Self::as_before(place, known));
            }
            listing.close();
            let known = known.filter(|_| place.part == 0);
            let (answer, mut spool) = self.answer(feed, &address, known).await?;
            if answer.is_not_modified() {
                listing.content = known.map(|known| known.content);
                return Ok(Self::as_before(place, known));
            }
            let text = kept_text(&mut spool, answer.charset());
            let (content, text) = text.map_err(|error| self.error(&address, ErrorKind::Content(error.to_string())))?;
            listing.content = Some(content);
            if known.is_some_and(|known| known.content == content) {
                return Ok(Self::as_before(place, known));
            }
            // What it says is relative to where it moved, from the first time on.
            listing.begin(answer.moved.as_ref().or(url), text).map_err(|kind| self.error(&address, kind))?;
            listing.skip_to(source, place.part, ask.now);
            had = Some(answer);
        }
        let part = listing.next_part(source, place, ask.now);
        let next = part.next.map(|next| next.write());
        let content = listing.content.unwrap_or_else(|| fingerprint_bytes(SCHEME, b""));
        let counts = PageCounts::default();
        let mark = match &had {
            Some(answer) => answer.mark(content, next.clone(), counts),
            None => CacheValidators { etag: None, last_modified: None, content, next: next.clone(), counts },
        };
        let moved = had.and_then(|answer| answer.moved).filter(|_| place.is_start());
        let note = moved.as_ref().map(|url| {
            let url = shown_url(url);
            format!(
                "the feed `{}` has moved for good to {url}, and is asked for there; change its address",
                source.name
            )
        });
        let (entries, problems) = (part.entries.entries, part.entries.problems);
        let content = PageContent::Entries { entries, problems, mark };
        let moved = moved.map(|url| url.to_string());
        Ok(Page { note: note.or(part.note), moved, ..Page::new(content, next) })
    }
}

/// The hash of a body, and its text from the beginning, with what is to be said of its encoding.
fn kept_text(spool: &mut Spool, charset: Option<&str>) -> io::Result<(Fingerprint, (TextSource, Option<String>))> {
    let scan = scan(spool.again()?.as_mut(), SCHEME)?;
    let (coding, note) = scan.coding(charset, &mut || spool.again())?;
    Ok((scan.content, (TextSource::new(coding, spool.again()?), note)))
}
