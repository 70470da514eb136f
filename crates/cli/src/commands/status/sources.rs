//! What `status` shows beside lanes: sources, what is paused, what other commands do now.

use std::collections::BTreeMap;

use diaporos_hub::config::Config;
use diaporos_hub::serve::{Planned, When, agenda, facts};
use diaporos_store::{LeaseRow, Leased, Pause, Store, Subscription, WorkRow};
use jiff::Timestamp;
use serde_json::{Map, Value as Json, json};

use crate::commands::{counted, pause};
use crate::context::Context;
use crate::error::Failure;
use crate::output::{Cell, Column, Tint, moment, one_line};

const COLUMNS: &[Column] = &[
    Column::text("source", "source"),
    Column::text("pulled", "last pull"),
    Column::text("next", "next"),
    Column::prose("problem", "problem"),
];

/// What is shown beside lanes.
pub(super) struct Beside {
    sources: Vec<(String, Option<WorkRow>, When)>,
    pauses: BTreeMap<String, Pause>,
    leases: Vec<LeaseRow>,
    subscriptions: Vec<Subscription>,
    /// How many entries are kept as they were before a run.
    undone: usize,
    now: Timestamp,
}

impl Beside {
    pub(super) fn of(config: &Config, store: &Store, now: Timestamp) -> Result<Beside, Failure> {
        let facts = facts(config, store, now, now)?;
        let mut sources = Vec::new();
        for Planned { what, when } in agenda(config, &facts) {
            if let Leased::System(name) = &what {
                sources.push((name.to_string(), facts.work.get(&what.to_string()).cloned(), when));
            }
        }
        Ok(Beside {
            sources,
            pauses: facts.pauses,
            leases: store.leases(now)?,
            subscriptions: store.subscriptions()?,
            undone: store.all_undone()?.len(),
            now,
        })
    }

    /// The sources as a table of their own, before the lanes.
    pub(super) fn print(&self, context: &Context) -> Result<(), Failure> {
        if self.sources.is_empty() {
            return Ok(());
        }
        let mut sheet = context.sheet(COLUMNS);
        for (name, last, when) in &self.sources {
            let problem = last.as_ref().and_then(problem);
            sheet.row(vec![
                Cell::text(name),
                last.as_ref().map_or_else(
                    || Cell { shown: "never".to_owned(), ..Cell::nothing() },
                    |last| Cell::moment(last.ended, &context.zone),
                ),
                self.next(when, context),
                Cell::maybe(problem.map(|text| one_line(&text))).tint(Tint::Bad),
            ]);
        }
        sheet.end("")?;
        Ok(std::io::Write::write_all(&mut crate::output::out(), b"\n")?)
    }

    fn next(&self, when: &When, context: &Context) -> Cell {
        let shown = match when {
            When::At { moment: at, .. } if *at <= self.now => "due",
            When::At { moment: at, .. } => return Cell::moment(*at, &context.zone),
            When::Paused(_) => "paused",
            _ => return Cell::nothing(),
        };
        Cell { shown: shown.to_owned(), ..Cell::nothing() }
    }

    /// The same, for programs.
    pub(super) fn counts(&self) -> Map<String, Json> {
        let sources = self.sources.iter().map(|(name, last, when)| {
            let next = if let When::At { moment, .. } = when { Some(moment.to_string()) } else { None };
            json!({
                "source": name,
                "pulled": last.as_ref().map(|last| last.ended.to_string()),
                "well": last.as_ref().and_then(|last| last.well).map(|well| well.to_string()),
                "failures": last.as_ref().map_or(0, |last| last.failures),
                "problem": last.as_ref().and_then(|last| last.problem.clone()),
                "next": next,
            })
        });
        let subscriptions = self.subscriptions.iter().filter(|one| one.hub.is_some()).map(|one| {
            let ends = one.ends.map(|ends| ends.to_string());
            json!({ "source": one.system.as_str(), "feed": one.feed, "hub": one.hub, "ends": ends, "problem": one.problem })
        });
        let paused = self.pauses.iter().map(|(what, pause)| {
            let until = pause.until.map(|until| until.to_string());
            json!({ "what": what, "who": pause.who, "why": pause.why, "since": pause.since.to_string(), "until": until })
        });
        let running = self.leases.iter().map(|lease| {
            json!({ "what": lease.what, "doing": lease.doing, "who": lease.who, "since": lease.since.to_string() })
        });
        Map::from_iter([
            ("sources".to_owned(), Json::Array(sources.collect())),
            ("subscriptions".to_owned(), Json::Array(subscriptions.collect())),
            ("undone".to_owned(), self.undone.into()),
            ("paused".to_owned(), Json::Array(paused.collect())),
            ("running".to_owned(), Json::Array(running.collect())),
        ])
    }

    /// What is paused and what runs, in lines.
    pub(super) fn sentence(&self, context: &Context) -> String {
        let paused = self.pauses.iter().map(|(what, pause)| pause::told(what, pause, &context.zone));
        let running = self.leases.iter().map(|lease| {
            format!("now: {} {} by {} since {}", lease.doing, lease.what, lease.who, moment(lease.since, &context.zone))
        });
        let hubs = self.subscriptions.iter().filter_map(|one| {
            let (hub, of) = (one.hub.as_ref()?, format!("{}, feed {}", one.system, one.feed));
            Some(match (&one.problem, one.ends) {
                (Some(problem), _) => format!("{of}: {problem}"),
                (None, Some(ends)) => format!("{of}: {hub} calls until {}", moment(ends, &context.zone)),
                (None, None) => format!("{of}: {hub} was asked to call, and has not asked back"),
            })
        });
        let undone = (self.undone > 0).then(|| {
            let entries = counted(self.undone as u64, "entry is", "entries are");
            format!("{entries} kept as before a run that was undone: `diaporos undo --list`")
        });
        let lines: Vec<String> = hubs.chain(undone).chain(paused).chain(running).map(|line| one_line(&line)).collect();
        lines.join("\n")
    }
}

/// What went wrong with the last pull, and since when.
fn problem(last: &WorkRow) -> Option<String> {
    let problem = last.problem.as_ref()?;
    let times = if last.failures > 1 { format!(" ({} times in a row)", last.failures) } else { String::new() };
    Some(format!("{problem}{times}"))
}
