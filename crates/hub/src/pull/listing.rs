//! One listing: page by page into the store, and what its end means.

mod ahead;
mod details;
mod documents;
mod parts;
mod second_look;

use std::collections::BTreeSet;
use std::sync::Arc;

use diaporos_core::change::{Fingerprint, fingerprint_texts};
use diaporos_core::intake::{
    CacheValidators, Incoming, Listing, ListingCount, PageCounts, Shown, later, removal_limit,
};
use diaporos_core::text::shell_word;
use diaporos_core::value::{EntryId, SystemName, TypeName};
use diaporos_store::{Moments, Seen, StoreError};
use diaporos_systems::{Ask, ListingCapabilities, Page, PageContent, Problem, Read, SystemError};
use jiff::{SignedDuration, Timestamp};

use super::{PullRow, PullRun};
use crate::Event;
use ahead::AskedPage;

/// How long after it was broken off a listing goes on where it was.
const RESUMED_WITHIN: SignedDuration = SignedDuration::from_hours(1);
/// How often it is noted where a listing is.
const NOTED_EVERY: SignedDuration = SignedDuration::from_secs(1);
/// Pages of one listing, after which it counts as endless.
const MOST_PAGES: u32 = 200_000;

/// Why a listing did not come to its end.
#[derive(Debug, thiserror::Error)]
pub(super) enum Stopped {
    #[error(transparent)]
    System(#[from] SystemError),
    #[error(transparent)]
    Store(#[from] StoreError),
    #[error("{0}")]
    Listing(String),
    /// What went wrong is in the row.
    #[error("some of it could not be had")]
    Told,
}

/// One listing on its way into the store.
pub(super) struct PullListing<'a, 'o> {
    run: &'a PullRun<'o>,
    key: (&'a SystemName, &'a TypeName),
    reader: &'a Arc<dyn Read>,
    capabilities: ListingCapabilities,
    row: &'a mut PullRow,
    /// Entries that were shown, or languages where these are listed one by one.
    seen: Seen,
    newest: Option<String>,
    /// How many entries could not be read quite as they were meant, and the first of them.
    mended: (u64, Option<EntryId>),
    /// What the pages said of the listing, and what speaks against it being whole.
    count: ListingCount,
    began: Timestamp,
    /// When the page was asked for that is taken in.
    asked: Timestamp,
}

impl<'a, 'o> PullListing<'a, 'o> {
    pub(super) fn new(
        run: &'a PullRun<'o>,
        key: (&'a SystemName, &'a TypeName),
        reader: &'a Arc<dyn Read>,
        row: &'a mut PullRow,
    ) -> Self {
        let (capabilities, began) = (reader.capabilities(key.1), (run.clock)());
        let (seen, mended, count) = (Seen::default(), (0, None), ListingCount::default());
        PullListing { run, key, reader, capabilities, row, seen, newest: None, mended, count, began, asked: began }
    }

    pub(super) async fn run(&mut self) -> Result<(), Stopped> {
        let mut since = self.since()?;
        if let Some(moment) = &since
            && self.reader.begins_anew(self.key.1, moment).await?
        {
            self.row.notes.push(format!("{} is not the source that it was; everything was listed", self.key.1));
            since = None;
        }
        let mut listed =
            if self.capabilities.pages_apart { self.documents().await } else { self.list(since.as_deref()).await };
        if listed.is_ok() {
            listed = self.look_again(since.as_deref()).await;
        }
        let against = self.count.speaks_against(self.shown());
        let whole = listed.is_ok() && against.is_none() && since.is_none();
        let mut complete = whole && self.capabilities.listing == Listing::Complete;
        // An item that does not say which entry it is may be any of those that are missing.
        let unknown = self.count.unnamed();
        let missing = if complete && unknown > 0 { self.missing()? } else { 0 };
        complete &= missing == 0;
        if self.capabilities.parts.is_some() {
            // What came in before a failure is put together all the same.
            self.join_parts(complete)?;
        }
        self.tell_mended();
        listed?;
        let (system, kind) = self.key;
        if let Some(against) = against {
            let end =
                if since.is_none() { "nothing was taken for gone" } else { "the next pull asks for the same again" };
            return Err(Stopped::Listing(format!("{system}/{kind}: the listing is not whole: {against}; {end}")));
        }
        if missing > 0 {
            return Err(Stopped::Listing(format!(
                "{system}/{kind}: {unknown} items could not be read and do not say which entries they are, so none of the {missing} that are missing was taken for gone"
            )));
        }
        if complete {
            self.end()?;
        }
        if self.capabilities.deleted {
            let ids = self.reader.deleted(self.key.1, since.as_deref()).await?;
            let now = (self.run.clock)();
            self.row.gone += self.run.shared().store.take_deleted(self.key, &ids, now)?;
        }
        let whole = whole.then_some(self.began);
        self.run.shared().store.end_pull(self.key, self.newest.as_deref(), whole)?;
        Ok(())
    }

    /// From when on changes are asked for; nothing where everything is to be listed.
    fn since(&self) -> Result<Option<String>, StoreError> {
        if !self.capabilities.since || self.run.options.whole {
            return Ok(None);
        }
        let run = self.run.shared();
        if let Some(every) = self.capabilities.whole_every {
            let whole = run.store.listed_whole(self.key)?;
            if whole.is_none_or(|whole| self.began.duration_since(whole) >= every) {
                return Ok(None);
            }
        }
        run.store.newest(self.key)
    }

    /// What is held against the number of items that the source says it has.
    fn shown(&self) -> Shown {
        if self.capabilities.items_hold_entries { Shown::Items } else { Shown::Entries(self.seen.count()) }
    }

    /// How many entries, or languages of entries, the listing has not shown.
    fn missing(&self) -> Result<u64, StoreError> {
        let run = self.run.shared();
        match self.capabilities.parts {
            Some(_) => run.store.missing_parts(self.key, &self.seen),
            None => run.store.missing(self.key, &self.seen),
        }
    }

    /// Says that entries were mended, and where to see how.
    fn tell_mended(&mut self) {
        let (count, Some(first)) = &self.mended else { return };
        let (system, kind) = self.key;
        let what = if *count == 1 { "1 entry was".to_owned() } else { format!("{count} entries were") };
        self.row.notes.push(format!(
            "{what} not written as the standard has it, and mended; `diaporos show {}` says how",
            shell_word(&format!("{system}/{kind}/{first}"))
        ));
    }

    fn ask<'b>(&'b self, cursor: Option<&'b str>, since: Option<&'b str>) -> Ask<'b> {
        Ask { kind: self.key.1, cursor, since, now: self.began, moved: None }
    }

    /// Reads a listing to its end, from where one was broken off a short time ago, and notes where
    /// this one is.
    async fn list(&mut self, since: Option<&str>) -> Result<(), Stopped> {
        self.list_from(since, true).await
    }

    async fn list_from(&mut self, since: Option<&str>, resume: bool) -> Result<(), Stopped> {
        let reading = fingerprint_texts([self.reader.page_key(self.ask(None, since)).as_str()]);
        let mut next = None;
        let listed = self.pages(since, reading, resume, &mut next).await;
        let mut run = self.run.shared();
        match (&listed, next) {
            (Err(Stopped::System(_)), Some(next)) if resume => {
                run.store.keep_resumption(self.key, reading, &next, &self.seen, self.began)?;
            }
            // At its end, or where the listing itself makes no sense, the next pull reads it from the start.
            (Ok(()) | Err(Stopped::Listing(_)), _) => run.store.forget_resumption(self.key)?,
            _ => {}
        }
        drop(run);
        listed
    }

    async fn pages(
        &mut self,
        since: Option<&str>,
        reading: Fingerprint,
        resume: bool,
        next_page: &mut Option<String>,
    ) -> Result<(), Stopped> {
        let mut cursor: Option<String> = None;
        let mut kept = self.began;
        if resume
            && let Some(left) = self.run.shared().store.resumption(self.key, reading, self.began - RESUMED_WITHIN)?
        {
            (cursor, self.seen) = (Some(left.cursor), left.seen);
        }
        let mut resumed = cursor.is_some();
        let mut visited = BTreeSet::new();
        let mut ahead = None;
        self.count = ListingCount::default();
        for _ in 0..MOST_PAGES {
            let ahead_of = ahead.take().filter(|asked: &AskedPage| asked.cursor == cursor);
            let asked = match ahead_of {
                Some(asked) => asked,
                None => self.ask_page(cursor.as_deref(), since)?,
            };
            let next = match self.page(asked, since, &visited, &mut ahead).await {
                // Where a listing was broken off may mean nothing any more: it is read from the start.
                Err(Stopped::System(_)) if resumed => {
                    (cursor, self.seen, resumed) = (None, Seen::default(), false);
                    self.count = ListingCount::default();
                    continue;
                }
                result => result?,
            };
            resumed = false;
            match next {
                None => return Ok(()),
                Some(next) if !visited.insert(next.clone()) => {
                    let place = self.reader.page_key(self.ask(Some(&next), since));
                    let system = self.key.0;
                    let problem = format!("{system}: the listing leads in a circle: `{next}` came twice ({place})");
                    return Err(Stopped::Listing(problem));
                }
                Some(next) => {
                    // Should we be killed, a second's pages are read again; noting each costs more.
                    let now = (self.run.clock)();
                    if resume && now.duration_since(kept) >= NOTED_EVERY {
                        self.run.shared().store.keep_resumption(self.key, reading, &next, &self.seen, self.began)?;
                        kept = now;
                    }
                    *next_page = Some(next.clone());
                    cursor = Some(next);
                }
            }
        }
        Err(Stopped::Listing(format!("{}: the listing has no end: {MOST_PAGES} pages were read", self.key.0)))
    }

    /// Takes in one page, while the next is on its way, and says where the listing goes on.
    async fn page(
        &mut self,
        asked: AskedPage,
        since: Option<&str>,
        visited: &BTreeSet<String>,
        ahead: &mut Option<AskedPage>,
    ) -> Result<Option<String>, Stopped> {
        let AskedPage { place, known, moment, page, .. } = asked;
        let page = page.come().await?;
        self.asked = moment;
        if let Some(next) = self.surely_next(&page, known.as_ref()).filter(|next| !visited.contains(*next)) {
            *ahead = Some(self.ask_page(Some(next), since)?);
        }
        self.taken(page, &place, known.as_ref(), since).await
    }

    /// Takes in a page that was had and says where the listing goes on.
    async fn taken(
        &mut self,
        page: Page,
        place: &str,
        known: Option<&CacheValidators>,
        since: Option<&str>,
    ) -> Result<Option<String>, Stopped> {
        self.row.notes.extend(page.note);
        let (system, kind) = self.key;
        let shown = self.seen.count();
        let mut unread = 0;
        let counts = match page.content {
            PageContent::Nothing => PageCounts::default(),
            PageContent::Same => {
                let now = (self.run.clock)();
                let tally = self.run.shared().store.take_as_before(self.key, place, &mut self.seen, now)?;
                if self.capabilities.parts.is_none() {
                    self.row.tally += tally;
                }
                known.map(|known| known.counts).unwrap_or_default()
            }
            PageContent::Entries { entries, mut problems, mark } => {
                // A page with faults or doubts is read again next time, so that they are told again, and a
                // mended profile sees it.
                let counts = mark.counts;
                let is_plain = problems.is_empty() && page.doubt.is_none() && since.is_none();
                let mark = Some((place, &mark)).filter(|_| is_plain);
                self.take_in(entries, mark, &mut problems).await?;
                unread = self.keep_unread(&problems)?;
                let told = |problem: &Problem| format!("{system}/{kind}: {} {}", problem.item, problem.message);
                self.row.problems.extend(problems.iter().map(told));
                counts
            }
        };
        self.count.page(counts, unread, self.seen.count() > shown || unread > 0);
        page.doubt.into_iter().for_each(|doubt| self.count.doubt(doubt));
        let mut next = page.next;
        // A document that is read apart may repeat what others have, as an archive does.
        if self.count.goes_nowhere() && next.is_some() && !self.capabilities.pages_apart {
            let known = self.count.turned_pages() || self.count.reaches_total(self.shown());
            if !(self.capabilities.repeated_is_end && known) {
                return Err(Stopped::Listing(format!(
                    "{system}: a page shows only entries that pages before it showed; does the source know the paging parameter? ({place})"
                )));
            }
            next = None;
        }
        if self.capabilities.total_is_end && self.count.reaches_total(self.shown()) {
            next = None;
        }
        if let Some(newest) = page.newest {
            self.newest = Some(later(self.newest.take(), newest));
        }
        let entries = if self.capabilities.parts.is_some() { self.seen.count() } else { self.row.tally.pulled };
        let event = Event::PageTaken { system: system.clone(), kind: kind.clone(), entries, total: counts.total };
        self.run.shared().listener.on(event);
        tracing::debug!(%system, %kind, place, entries, "page");
        Ok(next)
    }

    /// Keeps what is known of entries that were shown and could not be read. Gives how many items do not
    /// say which entries they are.
    fn keep_unread(&mut self, problems: &[Problem]) -> Result<u64, StoreError> {
        let named: Vec<EntryId> = problems.iter().filter_map(|problem| problem.id.clone()).collect();
        let in_parts = self.capabilities.parts.is_some();
        let unknown = self.run.shared().store.see_unread(self.key, &named, in_parts, &mut self.seen)?;
        self.count.unstored(unknown);
        Ok((problems.len() - named.len()) as u64)
    }

    async fn take_in(
        &mut self,
        mut entries: Vec<Incoming>,
        mark: Option<(&str, &CacheValidators)>,
        problems: &mut Vec<Problem>,
    ) -> Result<(), Stopped> {
        for entry in entries.iter().filter(|entry| !entry.notes.is_empty()) {
            self.mended.0 += 1;
            self.mended.1.get_or_insert_with(|| entry.id.clone());
        }
        let now = (self.run.clock)();
        if self.capabilities.parts.is_some() {
            self.run.shared().store.take_in_parts(self.key, &entries, mark, &mut self.seen, now)?;
            return Ok(());
        }
        let mut mark = mark;
        if self.capabilities.detail {
            // The page's mark would hide that a detail could not be had.
            mark = None;
            self.row.tally += self.run.shared().store.take_as_known(self.key, &mut entries, &mut self.seen)?;
            entries = self.details(entries, problems).await;
        }
        let moments = Moments { asked: self.asked, taken: (self.run.clock)() };
        let tally = self.run.shared().store.take_in(self.key, &entries, mark, &mut self.seen, moments)?;
        self.row.tally += tally;
        Ok(())
    }

    /// Takes what a whole listing did not show for gone, unless that is too much to believe.
    fn end(&mut self) -> Result<(), Stopped> {
        let mut run = self.run.shared();
        let (system, kind) = self.key;
        let known = run.store.known(system, kind)?;
        let lists_nothing = self.seen.count() == 0 && known > 0;
        let usual = if lists_nothing { 0 } else { removal_limit(known) };
        let most = self.run.options.allow_gone.unwrap_or(usual);
        let now = (self.run.clock)();
        match run.store.end_listing(self.key, &self.seen, most, (self.began, now))? {
            Ok(gone) => {
                self.row.gone = gone;
                Ok(())
            }
            Err(missing) => {
                let what = if lists_nothing {
                    "lists nothing".to_owned()
                } else {
                    format!("lacks {missing} of {known} known entries")
                };
                Err(Stopped::Listing(format!(
                    "{system}/{kind}: the source {what}; nothing was taken for gone (at most {most} may be). \
                     If they are gone: `diaporos pull {system} --allow-gone {missing}`"
                )))
            }
        }
    }
}
