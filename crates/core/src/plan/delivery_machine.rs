//! Carrying out one document's step: a conversation with the destination, without the talking.
//!
//! The machine (sans-I/O) says what to do next, and is told what came of it, until it ends. It never writes
//! twice without having looked, and never over a version that it does not know.

use super::document::{changed_there, deleted_there, found_there};
use super::settle::partly;
use super::{Counterpart, DocumentPlan, Existing, FoundDocument, Hold, HoldReason, Order, Presence, Step, Written};
use crate::change::{Divergence, Merge, MergePolicies, merge_found};
use crate::value::{EntryId, Value};

/// How often one document is written in a run, at most.
const TRIES: u32 = 3;

/// What is to be done next.
#[derive(Debug, Clone, PartialEq)]
pub enum Effect {
    /// Carry out the order, once.
    Write(Order),
    /// Read the document of that id.
    Read(EntryId),
    /// Find documents by the entry's key. Where the number is not 0, it was looked so often in vain, and a
    /// destination's look-up may lag behind its writes: some time is to pass before.
    Find(u32),
    /// Nothing: it is over.
    End(Ending),
}

/// What the destination said to a write.
#[derive(Debug, Clone, PartialEq)]
pub enum Response {
    /// It was carried out.
    Done(Written),
    /// No good answer: it may have been carried out or not.
    Lost,
    /// Its version is not the one that the order is based on; nothing was done.
    Differs,
    /// There is no such document.
    Absent,
    /// It was refused; nothing was done.
    Refused,
    /// Somebody else has it locked; nothing was done.
    Locked,
    /// It never came to it; nothing was done.
    NotDone,
}

/// How a delivery ended.
#[derive(Debug, Clone, PartialEq)]
pub enum Ending {
    /// It is as it should be, and so noted.
    Done(Option<Counterpart>),
    /// An answer was lost, or somebody was quicker; it was looked at, and is as it should be.
    Found(Option<Counterpart>),
    /// It cannot be decided here; where it is known to be on view or off it otherwise than before, that
    /// is to be noted.
    Held(Hold, Option<Counterpart>),
    /// The destination refused it.
    Refused,
    /// Somebody else has it locked.
    Locked,
    /// It was not done, and can be tried again.
    NotDone,
    /// It was looked at after a lost answer, was not done, and the tries are used up.
    FoundNotDone,
    /// Nobody knows whether it was done.
    InDoubt,
}

/// What keeps a write from going wrong at a destination.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub struct Safeguards {
    /// Whether a request is refused over another version than the one it is based on. Where it is not,
    /// what is there is compared just before.
    pub guarded: bool,
    /// Whether the destination knows a request that arrives twice, so that it can be sent again.
    pub repeatable: bool,
    /// Whether what was written is to be read back where the answer does not show it, to learn how the
    /// destination stores it.
    pub read_back: bool,
    /// Whether saving and putting on view are two calls there: a document that is found written may not be on
    /// view.
    pub shows_apart: bool,
}

/// Why the document is being read.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum ReadReason {
    /// The destination has no versions, so it is compared before anything is written over.
    Before,
    /// An answer was lost.
    AfterLoss,
    /// Somebody else was quicker.
    AfterDifference,
    /// It was written, and the answer did not show how it is stored.
    Back,
}

/// Carries out one document's step.
#[derive(Debug)]
pub struct DeliveryMachine<'a> {
    plan: &'a DocumentPlan,
    policies: &'a MergePolicies,
    order: Order,
    merge: Merge,
    tries: u32,
    read_reason: ReadReason,
    safeguards: Safeguards,
    /// How often a new document was looked for in vain.
    looks: u32,
    /// What the last good answer said, while the document is read back.
    written: Option<Written>,
    /// Whether the document was seen in another version than the one that the order was based on.
    moved_on: bool,
}

impl<'a> DeliveryMachine<'a> {
    /// Begins with the first act; none where there is nothing to send.
    #[must_use]
    pub fn begin(
        plan: &'a DocumentPlan,
        item: Option<&EntryId>,
        policies: &'a MergePolicies,
        safeguards: Safeguards,
    ) -> Option<(Self, Effect)> {
        let order = plan.order(item)?;
        let merge = plan.merge().clone();
        let (read_reason, written) = (ReadReason::Before, None);
        let (tries, looks, moved_on) = (0, 0, false);
        let mut machine =
            DeliveryMachine { plan, policies, order, merge, tries, read_reason, safeguards, looks, written, moved_on };
        let effect = match machine.order.id() {
            Some(id) if !safeguards.guarded => Effect::Read(id.clone()),
            _ => machine.send(),
        };
        Some((machine, effect))
    }

    /// The order as it stands.
    #[must_use]
    pub fn order(&self) -> &Order {
        &self.order
    }

    fn send(&mut self) -> Effect {
        self.tries += 1;
        Effect::Write(self.order.clone())
    }

    fn shows(&self) -> bool {
        matches!(self.order, Order::Show { .. })
    }

    fn look(&mut self, read_reason: ReadReason) -> Effect {
        self.read_reason = read_reason;
        self.order.id().map_or(Effect::Find(0), |id| Effect::Read(id.clone()))
    }

    /// What to do after a write.
    pub fn wrote(&mut self, response: Response) -> Effect {
        let removes = self.order.removes();
        match (response, self.order.id()) {
            (Response::Done(written), _) => self.done(written),
            (Response::Lost, None) if self.safeguards.repeatable && self.tries < TRIES => self.send(),
            // To put on view what is on view changes nothing.
            (Response::Lost, Some(_)) if self.shows() && self.tries < TRIES => self.send(),
            (Response::Lost, _) => self.look(ReadReason::AfterLoss),
            (Response::Differs, Some(_)) => self.look(ReadReason::AfterDifference),
            (Response::Absent, Some(id)) if removes => self.end(Ending::Done(self.removed(id, Presence::Deleted))),
            (Response::Absent, Some(id)) => self.end(Ending::Held(deleted_there(id), None)),
            (Response::Differs | Response::Absent, None) | (Response::Refused, _) => self.end(Ending::Refused),
            (Response::Locked, _) => self.end(Ending::Locked),
            (Response::NotDone, _) => self.end(Ending::NotDone),
        }
    }

    /// What to do when a look got no answer. A version that differs may be our own doing: a request
    /// that arrived twice.
    #[must_use]
    pub fn saw_nothing(&self) -> Effect {
        match (self.read_reason, &self.written) {
            (ReadReason::Before, _) => Effect::End(Ending::NotDone),
            // What waits to be shown must have been seen: here, or in the answer.
            (ReadReason::Back, Some(Written { fields: None, .. })) if self.plan.ends_unseen() => {
                Effect::End(Ending::InDoubt)
            }
            // It was written; only how it is stored stays unknown.
            (ReadReason::Back, Some(written)) => Effect::End(Ending::Done(self.written(written.clone()))),
            _ => Effect::End(Ending::InDoubt),
        }
    }

    /// After a good answer: what was written is read back, where that was asked for and the answer does
    /// not show it.
    fn done(&mut self, written: Written) -> Effect {
        let id = written.id.clone().or_else(|| self.order.id().cloned());
        match id {
            Some(id)
                if (self.safeguards.read_back && written.fields.is_none() || self.plan.ends_unseen())
                    && self.order.fields().is_some() =>
            {
                self.read_reason = ReadReason::Back;
                self.written = Some(written);
                Effect::Read(id)
            }
            _ => self.end(Ending::Done(self.written(written))),
        }
    }

    /// What to do after reading the document by its id.
    pub fn read(&mut self, now: Option<&Existing>) -> Effect {
        if let (ReadReason::Back, Some(written)) = (self.read_reason, self.written.take()) {
            if self.plan.ends_unseen() && !now.is_some_and(|now| self.reads_back(now)) {
                return Effect::End(Ending::InDoubt);
            }
            // Somebody else may have been quicker than our look: what they wrote is no form of ours.
            let is_ours = |now: &&Existing| written.revision.is_none() || written.revision == now.revision;
            let now = now.filter(is_ours);
            let shown = now.map(|now| now.fields.clone());
            let revision = written.revision.clone().or_else(|| now?.revision.clone());
            return self.end(Ending::Done(self.written(Written { fields: shown, revision, ..written })));
        }
        let Some(id) = self.order.id().cloned() else { return Effect::End(Ending::InDoubt) };
        let untouched = |now: &Existing| now.revision.is_some() && self.order.revision() == now.revision.as_ref();
        self.moved_on |= now.is_some_and(|now| !untouched(now));
        match (now, &self.order) {
            (None, Order::Withdraw { .. } | Order::Delete { .. }) => {
                Effect::End(self.over(self.removed(&id, Presence::Deleted)))
            }
            (None, _) => self.end(Ending::Held(deleted_there(&id), None)),
            (Some(now), Order::Withdraw { .. }) if now.presence == Presence::Withdrawn => {
                Effect::End(self.over(self.removed(&id, Presence::Withdrawn)))
            }
            (Some(now), Order::Withdraw { .. } | Order::Delete { .. }) => self.remove(now),
            (Some(now), _) => self.reconcile(now),
        }
    }

    /// Whether a document shows that what was sent is saved: nothing that was to change is as it was before.
    fn reads_back(&self, now: &Existing) -> bool {
        let Some(known) = &self.plan.known else { return true };
        let before = known.there();
        let is_old = |(name, sent): (&String, &Value)| {
            known.fields.get(name).is_some_and(|was| was != sent) && now.fields.get(name) == before.get(name)
        };
        !self.order.fields().into_iter().flatten().any(is_old)
    }

    /// What to do after looking for documents by the entry's key.
    ///
    /// A new document that is not found may be there all the same, for look-ups lag: it is looked for
    /// again, and is left in doubt when the time for that is over ([`DeliveryMachine::saw_nothing`]). It is never
    /// written a second time in one run.
    pub fn found(&mut self, found: &FoundDocument) -> Effect {
        match found {
            FoundDocument::NotAsked | FoundDocument::Nothing => {
                self.looks += 1;
                Effect::Find(self.looks)
            }
            FoundDocument::One(existing) => {
                let Some(document) = &self.plan.document else { return Effect::End(Ending::InDoubt) };
                let merge = merge_found(&document.fields, &existing.fields, self.policies);
                if !merge.conflicts.is_empty() {
                    let hold = found_there(&existing.id, &merge.conflicts);
                    let known = Counterpart::undecided(existing, &document.fields);
                    return self.end(Ending::Held(hold, Some(known)));
                }
                let is_there = !merge.owes && existing.presence == Presence::Present;
                self.merge = merge;
                if is_there {
                    return Effect::End(self.over(self.counterpart(existing)));
                }
                let (id, revision, fields) =
                    (existing.id.clone(), existing.revision.clone(), self.merge.fields.clone());
                self.order = Order::Update { id, revision, fields, language: self.plan.language.clone() };
                self.again()
            }
            FoundDocument::Taken(by) => {
                let message = format!("what was found with its key is `{by}`'s");
                self.end(Ending::Held(Hold::new(HoldReason::KeyTaken, message), None))
            }
            // Nobody can tell whether ours is among them.
            FoundDocument::OtherKeys(_) | FoundDocument::OtherLanguage(_) => Effect::End(Ending::InDoubt),
            FoundDocument::Several(count) => {
                let message = format!("{count} documents there have the entry's key");
                self.end(Ending::Held(Hold::new(HoldReason::Ambiguous, message), None))
            }
        }
    }

    /// Writes again, unless that was done often enough.
    fn again(&mut self) -> Effect {
        match self.read_reason {
            _ if self.tries < TRIES => self.send(),
            // What landed of it is found out by the next run, from the intent.
            ReadReason::AfterLoss if self.moved_on => Effect::End(Ending::InDoubt),
            ReadReason::AfterLoss => self.end(Ending::FoundNotDone),
            ReadReason::Before | ReadReason::AfterDifference | ReadReason::Back => self.end(Ending::NotDone),
        }
    }

    /// What is to be taken away must be as we left it, or its changes not ours to keep.
    fn remove(&mut self, now: &Existing) -> Effect {
        let changed = self.plan.known.as_ref().map_or(Vec::new(), |known| known.changed_in(now));
        if !changed.is_empty() {
            return self.end(Ending::Held(changed_there(Some(&now.id), &changed), None));
        }
        self.order = self.order.clone().on(now);
        self.again()
    }

    /// The document is not as it was when the plan was made: what ours and theirs come to now.
    fn reconcile(&mut self, now: &Existing) -> Effect {
        let Some(merge) = self.plan.merge_with(now, self.policies) else { return Effect::End(Ending::InDoubt) };
        if !merge.conflicts.is_empty() {
            // What of a lost write is there is ours, whatever else somebody did.
            let landed = |known| partly(known, self.order.fields()?, now);
            let known = self.plan.known.as_ref().filter(|_| self.tries > 0).and_then(landed);
            let known = match (&self.plan.known, &self.plan.document) {
                (None, Some(document)) => Some(Counterpart::undecided(now, &document.fields)),
                _ => known,
            };
            let is_found = self.plan.known.as_ref().is_none_or(Counterpart::is_undecided);
            let hold = if is_found {
                found_there(&now.id, &merge.conflicts)
            } else {
                changed_there(Some(&now.id), &merge.conflicts)
            };
            return self.end(Ending::Held(hold, known));
        }
        let is_there = !merge.owes && now.presence == Presence::Present && !self.shows();
        let owes = merge.owes;
        self.merge = merge;
        if is_there {
            return Effect::End(self.over(self.counterpart(now)));
        }
        if self.shows() && !owes {
            self.order = self.order.clone().on(now);
            return self.again();
        }
        if let Order::Update { id, .. } | Order::Show { id, .. } = &self.order {
            let (id, revision, fields) = (id.clone(), now.revision.clone(), self.merge.fields.clone());
            self.order = Order::Update { id, revision, fields, language: self.plan.language.clone() };
        }
        self.again()
    }

    /// Ends. A document that was created and found again is not forgotten because it could not be
    /// written once more: its creation stays in doubt, and is settled by its key.
    fn end(&self, ending: Ending) -> Effect {
        let is_found_creation = matches!(self.plan.step, Step::Create) && self.order.id().is_some();
        match ending {
            Ending::Done(_) | Ending::Found(_) | Ending::Held(_, Some(_)) => Effect::End(ending),
            _ if is_found_creation => Effect::End(Ending::InDoubt),
            ending => Effect::End(ending),
        }
    }

    /// An ending without a good answer to the last write.
    fn over(&self, counterpart: Option<Counterpart>) -> Ending {
        let apart = self.safeguards.shows_apart;
        Ending::Found(counterpart.map(|known| if apart { known.found_saved() } else { known }))
    }

    fn written(&self, written: Written) -> Option<Counterpart> {
        let id = written.id.or_else(|| self.order.id().cloned())?;
        if self.order.removes() {
            let is_deleted = matches!(self.order, Order::Delete { .. });
            let presence = if is_deleted { Presence::Deleted } else { Presence::Withdrawn };
            return self.removed(&id, presence).map(|gone| Counterpart { revision: written.revision, ..gone });
        }
        let document = self.plan.document.as_ref()?;
        let mut known = self.plan.counterpart(id, written.item, written.revision, document, &self.merge);
        if written.presence == Presence::Unseen {
            known.presence = Presence::Unseen;
        }
        // Where the answer shows the document, its own way of storing ours is no change of anybody's.
        for (name, sent) in self.order.fields().into_iter().flatten() {
            let shown = written.fields.as_ref().and_then(|fields| fields.get(name));
            if let Some(shown) = shown.filter(|shown| *shown != sent && !known.divergences.contains_key(name)) {
                known.divergences.insert(name.clone(), Divergence::Stored(shown.clone()));
            }
        }
        Some(known)
    }

    fn counterpart(&self, now: &Existing) -> Option<Counterpart> {
        let document = self.plan.document.as_ref()?;
        let (id, item, revision) = (now.id.clone(), now.item.clone(), now.revision.clone());
        Some(self.plan.counterpart(id, item, revision, document, &self.merge))
    }

    fn removed(&self, id: &EntryId, presence: Presence) -> Option<Counterpart> {
        let known = self.plan.known.clone()?;
        Some(Counterpart { id: id.clone(), revision: None, presence, ..known })
    }
}
