//! Documents that are read apart, such as feeds: side by side, each whatever becomes of the others.

use std::collections::{BTreeMap, BTreeSet};

use diaporos_core::intake::{CacheValidators, DocumentStanding};
use diaporos_systems::{Document, ErrorKind, Page, SystemError};
use futures::StreamExt;
use futures::stream::FuturesUnordered;

use super::ahead::{OwnAsk, PageOnItsWay};
use super::{PullListing, Stopped};

/// Documents that are asked for at a time.
const SIDE_BY_SIDE: usize = 8;
/// Pages of one document, after which it counts as endless.
const MOST_PAGES: u32 = 20_000;

/// The next page of a document.
#[derive(Clone)]
struct Step {
    /// The document, by its place among all.
    number: usize,
    called: String,
    /// Under what it is known in the store what the document said.
    place: String,
    standing: DocumentStanding,
    cursor: Option<String>,
    known: Option<CacheValidators>,
    /// The pages that were asked for, by their keys.
    visited: BTreeSet<String>,
    pages: u32,
}

/// The page that was asked for, and of which document it is.
async fn come(step: Step, page: PageOnItsWay) -> (Step, Result<Page, SystemError>) {
    (step, page.come().await)
}

/// What is said of a document, in its place among all.
#[derive(Default)]
struct Told {
    problems: Vec<String>,
    notes: Vec<String>,
}

impl PullListing<'_, '_> {
    /// Reads every document to its end.
    pub(super) async fn documents(&mut self) -> Result<(), Stopped> {
        let mut told: BTreeMap<usize, Told> = BTreeMap::new();
        let mut failed = false;
        let mut waiting = self.reader.documents().into_iter().enumerate();
        let mut asking = FuturesUnordered::new();
        loop {
            while asking.len() < SIDE_BY_SIDE
                && let Some((number, document)) = waiting.next()
            {
                if let Some(step) = self.first(number, document)? {
                    let page = self.ask_step(&step);
                    asking.push(come(step, page));
                }
                self.put_aside(&mut told, number);
            }
            let Some((mut step, page)) = asking.next().await else { break };
            let number = step.number;
            let next = match &page {
                Ok(page) => self.further(&mut step, page)?,
                Err(error) => {
                    let again = self.failed(step.clone(), error)?;
                    failed |= again.is_none();
                    again
                }
            };
            // The next page comes while this one is taken in.
            if let Some(next) = next {
                let page = self.ask_step(&next);
                asking.push(come(next, page));
            }
            if let Ok(page) = page {
                self.take_document_page(&step, page).await?;
            }
            self.put_aside(&mut told, number);
        }
        for (_, told) in told {
            self.row.problems.extend(told.problems);
            self.row.notes.extend(told.notes);
        }
        if failed { Err(Stopped::Told) } else { Ok(()) }
    }

    /// Keeps what was said of a document until all were read, so that it is told in their order.
    fn put_aside(&mut self, told: &mut BTreeMap<usize, Told>, number: usize) {
        let told = told.entry(number).or_default();
        told.problems.append(&mut self.row.problems);
        told.notes.append(&mut self.row.notes);
    }

    /// The first page of a document; none where it asked not to be asked.
    fn first(&mut self, number: usize, document: Document) -> Result<Option<Step>, Stopped> {
        let Document { cursor, called } = document;
        let place = self.reader.page_key(self.ask(cursor.as_deref(), None));
        let mut standing = self.run.shared().store.document_standing(self.key, &place)?;
        if self.run.options.ask_again {
            standing = DocumentStanding { moved: standing.moved, ..DocumentStanding::default() };
        }
        let system = self.key.0;
        let again = format!("`diaporos pull {system} --ask-again` asks all the same");
        if let Some(ended) = standing.ended {
            let day = ended.strftime("%Y-%m-%d");
            self.row.notes.push(format!(
                "{called} is gone for good, as it said on {day}, and is not asked any more; take it out of the configuration; {again}"
            ));
            return Ok(None);
        }
        if let Some(until) = standing.not_before.filter(|until| *until > self.began) {
            self.row.notes.push(format!("{called} wants to be left alone until {until}, and was not asked; {again}"));
            return Ok(None);
        }
        let known = self.run.shared().store.page_mark(self.key.0, self.key.1, &place)?;
        let visited = BTreeSet::from([place.clone()]);
        Ok(Some(Step { number, called, place, standing, cursor, known, visited, pages: 0 }))
    }

    fn ask_step(&self, step: &Step) -> PageOnItsWay {
        let moved = step.standing.moved.clone().filter(|_| step.pages == 0);
        let (kind, cursor) = (self.key.1.clone(), step.cursor.clone());
        let ask = OwnAsk { kind, cursor, since: None, now: self.began, moved };
        PageOnItsWay::ask(self.reader, self.key.0, ask, step.known.clone())
    }

    /// Takes a page in, and what it says of its document.
    async fn take_document_page(&mut self, step: &Step, page: Page) -> Result<(), Stopped> {
        if step.pages == 0 {
            let moved = page.moved.clone().or_else(|| step.standing.moved.clone());
            let standing = DocumentStanding { moved, ..DocumentStanding::default() };
            if standing != self.run.shared().store.document_standing(self.key, &step.place)? {
                self.run.shared().store.keep_document_standing(self.key, &step.place, &standing)?;
            }
        }
        let place = self.reader.page_key(self.ask(step.cursor.as_deref(), None));
        self.taken(page, &place, step.known.as_ref(), None).await?;
        Ok(())
    }

    /// The page that a page leads to. A document that is read apart ends only where it says so.
    fn further(&mut self, step: &mut Step, page: &Page) -> Result<Option<Step>, Stopped> {
        let Some(next) = page.next.clone() else { return Ok(None) };
        let pages = step.pages + 1;
        if pages >= MOST_PAGES {
            self.row.notes.push(format!("{} has no end; {MOST_PAGES} pages of it were read", step.called));
            return Ok(None);
        }
        // Pages that are as they were lead on as they did, so that a circle may go through them too.
        let place = self.reader.page_key(self.ask(Some(&next), None));
        if !step.visited.insert(place.clone()) {
            self.row.notes.push(format!("{} leads in a circle, which was followed once", step.called));
            return Ok(None);
        }
        let known = self.run.shared().store.page_mark(self.key.0, self.key.1, &place)?;
        let visited = std::mem::take(&mut step.visited);
        Ok(Some(Step { cursor: Some(next), known, visited, pages, ..step.clone() }))
    }

    /// Notes that a page could not be had, and what the document asks for; where it had moved, it is asked
    /// for once more where it was.
    fn failed(&mut self, step: Step, error: &SystemError) -> Result<Option<Step>, Stopped> {
        let now = (self.run.clock)();
        if step.pages == 0 && step.standing.moved.is_some() {
            let standing = DocumentStanding::default();
            self.run.shared().store.keep_document_standing(self.key, &step.place, &standing)?;
            return Ok(Some(Step { standing, ..step }));
        }
        let (system, kind) = self.key;
        let SystemError { url, kind: what, .. } = error;
        let mut problem = format!("{system}/{kind}: {}: {what} ({url})", step.called);
        if step.pages == 0 {
            let not_before = what.asks_to_wait().and_then(|wait| now.checked_add(wait).ok());
            let ended = (*what == ErrorKind::GoneForGood).then_some(now);
            if ended.is_some() {
                problem.push_str("; it is not asked again");
            }
            if not_before.is_some() || ended.is_some() {
                let standing = DocumentStanding { not_before, ended, ..step.standing };
                self.run.shared().store.keep_document_standing(self.key, &step.place, &standing)?;
            }
        }
        self.row.problems.push(problem);
        Ok(None)
    }
}
