//! One lane pushed by one, two and four processes at once from a store on a PostgreSQL server, against a site that answers
//! in 20 ms: `cargo bench --bench sharing`. Each process may have 16 requests under way. Only the ratios mean anything.

#![expect(clippy::unwrap_used, clippy::print_stdout, reason = "a benchmark stops where anything fails")]

#[path = "../delivery/pages.rs"]
mod pages;
#[path = "../delivery/site.rs"]
mod site;

use std::path::Path;
use std::process::{Command, Stdio};
use std::time::{Duration, Instant};

use diaporos_peers::Postgres;
use pages::{begin, configure, source};
use site::Site;

/// Of each number of processes so many runs; the median counts.
const RUNS: usize = 5;
const LATENCY: Duration = Duration::from_millis(20);

fn main() {
    let entries: usize = std::env::var("ENTRIES").ok().and_then(|text| text.parse().ok()).unwrap_or(6_000);
    let server = Postgres::start().unwrap().unwrap();
    let folder = tempfile::tempdir().unwrap();
    let hub = folder.path();
    let site = Site::start();
    begin(hub);
    let address = server.new_database().unwrap();
    source(hub, entries, 0);
    share(hub, &site, 64, "title");
    ended(start(hub, &address, &["pull"]));
    ended(start(hub, &address, &["push"]));
    site.answer_after(LATENCY);
    let mut rates: Vec<(usize, Vec<f64>)> = vec![(1, Vec::new()), (2, Vec::new()), (4, Vec::new())];
    for run in 0..RUNS {
        for (processes, rates) in &mut rates {
            share(hub, &site, 16 * *processes, &format!("title + \" {run}-{processes}\""));
            // A lane that delivers otherwise than before is owed a look at each of its entries.
            ended(start(hub, &address, &["status"]));
            let began = Instant::now();
            let pushes: Vec<_> = (0..*processes).map(|_| start(hub, &address, &["push"])).collect();
            pushes.into_iter().for_each(ended);
            rates.push(entries as f64 / began.elapsed().as_secs_f64());
        }
    }
    let mut one = 0.0;
    for (processes, mut rates) in rates {
        rates.sort_by(f64::total_cmp);
        let median = rates[rates.len() / 2];
        if processes == 1 {
            one = median;
        }
        println!("{processes} at once {median:>8.0} entries/s {:>6.2} of one", median / one);
    }
}

fn start(hub: &Path, address: &str, arguments: &[&str]) -> std::process::Child {
    let mut command = Command::new(env!("CARGO_BIN_EXE_diaporos"));
    command.args(arguments).current_dir(hub).env("STORE_URL", address);
    command.stdout(Stdio::null()).stderr(Stdio::null()).spawn().unwrap()
}

fn ended(mut process: std::process::Child) {
    assert!(process.wait().unwrap().success());
}

/// The configuration, with the store on the server.
fn share(hub: &Path, site: &Site, at_once: usize, title: &str) {
    configure(hub, &site.url(), at_once, title);
    let file = hub.join("diaporos.toml");
    let text = std::fs::read_to_string(&file).unwrap();
    std::fs::write(file, format!("[store]\nurl = \"env:STORE_URL\"\n{text}")).unwrap();
}
