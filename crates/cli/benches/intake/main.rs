//! Taking content in, against floors that do one thing each, in the same run: `cargo bench --bench
//! intake`. Only the ratios mean anything. `ENTRIES=1000000` for the large figures.

#![expect(clippy::unwrap_used, clippy::print_stdout, reason = "a benchmark stops where anything fails")]

#[path = "../generated/mod.rs"]
mod generated;
#[path = "../timed/mod.rs"]
mod timed;

use std::fmt::Write as _;
use std::fs;
use std::io::{BufRead, BufReader};
use std::path::Path;
use std::process::{Command, Stdio};
use std::time::{Duration, Instant};

use rusqlite::{Connection, params};
use serde_json::Value as Json;

use generated::{WORDS, generate};
use timed::timed;

fn main() {
    let entries: u64 = std::env::var("ENTRIES").ok().and_then(|text| text.parse().ok()).unwrap_or(50_000);
    let folder = tempfile::tempdir().unwrap();
    let hub = folder.path();
    fs::create_dir(hub.join("data")).unwrap();
    fs::write(hub.join("diaporos.toml"), HUB).unwrap();
    fs::write(hub.join("depot.toml"), PROFILE).unwrap();
    let file = hub.join("data/plants.jsonl");
    let raw = generate(&file, entries, 0);
    println!("{entries} entries, {:.1} MB raw", megabytes(raw));

    let floor_file = hub.join("floor.db");
    let floor = floor_pass(&file, &floor_file);
    let (ours, memory) = pull(hub);
    told("first pull", ours, floor, entries);
    let size = fs::metadata(hub.join(".diaporos/store.db")).unwrap().len();
    println!("{:<34} {:>8.2} of raw, with every item as received", "database", size as f64 / raw as f64);
    println!("{:<34} {:>8.0} MB", "memory at its peak", megabytes(memory));

    generate(&file, entries, 1);
    let floor = floor_pass(&file, &floor_file);
    told("second pull, a counter moved", pull(hub).0, floor, entries);
    told("third pull, bytes as they were", pull(hub).0, floor_pass(&file, &floor_file), entries);

    let start = Instant::now();
    run(hub, &["entries", "--text", "fern botanist 4711"]);
    println!("{:<34} {:>8.0} ms, with start-up", "a search of all words", start.elapsed().as_secs_f64() * 1e3);

    feeds(hub);
}

const HUB: &str = r#"
[systems.depot]
kind = "files"
folder = "data"
profile = "depot.toml"
"#;
const PROFILE: &str = r#"
[types.plant.read]
files = "plants.jsonl"
id = "$.id"
ignore = ["views"]
"#;

/// The floor: a tree of each line, its hash, and the text into SQLite where the hash is new.
fn floor_pass(file: &Path, database: &Path) -> Duration {
    let start = Instant::now();
    let mut connection = Connection::open(database).unwrap();
    connection.pragma_update(None, "journal_mode", "WAL").unwrap();
    connection.execute_batch("CREATE TABLE IF NOT EXISTS entry (id TEXT PRIMARY KEY, hash BLOB, body TEXT)").unwrap();
    let mut lines = BufReader::new(fs::File::open(file).unwrap()).lines().map(Result::unwrap).peekable();
    while lines.peek().is_some() {
        let transaction = connection.transaction().unwrap();
        for line in lines.by_ref().take(1_000) {
            let mut tree: Json = serde_json::from_str(&line).unwrap();
            tree.as_object_mut().unwrap().remove("views");
            let hash = blake3::hash(&serde_json::to_vec(&tree).unwrap());
            let id = tree["id"].as_str().unwrap();
            let known: Option<Vec<u8>> = transaction
                .prepare_cached("SELECT hash FROM entry WHERE id = ?")
                .unwrap()
                .query_row([id], |row| row.get(0))
                .ok();
            if known.as_deref() != Some(hash.as_bytes()) {
                let mut keep = transaction.prepare_cached("INSERT OR REPLACE INTO entry VALUES (?, ?, ?)").unwrap();
                keep.execute(params![id, hash.as_bytes(), line]).unwrap();
            }
        }
        transaction.commit().unwrap();
    }
    start.elapsed()
}

/// Ten thousand items in one feed, against the reader of feeds alone.
fn feeds(hub: &Path) {
    const ITEMS: u64 = 10_000;
    let mut text = String::from("<rss version=\"2.0\"><channel><title>Fernhollow</title>");
    let mut random = fastrand::Rng::with_seed(9);
    for n in 0..ITEMS {
        let words: Vec<&str> = (0..60).map(|_| WORDS[random.usize(..WORDS.len())]).collect();
        let (title, body) = (words[..5].join(" "), words.join(" "));
        write!(text, "<item><guid>f-{n}</guid><title>{title}</title><link>http://f.example/{n}</link><pubDate>Fri, 01 May 2026 09:30:00 +0100</pubDate><description>&lt;p&gt;{body}&lt;/p&gt;</description></item>").unwrap();
    }
    text.push_str("</channel></rss>");
    fs::write(hub.join("feed.xml"), &text).unwrap();
    let start = Instant::now();
    assert_eq!(feed_rs::parser::parse(text.as_bytes()).unwrap().entries.len() as u64, ITEMS);
    let floor = start.elapsed();
    fs::write(hub.join("diaporos.toml"), "[systems.news]\nkind = \"feed\"\nfeeds = { fernhollow = \"feed.xml\" }\n")
        .unwrap();
    told("feed items, against feed-rs alone", pull(hub).0, floor, ITEMS);
    // The feed is read, and every item held against what is known; none of them changed.
    fs::write(hub.join("feed.xml"), text.replace("<channel>", "<channel><ttl>60</ttl>")).unwrap();
    told("feed items read again", pull(hub).0, floor, ITEMS);
}

fn told(what: &str, ours: Duration, floor: Duration, entries: u64) {
    let rate = entries as f64 / ours.as_secs_f64();
    let ratio = ours.as_secs_f64() / floor.as_secs_f64();
    println!(
        "{what:<34} {ratio:>8.2} of the floor's time ({rate:.0}/s; floor {:.0}/s)",
        entries as f64 / floor.as_secs_f64()
    );
}

fn megabytes(bytes: u64) -> f64 {
    bytes as f64 / 1e6
}

fn run(hub: &Path, arguments: &[&str]) {
    let mut command = Command::new(env!("CARGO_BIN_EXE_diaporos"));
    assert!(command.args(arguments).current_dir(hub).stdout(Stdio::null()).status().unwrap().success());
}

/// How long a pull takes, and the most memory it had.
fn pull(hub: &Path) -> (Duration, u64) {
    timed(hub, &["pull"])
}
