//! What the documentation shows is tried.

use crate::harness::Hub;
use diaporos_core::expr::functions::{ALL, GROUPS};
use diaporos_core::settings::{reference, schema};
use diaporos_hub::config::{AMENDMENTS, CONFIGURATION};
use diaporos_systems::KINDS;

fn page(name: &str) -> String {
    std::fs::read_to_string(format!("{}/../../{name}", env!("CARGO_MANIFEST_DIR"))).unwrap()
}

/// The fenced blocks of a language, one after the other.
fn blocks(page: &str, language: &str) -> String {
    let fence = format!("```{language}\n");
    page.split(fence.as_str()).skip(1).filter_map(|rest| rest.split("```").next()).collect::<Vec<_>>().join("\n")
}

#[test]
fn the_configuration_page_is_a_sound_configuration() {
    let hub = Hub::new();
    hub.write("diaporos.toml", &blocks(&page("docs/configuration.md"), "toml"));
    let checked = hub.good(&["check"]);
    assert!(checked.contains("5 systems, 1 lane; no faults"), "{checked}");
}

#[test]
fn the_profiles_page_is_a_sound_profile() {
    let hub = Hub::new();
    hub.write("profiles/of-the-page.toml", &blocks(&page("docs/profiles.md"), "toml"));
    hub.write(
        "diaporos.toml",
        "[systems.a]\nkind = \"rest\"\nurl = \"http://a.example\"\nprofile = \"profiles/of-the-page.toml\"\n",
    );
    hub.good(&["check"]);
}

#[test]
fn the_places_of_the_profiles_page_are_sound() {
    let hub = Hub::new();
    hub.write("profiles/places.toml", &blocks(&page("docs/profiles.md"), "toml places"));
    hub.write(
        "diaporos.toml",
        "[systems.a]\nkind = \"webdav\"\nurl = \"http://a.example\"\nprofile = \"profiles/places.toml\"\n",
    );
    hub.good(&["check"]);
}

#[test]
fn the_rows_of_the_profiles_page_are_sound() {
    let hub = Hub::new();
    hub.write("profiles/shop.toml", &blocks(&page("docs/profiles.md"), "toml rows"));
    hub.write("diaporos.toml", &blocks(&page("docs/profiles.md"), "toml systems"));
    hub.good(&["check"]);
}

#[test]
fn the_operations_of_the_profiles_page_are_sound() {
    let hub = Hub::new();
    hub.write("profiles/operations.toml", &blocks(&page("docs/profiles.md"), "toml operations"));
    for name in ["find-page", "page", "create-page", "update-page", "delete-page", "hide-page"] {
        let text = "query Page($id: ID, $key: String, $revision: Int, $input: PageInput, $page: ID) { page { id } }";
        hub.write(&format!("{name}.graphql"), text);
    }
    hub.write(
        "diaporos.toml",
        "[systems.a]\nkind = \"graphql\"\nurl = \"http://a.example\"\nprofile = \"profiles/operations.toml\"\n",
    );
    hub.good(&["check"]);
}

#[test]
fn the_commands_of_the_front_page_run() {
    let hub = Hub::new();
    let front = page("README.md");
    let lines = blocks(&front, "sh");
    let commands: Vec<&str> = lines.lines().filter_map(|line| line.strip_prefix("diaporos ")).collect();
    assert!(commands.len() >= 5, "{commands:?}");
    for command in commands.into_iter().filter(|command| !command.starts_with("demo")) {
        let args: Vec<&str> = command.split_whitespace().take_while(|word| *word != "#").collect();
        let ran = hub.run(&args);
        assert!(matches!(ran.code, Some(0 | 3)), "{command}: {}{}", ran.stdout, ran.stderr);
    }
}

#[test]
fn the_translation_page_is_true() {
    let hub = Hub::pulled();
    let translation = page("docs/translation.md");
    let config = page("crates/demo/hub/diaporos.toml");
    let (before, _) = config.split_once("[briefs.plants]").unwrap();
    hub.write("diaporos.toml", &format!("{before}{}", blocks(&translation, "toml")));
    let lines = blocks(&translation, "sh");
    let commands: Vec<&str> = lines.lines().filter_map(|line| line.strip_prefix("diaporos ")).collect();
    assert_eq!(commands.len(), 13, "{commands:?}");
    for command in commands {
        let args: Vec<&str> = command.split_whitespace().take_while(|word| *word != "#").collect();
        let ran = hub.run(&args);
        assert!(matches!(ran.code, Some(0 | 3)), "{command}: {}{}", ran.stdout, ran.stderr);
    }
    for (check, _) in diaporos_core::translate::Check::WORDS {
        assert!(translation.contains(&format!("| `{check}` |")), "{check}");
    }
}

/// The pictures are linked, and there are no more than are looked after.
#[test]
fn every_picture_is_linked() {
    let front = page("README.md");
    let folder = format!("{}/../../docs/screenshots", env!("CARGO_MANIFEST_DIR"));
    let pictures = std::fs::read_dir(folder).unwrap().map(|file| file.unwrap().file_name().into_string().unwrap());
    for picture in pictures.filter(|name| name.ends_with(".png")) {
        assert!(front.contains(&format!("docs/screenshots/{picture}")), "{picture}");
    }
}

#[test]
fn the_page_of_functions_is_written_from_their_table() {
    let mut page = String::from(
        "# Functions\n\nWhat may follow a pipe. A null input or argument makes the result null. `diaporos functions` prints the same.\n",
    );
    for group in GROUPS {
        page += &format!("\n## {group}\n\n| function | what it gives | example |\n|---|---|---|\n");
        for function in ALL.iter().filter(|function| function.group == *group) {
            let (expression, result) = function.examples[0];
            let code = |text: &str| {
                format!("<code>{}</code>", text.replace('&', "&amp;").replace('<', "&lt;").replace('|', "&#124;"))
            };
            let summary = function.summary.replace('|', "\\|");
            page += &format!("| `{}` | {summary} | {} → {} |\n", function.usage(), code(expression), code(result));
        }
    }
    is_made("docs/functions.md", &page);
}

/// A file is what was made; with `INSTA_UPDATE=always` it becomes so.
fn is_made(name: &str, made: &str) {
    let file = std::path::Path::new(env!("CARGO_MANIFEST_DIR")).join("../..").join(name);
    if std::env::var_os("INSTA_UPDATE").is_some_and(|update| update == "always") {
        std::fs::write(&file, made).unwrap();
    }
    let found = std::fs::read_to_string(&file).unwrap_or_default();
    assert_eq!(found, made, "{name}: run the tests with INSTA_UPDATE=always");
}

#[test]
fn the_settings_are_written_from_their_descriptions() {
    let mut page = String::from(
        "# Settings\n\nEvery setting of `diaporos.toml` and of profiles: what it says, what it takes, what counts where it is not there, and an example. This page and the [schemas](schemas) for editors are made from the descriptions that the program reads by.\n\n## diaporos.toml\n",
    );
    page += &reference(3, &[&CONFIGURATION]);
    page += "\n## amendments.toml\n";
    page += &reference(3, &[&AMENDMENTS]);
    page += "\n## Profiles\n";
    let schema = |title: &str, table| serde_json::to_string_pretty(&schema(title, table)).unwrap() + "\n";
    is_made("docs/schemas/diaporos.schema.json", &schema("diaporos.toml", &CONFIGURATION));
    is_made("docs/schemas/amendments.schema.json", &schema("amendments.toml", &AMENDMENTS));
    let mut profiles = Vec::new();
    for kind in KINDS {
        let Some(rules) = kind.profile_rules() else { continue };
        let title = format!("a profile of kind {}", kind.word());
        is_made(&format!("docs/schemas/{}.schema.json", kind.word()), &schema(&title, rules.settings));
        profiles.push(rules.settings);
    }
    page += &reference(3, &profiles);
    is_made("docs/settings.md", &page);
}

#[test]
fn the_page_of_feed_fields_is_made() {
    is_made("docs/feed-fields.md", &diaporos_systems::feed::fields_page());
}

#[test]
fn the_expressions_of_the_feeds_page_are_sound() {
    let hub = Hub::new();
    let fields = blocks(&page("docs/feeds.md"), "toml");
    let profile = "[types.page.fields]\nlead = \"text\"\nvideo = \"text\"\nbed = \"text\"\nphoto = \"text\"\n[types.page.write]\nplace = \"pages/{key}.json\"\n";
    hub.write("profiles/page.toml", profile);
    hub.write(
        "diaporos.toml",
        &format!(
            "[systems.news]\nkind = \"feed\"\nfeeds = {{ garden = \"file:garden.xml\" }}\n[systems.site]\nkind = \"files\"\nfolder = \"out\"\nprofile = \"profiles/page.toml\"\n[lanes.out]\nfrom = \"news/item\"\nto = \"site/page\"\nmatch = \"lead\"\ngone = \"keep\"\n[lanes.out.fields]\n{fields}"
        ),
    );
    hub.good(&["check"]);
}

/// What editors are told of `diaporos.toml` is what the program takes.
#[test]
fn the_schema_takes_what_is_sound_and_refuses_what_is_not() {
    let schema = serde_json::from_str(&page("docs/schemas/diaporos.schema.json")).unwrap();
    let validator = jsonschema::validator_for(&schema).unwrap();
    let takes = |text: &str| validator.is_valid(&toml::from_str::<serde_json::Value>(text).unwrap());
    let sound = [
        blocks(&page("docs/configuration.md"), "toml"),
        page("crates/demo/hub/diaporos.toml"),
        page("crates/hub/templates/diaporos.toml"),
        page("crates/cli/benches/mapping/diaporos.toml"),
    ];
    for text in &sound {
        assert!(takes(text), "{text}");
    }
    let demo = &sound[1];
    for (from, to) in [
        ("kind = \"feed\"", "kind = \"feeds\""),
        ("read      = { bearer = \"env:CATALOGUE_READ_TOKEN\" }", "read = { bearer = \"hush\" }"),
        ("timeout   = \"10s\"", "tiemout = \"10s\""),
        ("match = \"slug\" ", "mtch = \"slug\" "),
        ("gone  = \"withdraw\"", "gone  = \"keeps\""),
        ("otherwise = \"Garden\"", ""),
        ("message = \"a profile", "why = \"a profile"),
    ] {
        assert!(demo.contains(from), "{from}");
        assert!(!takes(&demo.replacen(from, to, 1)), "{to}");
    }
}
