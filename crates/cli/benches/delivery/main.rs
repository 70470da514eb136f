//! Sending out, against a bare loop that sends the same bodies and keeps no ledger, in the same run:
//! `cargo bench --bench delivery`. Only the ratios mean anything. `ENTRIES=1000000` also tells what a
//! push costs that owes nothing, or ten entries, beside so many that were delivered.

#![expect(clippy::unwrap_used, clippy::print_stdout, reason = "a benchmark stops where anything fails")]

mod pages;
mod site;
#[path = "../timed/mod.rs"]
mod timed;

use std::fs;
use std::path::Path;
use std::time::{Duration, Instant};

use futures::StreamExt;
use rusqlite::Connection;

use pages::{begin, configure, source};
use site::Site;
use timed::timed;

fn main() {
    let entries: usize = std::env::var("ENTRIES").ok().and_then(|text| text.parse().ok()).unwrap_or(20_000);
    let sent = entries.min(20_000);
    let folder = tempfile::tempdir().unwrap();
    let hub = folder.path();
    let site = Site::start();
    begin(hub);
    source(hub, sent, 0);
    configure(hub, &site.url(), 16, "title");
    timed(hub, &["pull"]);
    let (first, memory) = timed(hub, &["push"]);
    told("first load: a look-up and a write each", first, sent);
    println!("{:<44} {:>8.0} MB", "memory at its peak", memory as f64 / 1e6);

    for max_in_flight in [16, 64] {
        configure(hub, &site.url(), max_in_flight, &format!("title + \"{max_in_flight}\""));
        let floor = floor(&site, sent, max_in_flight);
        let commits = Commits::watch(hub);
        let (ours, _) = timed(hub, &["push"]);
        let what = format!("{sent} changes, {max_in_flight} at once");
        let ratio = floor.as_secs_f64() / ours.as_secs_f64();
        let rate = sent as f64 / ours.as_secs_f64();
        println!("{what:<44} {ratio:>8.2} of the bare loop's rate ({rate:.0}/s)");
        println!("{:<44} {:>8.3} a request", "commits", commits.count() as f64 / sent as f64);
    }
    for (millis, some) in [(20, sent.min(6_000)), (300, sent.min(800))] {
        source(hub, some, millis);
        configure(hub, &site.url(), 16, "title + \"64\"");
        timed(hub, &["pull", "--allow-gone", "1000000"]);
        site.answer_after(Duration::from_millis(millis));
        let (ours, _) = timed(hub, &["push", "--allow-removals", "0"]);
        site.answer_after(Duration::ZERO);
        let most = 16.0 * 1_000.0 / millis as f64;
        let rate = some as f64 / ours.as_secs_f64();
        println!(
            "{:<44} {:>8.2} of what 16 at once can be ({rate:.0}/s)",
            format!("{some} changes, answered after {millis} ms"),
            rate / most
        );
    }
    if entries > sent {
        many(hub, &site, entries);
    }
}

/// What a push costs beside so many that were delivered.
fn many(hub: &Path, site: &Site, entries: usize) {
    source(hub, entries, 1);
    configure(hub, &site.url(), 64, "title");
    timed(hub, &["pull"]);
    told("first load of all", timed(hub, &["push"]).0, entries);
    let (nothing, memory) = timed(hub, &["push"]);
    println!("{:<44} {:>8.0} ms", "a push that owes nothing", nothing.as_secs_f64() * 1e3);
    println!("{:<44} {:>8.0} MB", "its memory", memory as f64 / 1e6);
    let (status, _) = timed(hub, &["status"]);
    println!("{:<44} {:>8.0} ms", "status", status.as_secs_f64() * 1e3);
    let file = hub.join("data/plants.jsonl");
    let text = fs::read_to_string(&file).unwrap();
    let mut changed = 0;
    let lines = text.lines().enumerate().map(|(at, line)| {
        if at % (entries / 10) == 0 && changed < 10 {
            changed += 1;
            return line.replace("Fern", "Royal fern");
        }
        line.to_owned()
    });
    let text: Vec<String> = lines.collect();
    fs::write(&file, text.join("\n")).unwrap();
    timed(hub, &["pull"]);
    let (ten, _) = timed(hub, &["push"]);
    println!("{:<44} {:>8.0} ms", "a push that owes ten", ten.as_secs_f64() * 1e3);
}

/// The bare loop: the same bodies to the same addresses, nothing noted.
fn floor(site: &Site, entries: usize, max_in_flight: usize) -> Duration {
    let runtime = tokio::runtime::Runtime::new().unwrap();
    runtime.block_on(async {
        let _ = rustls::crypto::ring::default_provider().install_default();
        let client = reqwest::Client::new();
        let start = Instant::now();
        let send = |n: usize| {
            let (client, url) = (client.clone(), format!("{}/bare/p-{n}", site.url()));
            let body = format!("{{\"slug\":\"p-{n}\",\"title\":\"Fern number {n}{max_in_flight}\",\"body\":\"A fern of the Ostrel Glasshouse, seen in pass 0, by the pond, all year round.\"}}");
            async move {
                let sending = client.patch(url).header("content-type", "application/json").header("if-match", "\"1\"");
                let answer = sending.body(body).send().await.unwrap();
                assert!(answer.status().is_success());
                answer.bytes().await.unwrap()
            }
        };
        let done = futures::stream::iter((0..entries).map(send)).buffer_unordered(max_in_flight).count().await;
        assert_eq!(done, entries);
        start.elapsed()
    })
}

fn told(what: &str, time: Duration, entries: usize) {
    println!("{what:<44} {:>8.0} entries/s", entries as f64 / time.as_secs_f64());
}

/// Counts the commits of another process, by the frames of the write-ahead log that end one. A
/// reader that stays at its place keeps the log from being begun anew.
struct Commits {
    reader: Connection,
    log: std::path::PathBuf,
    before: usize,
}

impl Commits {
    fn watch(hub: &Path) -> Commits {
        let reader = Connection::open(hub.join(".diaporos/store.db")).unwrap();
        reader.execute_batch("PRAGMA wal_checkpoint(TRUNCATE); BEGIN; SELECT count(*) FROM lane;").unwrap();
        let log = hub.join(".diaporos/store.db-wal");
        let mut commits = Commits { reader, log, before: 0 };
        commits.before = commits.count();
        commits
    }

    fn count(&self) -> usize {
        assert!(!self.reader.is_autocommit(), "the reader is still at its place");
        let Ok(log) = fs::read(&self.log) else { return 0 };
        if log.len() < 32 {
            return 0;
        }
        let word = |at: usize| u32::from_be_bytes(log[at..at + 4].try_into().unwrap());
        let (page, salt) = (word(8) as usize, (word(16), word(20)));
        // The format's frame header: page, size of the database after a commit, salts, checksums.
        let frames = (32..log.len()).step_by(24 + page).take_while(|at| at + 24 + page <= log.len());
        frames.filter(|at| word(at + 4) != 0 && (word(at + 8), word(at + 12)) == salt).count() - self.before
    }
}
