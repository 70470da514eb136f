//! Slates: whether a set of entries can be launched as a whole, and what stands against it.

use std::collections::BTreeMap;

use diaporos_core::plan::HoldReason;
use diaporos_core::value::{Address, LaneName};
use diaporos_store::{Slate, SlateAction, SlateEntry, SlateStanding, Store, StoreError};
use jiff::Timestamp;

use crate::config::{Config, ConfiguredLane};
use crate::preview::preview;
use crate::push::{Author, Chosen, PushError, PushOptions, PushRow, PushRun, PushSummary, Target};
use crate::refs::{RefEnd, Way, refs};
use crate::{ConnectError, Connector, Silent};

/// What stands against a launch.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct SlateFault {
    /// The lane, where it is of one.
    pub lane: Option<LaneName>,
    /// The entry.
    pub address: Address,
    /// What it is.
    pub message: String,
    /// What to do about it.
    pub way_out: String,
}

/// The lanes that a slate is for, of those that take an entry.
fn lanes_of<'a>(config: &'a Config, slate: &Slate, address: &Address) -> Vec<&'a ConfiguredLane> {
    let takes = |lane: &&ConfiguredLane| {
        let from = &lane.lane.from;
        (&from.system, &from.kind) == (&address.system, &address.kind)
            && (slate.lanes.is_empty() || slate.lanes.contains(&lane.lane.name))
    };
    config.lanes.values().filter(takes).collect()
}

/// What a push of a slate's entries alone is to do, by lane.
#[must_use]
pub fn chosen(config: &Config, slate: &Slate, entries: &[SlateEntry]) -> BTreeMap<LaneName, Chosen> {
    let mut chosen: BTreeMap<LaneName, Chosen> = BTreeMap::new();
    for SlateEntry { address, entry, .. } in entries {
        for lane in lanes_of(config, slate, address) {
            let of_lane = chosen.entry(lane.lane.name.clone()).or_default();
            of_lane.entries.insert(*entry);
            of_lane.slate = Some(slate.name.clone());
        }
    }
    chosen
}

/// What is known to stand against a launch without asking a destination.
///
/// # Errors
/// Where the store fails.
fn faults(
    config: &Config,
    store: &Store,
    (slate, entries): (&Slate, &[SlateEntry]),
    now: Timestamp,
) -> Result<Vec<SlateFault>, PushError> {
    let mut found = Vec::new();
    for of in entries {
        let address = &of.address;
        let mut add = |lane: Option<&LaneName>, message: String, way_out: &str| {
            let (lane, way_out) = (lane.cloned(), way_out.to_owned());
            found.push(SlateFault { lane, address: address.clone(), message, way_out });
        };
        if of.version != of.now {
            let message = format!("it changed since it was added: version {} then, {} now", of.version, of.now);
            add(None, message, "look at it (`changes`), and `slate add` it once more");
        }
        let lanes = lanes_of(config, slate, address);
        if lanes.is_empty() {
            add(None, "no lane of the slate takes it".to_owned(), "name its lane with `slate new --lane`, or drop it");
        }
        for lane in lanes {
            let name = &lane.lane.name;
            if store.taken_off(name, of.entry)?.is_some() && slate.does == SlateAction::Launch {
                let way_out = "`withdraw ADDRESS --from SYSTEM --put-back`, or drop it";
                add(Some(name), "a person keeps it off".to_owned(), way_out);
            } else if let Some(undone) = store.undone(name, of.entry)? {
                let message = format!("it is kept as it was before run {}", undone.run);
                add(Some(name), message, "`undo RUN --release`, or drop it");
            } else if slate.does == SlateAction::Launch && !goes(store, lane, address, now)? {
                let message = "it does not go on the lane".to_owned();
                add(Some(name), message, "`explain ADDRESS` says which condition does not hold");
            }
        }
    }
    Ok(found)
}

fn goes(store: &Store, lane: &ConfiguredLane, address: &Address, now: Timestamp) -> Result<bool, PushError> {
    Ok(preview(store, lane, address, now)?.is_some_and(|plan| plan.goes))
}

/// A slate with all that it takes to go through it.
pub struct Launch<'a> {
    /// The slate.
    pub slate: Slate,
    /// Its entries.
    pub entries: Vec<SlateEntry>,
    /// Its entries by lane, to be pushed alone.
    pub chosen: BTreeMap<LaneName, Chosen>,
    config: &'a Config,
    targets: Vec<Target<'a>>,
    author: Author<'a>,
    clock: &'a (dyn Fn() -> Timestamp + Sync),
    stop: &'a (dyn Fn() -> bool + Sync),
}

/// How a launch is carried out.
#[derive(Clone, Copy)]
pub struct LaunchBy<'a> {
    /// Connects to the destinations.
    pub connector: &'a Connector<'a>,
    /// Who launches it.
    pub author: Author<'a>,
    /// The clock.
    pub clock: &'a (dyn Fn() -> Timestamp + Sync),
    /// Whether it is to end; what is under way is finished.
    pub stop: &'a (dyn Fn() -> bool + Sync),
}

/// What became of a launch.
#[derive(Debug)]
pub enum Launched {
    /// Something stands against it; nothing was sent.
    Faulty(Vec<SlateFault>),
    /// All of it went.
    Whole(PushSummary),
    /// Some of it did not go; it is open still, and launched again the rest follows.
    InPart(PushSummary),
}

/// Why a slate cannot be gone through.
#[derive(Debug, thiserror::Error)]
pub enum LaunchError {
    /// The store failed.
    #[error(transparent)]
    Store(#[from] StoreError),
    /// A destination cannot be set up.
    #[error(transparent)]
    Connect(#[from] ConnectError),
    /// A lane cannot be gone through.
    #[error("the lane `{lane}` cannot be gone through: {error}")]
    Lane {
        /// Which.
        lane: LaneName,
        /// Why.
        error: PushError,
    },
}

impl<'a> Launch<'a> {
    /// A slate that is to be gone through.
    ///
    /// # Errors
    /// Where the store fails, or a destination cannot be set up.
    pub fn of(config: &'a Config, store: &Store, slate: Slate, by: LaunchBy<'a>) -> Result<Launch<'a>, LaunchError> {
        let entries = store.slate_entries(&slate.name)?;
        let chosen = chosen(config, &slate, &entries);
        let lanes: Vec<&ConfiguredLane> = chosen.keys().filter_map(|name| config.lanes.get(name)).collect();
        let targets = Target::of(&lanes, by.connector)?;
        let LaunchBy { author, clock, stop, .. } = by;
        Ok(Launch { slate, entries, chosen, config, targets, author, clock, stop })
    }

    async fn push(
        &self,
        store: &mut Store,
        options: PushOptions,
        row: &mut (dyn FnMut(&LaneName, PushRow) + Send),
    ) -> Result<PushSummary, StoreError> {
        let (chosen, clock, stop) = (Some(&self.chosen), self.clock, self.stop);
        let mut run = PushRun { store, targets: &self.targets, chosen, clock, stop };
        run.run(options, self.author, &mut Silent, row).await
    }

    /// Everything that stands against a launch: what is known here, and what a plan against the destinations finds.
    ///
    /// # Errors
    /// Where the store fails, or a lane cannot be gone through.
    pub async fn faults(&self, store: &mut Store) -> Result<Vec<SlateFault>, LaunchError> {
        let mut found = faults(self.config, store, (&self.slate, &self.entries), (self.clock)())
            .map_err(|error| self.about_lane(error))?;
        // To be taken off, an entry need not be fit to go.
        if self.slate.does == SlateAction::Withdraw {
            return Ok(found);
        }
        let mut rows = Vec::new();
        let options = PushOptions { dry_run: true, allow_removals: Some(u64::MAX), ..PushOptions::default() };
        let plan = self.push(store, options, &mut |lane, row| rows.push((lane.clone(), row))).await?;
        for (lane, row) in rows {
            let Some(reason) = row.reason else { continue };
            let known = HoldReason::from_word(&reason);
            let way_out = known.map_or("see that the destination answers, and check again", HoldReason::way_out);
            found.push(SlateFault {
                lane: Some(lane),
                address: row.address,
                message: format!("{reason}: {}", row.message.unwrap_or_default()),
                way_out: way_out.to_owned(),
            });
        }
        match plan.stopped.into_iter().next() {
            Some((lane, error)) => Err(LaunchError::Lane { lane, error }),
            None => Ok(found),
        }
    }

    fn about_lane(&self, error: PushError) -> LaunchError {
        match (error, self.chosen.keys().next()) {
            (PushError::Store(error), _) => error.into(),
            (error, Some(lane)) => LaunchError::Lane { lane: lane.clone(), error },
            (error, None) => StoreError::Content(error.to_string()).into(),
        }
    }

    /// Launches the slate, where nothing stands against it. Rows are handed over as they are done.
    ///
    /// # Errors
    /// Where the store fails, or a lane cannot be gone through; launched again, the rest follows.
    pub async fn carry_out(
        &self,
        store: &mut Store,
        allow_removals: Option<u64>,
        row: &mut (dyn FnMut(&LaneName, PushRow) + Send),
    ) -> Result<Launched, LaunchError> {
        let faults = self.faults(store).await?;
        if !faults.is_empty() {
            return Ok(Launched::Faulty(faults));
        }
        // What is in a slate that withdraws was put there to be taken off.
        let mut of_slate = None;
        if self.slate.does == SlateAction::Withdraw {
            of_slate = Some(self.entries.len() as u64);
            for (lane, chosen) in &self.chosen {
                for entry in &chosen.entries {
                    store.take_off(lane, *entry, true, (self.clock)())?;
                }
            }
        }
        let options = PushOptions { allow_removals: allow_removals.or(of_slate), ..PushOptions::default() };
        let done = self.push(store, options, row).await?;
        if !done.stopped.is_empty() || done.tally.held + done.tally.failed > 0 {
            return Ok(Launched::InPart(done));
        }
        let now = (self.clock)();
        let standing = SlateStanding::Launched;
        let launched = Slate { standing, launched: Some(now), run: done.run, ..self.slate.clone() };
        store.keep_slate(&launched, now)?;
        Ok(Launched::Whole(done))
    }
}

/// Entries with those that they refer to, to a depth; each once.
///
/// # Errors
/// Where the store fails.
pub fn with_references(store: &Store, from: &[Address], depth: usize) -> Result<Vec<Address>, StoreError> {
    let mut all: Vec<Address> = from.to_vec();
    for address in from {
        for row in refs(store, address, Way::Forth, depth)? {
            if matches!(row.end, RefEnd::Entry(_) | RefEnd::Again(_)) && !all.contains(&row.address) {
                all.push(row.address);
            }
        }
    }
    Ok(all)
}
