//! Whole outputs, of the built program: pages, feeds and a map, made of what a system of files holds.

use std::collections::BTreeMap;
use std::path::Path;

use diaporos_demo::add_guide;
use serde_json::{Value as Json, json};

use crate::harness::Hub;
use crate::servers::answers;

/// The demo's hub with its guide, pushed.
fn guided() -> Hub {
    let hub = Hub::new();
    add_guide(hub.path()).unwrap();
    hub.good(&["pull"]);
    hub.run(&["push"]).ends(3);
    hub
}

/// Every file of the output, with what is in it.
fn files(hub: &Hub) -> BTreeMap<String, Vec<u8>> {
    fn gather(folder: &Path, root: &Path, found: &mut BTreeMap<String, Vec<u8>>) {
        for file in std::fs::read_dir(folder).unwrap().map(|file| file.unwrap().path()) {
            if file.is_dir() {
                gather(&file, root, found);
            } else {
                let name = file.strip_prefix(root).unwrap().to_string_lossy().into_owned();
                found.insert(name, std::fs::read(&file).unwrap());
            }
        }
    }
    let root = hub.path().join("guide/public");
    let mut found = BTreeMap::new();
    gather(&root, &root, &mut found);
    found.remove(".diaporos-output.json");
    found
}

fn text(hub: &Hub, path: &str) -> String {
    std::fs::read_to_string(hub.path().join("guide/public").join(path)).unwrap_or_default()
}

/// The paths that differ.
fn differing(before: &BTreeMap<String, Vec<u8>>, after: &BTreeMap<String, Vec<u8>>) -> Vec<String> {
    let all: std::collections::BTreeSet<&String> = before.keys().chain(after.keys()).collect();
    all.into_iter().filter(|path| before.get(*path) != after.get(*path)).cloned().collect()
}

#[test]
fn a_site_is_made_whole_and_only_what_changed_is_written() {
    let hub = guided();
    let page = text(&hub, "en/royal-fern/index.html");
    for part in [
        "<h1>Royal Fern</h1>",
        "hreflang=\"fr\" href=\"/fr/royal-fern/\"",
        "<a href=\"/en/harts-tongue-fern/\">Hart&#39;s-tongue Fern</a>",
        "<a href=\"/en/sundew/\">Sundew</a>",
        "https://guide.ostrel.example/en/royal-fern/",
    ] {
        assert!(page.contains(part), "{part}: {page}");
    }
    let front = text(&hub, "fr/index.html");
    assert!(front.contains("<h1>De saison</h1>") && front.contains("/fr/lady-fern/"), "{front}");
    let map = text(&hub, "sitemap.xml");
    assert!(map.contains("<loc>https://guide.ostrel.example/cy/sundew/</loc>") && map.contains("hreflang=\"cy\""));
    // Nothing changed, so nothing is written.
    let before = files(&hub);
    let times = |hub: &Hub| {
        std::fs::metadata(hub.path().join("guide/public/en/sundew/index.html")).unwrap().modified().unwrap()
    };
    let written = times(&hub);
    hub.run(&["push"]).ends(3);
    assert_eq!((differing(&before, &files(&hub)), times(&hub)), (vec![], written));
    // One text changes: its page, and what shows it.
    hub.world.plants.edit_text("p-008", "description", "eng", "<p>It closes over a gnat in an hour.</p>");
    hub.good(&["pull", "catalogue"]);
    hub.run(&["push"]).ends(3);
    let changed = differing(&before, &files(&hub));
    assert!(changed.contains(&"en/sundew/index.html".to_owned()), "{changed:?}");
    assert!(
        changed.iter().all(|path| path.contains("sundew") || path.contains("plants") || path == "sitemap.xml"),
        "{changed:?}"
    );
    // What goes takes its page along, and every link to it.
    hub.world.plants.set_status("p-002", "retired");
    hub.good(&["pull", "catalogue"]);
    hub.run(&["push"]).ends(3);
    let after = files(&hub);
    assert!(!after.keys().any(|path| path.contains("harts-tongue")), "its pages are gone");
    assert!(
        !after.iter().any(
            |(path, bytes)| !path.starts_with("assets/") && String::from_utf8_lossy(bytes).contains("harts-tongue")
        )
    );
}

#[test]
fn what_others_did_in_the_folder_stays_and_is_told() {
    let hub = guided();
    let public = hub.path().join("guide/public");
    std::fs::write(public.join("en/sundew/index.html"), "By hand.").unwrap();
    std::fs::write(public.join("robots.txt"), "Theirs.").unwrap();
    hub.world.plants.edit_text("p-008", "common_name", "eng", "Round-leaved Sundew");
    hub.good(&["pull", "catalogue"]);
    let told = hub.run(&["push"]).ends(3).stderr;
    assert!(
        told.contains("somebody else changed it; it stays") || told.contains("by somebody else, and stays"),
        "{told}"
    );
    assert_eq!(
        (text(&hub, "en/sundew/index.html").as_str(), text(&hub, "robots.txt").as_str()),
        ("By hand.", "Theirs.")
    );
    // A page that is wanted and was changed by hand stays too, till it is taken away.
    std::fs::write(public.join("fr/royal-fern/index.html"), "À la main.").unwrap();
    let told = hub.run(&["push"]).ends(3).stderr;
    assert!(told.contains("`fr/royal-fern/index.html` was changed"), "{told}");
    std::fs::remove_file(public.join("fr/royal-fern/index.html")).unwrap();
    hub.run(&["push"]).ends(3);
    assert!(text(&hub, "fr/royal-fern/index.html").contains("Osmunda"));
}

#[test]
fn a_site_whose_documents_cannot_be_found_stays_as_it_was() {
    let hub = guided();
    let before = files(&hub);
    std::fs::rename(hub.path().join("guide/data"), hub.path().join("guide/elsewhere")).unwrap();
    std::fs::create_dir(hub.path().join("guide/data")).unwrap();
    let told = hub.run(&["push"]).ends(3).stderr;
    assert!(told.contains("is not there, so its page stays as it was"), "{told}");
    assert_eq!(differing(&before, &files(&hub)), Vec::<String>::new());
}

#[test]
fn a_template_that_fails_for_one_entry_holds_it_and_the_rest_goes() {
    let hub = guided();
    let template = hub.path().join("templates/page.html");
    let good = std::fs::read_to_string(&template).unwrap();
    let bad = good.replace(
        "{{ page.body }}",
        "{{ page.body }}{% if page.slug == 'sundew' %}{{ 1 / 0 }}{{ page.slug | nothing }}{% endif %}<hr>",
    );
    std::fs::write(&template, bad.replace(" | nothing", "")).unwrap();
    let before = text(&hub, "en/sundew/index.html");
    let told = hub.run(&["push"]).ends(3).stderr;
    assert!(told.contains("catalogue/plant-profile/p-008: the template `page.html`"), "{told}");
    assert_eq!(text(&hub, "en/sundew/index.html"), before, "it stays as it was");
    assert!(text(&hub, "en/royal-fern/index.html").contains("<hr>"), "the others go");
    let holds = hub.good(&["holds"]);
    assert!(holds.contains("p-008  held on `guide`") && holds.contains("the template"), "{holds}");
    // Mended, all is well.
    std::fs::write(&template, good).unwrap();
    hub.run(&["push"]).ends(3);
    assert!(!hub.good(&["holds"]).contains("p-008"));
    // A template that does not end is stopped.
    std::fs::write(&template, "{% for a in range(100000) %}{% for b in range(100000) %}x{% endfor %}{% endfor %}")
        .unwrap();
    assert!(hub.run(&["push"]).ends(3).stderr.contains("the template `page.html`"));
    // One that is not there is told, and one that leads out of its folder is none.
    hub.alter("diaporos.toml", "template = \"page.html\"", "template = \"../diaporos.toml\"");
    assert!(hub.run(&["push"]).ends(3).stderr.contains("the template `../diaporos.toml`"));
}

#[test]
fn feeds_are_read_by_others_and_items_keep_their_identifiers() {
    let hub = guided();
    let more = r#"
[outputs.guide.feeds.news-rss]
of = "page"
form = "rss"
at = "{language}/rss.xml"
title_from = "heading"
summary_from = "teaser"
content_from = "body"

[outputs.guide.feeds.news-json]
of = "page"
form = "json"
at = "{language}/feed.json"
title_from = "heading"
content_from = "body"

[outputs.guide.feeds.wire]
of = "page"
form = "ninjs"
at = "{language}/wire.json"
title_from = "heading"
content_from = "body"
"#;
    let config = std::fs::read_to_string(hub.path().join("diaporos.toml")).unwrap();
    hub.write("diaporos.toml", &format!("{config}{more}"));
    hub.run(&["push"]).ends(3);
    let read = |path: &str| {
        feed_rs::parser::parse(text(&hub, path).as_bytes()).unwrap_or_else(|error| panic!("{path}: {error}"))
    };
    let (atom, archive, rss, json) =
        (read("en/plants.xml"), read("en/plants-1.xml"), read("en/rss.xml"), read("en/feed.json"));
    assert_eq!((atom.entries.len(), archive.entries.len()), (10, 10));
    assert!(
        text(&hub, "en/plants.xml").contains("rel=\"prev-archive\"")
            && text(&hub, "en/plants-1.xml").contains("<fh:archive/>")
    );
    let ids = |feed: &feed_rs::model::Feed| {
        feed.entries.iter().map(|entry| entry.id.clone()).collect::<std::collections::BTreeSet<_>>()
    };
    assert!(ids(&atom).is_subset(&ids(&rss)) && ids(&rss) == ids(&json), "one identifier in every form");
    assert!(
        atom.entries.iter().all(|entry| entry.updated.is_some() && entry.published.is_some() && entry.title.is_some())
    );
    // Our own reader reads them without a remark.
    let wire: Json = serde_json::from_str(&text(&hub, "en/wire.json")).unwrap();
    assert!(
        wire["items"].as_array().unwrap().iter().all(|item| item["uri"].as_str().unwrap().starts_with("urn:uuid:"))
    );
    as_another_reads_them(&hub);
    // A name changes, and its page moves: the item stays the same one.
    let sundew = |feed: &feed_rs::model::Feed, words: &str| {
        let named =
            |entry: &&feed_rs::model::Entry| entry.title.as_ref().is_some_and(|title| title.content.contains(words));
        feed.entries.iter().find(named).map(|entry| (entry.id.clone(), entry.links[0].href.clone())).unwrap()
    };
    let before = sundew(&json, "Sundew");
    hub.world.plants.edit_text("p-008", "common_name", "eng", "Round-leaved Plant");
    hub.good(&["pull", "catalogue"]);
    hub.run(&["push"]).ends(3);
    let after = sundew(&read("en/feed.json"), "Round-leaved");
    assert!(before.0 == after.0 && before.1 != after.1, "{before:?} {after:?}");
}

/// Feeds as a package reads them: without a complaint, and with the identifiers that we read.
fn as_another_reads_them(hub: &Hub) {
    let paths = ["en/plants.xml", "en/plants-1.xml", "en/rss.xml", "cy/rss.xml"];
    let whole = |path: &&str| json!({ "path": hub.path().join("guide/public").join(path) });
    let Some(read) = answers("python", "feeds.py", &paths.iter().map(whole).collect::<Vec<_>>()) else { return };
    for (path, read) in paths.iter().zip(&read) {
        let read: Json = serde_json::from_str(read).unwrap();
        let ours = feed_rs::parser::parse(text(hub, path).as_bytes()).unwrap();
        let ids: Vec<&str> = ours.entries.iter().map(|entry| entry.id.as_str()).collect();
        let version = if path.ends_with("rss.xml") { "rss20" } else { "atom10" };
        assert_eq!((&read["complaint"], &read["version"], &read["dated"]), (&json!(""), &json!(version), &json!(true)));
        assert_eq!(read["ids"], json!(ids), "{path}");
    }
    assert_eq!(read.len(), paths.len());
}

#[test]
fn pictures_are_part_of_it_and_addresses_may_end_without_a_slash() {
    let hub = guided();
    hub.alter(
        "diaporos.toml",
        "url       = \"https://guide.ostrel.example/\"",
        "url = \"https://ostrel.example/guide\"\nslash = \"without\"",
    );
    let site = hub.world.variables().into_iter().find(|(name, _)| *name == "CATALOGUE_URL").unwrap().1;
    let photo = json!({ "url": format!("{site}/photographs/1.jpg"), "width": 1800, "height": 1200 });
    hub.world.plants.edit("p-001", &json!({ "photo": photo }));
    hub.good(&["pull", "catalogue"]);
    hub.run(&["push"]).ends(3);
    let page = text(&hub, "en/royal-fern.html");
    assert!(page.contains("href=\"/guide/fr/royal-fern\"") && page.contains("src=\"/guide/assets/"), "{page}");
    let files = files(&hub);
    assert_eq!(files.keys().filter(|path| path.starts_with("assets/")).count(), 2, "a banner and a card");
    assert!(!files.keys().any(|path| path.ends_with("royal-fern/index.html")), "the ones before are gone");
    // The picture goes, and with it its files.
    hub.world.plants.edit("p-001", &json!({ "photo": null }));
    hub.good(&["pull", "catalogue"]);
    hub.run(&["push"]).ends(3);
    assert!(!self::files(&hub).keys().any(|path| path.starts_with("assets/")));
}

#[test]
fn what_is_wrong_with_an_output_is_told_where_it_stands() {
    let hub = guided();
    for (from, to, says) in [
        ("of        = \"guide\"", "of        = \"guid\"", "did you mean `guide`"),
        ("folder    = \"guide/public\"", "folder    = \"../public\"", "leads out of the hub"),
        ("at = \"{language}/{slug}\"", "at = \"../{slug}\"", "no address below"),
        ("of           = \"page\"", "of           = \"pages\"", "which has no pages"),
        ("url       = \"https://guide.ostrel.example/\"", "url       = \"guide.ostrel.example\"", "not an address"),
    ] {
        hub.alter("diaporos.toml", from, to);
        let told = hub.run(&["check"]).ends(2);
        let told = format!("{}{}", told.stdout, told.stderr);
        assert!(told.contains(says), "{to}: {told}");
        hub.alter("diaporos.toml", to, from);
    }
    // Two pages at one place: the second is told, and held.
    hub.alter("diaporos.toml", "at = \"{language}/{slug}\"", "at = \"{language}/{section}\"");
    let told = hub.run(&["push"]).ends(3).stderr;
    assert!(told.contains("another page has the path"), "{told}");
}

/// Looks at an address of this machine.
fn get(at: &str, path: &str, host: &str) -> (u16, String) {
    let request = answered(at, path, host);
    let (head, body) = request.split_once("\r\n\r\n").unwrap_or((&request, ""));
    let status = head.split(' ').nth(1).and_then(|status| status.parse().ok()).unwrap_or_default();
    (status, body.to_owned())
}

fn answered(at: &str, path: &str, host: &str) -> String {
    use std::io::{Read, Write};
    let mut stream = std::net::TcpStream::connect(at).unwrap();
    write!(stream, "GET {path} HTTP/1.1\r\nHost: {host}\r\nConnection: close\r\n\r\n").unwrap();
    let mut text = String::new();
    stream.read_to_string(&mut text).unwrap();
    text
}

#[test]
fn a_preview_is_the_page_itself_beside_what_is_on_view() {
    let hub = guided();
    let sundew = "catalogue/plant-profile/p-008";
    hub.world.plants.edit_text("p-008", "description", "eng", "<p>It closes over a gnat.</p>");
    hub.good(&["pull", "catalogue"]);
    hub.good(&["preview", "guide", sundew, "--html", "look.html", "--against"]);
    let page = std::fs::read_to_string(hub.path().join("look.html")).unwrap();
    for part in ["As it would be", "On view now", "It closes over a gnat.", "id=\"fr\"", "In season", "/en/bog-myrtle/"]
    {
        assert!(page.contains(part), "{part}");
    }
    assert_eq!(page.matches("<iframe").count(), 18, "three languages, two rows, three widths");
    // In a browser it follows what is changed.
    let mut child =
        hub.command(&["preview", "guide", sundew, "--serve"]).stderr(std::process::Stdio::piped()).spawn().unwrap();
    let mut said = std::io::BufReader::new(child.stderr.take().unwrap());
    let mut line = String::new();
    std::io::BufRead::read_line(&mut said, &mut line).unwrap();
    let at = line.split("http://").nth(1).unwrap().split('/').next().unwrap().to_owned();
    let mark = get(&at, "/mark", &at).1;
    assert!(get(&at, "/", &at).1.contains("It closes over a gnat."));
    assert_eq!(get(&at, "/", "gardens.example").0, 403, "no other site has it asked");
    assert_eq!(get(&at, "/mark", &at).1, mark);
    let template = hub.path().join("templates/page.html");
    let text = std::fs::read_to_string(&template).unwrap();
    std::fs::write(&template, text.replace("<h1>", "<h1 class=\"new\">")).unwrap();
    assert_ne!(get(&at, "/mark", &at).1, mark);
    assert!(get(&at, "/", &at).1.contains("class=&quot;new&quot;"));
    let (status, told) = get(&at, "/entries/catalogue/plant-profile/p-999", &at);
    assert!(status == 500 && told.contains("there is no entry"), "{status} {told}");
    child.kill().unwrap();
    child.wait().unwrap();
}
