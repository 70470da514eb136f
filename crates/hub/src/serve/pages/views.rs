//! What the page of a hub's state shows.

use jiff::Timestamp;
use serde::Serialize;

/// A moment to be read.
pub(super) fn shown(at: Timestamp) -> String {
    at.strftime("%Y-%m-%d %H:%M:%S UTC").to_string()
}

/// A page of the state of a hub.
#[derive(Serialize)]
pub(super) struct Page {
    pub(super) view: Overview,
    pub(super) stands_still: bool,
}

/// A slate in a line.
#[derive(Serialize)]
pub(super) struct SlateLine {
    pub(super) name: String,
    pub(super) does: &'static str,
    pub(super) standing: &'static str,
    pub(super) is_under_way: bool,
    pub(super) entries: usize,
    pub(super) launch_at: Option<String>,
    pub(super) launched: Option<String>,
}

/// The state of a hub.
#[derive(Serialize)]
pub(super) struct Overview {
    pub(super) hub: String,
    pub(super) now: String,
    pub(super) started: String,
    pub(super) fault: Option<String>,
    pub(super) alerts: Vec<AlertView>,
    pub(super) paused: Vec<PauseView>,
    pub(super) running: Vec<RunningView>,
    pub(super) sources: Vec<SourceView>,
    pub(super) lanes: Vec<LaneView>,
    pub(super) holds: Vec<HoldView>,
    pub(super) more_holds: bool,
    pub(super) slates: Vec<SlateLine>,
    pub(super) batches: Vec<BatchView>,
    pub(super) calls_waiting: u64,
    pub(super) ledger: Vec<LedgerView>,
}

#[derive(Serialize)]
pub(super) struct AlertView {
    pub(super) kind: String,
    pub(super) subject: String,
    pub(super) message: String,
    pub(super) way_out: String,
    pub(super) since: String,
}

#[derive(Serialize)]
pub(super) struct PauseView {
    pub(super) what: String,
    pub(super) who: String,
    pub(super) why: String,
    pub(super) until: Option<String>,
}

#[derive(Serialize)]
pub(super) struct RunningView {
    pub(super) what: String,
    pub(super) doing: String,
    pub(super) who: String,
    pub(super) since: String,
    pub(super) done: Option<u64>,
    pub(super) total: Option<u64>,
    pub(super) percent: Option<u64>,
}

#[derive(Serialize)]
pub(super) struct SourceView {
    pub(super) name: String,
    pub(super) times: Option<String>,
    /// The hubs of its feeds that call.
    pub(super) hubs: Vec<String>,
    pub(super) pulled: Option<String>,
    pub(super) next: Option<String>,
    pub(super) problem: Option<String>,
    pub(super) failures: u32,
    pub(super) bars: Vec<Bar>,
    pub(super) arrived: u64,
}

/// A bar of a plot.
#[derive(Serialize)]
pub(super) struct Bar {
    pub(super) x: i64,
    pub(super) y: u64,
    pub(super) height: u64,
}

#[derive(Serialize)]
pub(super) struct LaneView {
    pub(super) name: String,
    pub(super) from: String,
    pub(super) to: String,
    pub(super) pushed: String,
    pub(super) last: Option<String>,
    pub(super) problem: Option<String>,
    /// Since when the entry is owed that waits longest.
    pub(super) oldest_owed: Option<String>,
    pub(super) counts: Vec<CountView>,
}

#[derive(Serialize)]
pub(super) struct CountView {
    pub(super) standing: &'static str,
    pub(super) sign: &'static str,
    pub(super) entries: u64,
    pub(super) percent: f64,
}

#[derive(Serialize)]
pub(super) struct HoldView {
    pub(super) lane: String,
    pub(super) address: String,
    pub(super) reason: String,
    pub(super) message: String,
    pub(super) way_out: String,
    pub(super) since: String,
}

#[derive(Serialize)]
pub(super) struct BatchView {
    pub(super) name: String,
    pub(super) brief: String,
    pub(super) standing: &'static str,
    pub(super) due: Option<String>,
    pub(super) languages: Vec<LanguageView>,
}

#[derive(Serialize)]
pub(super) struct LanguageView {
    pub(super) language: String,
    pub(super) accepted: u64,
    pub(super) all: u64,
    pub(super) percent: u64,
}

#[derive(Serialize)]
pub(super) struct LedgerView {
    pub(super) at: String,
    pub(super) lane: String,
    pub(super) address: String,
    pub(super) language: String,
    pub(super) action: String,
    pub(super) result: String,
    pub(super) status: Option<i64>,
}
