//! The state of a hub, gathered to be looked at.

use diaporos_core::value::LaneName;
use diaporos_store::{LedgerFilter, Paused, Standing, Store, StoreError, Subscription};
use jiff::{SignedDuration, Timestamp};

use super::slate::slate_lines;
use super::views::{
    AlertView, Bar, BatchView, CountView, HoldView, LaneView, LanguageView, LedgerView, Overview, PauseView,
    RunningView, SourceView, shown,
};
use crate::alerts::AlertKind;
use crate::batch::tallies;
use crate::config::{Config, Pushed};
use crate::look::{status, way_out};
use crate::serve::agenda::{When, agenda};
use crate::serve::facts::facts;
use crate::serve::shared::Shared;

/// Holds, rows of the ledger and batches that are shown.
const HOLDS: usize = 50;
const LEDGER: u32 = 20;
const BATCHES: usize = 20;
/// A rhythm is shown over so many days, in stretches of so many hours.
const DAYS: i64 = 7;
const STRETCH: i64 = 6;
/// Of more that are owed it is not looked which waits longest.
const COUNTED_OWED: u64 = 5_000;
/// The height of a plot.
const HEIGHT: u64 = 24;

/// Gathers the state of a hub.
///
/// # Errors
/// Where the store fails.
pub(super) fn overview(shared: &Shared, store: &Store, now: Timestamp) -> Result<Overview, StoreError> {
    let config = shared.config();
    let hub = config.folder.canonicalize().unwrap_or_else(|_| config.folder.clone());
    let (holds, more_holds) = holds(store)?;
    Ok(Overview {
        hub: hub.file_name().map_or_else(|| "hub".to_owned(), |name| name.to_string_lossy().into_owned()),
        now: shown(now),
        started: shown(shared.started),
        fault: shared.fault(),
        alerts: alerts(store)?,
        paused: paused(store, now)?,
        running: running(shared, store, now)?,
        sources: sources(shared, &config, store, now)?,
        lanes: lanes(&config, store)?,
        holds,
        more_holds,
        slates: slate_lines(store)?,
        batches: batches(store)?,
        calls_waiting: store.waiting()?.events,
        ledger: ledger(store)?,
    })
}

fn alerts(store: &Store) -> Result<Vec<AlertView>, StoreError> {
    let view = |row: diaporos_store::AlertRow| AlertView {
        way_out: AlertKind::way_out(&row.kind, &row.subject),
        since: shown(row.opened),
        kind: row.kind,
        subject: row.subject,
        message: row.message,
    };
    Ok(store.alerts(None)?.into_iter().map(view).collect())
}

fn paused(store: &Store, now: Timestamp) -> Result<Vec<PauseView>, StoreError> {
    let view = |(what, pause): (String, diaporos_store::Pause)| {
        let what = if what == Paused::All.to_string() { "everything".to_owned() } else { what };
        PauseView { what, who: pause.who, why: pause.why, until: pause.until.map(shown) }
    };
    Ok(store.pauses(now)?.into_iter().map(view).collect())
}

fn running(shared: &Shared, store: &Store, now: Timestamp) -> Result<Vec<RunningView>, StoreError> {
    let progress = shared.running();
    let view = |row: diaporos_store::LeaseRow| {
        let known = progress.get(&row.what);
        let (done, total) = (known.map(|known| known.done), known.and_then(|known| known.total));
        let percent = done.zip(total).and_then(|(done, total)| (done.min(total) * 100).checked_div(total));
        RunningView { done, total, percent, since: shown(row.since), what: row.what, doing: row.doing, who: row.who }
    };
    Ok(store.leases(now)?.into_iter().map(view).collect())
}

fn sources(shared: &Shared, config: &Config, store: &Store, now: Timestamp) -> Result<Vec<SourceView>, StoreError> {
    let known = facts(config, store, shared.started, now)?;
    let subscriptions = store.subscriptions()?;
    let mut views = Vec::new();
    for planned in agenda(config, &known) {
        let diaporos_store::Leased::System(name) = &planned.what else { continue };
        let last = known.work.get(&planned.what.to_string());
        let next = match &planned.when {
            When::At { moment, .. } if *moment <= now => Some("now".to_owned()),
            When::At { moment, .. } => Some(shown(*moment)),
            When::Paused(_) => Some("paused".to_owned()),
            _ => None,
        };
        let arrivals = store.arrivals(name, now - SignedDuration::from_hours(DAYS * 24))?;
        views.push(SourceView {
            name: name.to_string(),
            times: config.systems.get(name).and_then(|system| system.pulled.as_ref()).map(ToString::to_string),
            hubs: subscriptions.iter().filter(|one| one.system == *name).filter_map(hub).collect(),
            pulled: last.map(|last| shown(last.ended)),
            next,
            problem: last.and_then(|last| last.problem.clone()),
            failures: last.map_or(0, |last| last.failures),
            arrived: arrivals.iter().map(|(_, entries)| entries).sum(),
            bars: bars(&arrivals, now),
        });
    }
    Ok(views)
}

/// Whether the hub of a feed calls; nothing of one that names none.
fn hub(one: &Subscription) -> Option<String> {
    let name = one.hub.as_ref()?;
    Some(match (&one.problem, one.ends) {
        (Some(problem), _) => format!("{}: {problem}", one.feed),
        (None, Some(ends)) => format!("{}: {name} calls until {}", one.feed, shown(ends)),
        (None, None) => format!("{}: {name} was asked to call", one.feed),
    })
}

/// What came in, in stretches of some hours, the newest to the right.
fn bars(arrivals: &[(i64, u64)], now: Timestamp) -> Vec<Bar> {
    let first = diaporos_core::schedule::rhythm::hour_of(now) - DAYS * 24 + 1;
    let stretches = DAYS * 24 / STRETCH;
    let counts: Vec<u64> = (0..stretches)
        .map(|at| {
            let hours = first + at * STRETCH..first + (at + 1) * STRETCH;
            arrivals.iter().filter(|(hour, _)| hours.contains(hour)).map(|(_, entries)| entries).sum()
        })
        .collect();
    let most = counts.iter().copied().max().unwrap_or_default().max(1);
    let bar = |(at, count): (usize, &u64)| {
        let height = if *count == 0 { 1 } else { (*count * HEIGHT).div_ceil(most) };
        Bar { x: i64::try_from(at).unwrap_or_default() * 5, y: HEIGHT - height, height }
    };
    counts.iter().enumerate().map(bar).collect()
}

#[expect(clippy::cast_precision_loss, reason = "a share of a bar, in percent")]
fn lanes(config: &Config, store: &Store) -> Result<Vec<LaneView>, StoreError> {
    let work = store.work()?;
    let view = |(configured, counts): (&crate::config::ConfiguredLane, Option<diaporos_store::Counts>)| {
        let lane = &configured.lane;
        let counts = counts.unwrap_or_default();
        let all: u64 = counts.values().sum::<u64>().max(1);
        let count = |standing: Standing| {
            let entries = counts.get(&standing).copied().unwrap_or_default();
            let percent = entries as f64 * 100.0 / all as f64;
            CountView { standing: standing.word(), sign: standing.sign(), entries, percent }
        };
        let last = work.get(&diaporos_store::Leased::Lane(lane.name.clone()).to_string());
        LaneView {
            name: lane.name.to_string(),
            from: lane.from.to_string(),
            to: lane.to.to_string(),
            pushed: match &configured.pushing.when {
                Pushed::AfterPull => "after a pull".to_owned(),
                Pushed::At(schedule) => schedule.to_string(),
                Pushed::ByHand => "by hand".to_owned(),
            },
            last: last.map(|last| shown(last.ended)),
            problem: last.and_then(|last| last.problem.clone()),
            oldest_owed: None,
            counts: Standing::WORDS
                .map(|(_, standing)| count(standing))
                .into_iter()
                .filter(|count| count.entries > 0)
                .collect(),
        }
    };
    let mut views: Vec<LaneView> = status(config, store)?.into_iter().map(view).collect();
    for view in &mut views {
        let owed =
            view.counts.iter().find(|count| count.standing == Standing::Owed.word()).map_or(0, |count| count.entries);
        if let (1..=COUNTED_OWED, Ok(lane)) = (owed, LaneName::new(view.name.clone())) {
            view.oldest_owed = store.oldest_owed(&lane)?.map(shown);
        }
    }
    Ok(views)
}

fn holds(store: &Store) -> Result<(Vec<HoldView>, bool), StoreError> {
    let mut rows = store.held_first(HOLDS + 1)?;
    let more = rows.len() > HOLDS;
    rows.truncate(HOLDS);
    let view = |row: diaporos_store::HeldRow| HoldView {
        way_out: way_out(&row),
        since: shown(row.since),
        lane: row.lane,
        address: row.address.to_string(),
        reason: row.reason,
        message: row.message,
    };
    Ok((rows.into_iter().map(view).collect(), more))
}

fn batches(store: &Store) -> Result<Vec<BatchView>, StoreError> {
    let mut views = Vec::new();
    for batch in store.batches()?.into_iter().rev().take(BATCHES) {
        let (known, _) = tallies(store, batch)?;
        let languages = known.languages.iter().map(|tally| LanguageView {
            language: tally.language.to_string(),
            accepted: tally.units(diaporos_store::UnitStanding::Accepted),
            all: tally.all(),
            percent: tally.percent(),
        });
        let (languages, standing) = (languages.collect(), known.word());
        let due = known.batch.due.map(shown);
        views.push(BatchView { languages, name: known.batch.name, brief: known.batch.brief, standing, due });
    }
    Ok(views)
}

fn ledger(store: &Store) -> Result<Vec<LedgerView>, StoreError> {
    let mut views = Vec::new();
    let filter = LedgerFilter { most: Some(LEDGER), ..LedgerFilter::default() };
    store.ledger(&filter, |row| -> Result<(), StoreError> {
        views.push(LedgerView {
            at: shown(row.at),
            lane: row.lane,
            address: row.address.to_string(),
            language: row.language,
            action: row.action,
            result: row.result.unwrap_or_else(|| "open".to_owned()),
            status: row.status,
        });
        Ok(())
    })?;
    views.reverse();
    Ok(views)
}
