//! A lane that is changed, turned elsewhere, or pushed by two at once.

use crate::harness::Hub;

#[test]
fn a_changed_field_is_delivered_to_all_and_to_none_where_it_makes_no_difference() {
    let hub = Hub::pushed();
    hub.alter(
        "diaporos.toml",
        "section = 'habitat | lookup sections'",
        "section = '(habitat ?? \"bog\") | lookup sections'",
    );
    assert_eq!(hub.json(&["push"])["requests"], 0, "the payloads are what they were");
    hub.alter("diaporos.toml", "section = '(habitat ?? \"bog\") | lookup sections'", "section = 'habitat | upper'");
    assert_eq!(hub.json(&["status"])[0]["delivered"], serde_json::Value::Null, "a changed lane has no counts yet");
    assert_eq!(hub.json(&["push", "profiles"])["updated"], 22);
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
    let second = hub.run(&["push"]).ends(1);
    assert!(second.stderr.contains("another diaporos command"), "{}", second.stderr);
    assert_eq!(first.wait().unwrap().code(), Some(3));
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
        planned.stdout.contains("withdraw") && planned.stderr.contains("--allow-removals 22"),
        "{}",
        planned.drawn()
    );
    let told = hub.json(&["push", "profiles", "--allow-removals", "22"]);
    assert_eq!(told["withdrawn"], 22, "{told}");
}

#[test]
fn what_the_destination_lacks_is_told_before_anything_is_sent_and_can_be_made() {
    let hub = Hub::pulled();
    hub.world.pages.forget_model("teaser", "cy");
    let told = hub.run(&["push", "profiles"]).ends(1);
    assert!(told.stderr.contains("the destination lacks the language `cy`, the field `teaser`"), "{}", told.stderr);
    assert_eq!(hub.writes(), 0);
    let planned = hub.good(&["model", "align", "profiles", "--dry-run"]);
    assert!(
        planned.contains("would be made") && planned.contains("POST ") && planned.contains("2 would be"),
        "{planned}"
    );
    assert_eq!(hub.writes(), 0);
    assert!(hub.good(&["model", "align", "profiles"]).contains("2 made"));
    assert!(hub.good(&["model", "align", "profiles"]).contains("has what `profiles` needs"));
    assert_eq!(hub.json(&["push", "profiles"])["created"], 21);
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

    let planned = hub.json(&["push", "profiles", "--dry-run"]);
    assert_eq!((planned["created"].as_u64(), hub.world.pages.media().len()), (Some(20), 0), "{planned}");
    let pushed = hub.json(&["push", "profiles"]);
    assert_eq!((pushed["created"].as_u64(), pushed["held"].as_u64()), (Some(20), Some(4)), "{pushed}");
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
    assert_eq!(hub.json(&["push", "profiles"])["held"], 3);
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
        (Some(36), Some(1), Some(4)),
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
    assert_eq!((pushed["updated"].as_u64(), pushed["held"].as_u64()), (Some(21), Some(4)), "{pushed}");
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
