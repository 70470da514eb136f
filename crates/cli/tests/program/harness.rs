//! A hub in a temporary folder beside running stand-ins, and runs of the program in it.

use std::path::Path;
use std::process::{Command, Output, Stdio};

use axum::Router;
use diaporos_demo::{World, write_hub};
use regex::Regex;
use serde_json::Value as Json;
use tempfile::TempDir;
use tokio::runtime::Runtime;

/// A hub and its world.
pub(crate) struct Hub {
    folder: TempDir,
    /// The address of its store, where that is on a server.
    store: Option<String>,
    pub(crate) world: World,
    // The stand-ins answer on its threads while the program runs.
    _runtime: Runtime,
}

/// How a run ended.
pub(crate) struct Ran {
    pub(crate) code: Option<i32>,
    pub(crate) stdout: String,
    pub(crate) stderr: String,
}

impl Hub {
    /// The demo's hub and its stand-ins.
    pub(crate) fn new() -> Hub {
        Hub::with_plants(0)
    }

    /// The demo's hub, with so many more plants in the catalogue.
    pub(crate) fn with_plants(made_up: usize) -> Hub {
        let runtime = Runtime::new().unwrap();
        let world = runtime.block_on(World::start(made_up)).unwrap();
        let folder = TempDir::new().unwrap();
        write_hub(folder.path()).unwrap();
        let store = store_of(folder.path());
        Hub { folder, store, world, _runtime: runtime }
    }

    /// The demo's hub after a pull.
    pub(crate) fn pulled() -> Hub {
        let hub = Hub::new();
        hub.good(&["pull"]);
        hub
    }

    /// The demo's hub after a pull and a push, of which four entries are held.
    pub(crate) fn pushed() -> Hub {
        let hub = Hub::pulled();
        let ran = hub.run(&["push"]).ends(3);
        assert!(ran.stdout.contains("diaporos holds"), "{}", ran.stdout);
        hub.world.visitor_site.forget();
        hub
    }

    /// Insists that no page stands twice at the site.
    pub(crate) fn nothing_is_doubled(&self) {
        let mut keys: Vec<String> =
            self.live_pages().iter().map(|page| format!("{} {}", page["slug"], page["lang"])).collect();
        keys.sort();
        let doubled: Vec<&[String]> = keys.windows(2).filter(|pair| pair[0] == pair[1]).collect();
        assert!(doubled.is_empty(), "{doubled:?}");
    }

    pub(crate) fn path(&self) -> &Path {
        self.folder.path()
    }

    /// Writes a file of the hub.
    pub(crate) fn write(&self, name: &str, text: &str) {
        std::fs::write(self.path().join(name), text).unwrap();
    }

    /// Replaces a text in a file of the hub.
    pub(crate) fn alter(&self, name: &str, from: &str, to: &str) {
        let text = std::fs::read_to_string(self.path().join(name)).unwrap();
        assert!(text.contains(from), "{name} does not hold {from}");
        self.write(name, &text.replace(from, to));
    }

    /// The program with its arguments, in the hub, with nothing of the tester's surroundings.
    pub(crate) fn command(&self, args: &[&str]) -> Command {
        let mut command = bare(args);
        command.current_dir(self.path()).envs(self.world.variables());
        command.envs(self.store.iter().map(|address| ("STORE_URL", address)));
        command
    }

    /// Runs the program to its end.
    #[must_use = "a run that nobody looks at proves nothing"]
    pub(crate) fn run(&self, args: &[&str]) -> Ran {
        ran(self.command(args).output().unwrap())
    }

    /// Runs it with what somebody types.
    pub(crate) fn run_with(&self, args: &[&str], typed: &str) -> Ran {
        ran(assert_cmd::Command::from_std(self.command(args)).write_stdin(typed).output().unwrap())
    }

    /// Runs it and gives what it printed, which must go well.
    pub(crate) fn good(&self, args: &[&str]) -> String {
        self.run(args).ends(0).stdout
    }

    /// Runs it with JSON output, whatever the exit code.
    pub(crate) fn json(&self, args: &[&str]) -> Json {
        let ran = self.run(&[args, &["--format", "json"]].concat());
        serde_json::from_str(&ran.stdout).unwrap_or_else(|error| panic!("{error}: {}{}", ran.stdout, ran.stderr))
    }

    /// Starts it and lets it run.
    pub(crate) fn start(&self, args: &[&str]) -> std::process::Child {
        self.command(args).stdout(Stdio::null()).stderr(Stdio::null()).spawn().unwrap()
    }

    /// Waits until something holds, for at most ten seconds.
    pub(crate) fn wait_until(&self, holds: impl Fn(&World) -> bool) {
        for _ in 0..1_000 {
            if holds(&self.world) {
                return;
            }
            std::thread::sleep(std::time::Duration::from_millis(10));
        }
        panic!("it did not come about within ten seconds");
    }

    /// The pages on view at the site.
    pub(crate) fn live_pages(&self) -> Vec<Json> {
        self.world.pages.rows().into_iter().filter(|row| row["status"] == "live").collect()
    }

    /// Carries a statement out in the store itself, and gives the first column of what it answers.
    pub(crate) fn in_store(&self, sql: &str) -> Vec<String> {
        if let Some(address) = &self.store {
            let told = diaporos_peers::ask(address, sql).unwrap();
            return told.lines().map(str::to_owned).collect();
        }
        let store = rusqlite::Connection::open(self.path().join(".diaporos/store.db")).unwrap();
        let mut query = store.prepare(sql).unwrap();
        let mut rows = query.query([]).unwrap();
        let mut found = Vec::new();
        while let Some(row) = rows.next().unwrap() {
            let value: rusqlite::types::Value = row.get(0).unwrap();
            found.push(match value {
                rusqlite::types::Value::Integer(number) => number.to_string(),
                rusqlite::types::Value::Text(text) => text,
                other => format!("{other:?}"),
            });
        }
        found
    }

    /// The requests that asked the site for a change.
    pub(crate) fn writes(&self) -> usize {
        self.world.visitor_site.asked().iter().filter(|asked| asked.writes()).count()
    }
}

/// Whether the store of each hub is on a server.
pub(crate) fn is_on_a_server() -> bool {
    std::env::var_os("DIAPOROS_TEST_ON_A_SERVER").is_some()
}

/// Gives the hub in a folder a store on a server, where these tests are of such; its address.
fn store_of(folder: &Path) -> Option<String> {
    let address = if is_on_a_server() { diaporos_peers::new_database() } else { None }?;
    let file = folder.join("diaporos.toml");
    let text = std::fs::read_to_string(&file).unwrap();
    std::fs::write(file, format!("{text}\n[store]\nurl = \"env:STORE_URL\"\n")).unwrap();
    Some(address)
}

/// A hub of files written out, whose secret is in `SECRET`.
pub(crate) struct HubFolder(TempDir);

impl HubFolder {
    pub(crate) fn new(files: &[(&str, &str)]) -> HubFolder {
        let hub = HubFolder(TempDir::new().unwrap());
        files.iter().for_each(|(name, text)| hub.write(name, text));
        hub
    }

    pub(crate) fn path(&self) -> &Path {
        self.0.path()
    }

    /// Writes a file of the hub.
    pub(crate) fn write(&self, name: &str, text: &str) {
        let file = self.0.path().join(name);
        std::fs::create_dir_all(file.parent().unwrap()).unwrap();
        std::fs::write(file, text).unwrap();
    }

    pub(crate) fn alter(&self, from: &str, to: &str) {
        let file = self.0.path().join("diaporos.toml");
        let text = std::fs::read_to_string(&file).unwrap();
        std::fs::write(file, text.replace(from, to)).unwrap();
    }

    pub(crate) fn run(&self, args: &[&str]) -> Ran {
        ran(bare(args).current_dir(self.0.path()).env("SECRET", "s3 cret/+").output().unwrap())
    }

    pub(crate) fn json(&self, args: &[&str]) -> Json {
        let ran = self.run(&[args, &["--format", "json"]].concat());
        serde_json::from_str(&ran.stdout).unwrap_or_else(|error| panic!("{error} {}{}", ran.stdout, ran.stderr))
    }
}

/// Serves a stand-in until the runtime is dropped; its address.
pub(crate) fn served(app: Router) -> (String, Runtime) {
    let runtime = Runtime::new().unwrap();
    let listener = runtime.block_on(tokio::net::TcpListener::bind("127.0.0.1:0")).unwrap();
    let url = format!("http://{}", listener.local_addr().unwrap());
    runtime.spawn(async move { axum::serve(listener, app).await });
    (url, runtime)
}

/// A folder with these files.
pub(crate) fn hub_of(files: &[(&str, &str)]) -> TempDir {
    let folder = TempDir::new().unwrap();
    for (name, text) in files {
        let file = folder.path().join(name);
        std::fs::create_dir_all(file.parent().unwrap()).unwrap();
        std::fs::write(file, text).unwrap();
    }
    folder
}

/// Runs the program in a folder, with these variables.
pub(crate) fn run(folder: &Path, args: &[&str], variables: &[(&str, &str)]) -> Ran {
    ran(bare(args).current_dir(folder).envs(variables.iter().copied()).output().unwrap())
}

/// The program with its arguments, anywhere.
pub(crate) fn bare(args: &[&str]) -> Command {
    let mut command = Command::new(assert_cmd::cargo::cargo_bin!("diaporos"));
    command.args(args).env_clear().env("TZ", "UTC").env("PATH", std::env::var_os("PATH").unwrap_or_default());
    command
}

pub(crate) fn ran(output: Output) -> Ran {
    let text = |bytes: Vec<u8>| String::from_utf8(bytes).unwrap();
    Ran { code: output.status.code(), stdout: text(output.stdout), stderr: text(output.stderr) }
}

impl Ran {
    /// Insists on an exit code.
    pub(crate) fn ends(self, code: i32) -> Ran {
        assert_eq!(self.code, Some(code), "{}{}", self.stdout, self.stderr);
        self
    }

    /// Exit code, stdout and stderr as one text, with what differs from run to run masked.
    pub(crate) fn drawn(&self) -> String {
        let code = self.code.map_or("killed".to_owned(), |code| code.to_string());
        masked(&format!("exit {code}\n--- stdout\n{}--- stderr\n{}", self.stdout, self.stderr))
    }
}

/// Says plainly that a test could not be made. Where `DIAPOROS_NO_SKIP` is set, that is a failure.
pub(crate) fn skipped(why: &str) {
    assert!(std::env::var_os("DIAPOROS_NO_SKIP").is_none(), "skipped: {why}");
    eprintln!("skipped: {why}");
}

/// Times, ports and temporary folders, masked at their width where columns depend on it.
pub(crate) fn masked(text: &str) -> String {
    let mut text = text.to_owned();
    for (pattern, mask) in [
        (r"\d{4}-\d\d-\d\d \d\d:\d\d:\d\d", "YYYY-MM-DD hh:mm:ss"),
        (r"\d{4}-\d\d-\d\dT\d\d:\d\d:\d\d(\.\d+)?Z", "YYYY-MM-DDThh:mm:ssZ"),
        (r"127\.0\.0\.1:\d+", "127.0.0.1:PORT"),
        (r"/tmp/\.tmp\w+", "HUB"),
    ] {
        text = Regex::new(pattern).unwrap().replace_all(&text, mask).into_owned();
    }
    text
}
