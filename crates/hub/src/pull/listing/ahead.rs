//! Pages asked for on tasks of their own, so that the next one comes while the one before it is taken in.

use std::sync::Arc;

use diaporos_core::intake::CacheValidators;
use diaporos_core::value::{SystemName, TypeName};
use diaporos_store::StoreError;
use diaporos_systems::{Ask, Beside, ErrorKind, Page, PageContent, Read, SystemError};
use jiff::Timestamp;

use super::PullListing;

/// An [`Ask`] that owns what it names.
pub(super) struct OwnAsk {
    pub(super) kind: TypeName,
    pub(super) cursor: Option<String>,
    pub(super) since: Option<String>,
    pub(super) now: Timestamp,
    pub(super) moved: Option<String>,
}

impl OwnAsk {
    fn lent(&self) -> Ask<'_> {
        let OwnAsk { kind, cursor, since, now, moved } = self;
        Ask { kind, cursor: cursor.as_deref(), since: since.as_deref(), now: *now, moved: moved.as_deref() }
    }
}

/// A page on its way. It is given up where nobody waits for it any more.
pub(super) struct PageOnItsWay {
    system: SystemName,
    page: Beside<Result<Page, SystemError>>,
}

impl PageOnItsWay {
    /// Asks for a page, with what it is known by from before.
    pub(super) fn ask(
        reader: &Arc<dyn Read>,
        system: &SystemName,
        ask: OwnAsk,
        known: Option<CacheValidators>,
    ) -> PageOnItsWay {
        let reader = Arc::clone(reader);
        let page = Beside::begin(async move { reader.page(ask.lent(), known.as_ref()).await });
        PageOnItsWay { system: system.clone(), page }
    }

    /// The page, once it came.
    pub(super) async fn come(self) -> Result<Page, SystemError> {
        let ends = || ErrorKind::Broken("the program ends".to_owned());
        let given_up = || SystemError { system: self.system, url: String::new(), kind: ends() };
        self.page.ended().await.unwrap_or_else(|| Err(given_up()))
    }
}

/// A page of a listing that was asked for.
pub(super) struct AskedPage {
    /// What led to it.
    pub(super) cursor: Option<String>,
    /// Under what its mark is kept.
    pub(super) place: String,
    /// By what it is known from before.
    pub(super) known: Option<CacheValidators>,
    /// When it was asked for.
    pub(super) moment: Timestamp,
    pub(super) page: PageOnItsWay,
}

impl PullListing<'_, '_> {
    /// Asks for a page of the listing.
    pub(super) fn ask_page(&self, cursor: Option<&str>, since: Option<&str>) -> Result<AskedPage, StoreError> {
        let place = self.reader.page_key(self.ask(cursor, since));
        // A listing of changes is never asked for twice in the same way.
        let known = match since {
            None => self.run.shared().store.page_mark(self.key.0, self.key.1, &place)?,
            Some(_) => None,
        };
        let moment = (self.run.clock)();
        let ask = OwnAsk {
            kind: self.key.1.clone(),
            cursor: cursor.map(str::to_owned),
            since: since.map(str::to_owned),
            now: self.began,
            moved: None,
        };
        let page = PageOnItsWay::ask(self.reader, self.key.0, ask, known.clone());
        Ok(AskedPage { cursor: cursor.map(str::to_owned), place, known, moment, page })
    }

    /// The page that a page leads to, where the listing goes on whatever that page turns out to show.
    pub(super) fn surely_next<'p>(&self, page: &'p Page, known: Option<&CacheValidators>) -> Option<&'p str> {
        let counts = match &page.content {
            PageContent::Nothing => return None,
            PageContent::Same => known?.counts,
            PageContent::Entries { mark, .. } => mark.counts,
        };
        let total_ends = self.capabilities.total_is_end;
        page.next.as_deref().filter(|_| self.count.goes_on_after(counts, self.shown(), total_ends))
    }
}
