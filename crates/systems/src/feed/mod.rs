//! Kind `feed`: RSS, Atom and JSON Feed, from the web or from a file.

mod dates;
mod decode;
mod document;
mod encoding;
mod kind;
mod mend;
mod opml;
mod settings;

pub use kind::Feed;

#[cfg(any(test, fuzzing))]
pub(crate) use decode::decode;

use diaporos_core::intake::{CacheValidators, Listing, PageCounts};
use std::path::Path;
use std::sync::OnceLock;
use std::time::Duration;

use async_trait::async_trait;
use diaporos_core::change::fingerprint_bytes;
use diaporos_core::model::{EntryType, Field, FieldKind, Model};
use diaporos_core::value::{SystemName, TypeName};
use url::Url;

use crate::http::{Answer, Client, Limits, Method, Request, shown_url};
use crate::{Ask, DocumentPlace, ErrorKind, ListingCapabilities, Page, PageContent, Read, SystemError};

pub use opml::{Outline, read_opml, write_opml};

/// The type of every entry that comes from a feed.
pub const TYPE: &str = "item";

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

/// A feed with the name under which its items are told apart.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct FeedSource {
    /// The name.
    pub name: String,
    /// Where it is.
    pub place: DocumentPlace,
    /// Which of its items are taken.
    pub wanted: ItemChoice,
}

/// Which items of a feed are taken, and under what label.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct ItemChoice {
    /// Only items of these kinds; all where empty.
    pub media: Vec<Medium>,
    /// Only items that are no older than this.
    pub newest: Option<Duration>,
    /// What stands for the feed's own title.
    pub label: Option<String>,
}

/// What an item of a feed is first of all.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Medium {
    /// Something to read.
    Text,
    /// A picture.
    Picture,
    /// Something to hear.
    Audio,
    /// Something to watch.
    Video,
}

impl Medium {
    /// Every medium with its word.
    pub const WORDS: [(&str, Medium); 4] =
        [("text", Medium::Text), ("picture", Medium::Picture), ("audio", Medium::Audio), ("video", Medium::Video)];

    /// The medium's word.
    #[must_use]
    pub fn word(self) -> &'static str {
        Self::WORDS.iter().find(|(_, medium)| *medium == self).map_or("", |(word, _)| word)
    }
}

/// The most pages of one feed (RFC 5005) that are followed.
const MOST_PAGES: usize = 500;

/// Where a listing of feeds stands: a feed, how many of its pages were read, and which is next.
#[derive(Debug, Clone, PartialEq, Eq)]
struct Place {
    feed: usize,
    page: usize,
    url: Option<Url>,
}

impl Place {
    fn read(cursor: Option<&str>) -> Option<Place> {
        let Some(cursor) = cursor else { return Some(Place { feed: 0, page: 0, url: None }) };
        let mut parts = cursor.splitn(3, ' ');
        let feed = parts.next()?.parse().ok()?;
        let page = parts.next().map_or(Some(0), |page| page.parse().ok())?;
        let url = parts.next().map(|url| url.parse().ok()).unwrap_or_default();
        Some(Place { feed, page, url })
    }

    fn write(&self) -> String {
        match &self.url {
            None => self.feed.to_string(),
            Some(url) => format!("{} {} {url}", self.feed, self.page),
        }
    }
}

/// A system of one or more feeds.
#[derive(Debug)]
pub struct Feeds {
    client: Client,
    limits: Limits,
    sources: Vec<FeedSource>,
    kind: TypeName,
}

impl Feeds {
    /// A system of these feeds.
    ///
    /// # Errors
    /// Where TLS cannot be set up.
    pub fn new(system: SystemName, sources: Vec<FeedSource>, limits: Limits) -> Result<Self, SystemError> {
        let [(kind, _)] = model_types();
        Ok(Feeds { client: Client::new(system, limits.clone(), None)?, limits, sources, kind })
    }

    fn source(&self, cursor: Option<&str>) -> Option<(Place, &FeedSource)> {
        let place = Place::read(cursor)?;
        let source = self.sources.get(place.feed)?;
        Some((place, source))
    }

    /// The address of a page: the feed's own, or the one that the page before led to.
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
        let feed = Place::read(cursor)?.feed + 1;
        (feed < self.sources.len()).then(|| Place { feed, page: 0, url: None }.write())
    }

    fn page_key(&self, ask: Ask<'_>) -> String {
        self.source(ask.cursor).map_or(String::new(), |(place, source)| {
            let address = match Self::address(source, &place) {
                DocumentPlace::Web(url) => shown_url(&url),
                DocumentPlace::File(path) => path.display().to_string(),
            };
            // A mark made for other wishes says nothing of how these read the feed.
            if source.wanted == ItemChoice::default() { address } else { format!("{address} {:?}", source.wanted) }
        })
    }

    async fn page(&self, ask: Ask<'_>, known: Option<&CacheValidators>) -> Result<Page, SystemError> {
        let Some((place, source)) = self.source(ask.cursor) else {
            let kind = ErrorKind::Content("there is no feed to read".to_owned());
            return Err(SystemError { system: self.client.system().clone(), url: String::new(), kind });
        };
        let other_feed = self.after(ask.cursor);
        // The number of feeds may have changed since the mark was made: only a page of this very
        // feed is believed.
        let as_before = || {
            let known = known.and_then(|known| known.next.clone());
            let own = known.filter(|next| {
                Place::read(Some(next)).is_some_and(|next| next.url.is_some() && next.feed == place.feed)
            });
            Page::new(PageContent::Same, own.or_else(|| other_feed.clone()))
        };
        let address = Self::address(source, &place);
        let answer = self.answer(&address, known).await?;
        if answer.is_not_modified() {
            return Ok(as_before());
        }
        let content = fingerprint_bytes(decode::SCHEME, &answer.body);
        if known.is_some_and(|known| known.content == content) {
            return Ok(as_before());
        }
        let (base, shown) = match &address {
            DocumentPlace::Web(url) => (Some(url), shown_url(url)),
            DocumentPlace::File(path) => (None, path.display().to_string()),
        };
        let wrong = |kind| SystemError { system: self.client.system().clone(), url: shown.clone(), kind };
        let decoded = decode::decode(source, base, ask.now, (&answer.body, answer.charset())).map_err(wrong)?;
        let further = decoded.further.filter(|_| place.page < MOST_PAGES);
        let next = match further {
            Some(url) => Some(Place { feed: place.feed, page: place.page + 1, url: Some(url) }.write()),
            None => other_feed,
        };
        let mark = answer.mark(content, next.clone(), PageCounts::default());
        let note = answer.moved.map(|url| {
            format!("the feed `{}` has moved for good to {}; change its address", source.name, shown_url(&url))
        });
        let content = PageContent::Entries { entries: decoded.entries, problems: decoded.problems, mark };
        Ok(Page { note, ..Page::new(content, next) })
    }
}

/// The fields that an item of a feed can have.
pub fn model() -> &'static Model {
    static MODEL: OnceLock<Model> = OnceLock::new();
    MODEL.get_or_init(|| Model { types: model_types().into_iter().collect() })
}

fn model_types() -> [(TypeName, EntryType); 1] {
    let field = |kind, many| Field { kind, many, ..Field::default() };
    let fields = [
        ("title", field(FieldKind::Text, false)),
        ("link", field(FieldKind::Url, false)),
        ("summary", field(FieldKind::Html, false)),
        ("content", field(FieldKind::Html, false)),
        ("authors", field(FieldKind::Text, true)),
        ("categories", field(FieldKind::Text, true)),
        ("published", field(FieldKind::Instant, false)),
        ("updated", field(FieldKind::Instant, false)),
        ("language", field(FieldKind::Text, false)),
        ("enclosures", field(FieldKind::Record, true)),
        ("feed", field(FieldKind::Text, false)),
        ("feed_title", field(FieldKind::Text, false)),
        ("medium", field(FieldKind::Text, false)),
    ];
    let fields = fields.into_iter().map(|(name, field)| (name.to_owned(), field)).collect();
    #[expect(clippy::expect_used, reason = "the name is a constant that a test reads too")]
    let kind = TypeName::new(TYPE).expect("`item` is a name");
    [(kind, EntryType { fields })]
}
