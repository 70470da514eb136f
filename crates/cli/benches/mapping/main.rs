//! Mapping entries, against a hand-written program over `serde_json::Value` that stands below, and
//! against jq on the same file with the same outputs: `cargo bench --bench mapping`. Only the ratios
//! mean anything. `ENTRIES=1000` for a quick look.

#![expect(clippy::unwrap_used, clippy::print_stdout, reason = "a benchmark stops where anything fails")]

#[path = "../generated/mod.rs"]
mod generated;

use std::fs::{self, File};
use std::io::{BufRead, BufReader, BufWriter, Write};
use std::path::Path;
use std::process::{Command, Stdio};
use std::time::{Duration, Instant};

use diaporos_core::text::{Cut, plain, shorten, slug};
use generated::generate;
use serde_json::{Value as Json, json};

#[global_allocator]
static ALLOCATOR: mimalloc::MiMalloc = mimalloc::MiMalloc;

const RUNS: usize = 5;

fn main() {
    let entries: u64 = std::env::var("ENTRIES").ok().and_then(|text| text.parse().ok()).unwrap_or(200_000);
    let folder = tempfile::tempdir().unwrap();
    let hub = folder.path();
    for (name, text) in [
        ("diaporos.toml", include_str!("diaporos.toml")),
        ("depot.toml", include_str!("depot.toml")),
        ("site.toml", include_str!("site.toml")),
        ("map.jq", include_str!("map.jq")),
    ] {
        fs::write(hub.join(name), text).unwrap();
    }
    fs::create_dir(hub.join("data")).unwrap();
    let raw = generate(&hub.join("data/plants.jsonl"), entries, 0);
    println!("{entries} entries, {:.1} MB raw; best of {RUNS}, in turn", raw as f64 / 1e6);

    let (mut floor, mut one, mut two) = (Duration::MAX, Duration::MAX, Duration::MAX);
    let mut memory = 0;
    for _ in 0..RUNS {
        floor = floor.min(hand_written(hub));
        let (time, most) = ours(hub, 1);
        (one, memory) = (one.min(time), memory.max(most));
        let (time, most) = ours(hub, 2);
        (two, memory) = (two.min(time), memory.max(most));
    }
    assert!(same(hub, "floor.jsonl", "ours.jsonl"), "the floor and the lane give the same");
    let rate = |time: Duration| entries as f64 / time.as_secs_f64();
    println!("floor                   1.00  ({:.0} entries/s)", rate(floor));
    for (what, time) in [("one thread", one), ("two threads", two)] {
        println!("{what:<22} {:>5.2}  ({:.0} entries/s)", time.as_secs_f64() / floor.as_secs_f64(), rate(time));
    }
    println!("memory at its peak     {:>5.1} MiB", memory as f64 / 1024.0);
    match jq(hub) {
        None => println!("jq: skipped, it is not on this machine"),
        Some(time) => {
            assert!(same(hub, "jq.jsonl", "ours.jsonl"), "jq and the lane give the same");
            let times = |ours: Duration| time.as_secs_f64() / ours.as_secs_f64();
            println!(
                "jq                     {:>5.1}  ({:.0} entries/s)",
                time.as_secs_f64() / floor.as_secs_f64(),
                rate(time)
            );
            println!("faster than jq         {:>5.1} times on one thread, {:.1} on two", times(one), times(two));
        }
    }
}

/// The floor: what somebody would write by hand for this lane alone.
fn hand_written(hub: &Path) -> Duration {
    let start = Instant::now();
    let mut to = BufWriter::with_capacity(1 << 18, File::create(hub.join("floor.jsonl")).unwrap());
    let mut from = BufReader::with_capacity(1 << 18, File::open(hub.join("data/plants.jsonl")).unwrap());
    let mut line = String::new();
    while from.read_line(&mut line).unwrap() > 0 {
        let entry: Json = serde_json::from_str(&line).unwrap();
        line.clear();
        if entry["state"] != "live" {
            continue;
        }
        let section = match entry["family"].as_str().unwrap_or_default() {
            "fern" | "moss" => "Woods",
            "heath" => "Open ground",
            "bog" | "pond" => "Wetlands",
            _ => "Garden",
        };
        let opens = entry["schedule"].as_array().into_iter().flatten().find(|step| step["action"] == "open");
        let mut topics: Vec<&Json> = Vec::new();
        for tag in entry["tags"].as_array().into_iter().flatten().chain([&entry["family"]]) {
            if !topics.contains(&tag) {
                topics.push(tag);
            }
        }
        let teaser: serde_json::Map<String, Json> = entry["summary"]
            .as_object()
            .into_iter()
            .flatten()
            .map(|(tag, text)| {
                let read = plain(text.as_str().unwrap_or_default()).unwrap_or_default();
                (tag.clone(), shorten(&read, 60, Cut::Words).into())
            })
            .collect();
        let page = json!({
            "address": format!("depot/plant/{}", entry["id"].as_str().unwrap_or_default()),
            "fields": {
                "slug": slug(entry["slug"].as_str().unwrap_or_default()),
                "heading": entry["common_name"],
                "teaser": teaser,
                "body": entry["description"],
                "section": section,
                "byline": if entry["editor"].is_null() { &entry["curator"] } else { &entry["editor"] },
                "live_at": opens.map_or(&entry["published"], |step| &step["at"]),
                "topics": topics,
            }
        });
        serde_json::to_writer(&mut to, &page).unwrap();
        to.write_all(b"\n").unwrap();
    }
    to.flush().unwrap();
    start.elapsed()
}

/// The built program on so many threads: its time, and the most memory it had, in KiB.
fn ours(hub: &Path, threads: usize) -> (Duration, u64) {
    let out = File::create(hub.join("ours.jsonl")).unwrap();
    let start = Instant::now();
    let mut child = Command::new(env!("CARGO_BIN_EXE_diaporos"))
        .args(["preview", "pages", "--from", "data/plants.jsonl"])
        .env("RAYON_NUM_THREADS", threads.to_string())
        .current_dir(hub)
        .stdout(out)
        .spawn()
        .unwrap();
    let (status, mut most) = (format!("/proc/{}/status", child.id()), 0);
    loop {
        if let Ok(text) = fs::read_to_string(&status)
            && let Some(line) = text.lines().find(|line| line.starts_with("VmHWM:"))
        {
            most = line.split_whitespace().nth(1).and_then(|size| size.parse().ok()).unwrap_or(most).max(most);
        }
        if let Some(ended) = child.try_wait().unwrap() {
            assert!(ended.success());
            return (start.elapsed(), most);
        }
        std::thread::sleep(Duration::from_millis(5));
    }
}

fn jq(hub: &Path) -> Option<Duration> {
    let out = File::create(hub.join("jq.jsonl")).unwrap();
    let start = Instant::now();
    let arguments = ["--compact-output", "--from-file", "map.jq", "data/plants.jsonl"];
    let ran = Command::new("jq").args(arguments).current_dir(hub).stdout(out).stderr(Stdio::inherit()).status();
    assert!(ran.ok()?.success());
    Some(start.elapsed())
}

/// Whether two files hold the same documents in the same order.
fn same(hub: &Path, one: &str, other: &str) -> bool {
    let lines = |name: &str| BufReader::new(File::open(hub.join(name)).unwrap()).lines().map(Result::unwrap);
    let document = |line: String| -> Json { serde_json::from_str(&line).unwrap() };
    lines(one).map(document).eq(lines(other).map(document))
}
