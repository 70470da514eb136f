//! Tables of a PostgreSQL server as a source, against `COPY … TO STDOUT` that is parsed and stored by a small loop, and as
//! a destination, against bare prepared upserts by as many connections: `cargo bench --bench tables`. Only the ratios mean
//! anything. `ENTRIES=1000000` for the large figures.

#![expect(clippy::unwrap_used, clippy::print_stdout, reason = "a benchmark stops where anything fails")]

#[path = "../timed/mod.rs"]
mod timed;

use std::fs;
use std::path::Path;
use std::time::{Duration, Instant};

use diaporos_peers::{Postgres, ask};
use futures::{StreamExt, TryStreamExt, pin_mut};
use rusqlite::{Connection, params};
use serde_json::Value as Json;
use timed::timed;
use tokio_postgres::{Client, NoTls};

const RUNS: usize = 5;
/// Connections of the destination, and requests under way.
const AT_ONCE: usize = 8;

fn main() {
    let entries: u64 = std::env::var("ENTRIES").ok().and_then(|text| text.parse().ok()).unwrap_or(50_000);
    let server = Postgres::start().unwrap().unwrap();
    let address = server.new_database().unwrap();
    ask(
        &address,
        &format!(
            "CREATE TABLE plants (id bigint PRIMARY KEY, title text, body text, price numeric(8, 2), tags text[], about jsonb,
                 changed_at timestamptz);
             INSERT INTO plants SELECT n, 'Plant ' || n, repeat(md5(n::text) || ' ', 20), n % 900 / 7.0,
                 ARRAY['fern', 'moss', md5(n::text)], jsonb_build_object('bed', n % 40, 'wet', n % 2 = 0), now()
                 FROM generate_series(1, {entries}) AS n;
             CREATE TABLE pages (slug text PRIMARY KEY, title text, body text);
             CREATE TABLE floor_pages (slug text PRIMARY KEY, title text, body text)"
        ),
    )
    .unwrap();
    let runtime = tokio::runtime::Runtime::new().unwrap();
    let folder = tempfile::tempdir().unwrap();
    let hub = folder.path();
    configure(hub, &address);
    let (mut pulls, mut floors, mut memory) = (Vec::new(), Vec::new(), 0);
    for _ in 0..RUNS {
        floors.push(runtime.block_on(copied(&address, &hub.join("floor.db"))));
        let _ = fs::remove_dir_all(hub.join(".diaporos"));
        let (time, most) = timed(hub, &["pull"]);
        pulls.push(time);
        memory = memory.max(most);
    }
    told("pull, of COPY parsed and stored", &mut pulls, &mut floors, entries);
    println!("{:<34} {:>8.0} MB", "memory at its peak", memory as f64 / 1e6);
    let (mut pushes, mut floors) = (Vec::new(), Vec::new());
    for run in 0..RUNS {
        ask(&address, "TRUNCATE pages; TRUNCATE floor_pages").unwrap();
        floors.push(runtime.block_on(upserted(&address, entries.min(20_000))));
        // A lane of another name owes every entry anew.
        lane(hub, &address, run, entries.min(20_000));
        pushes.push(timed(hub, &["push", &format!("pages{run}")]).0);
        let there = ask(&address, "SELECT count(*) FROM pages").unwrap();
        assert_eq!(there.trim(), entries.min(20_000).to_string());
    }
    told("push, of prepared upserts", &mut pushes, &mut floors, entries.min(20_000));
}

fn systems(address: &str) -> String {
    let (_, place) = address.split_once('@').unwrap();
    let reached = format!("kind = \"sql\"\nurl = \"postgres://{place}\"\n");
    let role = "{ user = \"postgres\", password = \"file:secret\" }";
    format!(
        "[systems.garden]\n{reached}read = {role}\nprofile = \"garden.toml\"\n[systems.site]\n{reached}write = {role}\nprofile = \"site.toml\"\nconcurrency = {AT_ONCE}\n"
    )
}

fn configure(hub: &Path, address: &str) {
    fs::write(hub.join("secret"), "none").unwrap();
    fs::write(hub.join("garden.toml"), "[types.plant.read]\ntable = \"plants\"\nkey = \"id\"\n").unwrap();
    let site = "[types.page.fields]\nslug = \"text\"\ntitle = \"text\"\nbody = \"text\"\n[types.page.write]\ntable = \"pages\"\nkey = \"slug\"\n";
    fs::write(hub.join("site.toml"), site).unwrap();
    fs::write(hub.join("diaporos.toml"), systems(address)).unwrap();
}

/// A lane to the pages, of the first entries.
fn lane(hub: &Path, address: &str, run: usize, most: u64) {
    let lane = format!(
        "[lanes.pages{run}]\nfrom = \"garden/plant\"\nto = \"site/page\"\nmatch = \"slug\"\ngone = \"keep\"\nwhen = 'id <= {most}'\n[lanes.pages{run}.fields]\nslug = '\"p-\" + (id | text)'\ntitle = 'title'\nbody = 'body'\n"
    );
    fs::write(hub.join("diaporos.toml"), systems(address) + &lane).unwrap();
}

async fn connect(address: &str) -> Client {
    let (client, connection) = tokio_postgres::connect(address, NoTls).await.unwrap();
    tokio::spawn(connection);
    client
}

/// Every row copied out, read, and kept in SQLite with its hash.
async fn copied(address: &str, file: &Path) -> Duration {
    let _ = fs::remove_file(file);
    let start = Instant::now();
    let mut connection = Connection::open(file).unwrap();
    connection.pragma_update(None, "journal_mode", "WAL").unwrap();
    connection.execute_batch("CREATE TABLE entry (id INTEGER PRIMARY KEY, hash BLOB, body TEXT)").unwrap();
    let client = connect(address).await;
    let stream = client.copy_out("COPY (SELECT to_json(r) FROM plants r) TO STDOUT").await.unwrap().chunks(1_000);
    pin_mut!(stream);
    while let Some(lines) = stream.next().await {
        let transaction = connection.transaction().unwrap();
        for line in lines {
            let line = line.unwrap();
            // COPY doubles what escapes.
            let text = String::from_utf8_lossy(&line).replace("\\\\", "\\");
            let tree: Json = serde_json::from_str(&text).unwrap();
            let hash = blake3::hash(text.as_bytes());
            let mut keep = transaction.prepare_cached("INSERT INTO entry VALUES (?, ?, ?)").unwrap();
            keep.execute(params![tree["id"].as_i64(), hash.as_bytes(), text]).unwrap();
        }
        transaction.commit().unwrap();
    }
    start.elapsed()
}

/// Every page upserted by a prepared statement, one after the other on each connection.
async fn upserted(address: &str, entries: u64) -> Duration {
    let client = connect(address).await;
    let rows = client
        .query("SELECT 'p-' || id, title, body FROM plants WHERE id <= $1", &[&i64::try_from(entries).unwrap()])
        .await
        .unwrap();
    let rows: Vec<[String; 3]> = rows.iter().map(|row| [row.get(0), row.get(1), row.get(2)]).collect();
    let start = Instant::now();
    let each = futures::stream::iter(0..AT_ONCE).map(|share| {
        let rows = &rows;
        async move {
            let client = connect(address).await;
            let upsert = "INSERT INTO floor_pages VALUES ($1, $2, $3) ON CONFLICT (slug) DO UPDATE SET title = excluded.title, body = excluded.body";
            let upsert = client.prepare(upsert).await.unwrap();
            for [slug, title, body] in rows.iter().skip(share).step_by(AT_ONCE) {
                client.execute(&upsert, &[slug, title, body]).await.unwrap();
            }
            Ok::<_, tokio_postgres::Error>(())
        }
    });
    each.buffer_unordered(AT_ONCE).try_collect::<Vec<()>>().await.unwrap();
    start.elapsed()
}

fn told(what: &str, ours: &mut [Duration], floors: &mut [Duration], entries: u64) {
    ours.sort();
    floors.sort();
    let (ours, floor) = (ours[ours.len() / 2], floors[floors.len() / 2]);
    let rate = |time: Duration| entries as f64 / time.as_secs_f64();
    println!(
        "{what:<34} {:>8.2} of its rate ({:.0}/s; floor {:.0}/s)",
        rate(ours) / rate(floor),
        rate(ours),
        rate(floor)
    );
}
