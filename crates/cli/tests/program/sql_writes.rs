//! Rows of databases as destinations: what is written, what is left alone, and what becomes of it under faults.

use serde_json::{Value as Json, json};

use crate::harness::HubFolder;
use crate::sql::{Database, with_both};

const CONFIG: &str = "[systems.garden]\nkind = \"files\"\nfolder = \"plants\"\nprofile = \"plants.toml\"
[systems.site]\nkind = \"sql\"\nDATABASE\nprofile = \"site.toml\"\nretries = 0\nlanguages = { en = \"en\", fr = \"fr\" }
[lanes.out]\nfrom = \"garden/plant\"\nto = \"site/page\"\nmatch = \"slug\"\ngone = \"delete\"
[lanes.out.fields]\nslug = 'entry.id'\n";
const PLANTS: &str = "[types.plant.fields]\ntitle = { kind = \"text\", localised = true }\ntopics = { kind = \"text\", many = true }\nheight = \"number\"\n[types.plant.read]\nfiles = \"*.json\"\n";

fn hub_files<'f>(config: &'f str, site: &'f str) -> [(&'f str, &'f str); 3] {
    [("diaporos.toml", config), ("plants.toml", PLANTS), ("site.toml", site)]
}

fn plant(hub: &HubFolder, id: &str, fields: &Json) {
    hub.write(&format!("plants/{id}.json"), &fields.to_string());
    hub.run(&["pull", "garden"]).ends(0);
}

fn push(hub: &HubFolder) -> Json {
    hub.json(&["push", "out"])
}

#[test]
fn a_document_is_a_row_with_the_rows_of_its_lists_and_columns_per_language() {
    let config = format!("{CONFIG}title = 'title'\ntopics = 'topics'\nheight = 'height'\n");
    let site = "[types.page.fields]\nslug = \"text\"\ntitle = { kind = \"text\", localised = true }\ntopics = { kind = \"text\", many = true }\nheight = \"number\"
[types.page.write]\ntable = \"pages\"\nkey = \"slug\"\nlanguage_suffix = \"_\"\nrevision = \"version\"\nmembers = { status = \"live\" }
lists = { topics = { table = \"page_topics\", parent = \"page\", of = \"id\", value = \"topic\", order = \"place\" } }\n";
    with_both(&hub_files(&config, site), "write", |hub, database| {
        let number = match database {
            Database::File(_) => "integer PRIMARY KEY",
            Database::Server(_) => "integer GENERATED ALWAYS AS IDENTITY PRIMARY KEY",
        };
        database.run(&format!(
            "CREATE TABLE pages (id {number}, slug text UNIQUE NOT NULL, title_en text, title_fr text, height numeric(8, 2),
                 status text, version integer, note text DEFAULT 'theirs')"
        ));
        database
            .run("CREATE TABLE page_topics (page integer NOT NULL REFERENCES pages (id), place integer, topic text)");
        let spiteful = "Robert'); DROP TABLE pages; -- \"$1\" \\ ?1";
        plant(
            hub,
            "fern",
            &json!({ "title": { "en": spiteful, "fr": "Fougère" }, "topics": ["wet", "rare"], "height": 19.90 }),
        );
        assert_eq!(push(hub)["created"], 1);
        let row = "SELECT concat_ws('|', slug, title_en, title_fr, height, status, version, note) FROM pages";
        assert_eq!(database.texts(row).len(), 1);
        assert_eq!(database.texts("SELECT title_en FROM pages"), [spiteful]);
        assert_eq!(
            database.texts("SELECT title_fr || '|' || status || '|' || version || '|' || note FROM pages"),
            ["Fougère|live|1|theirs"]
        );
        assert_eq!(database.texts("SELECT topic FROM page_topics ORDER BY place"), ["wet", "rare"]);
        assert_eq!(push(hub)["requests"], 0, "the same again");
        assert_eq!(hub.json(&["push", "out", "--verify"])["drifted"].as_u64().unwrap_or_default(), 0);

        // A column that is none of ours stays, and one language that goes is empty.
        database.run("UPDATE pages SET note = 'by hand'");
        plant(hub, "fern", &json!({ "title": { "en": "Fern" }, "topics": ["rare", "moor", "wet"], "height": 5 }));
        assert_eq!(push(hub)["updated"], 1);
        assert_eq!(
            database
                .texts("SELECT title_en || '|' || coalesce(title_fr, '-') || '|' || version || '|' || note FROM pages"),
            ["Fern|-|2|by hand"]
        );
        assert_eq!(database.texts("SELECT topic FROM page_topics ORDER BY place"), ["rare", "moor", "wet"]);
        assert_eq!(push(hub)["requests"], 0, "the same again");

        // What somebody put into a list stays there, beside what we change of it.
        database.run("UPDATE page_topics SET topic = 'dry' WHERE topic = 'moor'");
        plant(
            hub,
            "fern",
            &json!({ "title": { "en": "Fern" }, "topics": ["rare", "moor", "wet", "shade"], "height": 5 }),
        );
        push(hub);
        let topics = database.texts("SELECT topic FROM page_topics ORDER BY topic");
        assert_eq!(topics, ["dry", "rare", "shade", "wet"]);
        // A text of theirs is not written over.
        database.run("UPDATE pages SET title_en = 'Their fern'");
        plant(hub, "fern", &json!({ "title": { "en": "Royal fern" }, "topics": ["rare"], "height": 5 }));
        assert_eq!(push(hub)["held"], 1, "both changed it");
        hub.run(&["resolve", "garden/plant/fern", "--take", "title=ours"]).ends(0);
        push(hub);
        assert_eq!(database.texts("SELECT title_en FROM pages"), ["Royal fern"]);

        std::fs::remove_file(hub.path().join("plants/fern.json")).unwrap();
        hub.json(&["pull", "garden", "--allow-gone", "1"]);
        assert_eq!(hub.json(&["push", "out", "--allow-removals", "1"])["deleted"], 1);
        assert_eq!(
            database.texts(
                "SELECT CAST(count(*) AS text) FROM pages UNION ALL SELECT CAST(count(*) AS text) FROM page_topics"
            ),
            ["0", "0"]
        );
    });
}

#[test]
fn a_row_per_language_is_found_by_both_and_taken_off_view_by_a_word() {
    let config = format!("{}title = 'title'\n", CONFIG.replace("gone = \"delete\"", "gone = \"withdraw\""));
    let site = "[types.page.fields]\nslug = \"text\"\ntitle = \"text\"
[types.page.write]\ntable = \"pages\"\nkey = \"slug\"\nlanguages = { shape = \"row\", language = \"lang\" }\nmembers = { status = \"live\" }\nwithdraw = { status = \"off\" }\nwithdrawn = { at = \"$.status\", words = [\"off\"] }\n";
    with_both(&hub_files(&config, site), "write", |hub, database| {
        database.run("CREATE TABLE pages (slug text, lang text, title text, status text, PRIMARY KEY (slug, lang))");
        // One that is there is taken over, and none is made beside it.
        database.run("INSERT INTO pages VALUES ('fern', 'fr', 'Fougère', 'live')");
        plant(hub, "fern", &json!({ "title": { "en": "Fern", "fr": "Fougère" } }));
        push(hub);
        let rows = || database.texts("SELECT lang || ' ' || title || ' ' || status FROM pages ORDER BY lang");
        assert_eq!(rows(), ["en Fern live", "fr Fougère live"]);
        std::fs::remove_file(hub.path().join("plants/fern.json")).unwrap();
        hub.json(&["pull", "garden", "--allow-gone", "1"]);
        hub.json(&["push", "out", "--allow-removals", "2"]);
        assert_eq!(rows(), ["en Fern off", "fr Fougère off"]);
        assert_eq!(push(hub)["requests"], 0, "and nothing is left to do");
    });
}

#[test]
fn what_the_database_will_not_have_is_held_and_what_it_makes_of_a_value_is_known() {
    let Some(database) = Database::server() else { return };
    let config = format!("{CONFIG}title = 'title@en'\nheight = 'height'\n");
    let site = "[types.page.fields]\nslug = \"text\"\ntitle = \"text\"\nheight = \"number\"\n[types.page.write]\ntable = \"pages\"\nkey = \"slug\"\n";
    let hub = HubFolder::new(&hub_files(&config, site));
    hub.alter("DATABASE", &database.settings("write"));
    database.run(
        "CREATE TABLE pages (slug text PRIMARY KEY, title varchar(20) CHECK (title <> 'Nettle'), height integer);
         CREATE FUNCTION shout() RETURNS trigger LANGUAGE plpgsql AS $$ BEGIN NEW.title := upper(NEW.title); RETURN NEW; END $$;
         CREATE TRIGGER shouts BEFORE INSERT OR UPDATE ON pages FOR EACH ROW EXECUTE FUNCTION shout();",
    );
    plant(&hub, "fern", &json!({ "title": { "en": "Fern" }, "height": 90 }));
    plant(&hub, "long", &json!({ "title": { "en": "A title that is far too long for it" }, "height": 1 }));
    plant(&hub, "tall", &json!({ "title": { "en": "Yew" }, "height": 1.5 }));
    let told = hub.run(&["push", "out"]);
    assert!(told.stdout.contains("too long") && told.stdout.contains("1.5"), "{}{}", told.stdout, told.stderr);
    assert_eq!(database.texts("SELECT title FROM pages"), ["FERN"], "what the database made of it");
    // It is no change of somebody else's, and is not sent over and over.
    let again = hub.json(&["push", "out", "--verify"]);
    assert_eq!((&again["created"], &again["updated"]), (&json!(0), &json!(0)), "{again}");
    plant(&hub, "fern", &json!({ "title": { "en": "Royal" }, "height": 90 }));
    assert_eq!(push(&hub)["updated"], 1);
    assert_eq!(database.texts("SELECT title FROM pages"), ["ROYAL"]);
}

#[test]
fn a_reading_role_writes_nothing_whatever_it_may_and_no_password_is_told() {
    let Some(database) = Database::server() else { return };
    let profile = "[types.plant.read]\nquery = \"plants.sql\"\nkey = \"id\"\n";
    let config = format!(
        "[systems.garden]\nkind = \"sql\"\n{}\nprofile = \"garden.toml\"\nretries = 0\n",
        database.settings("read")
    );
    // A query that would write, by a role that may.
    let query = "SELECT id FROM plants, setval('counter', 99)";
    let hub = HubFolder::new(&[("diaporos.toml", &config), ("garden.toml", profile), ("plants.sql", query)]);
    database.run("CREATE TABLE plants (id integer); INSERT INTO plants VALUES (1); CREATE SEQUENCE counter");
    let told = hub.run(&["pull", "garden"]).ends(1);
    assert!(told.stderr.contains("read-only"), "{}", told.stderr);
    assert_eq!(database.texts("SELECT CAST(last_value AS text) FROM counter"), ["1"]);
    hub.alter("user = \"postgres\"", "user = \"nobody\"");
    let told = hub.run(&["pull", "garden"]).ends(1);
    assert!(!format!("{}{}", told.stdout, told.stderr).contains("s3 cret/+"), "{}", told.stderr);
    let named = config.replace("postgres://", "postgres://postgres:s3cret@");
    hub.write("diaporos.toml", &named);
    let told = hub.run(&["check"]);
    let told = format!("{}{}", told.stdout, told.stderr);
    assert!(told.contains("a user or password stands in this address") && !told.contains("s3cret"), "{told}");
}

/// Connections end in the middle of anything: every page is there once, and nothing is left to do.
#[test]
fn connections_that_end_cost_nothing_but_another_run() {
    let Some(database) = Database::server() else { return };
    let config = format!("{CONFIG}title = 'title@en'\n");
    let site = "[types.page.fields]\nslug = \"text\"\ntitle = \"text\"\n[types.page.write]\ntable = \"pages\"\nkey = \"slug\"\nlists = {}\n";
    let hub = HubFolder::new(&hub_files(&config, site));
    hub.alter("DATABASE", &format!("{}\nfailures = 1000\nsettles_within = \"1s\"", database.settings("write")));
    // No constraint keeps a page from being made twice. One change in twenty ends its own connection in its midst; what a
    // sequence counts is kept all the same.
    database.run(
        "CREATE TABLE pages (slug text, title text); CREATE SEQUENCE cuts;
         CREATE FUNCTION cut() RETURNS trigger LANGUAGE plpgsql AS $$ BEGIN
             IF random() < 0.05 THEN PERFORM nextval('cuts'); PERFORM pg_terminate_backend(pg_backend_pid()); END IF;
             RETURN NEW; END $$;
         CREATE TRIGGER cuts AFTER INSERT OR UPDATE ON pages FOR EACH ROW EXECUTE FUNCTION cut();",
    );
    for n in 0..400 {
        hub.write(&format!("plants/p{n}.json"), &json!({ "title": { "en": format!("Plant {n}") } }).to_string());
    }
    hub.run(&["pull", "garden"]).ends(0);
    let pages =
        || database.texts("SELECT CAST(count(*) AS text) || ' ' || CAST(count(DISTINCT slug) AS text) FROM pages");
    // Others are ended from outside, wherever they are: also where a change was kept and its answer is under way.
    let done = std::sync::atomic::AtomicBool::new(false);
    std::thread::scope(|scope| {
        let (ended, other) = (&done, database.clone());
        scope.spawn(move || {
            while !ended.load(std::sync::atomic::Ordering::Relaxed) {
                other.texts("SELECT CAST(pg_terminate_backend(pid) AS text) FROM pg_stat_activity WHERE application_name = 'diaporos' AND datname = current_database() ORDER BY random() LIMIT 1");
                std::thread::sleep(std::time::Duration::from_millis(20));
            }
        });
        for _ in 0..3 {
            hub.run(&["push", "out"]);
        }
        done.store(true, std::sync::atomic::Ordering::Relaxed);
    });
    let cuts: u32 = database.texts("SELECT CAST(last_value AS text) FROM cuts")[0].parse().unwrap();
    assert!(cuts > 3, "{cuts} changes were cut");
    database.run("DROP TRIGGER cuts ON pages");
    for _ in 0..5 {
        hub.run(&["push", "out"]);
    }
    assert_eq!(pages(), ["400 400"]);
    let told = hub.json(&["push", "out", "--verify"]);
    assert_eq!((&told["created"], &told["updated"], &told["held"]), (&json!(0), &json!(0), &json!(0)), "{told}");
}
