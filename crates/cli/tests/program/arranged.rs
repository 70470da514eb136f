//! Lists and outlines, of the built program.

use serde_json::{Value as Json, json};

use crate::harness::Hub;

/// The demo's hub with a list that fills itself, one that is put together by hand, and a menu.
const ARRANGED: &str = r#"
[lists.front-page]
of    = "catalogue/plant-profile"
where = '"fern" in tags'
sort  = "common_name@en"
most  = 3
on    = "visitor-site"
title = { en = "In season" }

[lists.picks]
on    = "visitor-site"
title = { en = "Picked" }

[lanes.lists]
from     = "hub/list"
to       = "visitor-site/page"
match    = "slug"
language = "en"

[lanes.lists.fields]
slug    = 'name'
heading = 'title@en'
body    = '"<p>A list</p>"'
section = '"list"'
byline  = '"hub"'
topics  = 'items | each counterpart'

[outlines.menu]
file = "menu.toml"
on   = "visitor-site"

[lanes.menu]
from     = "hub/node"
to       = "visitor-site/page"
match    = "slug"
language = "en"
gone     = "delete"

[lanes.menu.fields]
slug    = '"menu-" + key'
heading = 'label@en ?? key'
body    = '"<p>A node</p>"'
section = '"menu"'
byline  = '(parent | counterpart) ?? "top"'
topics  = '[place | text, (leads_to | counterpart)@en ?? url ?? ""]'
"#;

const MENU: &str = r#"
[[nodes]]
key   = "plants"
label = { en = "Plants", fr = "Plantes" }
url   = "/plants"

[[nodes.nodes]]
key   = "spleenwort"
label = { en = "Spleenwort" }
entry = "catalogue/plant-profile/p-006"

[[nodes.nodes]]
key   = "secret"
label = { en = "Not yet" }
entry = "catalogue/plant-profile/p-999"

[[nodes]]
key   = "visit"
label = { en = "Visit" }
url   = "/visit"
"#;

fn arranged() -> Hub {
    let hub = Hub::new();
    let text = std::fs::read_to_string(hub.path().join("diaporos.toml")).unwrap();
    let (head, tail) = text.split_once("# What is translated").unwrap();
    hub.write("diaporos.toml", &format!("{head}{ARRANGED}\n# What is translated{tail}"));
    hub.write("menu.toml", MENU);
    hub.good(&["pull"]);
    hub.run(&["push"]).ends(3);
    hub
}

fn page(hub: &Hub, slug: &str) -> Json {
    hub.world.pages.with_slug(slug).into_iter().find(|page| page["status"] == "live").unwrap_or_default()
}

/// The slugs of the pages that a list's page names.
fn listed(hub: &Hub, slug: &str) -> Vec<String> {
    let rows = hub.world.pages.rows();
    let named = page(hub, slug)["topics"].as_array().cloned().unwrap_or_default();
    let slug_of = |id: &Json| {
        rows.iter()
            .find(|row| row["id"].as_u64().map(|id| id.to_string()).as_deref() == id.as_str())
            .map(|row| row["slug"].as_str().unwrap_or_default().to_owned())
    };
    named.iter().filter_map(slug_of).collect()
}

#[test]
fn a_list_holds_what_is_on_view_and_fills_the_place_of_what_goes() {
    let hub = arranged();
    let first = listed(&hub, "front-page");
    assert_eq!(first.len(), 3, "{}", page(&hub, "front-page"));
    assert!(first.is_sorted(), "{first:?}");
    let shown = hub.json(&["list", "show", "front-page"]);
    let addresses: Vec<&str> =
        shown["places"].as_array().unwrap().iter().map(|row| row["address"].as_str().unwrap()).collect();
    // Nothing more is owed.
    assert_eq!(hub.json(&["push"])["requests"], 0);
    // A member is withdrawn: its place is filled, with one write of the list.
    let gone = addresses[0].to_owned();
    hub.good(&["withdraw", &gone, "--from", "visitor-site"]);
    hub.world.visitor_site.forget();
    hub.run(&["push"]).ends(3);
    let second = listed(&hub, "front-page");
    assert_eq!((second.len(), &second[..2]), (3, &first[1..]), "{second:?}");
    let rows: Vec<String> =
        hub.world.pages.with_slug("front-page").iter().map(|row| format!("/api/pages/{}", row["id"])).collect();
    for row in &rows {
        let asked = hub.world.visitor_site.asked();
        assert_eq!(asked.iter().filter(|asked| asked.method == "PATCH" && asked.path == *row).count(), 1, "{row}");
    }
    // It is back, at its place.
    hub.good(&["withdraw", &gone, "--from", "visitor-site", "--put-back"]);
    hub.run(&["push"]).ends(3);
    assert_eq!(listed(&hub, "front-page"), first);
}

#[test]
fn places_are_pinned_for_a_time_and_lists_put_together_by_hand() {
    let hub = arranged();
    let first = listed(&hub, "front-page");
    let moss = "catalogue/plant-profile/p-007";
    let until = (jiff::Timestamp::now() + jiff::SignedDuration::from_secs(3)).to_string();
    hub.good(&["list", "pin", "front-page", moss, "--at", "1", "--until", &until]);
    hub.run(&["push"]).ends(3);
    let pinned = listed(&hub, "front-page");
    assert_eq!((pinned.len(), pinned[0].as_str()), (3, "bog-myrtle"), "{pinned:?}");
    assert!(hub.good(&["list", "show", "front-page"]).contains("pinned till"));
    std::thread::sleep(std::time::Duration::from_millis(3_100));
    hub.run(&["push"]).ends(3);
    assert_eq!(listed(&hub, "front-page"), first, "its time is over");
    let over = hub.json(&["list", "show", "front-page"]);
    assert_eq!((&over["waiting"], over["places"].as_array().unwrap().len()), (&json!(1), 4), "{over}");
    hub.good(&["list", "unpin", "front-page", moss]);
    // By hand.
    for (id, at) in [("p-007", "1"), ("p-002", "1"), ("p-003", "2")] {
        hub.good(&["list", "add", "picks", &format!("catalogue/plant-profile/{id}"), "--at", at]);
    }
    hub.good(&["list", "move", "picks", moss, "--at", "1"]);
    hub.good(&["list", "drop", "picks", "catalogue/plant-profile/p-003"]);
    hub.run(&["push"]).ends(3);
    assert_eq!(listed(&hub, "picks"), ["bog-myrtle", "harts-tongue-fern"]);
    let all = hub.json(&["list", "show"]);
    assert_eq!(
        (&all[0]["filled"], &all[1]["filled"], &all[1]["entries"]),
        (&json!("by itself"), &json!("by hand"), &json!(2))
    );
    // What makes no sense is refused.
    for (args, code, says) in [
        (&["list", "pin", "picks", moss, "--at", "1"][..], 2, "put together by hand"),
        (&["list", "add", "front-page", moss], 2, "fills itself"),
        (&["list", "show", "front"], 2, "known here"),
        (&["list", "pin", "front-page", "catalogue/plant-profile/p-999", "--at", "1"], 1, "there is no entry"),
        (&["list", "pin", "front-page", moss, "--at", "0"], 2, "0"),
        (&["list", "pin", "front-page", moss, "--at", "1", "--until", "2020-01-01T09:00"], 2, "is past"),
        (
            &["list", "pin", "front-page", moss, "--at", "1", "--until", "2030-10-27T01:30", "--zone", "Europe/London"],
            2,
            "twice, or never",
        ),
        (&["list", "unpin", "front-page", moss], 2, "no place of its own"),
        (&["list", "drop", "picks", "catalogue/plant-profile/p-003"], 2, "no place of its own"),
        (&["outline", "show", "men"], 2, "did you mean `menu`?"),
    ] {
        let stderr = hub.run(args).ends(code).stderr;
        assert!(stderr.contains(says), "{args:?}: {stderr}");
    }
}

#[test]
fn an_editors_order_there_stands() {
    let hub = arranged();
    let front = page(&hub, "front-page");
    let mut turned: Vec<Json> = front["topics"].as_array().unwrap().clone();
    turned.reverse();
    hub.world.pages.edit(front["id"].as_u64().unwrap(), &json!({ "topics": turned }));
    // One more comes in; the editor's order stays, and it is put in.
    let held = hub.run(&["push", "--verify"]);
    assert_eq!(page(&hub, "front-page")["topics"], json!(turned), "{}", held.stdout);
    let member = hub.json(&["list", "show", "front-page"])["places"][1]["address"].as_str().unwrap().to_owned();
    hub.good(&["withdraw", &member, "--from", "visitor-site"]);
    hub.run(&["push"]).ends(3);
    let now = page(&hub, "front-page")["topics"].as_array().unwrap().clone();
    let stays: Vec<&Json> = turned.iter().filter(|id| now.contains(id)).collect();
    let order: Vec<&Json> = now.iter().filter(|id| turned.contains(id)).collect();
    assert_eq!((now.len(), stays.len(), order == stays), (3, 2, true), "{turned:?} {now:?}");
}

#[test]
fn a_menu_goes_parents_first_and_moved_nodes_keep_their_page() {
    let hub = arranged();
    let drawn = hub.good(&["outline", "show", "menu"]);
    for line in ["├─ Plants", "│  └─ Spleenwort", "└─ Visit", "menu ✓ delivered"] {
        assert!(drawn.contains(line), "{line}: {drawn}");
    }
    assert!(!drawn.contains("Not yet"), "an entry that is not on view is left out: {drawn}");
    let (plants, spleenwort) = (page(&hub, "menu-plants"), page(&hub, "menu-spleenwort"));
    assert_eq!(spleenwort["byline"], json!(plants["id"].to_string()));
    assert_eq!(page(&hub, "menu-visit")["topics"], json!(["2", "/visit"]));
    // A node moves: it keeps its identifier.
    let moved = MENU.replace("[[nodes.nodes]]\nkey   = \"spleenwort\"", "[[nodes]]\nkey   = \"spleenwort\"");
    hub.write("menu.toml", &moved);
    hub.run(&["push"]).ends(3);
    let after = page(&hub, "menu-spleenwort");
    assert_eq!((&after["id"], &after["byline"]), (&spleenwort["id"], &json!("top")));
    // What is wrong is named, and the menu stands as it was.
    for (text, says) in [
        (moved.replace("\"visit\"", "\"plants\""), "two nodes have the key `plants`"),
        (moved.replace("[[nodes]]", "[[node]]"), "menu.toml"),
        (moved.replace("p-006\"", "p-006\"\nurl = \"/x\""), "say one"),
    ] {
        hub.write("menu.toml", &text);
        let told = hub.run(&["pull", "catalogue"]).ends(3).stderr;
        assert!(told.contains(says), "{says}: {told}");
        assert!(hub.run(&["push"]).ends(3).stderr.contains("outline menu"));
        assert!(page(&hub, "menu-visit").is_object());
        hub.run(&["outline", "show", "menu"]).ends(1);
    }
    // A branch goes: those under it first, although their parent was there before them.
    hub.write("menu.toml", MENU);
    hub.run(&["push"]).ends(3);
    hub.write("menu.toml", "[[nodes]]\nkey = \"visit\"\nlabel = { en = \"Visit\" }\nurl = \"/visit\"\n");
    hub.run(&["push", "--allow-removals", "5"]).ends(3);
    assert!(
        hub.world.pages.with_slug("menu-plants").is_empty() && hub.world.pages.with_slug("menu-spleenwort").is_empty()
    );
    assert_eq!(hub.json(&["push"])["requests"], 0);
    hub.nothing_is_doubled();
}
