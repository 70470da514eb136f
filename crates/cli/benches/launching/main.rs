//! How close together the entries of a launch go on view, at a site that saves without showing and answers in 20 ms:
//! `cargo bench --bench launching`. Beside it stands what 16 calls at once of 20 ms each come to at best.

#![expect(clippy::unwrap_used, clippy::print_stdout, reason = "a benchmark stops where anything fails")]

use std::fs;
use std::path::Path;
use std::process::{Command, Stdio};

use diaporos_demo::{Fault, Rule, World, write_hub};
use serde_json::json;
use tokio::runtime::Runtime;

const ENTRIES: usize = 200;
const MILLIS: u64 = 20;
const AT_ONCE: usize = 16;
const MANY: &str = "publish_batch = { call = \"POST /api/pages/publish\", items = \"pages\", revision = \"version\", results = \"$.results[*]\", status = \"$.status\", document = \"$.page\" }\nwithdraw  =";

fn program(world: &World, hub: &Path, args: &[&str]) {
    let mut command = Command::new(env!("CARGO_BIN_EXE_diaporos"));
    let command = command.args(args).current_dir(hub).envs(world.variables());
    let ended = command.stdout(Stdio::null()).stderr(Stdio::null()).status().unwrap();
    assert!(ended.success(), "{args:?}");
}

/// Rewrites the site's profile: it saves unseen, puts on view by a call of its own, and has no locks.
fn save_apart(hub: &Path, many: bool) {
    let file = hub.join("profiles/visitor-site.toml");
    let text = fs::read_to_string(&file).unwrap();
    let (head, tail) = text.split_once("# Nobody's work is written over").unwrap();
    let text = format!("{head}{}", &tail[tail.find("\n# What").unwrap()..]);
    let publish = "publish   = \"POST /api/pages/{id}/publish\"\nwithdraw  =";
    let text = text
        .replace(
            "\"POST /api/pages\", body = { status = \"live\" } }",
            "\"POST /api/pages\", body = { status = \"draft\" } }",
        )
        .replace("\"PATCH /api/pages/{id}\", body = { status = \"live\" } }", "\"PATCH /api/pages/{id}\" }")
        .replace("words = [\"withdrawn\"]", "words = [\"withdrawn\", \"draft\"]")
        .replace("withdraw  =", publish);
    fs::write(&file, if many { text.replace("withdraw  =", MANY) } else { text }).unwrap();
    let file = hub.join("diaporos.toml");
    let text = fs::read_to_string(&file).unwrap();
    let timeout = "timeout   = \"10s\"";
    assert!(text.contains(timeout));
    fs::write(&file, text.replace(timeout, &format!("{timeout}\nconcurrency = {AT_ONCE}"))).unwrap();
}

/// Seconds between the first entry and the last that go on view.
fn spread(runtime: &Runtime, many: bool) -> f64 {
    let world = runtime.block_on(World::start(ENTRIES)).unwrap();
    let folder = tempfile::tempdir().unwrap();
    let hub = folder.path();
    write_hub(hub).unwrap();
    save_apart(hub, many);
    // In one language, so that an entry is a page.
    for number in 0..ENTRIES {
        let (name, about) = (format!("Test Fern {number}"), "<p>Launched.</p>");
        let fields =
            json!({ "common_name": { "eng": name }, "description": { "eng": about }, "tags": ["public", "launch"] });
        world.plants.edit(&format!("made-up-{number:06}"), &fields);
    }
    program(&world, hub, &["pull"]);
    program(&world, hub, &["slate", "new", "spring", "--lane", "profiles"]);
    program(&world, hub, &["slate", "add", "spring", "--type", "plant-profile", "--where", "\"launch\" in tags"]);
    world.visitor_site.fail(Rule::always(Fault::Stall { millis: MILLIS }));
    program(&world, hub, &["slate", "launch", "spring"]);
    let shown = world.pages.on_view().into_iter();
    let mut moments: Vec<_> = shown.filter(|(page, _)| page["body"] == "<p>Launched.</p>").map(|(_, at)| at).collect();
    moments.sort_unstable();
    assert_eq!(moments.len(), ENTRIES);
    moments[ENTRIES - 1].duration_since(moments[0]).as_secs_f64()
}

fn main() {
    rustls::crypto::ring::default_provider().install_default().unwrap();
    let runtime = Runtime::new().unwrap();
    let best = (ENTRIES.div_ceil(AT_ONCE) * MILLIS as usize) as f64 / 1_000.0;
    for (what, many) in [("200 entries go on view, a call each", false), ("the same, many to a call", true)] {
        let mut seconds: Vec<f64> = (0..5).map(|_| spread(&runtime, many)).collect();
        seconds.sort_by(f64::total_cmp);
        let [least, _, median, _, most] = seconds[..] else { return };
        println!("{what:<44} {median:>6.3} s ({least:.3} to {most:.3}), of {best:.3} s: {:.2}", median / best);
    }
}
