//! The hub: what is on its disk, and a push as the program makes it.

use std::collections::BTreeMap;

use diaporos_core::change::MergePolicies;

use diaporos_core::plan::{
    Counterpart, DeliveryMachine, DesiredState, Document, DocumentPlan, Effect, Ending, FoundDocument, GonePolicy,
    HoldReason, Intended, Order, Presence, Safeguards, Settled, Step, decide, settle, settle_new,
};
use diaporos_core::value::{EntryId, Record, Value};

use crate::history::{ENTRIES, FIELDS, MOST_LAG};
use crate::world::{Crash, Page, World};

/// What the source has.
#[derive(Debug, Default)]
pub(crate) struct Source {
    values: BTreeMap<(usize, usize), u8>,
    hidden: [bool; ENTRIES],
    shares_key: bool,
}

impl Source {
    pub(crate) fn edit(&mut self, entry: usize, field: usize, value: u8) {
        self.values.insert((entry, field), value);
    }

    pub(crate) fn set_live(&mut self, entry: usize, live: bool) {
        self.hidden[entry] = !live;
    }

    /// The second entry has the key of the first.
    pub(crate) fn share_key(&mut self, shared: bool) {
        self.shares_key = shared;
    }

    fn key(&self, entry: usize) -> String {
        let owner = if self.shares_key && entry == 1 { 0 } else { entry };
        format!("page-{owner}")
    }

    fn document(&self, entry: usize) -> Option<Document> {
        let key = self.key(entry);
        let mut fields: Record = [("slug".to_owned(), Value::from(key.as_str()))].into_iter().collect();
        for (place, name) in FIELDS.into_iter().enumerate() {
            let value = self.values.get(&(entry, place)).copied().unwrap_or_default();
            let text = |value: u8| Value::from(format!("ours-{value}").as_str());
            let value = if name == "topics" { Value::List((0..value).map(text).collect()) } else { text(value) };
            fields.insert(name.to_owned(), value);
        }
        (!self.hidden[entry]).then_some(Document { language: None, fields, key: Some(key) })
    }
}

/// An intent without an outcome.
#[derive(Debug, Clone)]
struct OpenIntent {
    order: Order,
    document: Option<Document>,
}

/// What survives a crash.
#[derive(Debug, Default)]
pub(crate) struct Hub {
    pub(crate) source: Source,
    counterparts: BTreeMap<usize, Counterpart>,
    open: BTreeMap<usize, OpenIntent>,
    held: BTreeMap<usize, HoldReason>,
}

impl Hub {
    /// A push, till its end or its death.
    pub(crate) fn push(&mut self, world: &mut World, verify: bool) {
        // Where the process dies, the next one finds what is on the disk.
        let _ = self.run(world, verify);
    }

    fn run(&mut self, world: &mut World, verify: bool) -> Result<(), Crash> {
        for entry in 0..ENTRIES {
            world.step()?;
            if self.settle(entry, world)? {
                self.deliver(entry, world, verify)?;
            }
        }
        Ok(())
    }

    /// Finds out what became of an intent without an outcome; false while that cannot be told.
    fn settle(&mut self, entry: usize, world: &mut World) -> Result<bool, Crash> {
        let Some(OpenIntent { order, document }) = self.open.get(&entry).cloned() else { return Ok(true) };
        let known = self.counterparts.get(&entry);
        let fingerprint = document.as_ref().map(Document::fingerprint);
        let settled = match &order {
            Order::Create { fields, .. } => {
                let key = document.as_ref().and_then(|document| document.key.clone()).unwrap();
                let mut found = FoundDocument::Nothing;
                for _ in 0..=MOST_LAG {
                    let Ok(seen) = world.find(&key) else { return Ok(false) };
                    found = seen;
                    if found != FoundDocument::Nothing {
                        break;
                    }
                }
                let is_anothers =
                    |id: &EntryId| self.counterparts.iter().any(|(by, known)| *by != entry && known.id == *id);
                match &found {
                    FoundDocument::OtherKeys(_) => return Ok(false),
                    // What has the key is another entry's, so that ours is not there.
                    FoundDocument::One(existing) if is_anothers(&existing.id) => Settled::NotDone,
                    found => settle_new(fields, fingerprint.unwrap(), found),
                }
            }
            order => {
                let intended = match order {
                    Order::Withdraw { .. } => Intended::Withdraw,
                    Order::Delete { .. } => Intended::Delete,
                    _ => Intended::Write {
                        fields: order.fields().unwrap().clone(),
                        fingerprint: fingerprint.unwrap(),
                        base: order.revision().cloned(),
                    },
                };
                let id = order.id().unwrap();
                let Ok(now) = world.read(id) else { return Ok(false) };
                settle(&intended, id, known, now.as_ref())
            }
        };
        world.step()?;
        match settled {
            Settled::Done(counterpart) | Settled::Partly(counterpart) => {
                self.counterparts.insert(entry, counterpart);
            }
            Settled::FoundThere(counterpart) => {
                self.counterparts.insert(entry, counterpart);
            }
            Settled::NotDone | Settled::Unclear => {}
        }
        self.open.remove(&entry);
        Ok(true)
    }

    fn deliver(&mut self, entry: usize, world: &mut World, verify: bool) -> Result<(), Crash> {
        let policies = MergePolicies::default();
        let known = self.counterparts.get(&entry).cloned();
        let document = self.source.document(entry);
        let found = match (&document, &known) {
            (Some(document), None) => {
                let key = document.key.clone().unwrap();
                let Ok(found) = world.find(&key) else { return Ok(()) };
                let wants = |other: &usize| {
                    let is_new = !self.counterparts.contains_key(other);
                    *other != entry
                        && self.source.document(*other).is_some()
                        && is_new
                        && self.source.key(*other) == key
                };
                let owner =
                    |id: &EntryId| self.counterparts.iter().find(|(_, known)| known.id == *id).map(|(by, _)| *by);
                // What was delivered with that key is known, whatever a look-up that lags says.
                let has = |known: &Counterpart| known.fields.get("slug") == Some(&Value::from(key.as_str()));
                let delivered = self.counterparts.iter().find(|(by, known)| **by != entry && has(known));
                let other = match &found {
                    FoundDocument::One(existing) => owner(&existing.id),
                    _ => delivered.map(|(by, _)| *by),
                };
                match other.or_else(|| (0..ENTRIES).find(wants)) {
                    Some(other) => FoundDocument::Taken(format!("s/page/{other}").parse().unwrap()),
                    None => found,
                }
            }
            _ => FoundDocument::NotAsked,
        };
        let wanted =
            document.as_ref().map_or(DesiredState::NotThere, |document| DesiredState::There(document.fingerprint()));
        let step = decide(wanted, known.as_ref(), found, GonePolicy::Withdraw);
        let mut plan = DocumentPlan::new(None, step, document.clone(), known.clone(), &policies);
        let look_first = verify || known.as_ref().is_some_and(Counterpart::is_undecided);
        if let (true, Some(known)) = (look_first, &known) {
            let Ok(now) = world.read(&known.id) else { return Ok(()) };
            plan.compare_with(now.as_ref(), &policies);
        }
        self.held.remove(&entry);
        if let Step::Hold(hold) = &plan.step {
            self.held.insert(entry, hold.reason);
        }
        if let Some(noted) = plan.noted() {
            self.counterparts.insert(entry, noted);
        }
        let guarded = plan.order(None).is_none_or(|order| order.id().is_none() || order.revision().is_some());
        let safeguards = Safeguards { guarded, repeatable: false, read_back: true };
        let Some((mut machine, mut effect)) = DeliveryMachine::begin(&plan, None, &policies, safeguards) else {
            return Ok(());
        };
        world.step()?;
        self.open.insert(entry, OpenIntent { order: machine.order().clone(), document });
        loop {
            world.step()?;
            effect = match effect {
                Effect::Write(order) => {
                    let response = world.write(&order);
                    world.step()?;
                    machine.wrote(response)
                }
                Effect::Read(id) => match world.read(&id) {
                    Ok(now) => machine.read(now.as_ref()),
                    Err(()) => machine.saw_nothing(),
                },
                Effect::Find(dependencies) if dependencies > MOST_LAG => machine.saw_nothing(),
                Effect::Find(_) => match world.find(&self.source.key(entry)) {
                    Ok(found) => machine.found(&found),
                    Err(()) => machine.saw_nothing(),
                },
                Effect::End(ending) => {
                    self.conclude(entry, ending);
                    return Ok(());
                }
            };
        }
    }

    /// The outcome with the counterpart it made, in one commit.
    fn conclude(&mut self, entry: usize, ending: Ending) {
        match ending {
            Ending::InDoubt => return,
            Ending::Done(counterpart) | Ending::Found(counterpart) => {
                self.counterparts.extend(counterpart.map(|counterpart| (entry, counterpart)));
            }
            Ending::Held(hold, known) => {
                self.held.insert(entry, hold.reason);
                self.counterparts.extend(known.map(|known| (entry, known)));
            }
            Ending::Locked => drop(self.held.insert(entry, HoldReason::Locked)),
            Ending::Refused => drop(self.held.insert(entry, HoldReason::Refused)),
            Ending::NotDone | Ending::FoundNotDone => {}
        }
        self.open.remove(&entry);
    }

    /// What must hold when all is calm.
    pub(crate) fn everything_is_right(&self, world: &World) {
        assert!(self.open.is_empty(), "in doubt for good: {:?}", self.open);
        for entry in 0..ENTRIES {
            let key = Value::from(self.source.key(entry).as_str());
            let is_anothers = |id: &u64| {
                let mut others = self.counterparts.iter().filter(|(by, _)| **by != entry);
                others.any(|(_, known)| known.id.as_str() == id.to_string())
            };
            let has_key = |(_, page): &(&u64, &Page)| page.fields.get("slug") == Some(&key);
            let all = world.pages.iter().filter(has_key).count();
            assert!(all <= 1, "the key of `page-{entry}` is there {all} times");
            let pages: Vec<_> = world.pages.iter().filter(has_key).filter(|(id, _)| !is_anothers(id)).collect();
            let known = self.counterparts.get(&entry);
            let by_hand = |id: u64| world.deleted.contains(&id) || world.touched.contains(&id);
            if let Some(HoldReason::KeyTaken) = self.held.get(&entry) {
                assert!(self.source.shares_key && entry < 2, "only what shares a key is held for it");
                continue;
            }
            if let Some(reason) = self.held.get(&entry) {
                let id: u64 = known.unwrap().id.as_str().parse().unwrap();
                assert!(by_hand(id) || world.unsure.contains(&id), "held, {reason:?}, and nobody else did anything");
                continue;
            }
            match (self.source.document(entry), pages.first()) {
                (Some(document), Some((id, page))) => {
                    assert_eq!(known.unwrap().id.as_str(), id.to_string(), "the identifier that is kept");
                    assert_eq!(page.presence, Presence::Present);
                    for (name, ours) in &document.fields {
                        let theirs = page.fields.get(name).unwrap();
                        let is_ours = match (ours, theirs) {
                            (Value::Text(ours), Value::Text(theirs)) => ours.trim_end() == theirs.trim_end(),
                            (ours, theirs) => ours == theirs,
                        };
                        let merged = matches!((ours, theirs), (Value::List(ours), Value::List(theirs))
                            if ours.iter().all(|item| theirs.contains(item)));
                        // Nobody can tell its own spelling from a hand's, nor who took an item out of a
                        // list that a hand wrote to while our own write was in doubt.
                        let in_doubt = world.lost.contains(id) && world.touched.contains(id);
                        let unsure = (name == "teaser" && world.unsure.contains(id)) || (name == "topics" && in_doubt);
                        assert!(
                            is_ours || unsure || page.by_hand.get(name) == Some(theirs) || merged,
                            "`{name}` of `page-{entry}` is {theirs:?}, and should be {ours:?}"
                        );
                    }
                }
                (Some(_), None) => panic!("`page-{entry}` is not there, is not held, and should be there"),
                (None, Some((id, page))) => {
                    assert!(page.presence == Presence::Withdrawn || by_hand(**id), "`page-{entry}` should be off view");
                }
                (None, None) => {}
            }
        }
    }
}
