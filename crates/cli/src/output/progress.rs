//! A line on stderr that moves while work goes on; nothing where stderr is no terminal.

use std::time::Duration;

use diaporos_hub::{Event, Listener};
use indicatif::{ProgressBar, ProgressStyle};

use crate::context::Context;

/// Draws events as a moving line.
pub(crate) struct Progress {
    bar: ProgressBar,
}

impl Progress {
    /// A line that shows nothing yet.
    pub(crate) fn new(context: &Context) -> Progress {
        if context.terminal.width_err.is_none() {
            return Progress { bar: ProgressBar::hidden() };
        }
        let bar = ProgressBar::no_length();
        bar.enable_steady_tick(Duration::from_millis(120));
        Progress { bar }
    }

    /// The bar, for what prints around it.
    pub(crate) fn bar(&self) -> ProgressBar {
        self.bar.clone()
    }

    /// Takes the line away.
    pub(crate) fn clear(&self) {
        self.bar.finish_and_clear();
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
                self.style("{spinner} {msg}  {pos} entries  {per_sec}");
                self.bar.reset();
                self.bar.unset_length();
                self.bar.set_message(format!("{system}/{kind}"));
            }
            Event::PageTaken { entries, .. } => self.bar.set_position(entries),
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
