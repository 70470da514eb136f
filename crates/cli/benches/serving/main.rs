//! A hub that runs: how long from a call to the page that it is about, how many calls it keeps a second beside a
//! bare handler that writes one row of SQLite for each, and what it costs while nothing happens:
//! `cargo bench --bench serving`. Only the ratio means anything from machine to machine.

#![expect(clippy::unwrap_used, clippy::print_stdout, reason = "a benchmark stops where anything fails")]

use std::fs;
use std::io::{BufRead, BufReader};
use std::path::Path;
use std::process::{Child, Command, Stdio};
use std::sync::{Arc, Mutex};
use std::time::{Duration, Instant};

use axum::Router;
use axum::extract::State;
use axum::routing::post;
use diaporos_core::hook::sign;
use diaporos_demo::{Fault, Rule, World, write_hub};
use futures::StreamExt;
use tokio::runtime::Runtime;

const SECRET: &str = "whsec_T3N0cmVsIEdhcmRlbnMgYXJlIG1hZGUgdXA=";
const HOOK: &str = "
[serve]
listen = \"127.0.0.1:0\"

[hooks.catalogue]
system  = \"catalogue\"
verify  = \"standard-webhooks\"
secrets = \"file:secret\"
of      = \"plant-profile\"
id      = \"$.id\"
rate    = \"1000000/s\"
";
/// Plants that are edited in turn.
const PLANTS: usize = 20;

struct Serving(Child);

impl Drop for Serving {
    fn drop(&mut self) {
        self.0.kill().unwrap();
        self.0.wait().unwrap();
    }
}

fn program(world: &World, hub: &Path, args: &[&str]) -> Command {
    let mut command = Command::new(env!("CARGO_BIN_EXE_diaporos"));
    command.args(args).current_dir(hub).envs(world.variables()).stdout(Stdio::null()).stderr(Stdio::null());
    command
}

/// Starts `serve`, and gives where it listens.
fn serve(world: &World, hub: &Path) -> (Serving, String) {
    let mut child = program(world, hub, &["serve"]).stderr(Stdio::piped()).spawn().unwrap();
    let mut said = BufReader::new(child.stderr.take().unwrap());
    let mut line = String::new();
    while !line.contains("listening at ") {
        line.clear();
        said.read_line(&mut line).unwrap();
    }
    // Whatever else it says is read, so that it never waits to say it.
    std::thread::spawn(move || said.lines().for_each(drop));
    let at = line.trim().rsplit_once(' ').unwrap().1.to_owned();
    (Serving(child), at)
}

/// A call, signed.
fn call(client: &reqwest::Client, at: &str, id: &str, body: String) -> reqwest::RequestBuilder {
    let second = jiff::Timestamp::now().as_second();
    client
        .post(format!("{at}/hooks/catalogue"))
        .header("webhook-id", id)
        .header("webhook-timestamp", second.to_string())
        .header("webhook-signature", sign(SECRET, id, second, body.as_bytes()))
        .body(body)
}

fn main() {
    rustls::crypto::ring::default_provider().install_default().unwrap();
    let runtime = Runtime::new().unwrap();
    let world = runtime.block_on(World::start(0)).unwrap();
    let folder = tempfile::tempdir().unwrap();
    let hub = folder.path();
    write_hub(hub).unwrap();
    let text = fs::read_to_string(hub.join("diaporos.toml")).unwrap();
    fs::write(hub.join("diaporos.toml"), format!("{text}{HOOK}")).unwrap();
    fs::write(hub.join("secret"), SECRET).unwrap();
    program(&world, hub, &["pull"]).status().unwrap();
    program(&world, hub, &["push"]).status().unwrap();
    for stand_in in [&world.catalogue, &world.visitor_site] {
        stand_in.fail(Rule::always(Fault::Stall { millis: 5 }));
    }
    let (serving, at) = serve(&world, hub);
    idle(&serving);
    let client = reqwest::Client::new();
    runtime.block_on(latency(&world, &client, &at));
    world.catalogue.mend();
    // What is kept is looked at later, so that keeping alone is timed.
    program(&world, hub, &["pause", "catalogue", "--why", "timed"]).status().unwrap();
    let ours = runtime.block_on(rate(&client, &at, true));
    drop(serving);
    let bare = bare(folder.path());
    let floor = bare.0.block_on(rate(&client, &bare.1, false));
    println!("{:<44} {:>8.2} of a bare handler's {floor:.0}/s ({ours:.0}/s)", "calls kept, 64 at once", ours / floor);
}

/// What it costs while nothing happens.
fn idle(serving: &Serving) {
    let ticks = || -> u64 {
        let stat = fs::read_to_string(format!("/proc/{}/stat", serving.0.id())).unwrap();
        let fields: Vec<&str> = stat.rsplit_once(") ").unwrap().1.split(' ').collect();
        fields[11].parse::<u64>().unwrap() + fields[12].parse::<u64>().unwrap()
    };
    std::thread::sleep(Duration::from_secs(3));
    let before = ticks();
    std::thread::sleep(Duration::from_secs(20));
    // A hundred ticks are a second.
    println!("{:<44} {:>8.2} % of a core", "idle", (ticks() - before) as f64 / 20.0);
    let status = fs::read_to_string(format!("/proc/{}/status", serving.0.id())).unwrap();
    let line = status.lines().find(|line| line.starts_with("VmRSS:")).unwrap();
    let kilobytes: f64 = line.split_whitespace().nth(1).unwrap().parse().unwrap();
    println!("{:<44} {:>8.0} MB", "its memory", kilobytes / 1e3);
}

/// From a call to the page that shows what it is about, ten calls a second.
async fn latency(world: &World, client: &reqwest::Client, at: &str) {
    let mut waits = Vec::new();
    let mut going = futures::stream::FuturesUnordered::new();
    for number in 0..300 {
        let plant = format!("p-{:03}", 1 + number % PLANTS);
        let name = format!("Fern of call {number}");
        world.plants.edit_text(&plant, "common_name", "eng", &name);
        let sent = Instant::now();
        let request = call(client, at, &format!("l-{number}"), format!("{{\"id\":\"{plant}\"}}"));
        assert!(request.send().await.unwrap().status().is_success());
        let pages = world.pages.clone();
        going.push(tokio::spawn(async move {
            while sent.elapsed() < Duration::from_secs(10) {
                if pages.rows().iter().any(|page| page["heading"] == name.as_str()) {
                    return Some(sent.elapsed());
                }
                tokio::time::sleep(Duration::from_millis(2)).await;
            }
            None
        }));
        tokio::time::sleep_until((sent + Duration::from_millis(100)).into()).await;
    }
    let mut never = 0;
    while let Some(wait) = going.next().await {
        match wait.unwrap() {
            Some(wait) => waits.push(wait),
            None => never += 1,
        }
    }
    waits.sort();
    let at = |share: f64| waits[((waits.len() - 1) as f64 * share) as usize].as_secs_f64() * 1e3;
    println!(
        "{:<44} {:>8.0} ms, {:.0} ms for 95 of 100",
        "from a call to its page, half of them in",
        at(0.5),
        at(0.95)
    );
    println!("{:<44} {:>8}", "calls whose entry does not go on the lane", never);
}

/// Calls a second, 64 at once.
async fn rate(client: &reqwest::Client, at: &str, signed: bool) -> f64 {
    let calls = 20_000;
    let began = Instant::now();
    let one = |number: usize| {
        let body = format!("{{\"id\":\"none-{number}\"}}");
        let request = match signed {
            true => call(client, at, &format!("r-{number}"), body),
            false => client.post(format!("{at}/hooks/catalogue")).body(body),
        };
        async move { assert!(request.send().await.unwrap().status().is_success()) }
    };
    futures::stream::iter((0..calls).map(one)).buffer_unordered(64).for_each(|()| async {}).await;
    calls as f64 / began.elapsed().as_secs_f64()
}

/// A bare handler that writes a row for each call and answers when it is on the disk.
fn bare(folder: &Path) -> (Runtime, String) {
    let connection = rusqlite::Connection::open(folder.join("bare.db")).unwrap();
    connection.pragma_update(None, "journal_mode", "WAL").unwrap();
    connection.pragma_update(None, "synchronous", "FULL").unwrap();
    connection.execute_batch("CREATE TABLE call (body BLOB)").unwrap();
    let shared = Arc::new(Mutex::new(connection));
    let keep = |State(shared): State<Arc<Mutex<rusqlite::Connection>>>, body: axum::body::Bytes| async move {
        shared.lock().unwrap().execute("INSERT INTO call VALUES (?1)", [body.as_ref()]).unwrap();
        "taken\n"
    };
    let runtime = Runtime::new().unwrap();
    let listener = runtime.block_on(tokio::net::TcpListener::bind("127.0.0.1:0")).unwrap();
    let at = format!("http://{}", listener.local_addr().unwrap());
    let app = Router::new().route("/hooks/catalogue", post(keep)).with_state(shared);
    runtime.spawn(async move { axum::serve(listener, app).await });
    (runtime, at)
}
