//! Real servers that we did not write. `.ci/run` installs them; the tests start and end them.

use std::io::{BufRead, BufReader};
use std::path::{Path, PathBuf};
use std::process::{Child, Command, Stdio};

use serde_json::Value as Json;
use tempfile::TempDir;

use crate::harness::{Ran, bare, ran, skipped};

/// A server, ended with its test.
struct Peer {
    process: Child,
    url: String,
}

impl Drop for Peer {
    fn drop(&mut self) {
        // It may have ended by itself, which is as good.
        let _ = self.process.kill();
        let _ = self.process.wait();
    }
}

fn folder() -> PathBuf {
    Path::new(env!("CARGO_MANIFEST_DIR")).join("../../tests/peers")
}

/// Starts a server by its script, which prints its port; none where it is not installed.
fn peer(script: &str, args: &[&str]) -> Option<Peer> {
    if !folder().join("node_modules").is_dir() {
        skipped("the servers of tests/peers are not installed: `npm ci --prefix tests/peers`");
        return None;
    }
    let started = Command::new("node").arg(script).args(args).current_dir(folder()).stdout(Stdio::piped()).spawn();
    let Ok(mut process) = started else {
        skipped("no Node.js on this machine");
        return None;
    };
    let mut port = String::new();
    BufReader::new(process.stdout.take().unwrap()).read_line(&mut port).unwrap();
    Some(Peer { process, url: format!("http://127.0.0.1:{}", port.trim()) })
}

/// A hub of files written out.
struct Hub(TempDir);

impl Hub {
    fn new(files: &[(&str, &str)]) -> Hub {
        let hub = Hub(TempDir::new().unwrap());
        files.iter().for_each(|(name, text)| hub.write(name, text));
        hub
    }

    fn write(&self, name: &str, text: &str) {
        std::fs::write(self.0.path().join(name), text).unwrap();
    }

    fn alter(&self, from: &str, to: &str) {
        let file = self.0.path().join("diaporos.toml");
        let text = std::fs::read_to_string(&file).unwrap();
        std::fs::write(file, text.replace(from, to)).unwrap();
    }

    fn run(&self, args: &[&str]) -> Ran {
        ran(bare(args).current_dir(self.0.path()).env("SECRET", "s3 cret/+").output().unwrap())
    }

    fn json(&self, args: &[&str]) -> Json {
        let ran = self.run(&[args, &["--format", "json"]].concat());
        serde_json::from_str(&ran.stdout).unwrap_or_else(|error| panic!("{error} {}{}", ran.stdout, ran.stderr))
    }
}

#[test]
fn a_graphql_server() {
    let Some(server) = peer("graphql.mjs", &[]) else { return };
    let config =
        format!("[systems.plants]\nkind = \"graphql\"\nurl = \"{}/graphql\"\nprofile = \"profile.toml\"\n", server.url);
    let profile = r#"[types.plant.read]
query  = "plants.graphql"
items  = "$.data.plants.edges[*].node"
id     = "$.id"
paging = { style = "connection", at = "$.data.plants.pageInfo", parameter = "after", total = "$.data.plants.totalCount", size = { parameter = "first", items = 5 } }
"#;
    let query = "query ($first: Int!, $after: String) { plants(first: $first, after: $after) { edges { node { id name } } pageInfo { hasNextPage endCursor } totalCount } }";
    let hub = Hub::new(&[("diaporos.toml", &config), ("profile.toml", profile), ("plants.graphql", query)]);
    let told = hub.run(&["pull"]).ends(3);
    assert!(
        told.stdout.contains("22 new") && told.stderr.contains("the label is torn"),
        "{}{}",
        told.stdout,
        told.stderr
    );
    assert!(hub.run(&["probe"]).ends(0).stdout.contains("5 of 23 entries"));
    let model = hub.json(&["model", "ask", "plants"]);
    let rows = model.as_array().unwrap();
    assert!(rows.iter().any(|row| row["type"] == "Plant" && row["field"] == "name"), "{model}");
    assert!(rows.iter().all(|row| row["type"] != "PageInfo"), "{model}");
    hub.write("plants.graphql", &query.replace("name", "nmae"));
    let told = hub.run(&["pull"]).ends(1);
    assert!(told.stderr.contains("Cannot query field \"nmae\""), "{}", told.stderr);
}

const REST_PROFILE: &str = r#"[types.plant.read]
# The first page has no `_page`, without which this server pages nothing.
list   = "/plants?_page=1"
items  = "$[*]"
id     = "$.id"
paging = { style = "link", size = { parameter = "_limit", items = 5 } }

[types.page.fields]
slug    = { kind = "text", required = true }
heading = { kind = "text", required = true }

[types.page.write]
find   = "GET /pages?slug={key}"
found  = "$[*]"
read   = "GET /pages/{id}"
create = "POST /pages"
update = "PATCH /pages/{id}"
delete = "DELETE /pages/{id}"
id     = "$.id"
"#;

#[test]
fn a_rest_server_as_source_and_destination() {
    let Some(server) = peer("rest.mjs", &[]) else { return };
    let config = format!(
        "[systems.small]\nkind = \"rest\"\nurl = \"{}\"\nprofile = \"profile.toml\"\n[lanes.pages]\nfrom = \"small/plant\"\nto = \"small/page\"\nmatch = \"slug\"\ngone = \"delete\"\n[lanes.pages.fields]\nslug = 'name | slug'\nheading = 'name'\n",
        server.url
    );
    let hub = Hub::new(&[("diaporos.toml", &config), ("profile.toml", REST_PROFILE)]);
    assert_eq!(hub.json(&["pull"])["new"], 23);
    assert_eq!(hub.json(&["pull"])["unchanged"], 23);
    let pushed = hub.json(&["push"]);
    assert_eq!((pushed["created"].as_u64(), pushed["adopted"].as_u64()), (Some(22), Some(1)), "{pushed}");
    assert_eq!(hub.json(&["push"])["requests"], 0);

    // PUT replaces there: what the lane does not map is sent back as it was.
    hub.write("profile.toml", &REST_PROFILE.replace("PATCH", "PUT"));
    hub.alter("heading = 'name'", "heading = 'name | upper'");
    let shown = hub.run(&["preview", "pages", "--most", "1", "--as-curl"]).ends(0).stdout;
    assert!(shown.contains("a push reads the document first"), "{shown}");
    assert_eq!(hub.json(&["push"])["updated"], 23);
    let page = std::process::Command::new("curl").args(["-s", &format!("{}/pages/1", server.url)]).output().unwrap();
    let page: Json = serde_json::from_slice(&page.stdout).unwrap();
    assert_eq!((page["heading"].as_str(), page["banner"].as_str()), (Some("FERN 1"), Some("summer.jpg")));
    let again = hub.json(&["push"]);
    assert_eq!((again["unchanged"].as_u64(), again["requests"].as_u64()), (Some(23), Some(0)), "{again}");
}

#[test]
fn a_token_server() {
    let (Some(tokens), Some(server)) = (peer("token.mjs", &[]), peer("rest.mjs", &["guarded"])) else { return };
    let config = format!(
        "[systems.small]\nkind = \"rest\"\nurl = \"{}\"\nprofile = \"profile.toml\"\nread = {{ oauth = {{ token = \"{}/token\", id = \"the hub\", secret = \"env:SECRET\", scope = \"plants\" }} }}\n",
        server.url, tokens.url
    );
    let hub = Hub::new(&[("diaporos.toml", &config), ("profile.toml", REST_PROFILE)]);
    assert_eq!(hub.json(&["pull"])["new"], 23);
    let probed = hub.run(&["probe"]).ends(0).stdout;
    assert!(probed.contains("is renewed in") && probed.contains("accepted: token fetched with env:SECRET"), "{probed}");
}

#[test]
fn a_static_server_that_knows_when_a_feed_changed() {
    let site = TempDir::new().unwrap();
    std::fs::write(
        site.path().join("feed.xml"),
        "<rss version=\"2.0\"><channel><title>T</title><item><guid>1</guid><title>A</title></item></channel></rss>",
    )
    .unwrap();
    let serve = "import http.server, functools, sys\nclass H(http.server.SimpleHTTPRequestHandler):\n    def log_message(self, f, *a): print(a[1], flush=True)\ns = http.server.ThreadingHTTPServer(('127.0.0.1', 0), functools.partial(H, directory=sys.argv[1]))\nprint(s.server_port, flush=True)\ns.serve_forever()\n";
    let started = Command::new("python3").args(["-c", serve]).arg(site.path()).stdout(Stdio::piped()).spawn();
    let Ok(mut process) = started else { return skipped("no Python on this machine") };
    let mut said = BufReader::new(process.stdout.take().unwrap()).lines().map(Result::unwrap);
    let url = format!("http://127.0.0.1:{}", said.next().unwrap());
    let server = Peer { process, url };
    let config = format!("[systems.news]\nkind = \"feed\"\n[systems.news.feeds]\na = \"{}/feed.xml\"\n", server.url);
    let hub = Hub::new(&[("diaporos.toml", &config)]);
    assert_eq!(hub.json(&["pull"])["new"], 1);
    assert_eq!(said.next().as_deref(), Some("200"));
    assert_eq!(hub.json(&["pull"])["unchanged"], 1);
    assert_eq!(said.next().as_deref(), Some("304"));
}
