//! Tables of databases, as sources and destinations.

use std::path::PathBuf;
use std::sync::Arc;
use std::sync::atomic::{AtomicBool, Ordering};

use rusqlite::Connection;

use serde_json::{Value as Json, json};

use crate::contract::{Destination, FIELDS, Plants, Source, hub_to, lives_up_to_it, system, takes_what_it_is_sent};
use crate::harness::HubFolder;

/// A database of a test, by how the configuration names it.
#[derive(Clone)]
pub(crate) enum Database {
    File(PathBuf),
    /// The address with a role, for the test itself.
    Server(String),
}

impl Database {
    /// A file in a hub's folder.
    pub(crate) fn file(hub: &HubFolder) -> Database {
        Database::File(hub.path().join("garden.db"))
    }

    /// A new database on the server, where there is one.
    pub(crate) fn server() -> Option<Database> {
        diaporos_peers::new_database().map(Database::Server)
    }

    pub(crate) fn run(&self, sql: &str) {
        match self {
            Database::File(path) => Connection::open(path).unwrap().execute_batch(sql).unwrap(),
            Database::Server(address) => drop(diaporos_peers::ask(address, sql).unwrap()),
        }
    }

    /// The texts of one column of rows.
    pub(crate) fn texts(&self, sql: &str) -> Vec<String> {
        match self {
            Database::File(path) => {
                let connection = Connection::open(path).unwrap();
                let mut statement = connection.prepare(sql).unwrap();
                let text = |row: &rusqlite::Row<'_>| row.get::<_, Option<String>>(0);
                let rows = statement.query_map([], text).unwrap();
                rows.map(|row| row.unwrap().unwrap_or_default()).collect()
            }
            Database::Server(address) => {
                diaporos_peers::ask(address, sql).unwrap().lines().map(str::to_owned).collect()
            }
        }
    }

    /// How a configuration names it, with the role that reads or writes.
    pub(crate) fn settings(&self, access: &str) -> String {
        match self {
            Database::File(_) => "url = \"sqlite:garden.db\"".to_owned(),
            Database::Server(address) => {
                let (_, place) = address.split_once('@').unwrap();
                format!("url = \"postgres://{place}\"\n{access} = {{ user = \"postgres\", password = \"env:SECRET\" }}")
            }
        }
    }
}

fn quoted(text: &str) -> String {
    format!("'{}'", text.replace('\'', "''"))
}

/// Makes a table hold these plants.
fn put_rows(database: &Database, plants: Plants<'_>) {
    let rows: Vec<String> = plants.iter().map(|(id, title)| format!("({id}, {})", quoted(title))).collect();
    let known: Vec<&str> = plants.iter().map(|(id, _)| *id).collect();
    database.run(&format!(
        "INSERT INTO plants (id, title) VALUES {} ON CONFLICT (id) DO UPDATE SET title = excluded.title;
         DELETE FROM plants WHERE id NOT IN ({})",
        rows.join(", "),
        known.join(", ")
    ));
}

fn is_a_source(hub: HubFolder, database: Database) {
    hub.write(
        "diaporos.toml",
        &system("sql", &format!("{}\nprofile = \"profile.toml\"\nretries = 0", database.settings("read"))),
    );
    hub.write("profile.toml", &format!("{FIELDS}table = \"plants\"\nkey = \"id\"\n"));
    database.run("CREATE TABLE plants (id integer PRIMARY KEY, title text)");
    // The table has another name, as after a release of whoever keeps it, until the test puts rows again.
    let is_aside = Arc::new(AtomicBool::new(false));
    let (aside, rows) = (is_aside.clone(), database.clone());
    let put = move |_: &HubFolder, plants: Plants<'_>| {
        if aside.swap(false, Ordering::Relaxed) {
            rows.run("ALTER TABLE aside RENAME TO plants");
        }
        put_rows(&rows, plants);
    };
    let spoil = move |_: &HubFolder| {
        is_aside.store(true, Ordering::Relaxed);
        database.run("ALTER TABLE plants RENAME TO aside");
    };
    lives_up_to_it(&Source {
        hub,
        put: Box::new(put),
        spoil: Some(Box::new(spoil)),
        tells_what_is_gone: true,
        tells_what_stayed: true,
    });
}

#[test]
fn rows_of_a_file() {
    let hub = HubFolder::new(&[]);
    let database = Database::file(&hub);
    is_a_source(hub, database);
}

#[test]
fn rows_of_a_server() {
    let Some(database) = Database::server() else { return };
    is_a_source(HubFolder::new(&[]), database);
}

fn is_a_destination(hub: HubFolder, database: Database) {
    database.run("CREATE TABLE pages (slug text PRIMARY KEY, title text NOT NULL, views integer NOT NULL DEFAULT 0)");
    let (read, write) = (database.clone(), database.clone());
    let title = move |slug: &str| {
        read.texts(&format!("SELECT title FROM pages WHERE slug = {}", quoted(slug))).into_iter().next()
    };
    let retitle = move |slug: &str, title: &str| {
        write.run(&format!("UPDATE pages SET title = {} WHERE slug = {}", quoted(title), quoted(slug)));
    };
    takes_what_it_is_sent(&Destination { hub, title: Box::new(title), retitle: Box::new(retitle) });
}

const PAGES: &str = "table = \"pages\"\nkey = \"slug\"";

#[test]
fn to_rows_of_a_file() {
    let hub = hub_to("sql", "url = \"sqlite:garden.db\"", PAGES);
    let database = Database::file(&hub);
    is_a_destination(hub, database);
}

#[test]
fn to_rows_of_a_server() {
    let Some(database) = Database::server() else { return };
    is_a_destination(hub_to("sql", &database.settings("write"), PAGES), database);
}

/// Runs a check against a file and against a server, each with a hub of its own.
pub(crate) fn with_both(files: &[(&str, &str)], access: &str, check: impl Fn(&HubFolder, &Database)) {
    let hub = HubFolder::new(files);
    let database = Database::file(&hub);
    hub.alter("DATABASE", &database.settings(access));
    check(&hub, &database);
    let Some(database) = Database::server() else { return };
    let hub = HubFolder::new(files);
    hub.alter("DATABASE", &database.settings(access));
    check(&hub, &database);
}

const READS: &str = "[systems.garden]\nkind = \"sql\"\nDATABASE\nprofile = \"garden.toml\"\nretries = 0\n";

/// The texts of a field of all entries, in the order of their ids.
fn field(hub: &HubFolder, name: &str) -> Vec<Json> {
    let rows = hub.json(&["entries", "--columns", name, "--state", "live"]);
    let mut rows: Vec<Json> = rows.as_array().unwrap().clone();
    rows.sort_by_key(|row| row["address"].to_string());
    rows.into_iter().map(|row| row[name].clone()).collect()
}

#[test]
fn a_listing_goes_page_by_page_through_keys_of_several_columns() {
    let profile = "[types.bed.read]\ntable = \"beds\"\nkey = [\"garden\", \"number\"]\n";
    with_both(&[("diaporos.toml", READS), ("garden.toml", profile)], "read", |hub, database| {
        database.run("CREATE TABLE beds (garden text, number integer, \"what's \"\"in\"\" it\" text, PRIMARY KEY (garden, number))");
        database.run(
            "WITH RECURSIVE numbers (n) AS (SELECT 1 UNION ALL SELECT n + 1 FROM numbers WHERE n < 1700)
             INSERT INTO beds SELECT 'high''moss', n, 'fern; DROP TABLE beds' FROM numbers
             UNION ALL SELECT 'tarnside', n, 'moss' FROM numbers",
        );
        let told = hub.json(&["pull", "garden"]);
        assert_eq!((&told["new"], &told["gone"]), (&json!(3_400), &json!(0)));
        assert_eq!(hub.json(&["pull", "garden"])["unchanged"], 3_400);
        database.run("DELETE FROM beds WHERE garden = 'tarnside' AND number = 1500");
        assert_eq!(hub.json(&["pull", "garden"])["gone"], 1);
    });
}

#[test]
fn a_key_that_does_not_tell_rows_apart_is_told_and_nothing_is_taken() {
    let profile = "[types.plant.read]\ntable = \"plants\"\nkey = \"bed\"\n";
    with_both(&[("diaporos.toml", READS), ("garden.toml", profile)], "read", |hub, database| {
        database.run("CREATE TABLE plants (bed integer, title text)");
        database.run("INSERT INTO plants VALUES (1, 'Fern'), (2, 'Moss')");
        hub.run(&["pull", "garden"]).ends(0);
        database.run("INSERT INTO plants VALUES (2, 'Yew')");
        let told = hub.run(&["pull", "garden"]).ends(1);
        assert!(told.stderr.contains("two rows have the same key (bed = 2)"), "{}", told.stderr);
        database.run("DELETE FROM plants WHERE title = 'Yew'");
        database.run("UPDATE plants SET bed = NULL WHERE title = 'Fern'");
        let told = hub.run(&["pull", "garden", "--allow-gone", "9"]).ends(1);
        assert!(told.stderr.contains("1 row has no value in the key (bed)"), "{}", told.stderr);
        assert_eq!(field(hub, "title"), ["Fern", "Moss"], "nothing was taken for gone");
    });
}

#[test]
fn what_is_marked_as_deleted_goes_and_only_what_changed_is_asked_for() {
    let profile = "[types.plant.read]\ntable = \"plants\"\nkey = \"id\"\ndeleted = \"removed_at\"\nsince = { column = \"changed_at\", overlap = \"1m\", whole_every = \"never\" }\n";
    with_both(&[("diaporos.toml", READS), ("garden.toml", profile)], "read", |hub, database| {
        let moment = match database {
            Database::File(_) => "text",
            Database::Server(_) => "timestamptz",
        };
        database.run(&format!(
            "CREATE TABLE plants (id text PRIMARY KEY, title text, changed_at {moment}, removed_at {moment})"
        ));
        let at = |minute: u32| format!("'2026-05-01T09:{minute:02}:00Z'");
        database.run(&format!(
            "INSERT INTO plants VALUES ('a', 'Fern', {0}, NULL), ('b', 'Moss', {1}, NULL), ('c', 'Yew', {1}, {1})",
            at(0),
            at(30)
        ));
        assert_eq!(hub.json(&["pull", "garden"])["new"], 2, "one was deleted before we came");
        // What is not newer than what was seen is not asked for, whatever it says.
        database.run("UPDATE plants SET title = 'Hidden' WHERE id = 'a'");
        let told = hub.json(&["pull", "garden"]);
        assert_eq!((&told["unchanged"], &told["changed"]), (&json!(1), &json!(0)), "{told}");
        database.run(&format!("UPDATE plants SET title = 'Royal fern', changed_at = {} WHERE id = 'a'", at(40)));
        database.run(&format!("UPDATE plants SET removed_at = {0}, changed_at = {0} WHERE id = 'b'", at(41)));
        let told = hub.json(&["pull", "garden"]);
        assert_eq!((&told["changed"], &told["gone"]), (&json!(1), &json!(1)), "{told}");
        assert_eq!(field(hub, "title"), ["Royal fern"]);
        assert_eq!(hub.json(&["pull", "garden"])["gone"], 0);
        // One is marked by somebody who leaves the column of changes as it was.
        database.run(&format!("UPDATE plants SET removed_at = {} WHERE id = 'a'", at(50)));
        assert_eq!(hub.json(&["pull", "garden"])["gone"], 1);
    });
}

#[test]
fn languages_are_rows_or_columns() {
    let rows = "[types.plant.fields]\ntitle = { kind = \"text\", localised = true }\nheight = \"integer\"\n[types.plant.read]\nquery = \"plants.sql\"\nkey = [\"plant\", \"lang\"]\nid = \"$.plant\"\nlanguages = { language = \"$.lang\", main = \"en\" }\n";
    let query =
        "SELECT plant, lang, title, height\nFROM texts JOIN plants ON plants.id = texts.plant;\n-- as the house has it";
    let files = [("diaporos.toml", READS), ("garden.toml", rows), ("plants.sql", query)];
    with_both(&files, "read", |hub, database| {
        database.run("CREATE TABLE plants (id integer PRIMARY KEY, height integer)");
        database.run("CREATE TABLE texts (plant integer, lang text, title text)");
        database.run("INSERT INTO plants VALUES (1, 90)");
        database.run("INSERT INTO texts VALUES (1, 'en', 'Fern'), (1, 'fr', 'Fougère')");
        hub.run(&["pull", "garden"]).ends(0);
        let shown = hub.run(&["show", "garden/plant/1"]).ends(0).stdout;
        assert!(shown.contains("Fougère") && shown.contains("Fern"), "{shown}");
    });
    let columns = "[types.plant.fields]\ntitle = { kind = \"text\", localised = true }\n[types.plant.read]\ntable = \"plants\"\nkey = \"id\"\nlanguage_suffix = \"_\"\n";
    let config = format!("{READS}languages = {{ en = \"en\", pt_br = \"pt-BR\" }}\n");
    with_both(&[("diaporos.toml", &config), ("garden.toml", columns)], "read", |hub, database| {
        database.run("CREATE TABLE plants (id integer PRIMARY KEY, title_en text, title_pt_br text)");
        database.run("INSERT INTO plants VALUES (1, 'Fern', 'Samambaia'), (2, 'Moss', NULL)");
        hub.run(&["pull", "garden"]).ends(0);
        let titles = [json!({ "en": "Fern", "pt-BR": "Samambaia" }), json!({ "en": "Moss" })];
        assert_eq!(field(hub, "title"), titles);
    });
}

#[test]
fn values_come_as_they_are_and_decimals_to_the_last_digit() {
    let Some(database) = Database::server() else { return };
    let profile = "[types.plant.read]\ntable = \"shop.plants\"\nkey = \"id\"\n";
    let hub = HubFolder::new(&[("diaporos.toml", READS), ("garden.toml", profile)]);
    hub.alter("DATABASE", &database.settings("read"));
    database.run("CREATE SCHEMA shop");
    database.run(
        "CREATE TYPE shop.light AS ENUM ('sun', 'shade');
         CREATE TABLE shop.plants (id uuid PRIMARY KEY, price numeric, exact numeric, tags text[], about jsonb, light shop.light,
             seen timestamptz, day date, wide bigint, raw bytea, wet boolean);
         INSERT INTO shop.plants VALUES ('0d3b2a4e-5f6a-4b7c-8d9e-0f1a2b3c4d5e', 19.90, 12345678901234567890.123456789,
             ARRAY['a, b', '\"c\"', NULL], '{\"size\": {\"cm\": 5}}', 'shade', '2026-05-01 11:00+02', '2026-05-01',
             9007199254740993, '\\x00ff', true)",
    );
    hub.run(&["pull", "garden"]).ends(0);
    let of = |name: &str| field(&hub, name).remove(0);
    assert_eq!(of("price"), 19.9);
    assert_eq!(of("exact"), "12345678901234567890.123456789");
    assert_eq!(of("tags"), json!(["a, b", "\"c\"", null]));
    assert_eq!(of("about"), json!({ "size": { "cm": 5 } }));
    assert_eq!((of("light"), of("day"), of("wet")), (json!("shade"), json!("2026-05-01"), json!(true)));
    assert_eq!(of("seen"), "2026-05-01T09:00:00Z");
    assert_eq!(of("wide"), 9_007_199_254_740_993_i64);
    assert_eq!(of("raw"), "\\x00ff");
    // The database says what its columns are, and what an enumeration can be.
    let asked = hub.run(&["model", "ask", "garden"]);
    assert!(asked.stdout.contains("light") && asked.code == Some(0), "{}{}", asked.stdout, asked.stderr);
}

#[test]
fn the_catalogue_tells_what_a_row_must_have_and_what_it_names() {
    let profile =
        "[types.bed.read]\ntable = \"beds\"\nkey = \"id\"\n[types.plant.read]\ntable = \"plants\"\nkey = \"id\"\n";
    with_both(&[("diaporos.toml", READS), ("garden.toml", profile)], "read", |hub, database| {
        database.run("CREATE TABLE beds (id integer PRIMARY KEY, name varchar(40) NOT NULL)");
        database.run("CREATE TABLE plants (id integer PRIMARY KEY, bed integer REFERENCES beds (id), title text NOT NULL DEFAULT '')");
        let asked = hub.json(&["model", "ask", "garden"]);
        let fields = asked.as_array().unwrap();
        let of = |kind: &str, name: &str| {
            fields.iter().find(|row| row["type"] == kind && row["field"] == name).unwrap().to_string()
        };
        assert!(of("plant", "bed").contains("\"reference\""), "{}", of("plant", "bed"));
        assert!(of("bed", "name").contains("required"), "{}", of("bed", "name"));
        assert!(!of("plant", "title").contains("required"), "what has a value by itself need not be given: {asked}");
    });
}
