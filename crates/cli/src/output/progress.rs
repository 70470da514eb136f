//! A line on stderr that moves while work goes on; nothing where stderr is no terminal.

use std::collections::{BTreeMap, BTreeSet};
use std::time::Duration;

use diaporos_core::value::{SystemName, TypeName};
use diaporos_hub::{Event, Listener};
use indicatif::{ProgressBar, ProgressStyle};

/// Draws events as a moving line.
pub(crate) struct Progress {
    bar: ProgressBar,
    /// Entries and totals of the listings that are, or were, read.
    listings: BTreeMap<(SystemName, TypeName), (u64, Option<u64>)>,
}

impl Progress {
    /// A line that shows nothing yet.
    pub(crate) fn new(is_shown: bool) -> Progress {
        if !is_shown {
            return Progress { bar: ProgressBar::hidden(), listings: BTreeMap::new() };
        }
        let bar = ProgressBar::no_length();
        bar.enable_steady_tick(Duration::from_millis(120));
        Progress { bar, listings: BTreeMap::new() }
    }

    /// The bar, for what prints around it.
    pub(crate) fn bar(&self) -> ProgressBar {
        self.bar.clone()
    }

    /// Takes the line away.
    pub(crate) fn clear(&self) {
        self.bar.finish_and_clear();
    }

    /// All listings as one: what came in, and how much is left where every source says so.
    fn draw_pull(&self) {
        let entries = self.listings.values().map(|(entries, _)| entries).sum();
        let total: Option<u64> = self.listings.values().map(|(_, total)| *total).sum();
        match total.filter(|total| *total > 0) {
            Some(total) => {
                self.style("{spinner} {msg}  {bar:30} {pos}/{len}  {per_sec}  {eta} left");
                self.bar.set_length(total);
            }
            None => self.style("{spinner} {msg}  {pos} entries  {per_sec}"),
        }
        let systems: BTreeSet<&str> = self.listings.keys().map(|(system, _)| system.as_str()).collect();
        self.bar.set_message(systems.into_iter().collect::<Vec<_>>().join(", "));
        self.bar.set_position(entries);
    }

    fn style(&self, template: &str) {
        if let Ok(style) = ProgressStyle::with_template(template) {
            self.bar.set_style(style.progress_chars("━━╌"));
        }
    }
}

impl Listener for Progress {
    fn on(&mut self, event: Event) {
        match event {
            Event::PullBegan { system, kind } => {
                self.listings.insert((system, kind), (0, None));
                self.draw_pull();
            }
            Event::PageTaken { system, kind, entries, total } => {
                self.listings.insert((system, kind), (entries, total));
                self.draw_pull();
            }
            Event::PushBegan { lane, entries } => {
                self.style("{spinner} {msg}  {bar:30} {pos}/{len}  {per_sec}  {eta} left");
                self.bar.reset();
                self.bar.set_length(entries);
                self.bar.set_message(lane.to_string());
            }
            Event::EntryDone { .. } => self.bar.inc(1),
        }
    }
}
