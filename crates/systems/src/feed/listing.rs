//! Where the listing of each feed stands while it is read: its open document, and what it has shown.

use diaporos_core::change::Fingerprint;
use jiff::Timestamp;
use url::Url;

use super::FeedSource;
use super::document::Document;
#[cfg(any(test, fuzzing))]
use super::encoding::scan;
use super::entry::{Around, Entries, SeenIds, entries};
#[cfg(any(test, fuzzing))]
use super::source::Spool;
use super::source::TextSource;
use crate::ErrorKind;

/// The most documents of one feed (RFC 5005) that are followed.
const MOST_DOCUMENTS: usize = 500;
/// Documents one after the other that show nothing new, after which the feed goes nowhere.
const MOST_BARREN: usize = 3;
/// Items that are given at a time.
const ITEMS: usize = 500;

/// Which part of a feed is asked for.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(super) struct Place {
    /// The feed, by its place among the feeds.
    pub(super) feed: usize,
    /// How many of its documents were read before.
    pub(super) document: usize,
    /// How many parts of this document were.
    pub(super) part: usize,
    /// The document's address, where it is not the feed's own.
    pub(super) url: Option<Url>,
}

impl Place {
    /// The start of a feed.
    pub(super) fn start(feed: usize) -> Place {
        Place { feed, document: 0, part: 0, url: None }
    }

    /// Reads a cursor.
    pub(super) fn read(cursor: Option<&str>) -> Option<Place> {
        let Some(cursor) = cursor else { return Some(Place::start(0)) };
        let mut parts = cursor.splitn(4, ' ');
        let mut number = || parts.next().map_or(Some(0), |number| number.parse().ok());
        let (feed, document, part) = (number()?, number()?, number()?);
        let url = parts.next().map(|url| url.parse().ok()).unwrap_or_default();
        Some(Place { feed, document, part, url })
    }

    /// The place as a cursor.
    pub(super) fn write(&self) -> String {
        match (&self.url, self.part) {
            (None, 0) => self.feed.to_string(),
            (None, part) => format!("{} {} {part}", self.feed, self.document),
            (Some(url), part) => format!("{} {} {part} {url}", self.feed, self.document),
        }
    }

    /// Whether it is the very start of a feed.
    pub(super) fn is_start(&self) -> bool {
        self.document == 0 && self.part == 0
    }
}

/// One feed's listing.
#[derive(Debug, Default)]
pub(super) struct FeedListing {
    seen: SeenIds,
    barren: usize,
    /// The hash of the document that is read, or that is as it was.
    pub(super) content: Option<Fingerprint>,
    open: Option<OpenDocument>,
}

#[derive(Debug)]
struct OpenDocument {
    document: Document,
    /// Where it was found; nowhere on the web where it is a file.
    address: Option<Url>,
    part: usize,
    fresh: usize,
    repeated: usize,
    note: Option<String>,
}

/// A part of a document.
#[derive(Debug)]
pub(super) struct Part {
    pub(super) entries: Entries,
    /// Where the feed goes on; nowhere at its end.
    pub(super) next: Option<Place>,
    /// What a person should know.
    pub(super) note: Option<String>,
}

impl FeedListing {
    /// Begins a document that was had.
    ///
    /// # Errors
    /// Where it is no feed.
    pub(super) fn begin(
        &mut self,
        address: Option<&Url>,
        (source, note): (TextSource, Option<String>),
    ) -> Result<(), ErrorKind> {
        self.open = None;
        let document = Document::open(source, address.cloned()).map_err(|error| not_a_feed(&error))?;
        let address = address.cloned();
        self.open = Some(OpenDocument { document, address, part: 0, fresh: 0, repeated: 0, note });
        Ok(())
    }

    /// Whether the part that is asked for is the next of the document that is open.
    pub(super) fn goes_on_at(&self, part: usize) -> bool {
        self.open.as_ref().is_some_and(|open| open.part == part)
    }

    /// Forgets the document that is open.
    pub(super) fn close(&mut self) {
        self.open = None;
    }

    /// Reads over the parts before one.
    pub(super) fn skip_to(&mut self, source: &FeedSource, part: usize, now: Timestamp) {
        while self.open.as_ref().is_some_and(|open| open.part < part && !open.document.ended()) {
            self.part_of(source, now);
        }
    }

    fn part_of(&mut self, source: &FeedSource, now: Timestamp) -> Entries {
        let Some(open) = &mut self.open else { return Entries::default() };
        let batch = open.document.batch(ITEMS);
        let around = Around { source, frame: open.document.frame(), now, note: open.note.as_deref() };
        let given = entries(&around, batch, &mut self.seen);
        open.part += 1;
        open.fresh += given.fresh;
        open.repeated += given.repeated;
        given
    }

    /// The next part of the document that is open, and where the feed goes on.
    pub(super) fn next_part(&mut self, source: &FeedSource, place: &Place, now: Timestamp) -> Part {
        let entries = self.part_of(source, now);
        let is_whole = self.open.as_ref().is_none_or(|open| open.document.ended());
        if !is_whole {
            return Part { entries, next: Some(Place { part: place.part + 1, ..place.clone() }), note: None };
        }
        let Some(open) = self.open.take() else { return Part { entries, next: None, note: None } };
        let (next, end) = self.goes_on(&open, place);
        let name = &source.name;
        let repeated = (open.repeated > 0 && place.document == 0).then(|| {
            format!(
                "the feed `{name}` has {} items under an id that stands in it already; of each id the newest was taken",
                open.repeated
            )
        });
        let note = end.map(|end| format!("the feed `{name}` {end}")).or(repeated);
        Part { entries, next, note }
    }

    /// The document after this one; none at the end, and why where that is not the feed's own.
    fn goes_on(&mut self, open: &OpenDocument, place: &Place) -> (Option<Place>, Option<String>) {
        let Some(address) = &open.address else { return (None, None) };
        self.barren = if open.fresh > 0 { 0 } else { self.barren + 1 };
        let Some(next) = open.document.frame().further(address) else { return (None, None) };
        if self.barren >= MOST_BARREN {
            return (
                None,
                Some(format!(
                    "goes on with pages that show nothing new; it was left after {} pages",
                    place.document + 1
                )),
            );
        }
        if place.document + 1 >= MOST_DOCUMENTS {
            return (None, Some(format!("goes on beyond {MOST_DOCUMENTS} pages, which is as far as it is followed")));
        }
        (Some(Place { feed: place.feed, document: place.document + 1, part: 0, url: Some(next) }), None)
    }
}

fn not_a_feed(error: &str) -> ErrorKind {
    ErrorKind::Content(format!("expected a feed (RSS, Atom or JSON Feed): {error}"))
}

/// Reads a document whole, with nothing before or after it.
///
/// # Errors
/// Where it is no feed.
#[cfg(any(test, fuzzing))]
pub(crate) fn read_whole(
    source: &FeedSource,
    address: Option<&Url>,
    now: Timestamp,
    (body, charset): (&[u8], Option<&str>),
) -> Result<Entries, ErrorKind> {
    let mut listing = FeedListing::default();
    let unreadable = |error: std::io::Error| ErrorKind::Content(error.to_string());
    let mut spool = Spool::of(body).map_err(unreadable)?;
    let scan = scan(spool.again().map_err(unreadable)?.as_mut(), "").map_err(unreadable)?;
    let (coding, note) = scan.coding(charset, &mut || spool.again()).map_err(unreadable)?;
    listing.begin(address, (TextSource::new(coding, spool.again().map_err(unreadable)?), note))?;
    let mut all = Entries::default();
    while listing.open.as_ref().is_some_and(|open| !open.document.ended()) {
        let part = listing.part_of(source, now);
        all.entries.extend(part.entries);
        all.problems.extend(part.problems);
        all.repeated += part.repeated;
    }
    Ok(all)
}
