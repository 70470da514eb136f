//! A destination, other people's hands on it, and the network before it.

use std::collections::{BTreeMap, BTreeSet};
use std::time::Duration;

use diaporos_core::plan::{Existing, Order, Presence, Response, Written};
use diaporos_core::value::{EntryId, LanguageTag, Record, Revision, Value};

use tokio::time::Instant;

use crate::history::{Crash, FIELDS, Fault};

/// The process died here.
#[derive(Debug)]
pub(crate) struct Died;

/// A page.
#[derive(Debug, Clone)]
pub(crate) struct Page {
    /// Its language, where each is a document of its own, and what joins it to the others.
    pub(crate) language: Option<LanguageTag>,
    pub(crate) item: Option<EntryId>,
    pub(crate) version: u64,
    pub(crate) fields: Record,
    pub(crate) presence: Presence,
    pub(crate) locked: bool,
    /// What visitors see of it, where that is not what is saved last.
    pub(crate) shown: Option<Record>,
    /// What a hand wrote last into a field, while nobody wrote over it.
    pub(crate) by_hand: BTreeMap<String, Value>,
}

/// The destination with everything around it.
pub(crate) struct World {
    pub(crate) pages: BTreeMap<u64, Page>,
    last: u64,
    versions: bool,
    /// Whether answers show the page, and in the destination's own spelling.
    shows: bool,
    /// Whether what is saved goes on view by a request of its own.
    apart: bool,
    faults: Vec<Fault>,
    crash: Option<Crash>,
    steps: u8,
    looks: u8,
    is_dead: bool,
    /// Whether others live on where a process dies.
    pub(crate) is_of_many: bool,
    requests: u8,
    meddling: Option<(u8, usize, usize, u8)>,
    writes: usize,
    /// The pages that were written in this run: where it dies, what was answered may not be on the disk.
    written: BTreeSet<u64>,
    /// How long new pages are not found by their keys, and from when on each is.
    lag: Duration,
    unfound: BTreeMap<u64, Instant>,
    /// Whether searches are answered with whatever is there, for the rest of the run.
    ignores_key: bool,
    /// Pages that a hand deleted.
    pub(crate) deleted: Vec<u64>,
    /// Pages that a hand ever changed.
    pub(crate) touched: BTreeSet<u64>,
    /// Pages of which an answer was lost that would have told how the destination spells what it was
    /// sent: nobody can tell its spelling from a hand's.
    pub(crate) unsure: BTreeSet<u64>,
    /// Pages of which any answer was lost.
    pub(crate) lost: BTreeSet<u64>,
}

impl World {
    pub(crate) fn new(versions: bool, shows: bool, apart: bool) -> World {
        World {
            pages: BTreeMap::new(),
            last: 0,
            versions,
            shows,
            apart,
            faults: Vec::new(),
            crash: None,
            steps: 0,
            looks: 0,
            is_dead: false,
            is_of_many: false,
            requests: 0,
            meddling: None,
            writes: 0,
            written: BTreeSet::new(),
            lag: Duration::ZERO,
            unfound: BTreeMap::new(),
            ignores_key: false,
            deleted: Vec::new(),
            touched: BTreeSet::new(),
            unsure: BTreeSet::new(),
            lost: BTreeSet::new(),
        }
    }

    pub(crate) fn begin_run(
        &mut self,
        faults: Vec<Fault>,
        crash: Option<Crash>,
        meddling: Option<(u8, usize, usize, u8)>,
        lag: Duration,
    ) {
        self.faults = faults.into_iter().rev().collect();
        // Without versions nobody can tell who wrote between a look and a write.
        self.meddling = meddling.filter(|_| self.versions);
        (self.crash, self.steps, self.looks, self.requests, self.lag) = (crash, 0, 0, 0, lag);
        (self.is_dead, self.ignores_key) = (false, false);
        self.written.clear();
    }

    pub(crate) fn calm_down(&mut self) {
        self.begin_run(Vec::new(), None, None, Duration::ZERO);
        self.unfound.clear();
        self.pages.values_mut().for_each(|page| page.locked = false);
    }

    /// Whether documents have versions.
    pub(crate) fn has_versions(&self) -> bool {
        self.versions
    }

    /// Whether what is saved goes on view by a request of its own.
    pub(crate) fn shows_apart(&self) -> bool {
        self.apart
    }

    pub(crate) fn writes(&self) -> usize {
        self.writes
    }

    /// What a visitor sees: the fields of each page that is on view, but for words, which belong to no run.
    pub(crate) fn on_view(&self) -> BTreeMap<u64, Record> {
        let is_word = |page: &Page| {
            let slug = page.fields.get("slug").and_then(Value::as_text);
            slug.is_some_and(|slug| slug.starts_with("word-"))
        };
        let live = self.pages.iter().filter(|(_, page)| page.presence == Presence::Present && !is_word(page));
        let seen = |page: &Page| if self.apart { page.shown.clone().unwrap_or_default() } else { page.fields.clone() };
        live.map(|(id, page)| (*id, seen(page))).collect()
    }

    /// A step of the process; it may be its last.
    pub(crate) fn step(&mut self) -> Result<(), Died> {
        self.steps = self.steps.saturating_add(1);
        self.lives_after(Crash::Step(self.steps))
    }

    /// A look of the process at the clock; it may be its last.
    pub(crate) fn look_at_the_clock(&mut self) -> Result<(), Died> {
        self.looks = self.looks.saturating_add(1);
        self.lives_after(Crash::Look(self.looks))
    }

    fn lives_after(&mut self, here: Crash) -> Result<(), Died> {
        if self.is_dead {
            return Err(Died);
        }
        if self.crash != Some(here) {
            return Ok(());
        }
        self.is_dead = !self.is_of_many;
        std::mem::take(&mut self.written).into_iter().for_each(|page| self.lose(Some(page)));
        Err(Died)
    }

    fn nth(&mut self, nth: usize) -> Option<(&u64, &mut Page)> {
        self.pages.iter_mut().nth(nth)
    }

    pub(crate) fn hand_edit(&mut self, nth: usize, field: usize, value: u8) {
        if let Some(id) = self.nth(nth).map(|(id, _)| *id) {
            self.touched.insert(id);
        }
        if let Some((_, page)) = self.nth(nth) {
            let name = FIELDS[field].to_owned();
            // Never the same twice: what a hand writes again as it was, nobody can notice.
            let written = Value::from(format!("hand-{value}-{}", page.version).as_str());
            let with = |before: Option<&Value>| match before {
                Some(Value::List(items)) => Value::List(items.iter().cloned().chain([written.clone()]).collect()),
                _ if name == "topics" => Value::List(vec![written.clone()]),
                _ => written.clone(),
            };
            let (value, by_hand) = (with(page.fields.get(&name)), with(page.by_hand.get(&name)));
            page.by_hand.insert(name.clone(), by_hand);
            page.fields.insert(name, value);
            page.version += 1;
            // What a hand saves it puts on view too, where the page is.
            if page.presence == Presence::Present {
                page.shown = Some(page.fields.clone());
            }
        }
    }

    pub(crate) fn hand_delete(&mut self, nth: usize) {
        if let Some(id) = self.nth(nth).map(|(id, _)| *id) {
            self.pages.remove(&id);
            self.deleted.push(id);
        }
    }

    pub(crate) fn lock(&mut self, nth: usize, locked: bool) {
        if let Some((_, page)) = self.nth(nth) {
            page.locked = locked;
        }
    }

    fn fault(&mut self) -> Fault {
        if let Some((at, page, field, value)) = self.meddling
            && at == self.requests
        {
            self.hand_edit(page, field, value);
        }
        self.requests += 1;
        self.faults.pop().unwrap_or(Fault::None)
    }

    fn existing(&self, id: u64, page: &Page) -> Existing {
        Existing {
            id: EntryId::new(id.to_string()).unwrap(),
            item: page.item.clone(),
            language: page.language.clone(),
            revision: self.versions.then(|| Revision::new(page.version.to_string()).unwrap()),
            fields: page.fields.clone(),
            presence: page.presence,
        }
    }

    /// Reads a document; none of the answers that are lost say anything.
    pub(crate) fn read(&mut self, id: &EntryId) -> Result<Option<Existing>, ()> {
        if matches!(self.fault(), Fault::LostBefore | Fault::LostAfter | Fault::WrongAnswer) {
            return Err(());
        }
        let id: u64 = id.as_str().parse().unwrap();
        Ok(self.pages.get(&id).map(|page| self.existing(id, page)))
    }

    /// What a search by a key answers: the pages that have it, but for those that are not found yet; or
    /// whatever is there, where the search does not know what it is asked by.
    pub(crate) fn find(&mut self, key: &str, language: Option<&LanguageTag>) -> Result<Vec<Existing>, ()> {
        match self.fault() {
            Fault::LostBefore | Fault::LostAfter => return Err(()),
            // Who does not know a parameter does not know it the next time either.
            Fault::WrongAnswer => self.ignores_key = true,
            _ => {}
        }
        if self.ignores_key {
            return Ok(vec![self.anything()]);
        }
        let has =
            |page: &&Page| page.fields.get("slug") == Some(&Value::from(key)) && page.language.as_ref() == language;
        let with_key: Vec<u64> = self.pages.iter().filter(|(_, page)| has(page)).map(|(id, _)| *id).collect();
        let is_seen = |id: &u64| self.unfound.get(id).is_none_or(|from| *from <= Instant::now());
        let found: Vec<Existing> =
            with_key.into_iter().filter(is_seen).map(|id| self.existing(id, &self.pages[&id])).collect();
        assert!(found.len() < 2, "{} pages have the same key", found.len());
        Ok(found)
    }

    /// A page that nobody asked for.
    fn anything(&self) -> Existing {
        let home = || Existing {
            id: EntryId::new("home").unwrap(),
            item: None,
            language: None,
            revision: None,
            fields: [("slug".to_owned(), Value::from("home"))].into_iter().collect(),
            presence: Presence::Present,
        };
        self.pages.iter().next().map_or_else(home, |(id, page)| self.existing(*id, page))
    }

    /// A write, with what the network does to it.
    pub(crate) fn write(&mut self, order: &Order) -> Response {
        self.writes += 1;
        match self.fault() {
            Fault::LostBefore | Fault::WrongAnswer => Response::Lost,
            Fault::Throttled => Response::NotDone,
            Fault::None => self.apply(order),
            Fault::LostAfter => {
                let reply = self.apply(order);
                self.lose(page_of(&reply));
                Response::Lost
            }
            // A second copy of a creation would double it, which only a key in the request prevents.
            Fault::Doubled if order.id().is_none() => self.apply(order),
            Fault::Doubled => {
                let first = self.apply(order);
                self.lose(page_of(&first));
                self.apply(order)
            }
        }
    }

    fn lose(&mut self, page: Option<u64>) {
        self.lost.extend(page);
        self.unsure.extend(page.filter(|_| self.shows));
    }

    fn apply(&mut self, order: &Order) -> Response {
        let Some(id) = order.id() else {
            self.last += 1;
            let Order::Create { language, item, .. } = order else { panic!("{order:?} has no id") };
            let of = || EntryId::new(format!("item-{}", self.last)).unwrap();
            let item = language.as_ref().map(|_| item.clone().unwrap_or_else(of));
            let mut page = Page {
                language: language.clone(),
                item,
                version: 1,
                fields: Record::default(),
                presence: if self.apart { Presence::Withdrawn } else { Presence::Present },
                locked: false,
                shown: None,
                by_hand: BTreeMap::new(),
            };
            put(&mut page, order, self.shows);
            let id = self.last;
            self.pages.insert(id, page);
            self.unfound.insert(id, Instant::now() + self.lag);
            return Response::Done(self.written(id));
        };
        let id: u64 = id.as_str().parse().unwrap();
        let Some(page) = self.pages.get_mut(&id) else { return Response::Absent };
        if page.locked {
            return Response::Locked;
        }
        if self.versions && order.revision().is_some_and(|base| base.as_str() != page.version.to_string()) {
            return Response::Differs;
        }
        page.version += 1;
        match order {
            Order::Withdraw { .. } => page.presence = Presence::Withdrawn,
            Order::Delete { .. } => drop(self.pages.remove(&id)),
            Order::Show { .. } => {
                page.presence = Presence::Present;
                page.shown = Some(page.fields.clone());
            }
            _ => {
                put(page, order, self.shows);
                if !self.apart {
                    page.presence = Presence::Present;
                }
            }
        }
        Response::Done(self.written(id))
    }

    fn written(&mut self, id: u64) -> Written {
        self.written.insert(id);
        let page = self.pages.get(&id);
        Written {
            id: Some(EntryId::new(id.to_string()).unwrap()),
            item: page.and_then(|page| page.item.clone()),
            revision: page.filter(|_| self.versions).map(|page| Revision::new(page.version.to_string()).unwrap()),
            fields: page.filter(|_| self.shows).map(|page| page.fields.clone()),
            presence: Presence::Present,
            status: 200,
        }
    }
}

fn page_of(reply: &Response) -> Option<u64> {
    match reply {
        Response::Done(Written { id: Some(id), .. }) => id.as_str().parse().ok(),
        _ => None,
    }
}

/// Writes an order's fields, in the destination's own spelling where it has one. A text that a hand
/// wrote last is never written over.
fn put(page: &mut Page, order: &Order, own_spelling: bool) {
    for (name, value) in order.fields().into_iter().flatten() {
        let stored = match value {
            Value::Text(text) if own_spelling && name == "teaser" => {
                Value::from(format!("{} ", text.trim_end()).as_str())
            }
            other => other.clone(),
        };
        if let Some(theirs) = page.by_hand.get(name)
            && stored != *theirs
        {
            match (theirs, &stored) {
                (Value::List(theirs), Value::List(stored)) => {
                    for item in
                        theirs.iter().filter(|item| matches!(item, Value::Text(text) if text.starts_with("hand")))
                    {
                        assert!(stored.contains(item), "what a hand put into a list was lost: {item:?}");
                    }
                }
                _ => panic!("`{name}` was written over: {theirs:?} by {stored:?}"),
            }
        }
        page.by_hand.remove(name);
        page.fields.insert(name.clone(), stored);
    }
}
