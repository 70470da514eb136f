//! Real servers that we did not write. `.ci/run` installs them; the tests start and end them.

use std::io::{BufRead, BufReader};
use std::path::Path;
use std::process::{Command, Stdio};

use serde_json::Value as Json;
use tempfile::TempDir;

use crate::harness::{HubFolder, skipped};
use crate::servers::{Peer, curl, lock, peer, python_peer};

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
    let hub = HubFolder::new(&[("diaporos.toml", &config), ("profile.toml", profile), ("plants.graphql", query)]);
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
        "[systems.small]\nkind = \"rest\"\nurl = \"{}\"\nprofile = \"profile.toml\"\n[lanes.pages]\nfrom = \"small/plant\"\nto = \"small/page\"\nmatch = \"slug\"\non_adopt = \"ours\"\ngone = \"delete\"\n[lanes.pages.fields]\nslug = 'name | slug'\nheading = 'name'\n",
        server.url
    );
    let hub = HubFolder::new(&[("diaporos.toml", &config), ("profile.toml", REST_PROFILE)]);
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
    let hub = HubFolder::new(&[("diaporos.toml", &config), ("profile.toml", REST_PROFILE)]);
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
    let hub = HubFolder::new(&[("diaporos.toml", &config)]);
    assert_eq!(hub.json(&["pull"])["new"], 1);
    assert_eq!(said.next().as_deref(), Some("200"));
    assert_eq!(hub.json(&["pull"])["unchanged"], 1);
    assert_eq!(said.next().as_deref(), Some("304"));
}

/// A source of plants in a folder, in English and Welsh.
fn plants(hub: &HubFolder, count: usize) {
    std::fs::create_dir_all(hub.path().join("plants")).unwrap();
    for number in 1..=count {
        let text = format!(
            "{{ \"name\": {{ \"en\": \"Fern {number}\", \"cy\": \"Rhedynen {number}\" }}, \"text\": {{ \"en\": \"Tall.\", \"cy\": \"Tal.\" }}, \"slug\": \"fern-{number}\" }}"
        );
        hub.write(&format!("plants/{number:03}.json"), &text);
    }
}

const PLANTS: &str = r#"[types.plant.fields]
slug = { kind = "text" }
name = { kind = "text", localised = true }
text = { kind = "text", localised = true }

[types.plant.read]
files = "*.json"
"#;

const FILES: &str = r#"[types.page.fields]
slug  = { kind = "text", required = true }
title = { kind = "text", required = true, localised = true }
body  = { kind = "text", localised = true }

[types.page.read]
files     = "pages/**/*.md"
id        = "$.slug"
languages = { language = "$.lang", main = "en" }
state     = "$.status"

[types.page.write]
place     = "pages/{language}/{key}.md"
languages = { shape = "row", language = "lang" }
members   = { status = "live" }
withdraw  = { status = "withdrawn" }
withdrawn = { at = "$.status", words = ["withdrawn"] }
"#;

fn to_files(system: &str, gone: &str) -> String {
    format!(
        "[systems.garden]\nkind = \"files\"\nfolder = \"plants\"\nprofile = \"plants.toml\"\n{system}\n[lanes.out]\nfrom = \"garden/plant\"\nto = \"store/page\"\nmatch = \"slug\"\non_adopt = \"ours\"\ngone = \"{gone}\"\n[lanes.out.fields]\nslug = 'slug'\ntitle = 'name'\nbody = 'text'\n"
    )
}

/// What every destination of files must do, wherever they lie.
fn files_as_a_destination(hub: &HubFolder, pages: &Path) {
    assert_eq!(hub.json(&["pull", "garden"])["new"], 7);
    std::fs::create_dir_all(pages.join("en")).unwrap();
    std::fs::write(pages.join("en/fern-1.md"), "---\ntitle: Old\nbanner: summer.jpg\n---\nOld text.\n").unwrap();
    let shown = hub.run(&["preview", "out", "--most", "1", "--as-curl"]).ends(0).stdout;
    assert!(shown.contains("title: \"Fern 1\""), "{shown}");
    let pushed = hub.json(&["push", "out"]);
    assert_eq!((pushed["created"].as_u64(), pushed["adopted"].as_u64()), (Some(6), Some(1)), "{pushed}");
    let page = |name: &str| std::fs::read_to_string(pages.join(name)).unwrap();
    assert_eq!(
        page("cy/fern-2.md"),
        "---\nslug: \"fern-2\"\ntitle: \"Rhedynen 2\"\nstatus: \"live\"\nlang: \"cy\"\n---\n\nTal.\n"
    );
    assert!(page("en/fern-1.md").contains("banner: \"summer.jpg\""), "{}", page("en/fern-1.md"));
    assert_eq!(hub.json(&["push", "out"])["requests"], 0);

    // A hand changes one field, the source another.
    std::fs::write(pages.join("en/fern-2.md"), page("en/fern-2.md").replace("\nTall.", "\nVery tall.")).unwrap();
    hub.write(
        "plants/002.json",
        &std::fs::read_to_string(hub.path().join("plants/002.json")).unwrap().replace("Fern 2", "Shield fern"),
    );
    hub.json(&["pull", "garden"]);
    assert_eq!(hub.json(&["push", "out"])["updated"], 1);
    let now = page("en/fern-2.md");
    assert!(now.contains("title: \"Shield fern\"") && now.contains("Very tall."), "{now}");
    assert_eq!(hub.json(&["push", "out", "--verify"])["requests"], 0);

    // And is read from there into the hub again.
    assert_eq!(hub.json(&["pull", "store"])["new"], 7);

    std::fs::remove_file(hub.path().join("plants/003.json")).unwrap();
    hub.json(&["pull", "garden"]);
    assert_eq!(hub.json(&["push", "out"])["withdrawn"], 1);
    assert!(page("en/fern-3.md").contains("status: \"withdrawn\""));
    assert_eq!(hub.json(&["push", "out"])["requests"], 0);
}

#[test]
fn a_folder_of_files_as_a_destination() {
    let system = "[systems.store]\nkind = \"files\"\nfolder = \"site\"\nprofile = \"files.toml\"\n";
    let hub = HubFolder::new(&[
        ("diaporos.toml", &to_files(system, "withdraw")),
        ("plants.toml", PLANTS),
        ("files.toml", FILES),
    ]);
    plants(&hub, 7);
    let site = hub.path().join("site");
    std::fs::create_dir_all(&site).unwrap();
    files_as_a_destination(&hub, &site.join("pages"));

    // Only our own files are ever removed, and no place leads out of the folder.
    hub.alter("gone = \"withdraw\"", "gone = \"delete\"");
    for number in [1, 4] {
        std::fs::remove_file(hub.path().join(format!("plants/{number:03}.json"))).unwrap();
    }
    hub.write("plants/008.json", "{ \"name\": { \"en\": \"Evil\" }, \"slug\": \"../../evil\" }");
    hub.json(&["pull", "garden"]);
    let pushed = hub.json(&["push", "out"]);
    assert_eq!((pushed["deleted"].as_u64(), pushed["held"].as_u64()), (Some(1), Some(1)), "{pushed}");
    assert!(hub.run(&["holds"]).stdout.contains("only our own are removed"));
    assert!(site.join("pages/en/fern-1.md").is_file() && !site.join("pages/en/fern-4.md").exists());
    assert!(site.join("pages/en/%2E.%2F..%2Fevil.md").is_file(), "what is in a key is one step of the place");
    #[cfg(unix)]
    {
        std::fs::remove_dir_all(site.join("pages/cy")).unwrap();
        let elsewhere = TempDir::new().unwrap();
        std::os::unix::fs::symlink(elsewhere.path(), site.join("pages/cy")).unwrap();
        hub.write("plants/009.json", "{ \"name\": { \"cy\": \"Mwsogl\" }, \"slug\": \"mwsogl\" }");
        hub.json(&["pull", "garden"]);
        hub.json(&["push", "out"]);
        assert!(hub.run(&["holds"]).stdout.contains("a link that may lead anywhere"));
        assert_eq!(std::fs::read_dir(elsewhere.path()).unwrap().count(), 0);
    }
}

#[test]
fn a_webdav_server_as_destination_and_source() {
    let site = TempDir::new().unwrap();
    let Some(server) = python_peer("webdav.py", &[site.path().to_str().unwrap()]) else { return };
    let system = format!(
        "[systems.store]\nkind = \"webdav\"\nurl = \"{}\"\nprofile = \"files.toml\"\nread = {{ basic = {{ user = \"hub\", password = \"env:SECRET\" }} }}\nwrite = {{ basic = {{ user = \"hub\", password = \"env:SECRET\" }} }}\n",
        server.url
    );
    let hub = HubFolder::new(&[
        ("diaporos.toml", &to_files(&system, "withdraw")),
        ("plants.toml", PLANTS),
        ("files.toml", FILES),
    ]);
    plants(&hub, 7);
    files_as_a_destination(&hub, &site.path().join("pages"));

    // Somebody has the page open.
    let address = format!("{}/pages/en/fern-5.md", server.url);
    assert!(lock("nia:fern", "Nia Parry", &address).contains("opaquelocktoken"));
    let path = hub.path().join("plants/005.json");
    std::fs::write(&path, std::fs::read_to_string(&path).unwrap().replace("Fern 5", "Royal fern")).unwrap();
    hub.json(&["pull", "garden"]);
    assert_eq!(hub.json(&["push", "out"])["held"], 1);
    assert!(hub.run(&["holds"]).stdout.contains("locked there: by Nia Parry"), "{}", hub.run(&["holds"]).stdout);
    assert!(std::fs::read_to_string(site.path().join("pages/en/fern-5.md")).unwrap().contains("Fern 5"));
}

#[test]
fn a_lock_that_a_dead_run_left_on_a_webdav_server_is_ours_to_clear() {
    let site = TempDir::new().unwrap();
    let Some(server) = python_peer("webdav.py", &[site.path().to_str().unwrap()]) else { return };
    let system = format!(
        "[systems.store]\nkind = \"webdav\"\nurl = \"{}\"\nprofile = \"files.toml\"\nlock_owner = \"the hub\"\nwrite = {{ basic = {{ user = \"hub\", password = \"env:SECRET\" }} }}\n",
        server.url
    );
    let hub = HubFolder::new(&[
        ("diaporos.toml", &to_files(&system, "withdraw")),
        ("plants.toml", PLANTS),
        ("files.toml", FILES),
    ]);
    plants(&hub, 1);
    hub.json(&["pull", "garden"]);
    assert_eq!(hub.json(&["push", "out"])["created"], 1);
    let address = format!("{}/pages/en/fern-1.md", server.url);
    let who = "hub:s3 cret/+";
    let locked = lock(who, "the hub", &address);
    let token = locked.split("opaquelocktoken:").nth(1).and_then(|rest| rest.split('<').next()).unwrap();
    hub.write("plants/001.json", "{ \"name\": { \"en\": \"Royal fern\" }, \"slug\": \"fern-1\" }");
    hub.json(&["pull", "garden"]);
    // Another hub may have the same account and the same name: only our identity makes a lock ours.
    let pushed = hub.json(&["push", "out"]);
    assert_eq!((pushed["updated"].as_u64(), pushed["held"].as_u64()), (Some(0), Some(1)), "{pushed}");
    curl(&["-u", who, "-X", "UNLOCK", "-H", &format!("Lock-Token: <opaquelocktoken:{token}>"), &address]);
    let identity = std::fs::read_to_string(hub.path().join(".diaporos/identity")).unwrap();
    let ours = format!("the hub, diaporos hub {}", identity.trim());
    assert!(lock(who, &ours, &address).contains("opaquelocktoken"));
    let pushed = hub.json(&["push", "out"]);
    assert_eq!((pushed["updated"].as_u64(), pushed["held"].as_u64()), (Some(1), Some(0)), "{pushed}");
    let left = curl(&["-u", who, "-X", "PROPFIND", "-H", "Depth: 0", &address]);
    assert!(!left.contains("activelock"), "{left}");
}

const KIOSK: &str = r#"[types.page.fields]
slug  = { kind = "text", required = true }
title = { kind = "text", required = true, localised = true }
body  = { kind = "text", localised = true }

[types.page.read]
where = { type = "page" }
state = "$.status"

[types.page.write]
place     = "page:{key}"
members   = { type = "page", status = "live" }
withdraw  = { status = "withdrawn" }
withdrawn = { at = "$.status", words = ["withdrawn"] }
"#;

#[test]
fn a_document_database_as_destination_and_source() {
    let Some(server) = peer("docstore.mjs", &[]) else { return };
    let system = format!(
        "[systems.store]\nkind = \"docstore\"\nurl = \"{}/kiosk\"\nprofile = \"kiosk.toml\"\nassets = {{ hosts = [\"127.0.0.1\"] }}\n",
        server.url
    );
    let hub = HubFolder::new(&[
        ("diaporos.toml", &to_files(&system, "delete")),
        ("plants.toml", PLANTS),
        ("kiosk.toml", KIOSK),
    ]);
    plants(&hub, 230);
    assert_eq!(hub.json(&["pull", "garden"])["new"], 230);
    let document =
        |id: &str| -> Json { serde_json::from_str(&curl(&[&format!("{}/kiosk/page:{id}", server.url)])).unwrap() };
    let put = |id: &str, body: &str| {
        let address = format!("{}/kiosk/page:{id}", server.url);
        curl(&["-X", "PUT", "-H", "Content-Type: application/json", "-d", body, &address])
    };
    put("fern-1", "{\"title\": \"Old\", \"screen\": 4}");
    let pushed = hub.json(&["push", "out"]);
    assert_eq!((pushed["created"].as_u64(), pushed["adopted"].as_u64()), (Some(229), Some(1)), "{pushed}");
    let first = document("fern-1");
    assert_eq!((&first["screen"], &first["title"]["cy"]), (&Json::from(4), &Json::from("Rhedynen 1")), "{first}");
    assert_eq!(hub.json(&["push", "out"])["requests"], 0);

    // A conflict is one document's, whatever went with it.
    let second = document("fern-2");
    let theirs = second.to_string().replace("Fern 2", "Their fern");
    put("fern-2", &theirs);
    hub.alter("title = 'name'", "title = 'name | upper'");
    let pushed = hub.json(&["push", "out"]);
    assert_eq!((pushed["updated"].as_u64(), pushed["held"].as_u64()), (Some(229), Some(1)), "{pushed}");
    assert_eq!(document("fern-2")["title"]["en"], "Their fern");
    hub.json(&["resolve", "garden/plant/002", "--take", "ours"]);
    assert_eq!(hub.json(&["push", "out"])["updated"], 1);

    // Out to the store, and from there: all, then only what changed, and what was deleted.
    assert_eq!(hub.json(&["pull", "store"])["new"], 230);
    assert_eq!(hub.json(&["pull", "store"])["pulled"], 0, "only what changed is asked for");
    std::fs::remove_file(hub.path().join("plants/003.json")).unwrap();
    hub.json(&["pull", "garden"]);
    assert_eq!(hub.json(&["push", "out"])["deleted"], 1);
    let pulled = hub.json(&["pull", "store"]);
    assert_eq!((pulled["gone"].as_u64(), pulled["new"].as_u64()), (Some(1), Some(0)), "{pulled}");
    assert_eq!(hub.json(&["push", "out", "--verify"])["requests"], 0);

    // A file is kept once, as an attachment.
    let pictures = TempDir::new().unwrap();
    std::fs::write(pictures.path().join("fern.png"), b"\x89PNG\r\n\x1a\n\0\0\0\rIHDR\0\0\0\x01").unwrap();
    let serve = "import http.server, functools, sys\ns = http.server.ThreadingHTTPServer(('127.0.0.1', 0), functools.partial(http.server.SimpleHTTPRequestHandler, directory=sys.argv[1]))\nprint(s.server_port, flush=True)\ns.serve_forever()\n";
    let mut command = Command::new("python3");
    command.args(["-c", serve]).arg(pictures.path()).stdout(Stdio::piped()).stderr(Stdio::null());
    let Ok(mut process) = command.spawn() else { return skipped("no Python on this machine") };
    let mut port = String::new();
    BufReader::new(process.stdout.take().unwrap()).read_line(&mut port).unwrap();
    let images = Peer { process, url: format!("http://127.0.0.1:{}", port.trim()) };
    hub.write(
        "kiosk.toml",
        &format!(
            "{}\n[types.page.write.assets]\ntypes = \"image/*\"\n",
            KIOSK.replace("[types.page.read]", "picture = { kind = \"asset\" }\n\n[types.page.read]")
        ),
    );
    hub.alter("body = 'text'", &format!("body = 'text'\npicture = '{{ url: \"{}/fern.png\" }}'", images.url));
    let pushed = hub.json(&["push", "out"]);
    assert_eq!(pushed["updated"], 229, "{pushed}");
    let id = document("fern-1")["picture"].as_str().unwrap().to_owned();
    let size = curl(&[
        "-o",
        "/dev/null",
        "-w",
        "%{content_type} %{size_download}",
        &format!("{}/kiosk/{id}/fern.png", server.url),
    ]);
    assert_eq!(size, "image/png 20", "{id}");
    assert_eq!(hub.json(&["push", "out"])["requests"], 0);
}

#[test]
fn properties_of_files_on_a_webdav_server() {
    let site = TempDir::new().unwrap();
    let Some(server) = python_peer("webdav.py", &[site.path().to_str().unwrap()]) else { return };
    let credential = "{ basic = { user = \"hub\", password = \"env:SECRET\" } }";
    let system = format!(
        "[systems.store]\nkind = \"webdav\"\nurl = \"{}\"\nprofile = \"files.toml\"\nread = {credential}\nwrite = {credential}\n",
        server.url
    );
    let files =
        format!("{FILES}\n[types.page.properties]\nnamespace = \"urn:ostrel\"\nnames = [\"title\", \"status\"]\n");
    let hub = HubFolder::new(&[
        ("diaporos.toml", &to_files(&system, "withdraw")),
        ("plants.toml", PLANTS),
        ("files.toml", &files),
    ]);
    plants(&hub, 3);
    hub.json(&["pull", "garden"]);
    let pushed = hub.json(&["push", "out"]);
    assert_eq!(pushed["created"], 3, "{pushed}");
    let text = std::fs::read_to_string(site.path().join("pages/en/fern-2.md")).unwrap();
    assert!(!text.contains("title") && text.contains("Tall."), "{text}");
    let address = format!("{}/pages/en/fern-2.md", server.url);
    let ask = "<propfind xmlns='DAV:'><prop><title xmlns='urn:ostrel'/></prop></propfind>";
    let who = "hub:s3 cret/+";
    let asked = |body: &str, method: &str| {
        curl(&["-u", who, "-X", method, "-H", "Depth: 0", "-H", "Content-Type: application/xml", "-d", body, &address])
    };
    assert!(asked(ask, "PROPFIND").contains("Fern 2"));
    assert_eq!(hub.json(&["push", "out", "--verify"])["requests"], 0, "the second run changes nothing");

    // A hand changes the property, the source the text.
    let set = "<propertyupdate xmlns='DAV:'><set><prop><title xmlns='urn:ostrel'>Shield fern</title></prop></set></propertyupdate>";
    assert!(asked(set, "PROPPATCH").contains("200 OK"));
    let plant = hub.path().join("plants/002.json");
    std::fs::write(&plant, std::fs::read_to_string(&plant).unwrap().replace("Tall.", "Very tall.")).unwrap();
    hub.json(&["pull", "garden"]);
    assert_eq!(hub.json(&["push", "out"])["updated"], 1);
    assert!(std::fs::read_to_string(site.path().join("pages/en/fern-2.md")).unwrap().contains("Very tall."));
    assert!(asked(ask, "PROPFIND").contains("Shield fern"), "theirs stays");
    assert_eq!(hub.json(&["pull", "store"])["new"], 3);
    let shown = hub.run(&["show", "store/page/fern-2"]).ends(0).stdout;
    assert!(shown.contains("Shield fern") && shown.contains("Rhedynen 2"), "{shown}");
}
