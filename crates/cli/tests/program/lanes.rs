//! A lane that is changed, turned elsewhere, or pushed by two at once.

use crate::harness::Hub;

#[test]
fn a_changed_field_is_delivered_to_all_and_to_none_where_it_makes_no_difference() {
    let hub = Hub::pushed();
    hub.alter(
        "diaporos.toml",
        "section = 'habitat ?? \"any\" | lookup sections'",
        "section = '(habitat ?? \"bog\") | lookup sections'",
    );
    assert_eq!(hub.json(&["push"])["requests"], 0, "the payloads are what they were");
    hub.alter("diaporos.toml", "section = '(habitat ?? \"bog\") | lookup sections'", "section = 'habitat | upper'");
    assert_eq!(
        hub.json(&["status"])["lanes"][0]["delivered"],
        serde_json::Value::Null,
        "a changed lane has no counts yet"
    );
    assert_eq!(hub.json(&["push", "profiles"])["updated"], 21);
}

#[test]
fn a_lane_that_has_delivered_is_not_turned_to_another_destination() {
    let hub = Hub::pushed();
    let text = std::fs::read_to_string(hub.path().join("diaporos.toml")).unwrap();
    let site = text.split("[systems.visitor-site]").nth(1).unwrap().split("\n[").next().unwrap();
    let turned = text.replace("to    = \"visitor-site/page\"", "to    = \"other-site/page\"");
    hub.write("diaporos.toml", &format!("{turned}\n[systems.other-site]{site}"));
    hub.world.visitor_site.forget();
    let ran = hub.run(&["push", "profiles"]).ends(2);
    assert!(ran.stderr.contains("another name"), "{}", ran.stderr);
    assert_eq!(hub.writes(), 0, "its counterparts' ids mean other documents there");
}

#[test]
fn two_pushes_at_once_do_not_meet() {
    let hub = Hub::new();
    hub.good(&["pull"]);
    hub.world.visitor_site.fail(diaporos_demo::Rule::once(diaporos_demo::Fault::StallAfter { millis: 1_500 }, "POST"));
    let mut first = hub.start(&["push"]);
    hub.wait_until(|world| world.visitor_site.asked().iter().any(diaporos_demo::Asked::writes));
    let second = hub.run(&["push"]).ends(3);
    assert!(second.stderr.contains("waiting: lane profiles is taken: `push` by"), "{}", second.stderr);
    assert_eq!(first.wait().unwrap().code(), Some(3));
    let writes = hub.writes();
    hub.run(&["push"]).ends(3);
    assert_eq!(hub.writes(), writes, "between them they did all of it");
    assert_eq!(hub.world.pages.rows().len(), Hub::pushed().world.pages.rows().len(), "and nothing twice");
}

#[test]
fn unknown_names_are_met_with_the_nearest() {
    let hub = Hub::new();
    assert!(hub.run(&["push", "profile"]).ends(2).stderr.contains("did you mean `profiles`?"));
    assert!(hub.run(&["pull", "catalog"]).ends(2).stderr.contains("did you mean `catalogue`?"));
    assert!(hub.run(&["pull", "visitor-site"]).ends(2).stderr.contains("nothing to pull"));
}

#[test]
fn a_push_asks_before_it_takes_much_away() {
    let hub = Hub::pushed();
    let live = hub.live_pages().len();
    let before = hub.writes();
    hub.alter("diaporos.toml", "when  = 'state == \"live\" and \"public\" in tags'", "when  = '\"publik\" in tags'");
    let asked = hub.run(&["push", "profiles"]).ends(1);
    insta::assert_snapshot!(asked.stderr);
    assert_eq!((hub.writes(), hub.live_pages().len()), (before, live), "nothing was sent");
    let planned = hub.run(&["push", "profiles", "--dry-run"]);
    assert!(
        planned.stdout.contains("withdraw") && planned.stderr.contains("--allow-removals 21"),
        "{}",
        planned.drawn()
    );
    let told = hub.json(&["push", "profiles", "--allow-removals", "21"]);
    assert_eq!(told["withdrawn"], 21, "{told}");
}

#[test]
fn what_the_destination_lacks_is_told_before_anything_is_sent_and_can_be_made() {
    let hub = Hub::pulled();
    hub.world.pages.forget_model("teaser", "cy");
    let told = hub.run(&["push", "profiles"]).ends(1);
    assert!(told.stderr.contains("the destination lacks the language `cy`, the field `teaser`"), "{}", told.stderr);
    assert_eq!(hub.writes(), 0);
    let planned = hub.good(&["model", "align", "profiles", "--dry-run"]);
    assert_eq!(hub.json(&["model", "align", "profiles", "--dry-run"])["lacks"].as_array().unwrap().len(), 2);
    assert!(
        planned.contains("would be made") && planned.contains("POST ") && planned.contains("2 would be"),
        "{planned}"
    );
    assert_eq!(hub.writes(), 0);
    assert!(hub.good(&["model", "align", "profiles"]).contains("2 made"));
    assert!(hub.good(&["model", "align", "profiles"]).contains("has what `profiles` needs"));
    assert_eq!(hub.json(&["push", "profiles"])["created"], 20);
}

/// The beginning of a picture, by which its kind is told.
const PNG: &[u8] = b"\x89PNG\r\n\x1a\n\0\0\0\rIHDR\0\0\0\x01\0\0\0\x01\x08\x06\0\0\0";

#[test]
fn files_go_first_and_once_for_each_content() {
    let hub = Hub::pulled();
    let site = hub.world.variables().into_iter().find(|(name, _)| *name == "SITE_URL").unwrap().1;
    hub.alter("profiles/visitor-site.toml", "topics  = {", "banner  = { kind = \"asset\" }\ntopics  = {");
    hub.alter(
        "profiles/visitor-site.toml",
        "# Nobody's work",
        "[types.page.write.assets]\nfind = \"GET /api/media?hash={key}\"\nfound = \"$.media[*]\"\nupload = \"POST /api/media?hash={key}\"\nid = \"$.id\"\ntypes = \"image/*\"\n\n# Nobody's work",
    );
    let banner = format!(
        "banner  = '{{ url: \"{site}/pictures/\" + (if entry.id == \"p-007\" then \"bad.png\" else \"fern.png\") }}'\ntopics  = 'tags"
    );
    hub.alter("diaporos.toml", "topics  = 'tags", &banner);
    hub.world.pages.show_picture("fern.png", "image/png", PNG);
    hub.world.pages.show_picture("bad.png", "image/png", b"<!DOCTYPE html><html><body>Not found</body></html>");

    hub.world.visitor_site.forget();
    let planned = hub.json(&["push", "profiles", "--dry-run"]);
    assert_eq!((planned["created"].as_u64(), hub.world.pages.media().len()), (Some(20), 0), "{planned}");
    let pictures = || hub.world.visitor_site.asked().iter().filter(|asked| asked.path.contains("pictures")).count();
    assert_eq!(pictures(), 0, "a dry run fetches nothing");
    // This machine's own address is none that content may lead to, unless the hub names it.
    assert_eq!(hub.json(&["push", "profiles"])["created"], 0);
    assert_eq!(pictures(), 0);
    assert!(hub.good(&["holds"]).contains("leads to 127.0.0.1, which is no address of the open network"));
    hub.alter("diaporos.toml", "timeout   = \"10s\"", "timeout   = \"10s\"\nassets    = { hosts = [\"127.0.0.1\"] }");
    let pushed = hub.json(&["push", "profiles"]);
    assert_eq!((pushed["created"].as_u64(), pushed["held"].as_u64()), (Some(19), Some(5)), "{pushed}");
    let media = hub.world.pages.media();
    assert_eq!(media.len(), 1, "twenty entries with the same picture: {media:?}");
    assert_eq!(media[0].2, PNG.len());
    let pages = hub.world.pages.with_slug("royal-fern");
    assert!(pages.iter().all(|page| page["banner"] == media[0].1), "{pages:?}");
    assert!(hub.good(&["holds"]).contains("says it is image/png, and is text/html"));
    assert_eq!(hub.json(&["push", "profiles"])["requests"], 0, "the second run changes nothing");

    // Another picture at the same address is seen when the entry is next looked at.
    hub.world.pages.show_picture("fern.png", "image/png", &[PNG, b"other"].concat());
    hub.world.pages.show_picture("bad.png", "image/png", PNG);
    hub.world.plants.edit("p-001", &serde_json::json!({ "habitat": "old wall" }));
    hub.good(&["pull", "catalogue"]);
    assert_eq!(hub.json(&["push", "profiles"])["held"], 4);
    let media = hub.world.pages.media();
    assert_eq!(media.len(), 2);
    let page = hub.world.pages.with_slug("royal-fern").swap_remove(0);
    assert!(media.iter().any(|(_, id, size)| page["banner"] == *id && *size > PNG.len()), "{page} {media:?}");
}

#[test]
fn a_batch_is_settled_entry_by_entry() {
    let hub = Hub::pulled();
    let site = "profiles/visitor-site.toml";
    let text = std::fs::read_to_string(hub.path().join(site)).unwrap();
    let (before, rest) = text.split_once("# Nobody's work").unwrap();
    let (_, after) = rest.split_once("# What the site has").unwrap();
    let batch = "[types.page.write.batch]\ncall = \"POST /api/pages/batch\"\nsize = 20\nitems = \"pages\"\nrevision = \"version\"\nresults = \"$.results[*]\"\nstatus = \"$.status\"\ndocument = \"$.page\"\n\n";
    hub.write(site, &format!("{before}{batch}# What the site has{after}"));
    let pushed = hub.json(&["push"]);
    assert_eq!(
        (pushed["created"].as_u64(), pushed["adopted"].as_u64(), pushed["held"].as_u64()),
        (Some(35), Some(1), Some(5)),
        "{pushed}"
    );
    assert!(hub.writes() < 30, "80 pages in few calls: {}", hub.writes());
    hub.nothing_is_doubled();
    assert_eq!(hub.json(&["push"])["requests"], 0);

    // One of a batch conflicts, and the others go.
    let page = hub.world.pages.with_slug("bog-myrtle").into_iter().find(|page| page["lang"] == "en").unwrap();
    hub.world.pages.edit(page["id"].as_u64().unwrap(), &serde_json::json!({ "heading": "Sweet gale" }));
    hub.alter("diaporos.toml", "heading = 'common_name'", "heading = 'common_name | upper'");
    let pushed = hub.json(&["push", "profiles"]);
    assert_eq!((pushed["updated"].as_u64(), pushed["held"].as_u64()), (Some(20), Some(5)), "{pushed}");
    assert!(hub.good(&["holds"]).contains("changed there by somebody else since we wrote it: heading"));

    // The whole answer is lost: every one is looked up, and none is doubled.
    hub.world.visitor_site.fail(diaporos_demo::Rule {
        times: Some(3),
        ..diaporos_demo::Rule::once(diaporos_demo::Fault::LoseAnswer, "POST")
    });
    hub.alter("diaporos.toml", "heading = 'common_name | upper'", "heading = 'common_name'");
    hub.json(&["push", "profiles"]);
    hub.world.visitor_site.mend();
    hub.json(&["push", "profiles"]);
    hub.nothing_is_doubled();
    assert_eq!(hub.json(&["push", "profiles"])["requests"], 0);
}

/// The lane's pages name those of their relatives.
fn with_relatives(hub: &Hub, more: &str) {
    hub.world.pages.learn_field("related");
    hub.alter("profiles/visitor-site.toml", "topics  = {", "related = { kind = \"text\", many = true }\ntopics  = {");
    hub.alter(
        "diaporos.toml",
        "topics  = 'tags",
        "related = 'relatives | each counterpart | present'\ntopics  = 'tags",
    );
    hub.alter(
        "diaporos.toml",
        "match = \"slug\"                                   #",
        &format!("{more}match = \"slug\"  #"),
    );
}

#[test]
fn an_entry_goes_after_those_that_it_refers_to() {
    let hub = Hub::pulled();
    with_relatives(&hub, "");
    hub.world.plants.edit("p-001", &serde_json::json!({ "relatives": ["p-027"] }));
    hub.world.plants.edit("p-027", &serde_json::json!({ "relatives": ["p-026"] }));
    hub.world.plants.edit("p-026", &serde_json::json!({ "relatives": [] }));
    hub.good(&["pull", "catalogue"]);
    let planned = hub.json(&["push", "profiles", "--dry-run"]);
    let pushed = hub.json(&["push", "profiles"]);
    assert_eq!(planned["created"], pushed["created"]);
    let order: Vec<&str> =
        pushed["steps"].as_array().unwrap().iter().filter_map(|row| row["address"].as_str()).collect();
    let at = |id: &str| order.iter().position(|address| address.ends_with(id)).unwrap();
    assert!(at("p-026") < at("p-027") && at("p-027") < at("p-001"), "{order:?}");
    let page = hub.world.pages.with_slug("royal-fern").swap_remove(0);
    assert_eq!(page["related"].as_array().unwrap().len(), 1, "{page}");
    assert_eq!(page["version"], 5, "it was there as version 4, and written once: {page}");
}

#[test]
fn a_reference_to_what_does_not_go_is_left_out_or_holds() {
    for (policy, held) in [("", false), ("references = \"hold\"\n", true)] {
        let hub = Hub::pulled();
        with_relatives(&hub, policy);
        hub.world.plants.set_status("p-002", "retired");
        hub.world.plants.edit("p-001", &serde_json::json!({ "relatives": ["p-002"] }));
        hub.good(&["pull", "catalogue"]);
        let pushed = hub.json(&["push", "profiles"]);
        let why = "it refers to `catalogue/plant-profile/p-002`, which does not go on the lane `profiles`";
        let row =
            pushed["steps"].as_array().unwrap().iter().find(|row| row["address"] == "catalogue/plant-profile/p-001");
        let row = row.unwrap();
        assert!(row["message"].as_str().unwrap().contains(why), "{row}");
        assert_eq!(row["step"] == "hold", held, "{row}");
        if held {
            hub.world.plants.set_status("p-002", "published");
            hub.good(&["pull", "catalogue"]);
            hub.json(&["push", "profiles"]);
            assert!(!hub.good(&["holds"]).contains("p-001"), "once the other goes, so does it");
        }
    }
}

#[test]
fn a_push_gives_up_a_system_that_fails_again_and_again() {
    let hub = Hub::pulled();
    hub.alter("diaporos.toml", "timeout   = \"10s\"", "timeout   = \"10s\"\nfailures = 5\nconcurrency = 2");
    hub.world.visitor_site.fail(diaporos_demo::Rule {
        times: None,
        ..diaporos_demo::Rule::once(diaporos_demo::Fault::Status { status: 503 }, "POST")
    });
    let told = hub.run(&["push", "profiles"]);
    assert!(told.stderr.contains("fails again and again, so the rest was not tried"), "{}", told.stderr);
    let tried = hub.world.visitor_site.asked().iter().filter(|asked| asked.method == "POST" && asked.writes()).count();
    assert!(tried < 40, "{tried} of 60 pages were tried");
    hub.world.visitor_site.mend();
    assert_eq!(hub.json(&["push", "profiles"])["created"], 20, "what was not sent is owed still");
}

#[cfg(unix)]
#[test]
fn a_first_ctrl_c_finishes_what_is_under_way() {
    let hub = Hub::with_plants(400);
    hub.good(&["pull"]);
    hub.world.visitor_site.fail(diaporos_demo::Rule::always(diaporos_demo::Fault::StallAfter { millis: 20 }));
    let mut child = hub
        .command(&["push"])
        .stdout(std::process::Stdio::piped())
        .stderr(std::process::Stdio::piped())
        .spawn()
        .unwrap();
    hub.wait_until(|world| world.visitor_site.asked().iter().filter(|asked| asked.writes()).count() > 30);
    let killed = std::process::Command::new("kill").args(["-INT", &child.id().to_string()]).status().unwrap();
    assert!(killed.success());
    let output = child.wait().unwrap();
    assert!(output.code().is_some(), "it ended by itself");
    let status = hub.json(&["status"])["lanes"].take();
    assert_eq!(status[0]["in_doubt"], 0, "nothing is left in doubt: {status}");
    assert!(status[0]["owed"].as_u64().unwrap() > 0, "{status}");
    hub.world.visitor_site.mend();
    hub.run(&["push"]).ends(3);
    hub.nothing_is_doubled();
    assert_eq!(hub.json(&["push"])["requests"], 0);
}

#[test]
fn publishing_may_be_a_step_of_its_own() {
    let hub = Hub::pulled();
    let site = "profiles/visitor-site.toml";
    hub.alter(site, "body = { status = \"live\" } }", "body = { status = \"draft\" } }");
    hub.alter(site, "words = [\"withdrawn\"]", "words = [\"withdrawn\", \"draft\"]");
    hub.alter(site, "withdraw  =", "publish   = \"POST /api/pages/{id}/publish\"\nwithdraw  =");
    hub.world.visitor_site.fail(diaporos_demo::Rule {
        path: Some("/publish".to_owned()),
        after: 5,
        times: Some(1),
        ..diaporos_demo::Rule::once(diaporos_demo::Fault::LoseAnswer, "POST")
    });
    hub.world.visitor_site.fail(diaporos_demo::Rule {
        path: Some("/publish".to_owned()),
        after: 9,
        times: Some(1),
        ..diaporos_demo::Rule::once(diaporos_demo::Fault::Status { status: 422 }, "POST")
    });
    hub.json(&["push"]);
    hub.run(&["push"]).ends(3);
    assert!(hub.world.pages.rows().iter().all(|row| row["status"] == "live"), "everything that was saved is on view");
    hub.nothing_is_doubled();
    let end = hub.json(&["push", "--verify"]);
    assert_eq!((&end["requests"], &end["held"]), (&serde_json::json!(0), &serde_json::json!(5)), "{end}");
}

#[test]
fn creations_have_a_key_and_locks_are_renewed_while_a_write_takes_long() {
    let hub = Hub::pulled();
    let site = "profiles/visitor-site.toml";
    hub.alter(site, "withdrawn = {", "idempotency_key = \"Idempotency-Key\"\nwithdrawn = {");
    hub.alter(site, "us      = ", "renew   = \"POST /api/pages/{id}/lock/renew\"\nrenew_seconds = 1\nus      = ");
    hub.run(&["push"]).ends(3);
    let created =
        hub.world.visitor_site.asked().iter().filter(|asked| asked.method == "POST" && asked.writes()).count();
    assert_eq!(hub.world.pages.keyed_creations(), created, "no two requests have the same key");
    hub.world.visitor_site.fail(diaporos_demo::Rule {
        times: Some(1),
        ..diaporos_demo::Rule::once(diaporos_demo::Fault::StallAfter { millis: 2_500 }, "PATCH")
    });
    hub.world.plants.edit("p-007", &serde_json::json!({ "habitat": "old wall" }));
    hub.good(&["pull", "catalogue"]);
    assert_eq!(hub.json(&["push", "profiles"])["updated"], 1);
    assert!((1..=3).contains(&hub.world.pages.renewals()), "{}", hub.world.pages.renewals());
    let pages = hub.world.pages.with_slug("bog-myrtle");
    let free = |page: &serde_json::Value| hub.world.pages.locked_by(page["id"].as_u64().unwrap()).is_none();
    assert!(pages.iter().all(free), "every lock was given back");
}
