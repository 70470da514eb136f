//! `pull`: everything once, nothing twice.

use serde_json::json;

use crate::harness::Hub;

#[test]
fn the_second_pull_changes_nothing_and_says_so() {
    let hub = Hub::new();
    let first = hub.json(&["pull"]);
    let total = first["pulled"].as_u64().unwrap();
    assert!(total >= 60, "{first}");
    assert_eq!((first["new"].as_u64(), first["unchanged"].as_u64()), (Some(total), Some(0)));
    let second = hub.json(&["pull"]);
    assert_eq!((second["pulled"].as_u64(), second["unchanged"].as_u64()), (Some(total), Some(total)));
    for nothing in ["new", "changed", "gone"] {
        assert_eq!(second[nothing], 0, "{nothing}");
    }
    let entries = hub.json(&["entries"]);
    let versions: Vec<u64> = entries.as_array().unwrap().iter().map(|row| row["versions"].as_u64().unwrap()).collect();
    assert!(versions.len() as u64 == total && versions.iter().all(|count| *count == 1), "{versions:?}");
}

#[test]
fn a_feed_that_knows_its_version_is_asked_conditionally() {
    let hub = Hub::new();
    hub.good(&["pull", "bulletins"]);
    hub.world.bulletins.forget();
    hub.good(&["pull", "bulletins"]);
    let statuses: Vec<Option<u16>> = hub.world.bulletins.asked().iter().map(|asked| asked.status).collect();
    assert_eq!(statuses, [Some(304), Some(304)]);
}

#[test]
fn a_moved_revision_with_the_same_content_is_no_change() {
    let hub = Hub::new();
    hub.good(&["pull", "catalogue"]);
    hub.world.plants.touch_all();
    let second = hub.json(&["pull", "catalogue"]);
    assert_eq!((second["changed"].as_u64(), second["new"].as_u64()), (Some(0), Some(0)), "{second}");
}

#[test]
fn a_change_is_a_version_and_what_is_gone_is_told() {
    let hub = Hub::new();
    hub.good(&["pull"]);
    hub.world.plants.edit("p-006", &json!({ "habitat": "old wall" }));
    hub.world.plants.delete("p-007");
    let pulled = hub.json(&["pull", "catalogue"]);
    assert_eq!((pulled["changed"].as_u64(), pulled["gone"].as_u64()), (Some(1), Some(1)), "{pulled}");
    let shown = hub.json(&["show", "catalogue/plant-profile/p-006"]);
    assert_eq!(shown["versions"].as_array().unwrap().len(), 2);
    assert_eq!(shown["fields"]["habitat"], "old wall");
    let gone = hub.json(&["show", "catalogue/plant-profile/p-007"]);
    assert_eq!(gone["state"], "gone");
    assert!(!gone["fields"]["common_name"]["en"].is_null(), "its last content stays readable: {gone}");
    hub.world.plants.edit("p-006", &json!({ "habitat": "wall" }));
    assert_eq!(hub.json(&["pull", "catalogue"])["gone"], 0, "it is told once");
}

#[test]
fn an_exodus_stops_and_asks() {
    let hub = Hub::new();
    hub.good(&["pull"]);
    hub.world.plants.clear();
    let ran = hub.run(&["pull", "catalogue"]).ends(1);
    assert!(ran.stderr.contains("lists nothing") && ran.stderr.contains("--allow-gone"), "{}", ran.stderr);
    assert_eq!(hub.json(&["entries", "--state", "gone"]).as_array().unwrap().len(), 0);
    assert_eq!(hub.json(&["pull", "catalogue", "--allow-gone", "100"])["gone"], 46);
}

#[test]
fn a_feed_in_a_file_and_an_item_that_left_the_window() {
    let hub = Hub::new();
    let item = |id: u32| format!("<item><guid>{id}</guid><title>Item {id}</title></item>");
    let feed =
        |items: &[String]| format!("<rss version=\"2.0\"><channel><title>T</title>{}</channel></rss>", items.concat());
    hub.alter("diaporos.toml", "\"env:TARNSIDE_FEED\"", "\"tarnside.xml\"");
    hub.write("tarnside.xml", &feed(&[item(1), item(2)]));
    hub.good(&["pull", "bulletins"]);
    hub.write("tarnside.xml", &feed(&[item(2), item(3)]));
    let pulled = hub.json(&["pull", "bulletins"]);
    assert_eq!((pulled["new"].as_u64(), pulled["gone"].as_u64()), (Some(1), Some(0)), "{pulled}");
    assert_eq!(hub.json(&["show", "bulletins/item/tarnside/1"])["state"], "live");
}

#[test]
fn an_id_that_stands_twice_on_a_page_does_not_swing() {
    let hub = Hub::new();
    hub.alter("diaporos.toml", "\"env:TARNSIDE_FEED\"", "\"tarnside.xml\"");
    let feed = |note: &str| {
        format!(
            "<rss version=\"2.0\"><channel><title>T {note}</title><item><guid>1</guid><title>A</title></item><item><guid>1</guid><title>B</title></item></channel></rss>"
        )
    };
    hub.write("tarnside.xml", &feed(""));
    hub.good(&["pull", "bulletins"]);
    hub.write("tarnside.xml", &feed("").replace("<channel>", "<channel><ttl>60</ttl>"));
    let pulled = hub.json(&["pull", "bulletins"]);
    assert_eq!(pulled["changed"], 0, "{pulled}");
}

#[test]
fn pages_by_number_end_where_they_are_empty() {
    let hub = Hub::with_plants(250);
    let cursor = r#"paging    = { style = "cursor", parameter = "cursor", next = "$.next_cursor", size = { parameter = "limit", items = 100 } }"#;
    let number =
        r#"paging    = { style = "page", parameter = "page", first = 1, size = { parameter = "limit", items = 100 } }"#;
    hub.alter("profiles/catalogue.toml", cursor, number);
    let pulled = hub.json(&["pull", "catalogue"]);
    assert_eq!(pulled["types"][0]["pulled"], 278, "{pulled}");
}

#[test]
fn feeds_are_chosen_labelled_and_read_page_by_page() {
    let hub = Hub::new();
    hub.alter(
        "diaporos.toml",
        "fernhollow = \"env:FERNHOLLOW_FEED\"\ntarnside   = \"env:TARNSIDE_FEED\"",
        "fernhollow = { at = \"env:FERNHOLLOW_FEED\", on = false }\ntarnside = { at = \"tarnside.xml\", label = \"The tarn\", only = [\"text\"], newest = \"36500d\" }",
    );
    hub.write(
        "tarnside.xml",
        "<rss version=\"2.0\"><channel><title>T</title><item><guid>1</guid><title>A</title></item>\
         <item><guid>2</guid><title>B</title><enclosure url=\"http://t.example/b.mp3\" type=\"audio/mpeg\" length=\"1\"/></item></channel></rss>",
    );
    assert_eq!(hub.json(&["pull", "bulletins"])["new"], 1);
    assert_eq!(hub.json(&["show", "bulletins/item/tarnside/1"])["fields"]["feed_title"], "The tarn");
    hub.alter("diaporos.toml", "only = [\"text\"]", "only = [\"text\", \"audio\"]");
    assert_eq!(hub.json(&["pull", "bulletins"])["new"], 1, "other wishes read the same file anew");
    hub.alter("diaporos.toml", "\"audio\"", "\"sound\"");
    assert!(hub.run(&["check"]).ends(2).stdout.contains("known here: text, picture, audio, video"));
}

#[test]
fn single_entries_are_pulled_by_address() {
    let hub = Hub::pulled();
    hub.world.plants.edit_text("p-001", "common_name", "eng", "King of ferns");
    hub.world.catalogue.forget();
    let pulled = hub.good(&["pull", "catalogue/plant-profile/p-001", "catalogue/plant-profile/p-002"]);
    assert!(pulled.contains("changed") && pulled.contains("unchanged"), "{pulled}");
    let mut asked: Vec<String> = hub.world.catalogue.asked().iter().map(|asked| asked.path.clone()).collect();
    asked.sort();
    assert_eq!(asked, ["/v1/entries/p-001", "/v1/entries/p-002"]);
    assert!(hub.good(&["show", "catalogue/plant-profile/p-001"]).contains("King of ferns"));
    let unknown = hub.run(&["pull", "catalogue/plant-profile/p-999"]).ends(3);
    assert!(unknown.stdout.contains("not there"), "{}", unknown.stdout);
    let listed = hub.run(&["pull", "bulletins/item/x"]).ends(3);
    assert!(
        listed.stdout.contains("not asked") && listed.stderr.contains("diaporos pull bulletins"),
        "{}",
        listed.stderr
    );
}

#[test]
fn an_entry_is_gone_where_its_source_says_so_and_can_be_believed() {
    let hub = Hub::pulled();
    hub.world.plants.delete("p-001");
    hub.world.catalogue.fail(diaporos_demo::Rule::always(diaporos_demo::Fault::Status { status: 404 }));
    let kept = hub.run(&["pull", "catalogue/plant-profile/p-001"]).ends(3).stdout;
    assert!(kept.contains("kept") && kept.contains("too that it is not there"), "{kept}");
    hub.world.catalogue.mend();
    assert!(hub.good(&["pull", "catalogue/plant-profile/p-001"]).contains("gone"));
    // A login page under 200, and another entry than the one that was asked for, change nothing.
    hub.world.catalogue.fail(diaporos_demo::Rule::always(diaporos_demo::Fault::Html));
    let failed = hub.run(&["pull", "catalogue/plant-profile/p-002"]).ends(3).stdout;
    assert!(failed.contains("failed"), "{failed}");
}
