//! Every example of every setting is tried: in the smallest table that is sound, in a hub of the demo world.

use std::path::Path;

use diaporos_core::diagnostic::Severity;
use diaporos_core::settings::{Form, Setting, Table, Usual, schema};
use diaporos_hub::config::{CONFIGURATION, load};
use diaporos_systems::KINDS;
use tempfile::TempDir;

/// The members of a table, as TOML has them between braces.
type Members = Vec<String>;

/// What must be there for a setting to be sound, and the setting.
fn smallest(table: &'static Table, tried: Option<&Setting>, chosen: Option<(&str, &str)>) -> Members {
    let mut members: Members = chosen.iter().map(|(key, word)| format!("{key} = \"{word}\"")).collect();
    let has = |members: &Members, key: &str| members.iter().any(|member| member.starts_with(&format!("{key} = ")));
    let add = |members: &mut Members, setting: &Setting| {
        if !has(members, setting.key) {
            members.push(setting.line());
        }
    };
    tried.iter().for_each(|setting| add(&mut members, setting));
    let required = table.settings().filter(|setting| setting.usual == Usual::Required);
    required.for_each(|setting| add(&mut members, setting));
    // Keys that are needed may need others; of one among several, one is there at most.
    for _ in 0..2 {
        for (key, other) in table.needs {
            if has(&members, key) {
                table.setting(other).iter().for_each(|setting| add(&mut members, setting));
            }
        }
        for keys in table.one_of {
            if !keys.iter().any(|key| has(&members, key)) {
                table.setting(keys[0]).iter().for_each(|setting| add(&mut members, setting));
            }
        }
    }
    // A lane to a destination where documents are looked up has a key.
    if table.name == "lane" {
        table.setting("match").iter().for_each(|setting| add(&mut members, setting));
    }
    // A type says how it is read, or written.
    if table.setting("read").is_some_and(|read| matches!(read.form, Form::Table(read) if read.name != "credential"))
        && tried.is_none_or(|setting| setting.key != "write")
    {
        table.setting("read").iter().for_each(|setting| add(&mut members, setting));
    }
    // A listing of many has items.
    if tried.is_none_or(|setting| setting.key != "alone") && table.setting("items").is_some() {
        table.setting("items").iter().for_each(|setting| add(&mut members, setting));
    }
    members
}

/// Tries every example within a table; `around` makes a whole file of its members.
fn each(table: &'static Table, chosen: Option<(&str, &str)>, around: &dyn Fn(Members), depth: usize) {
    assert!(depth < 12, "tables within tables without end");
    for setting in table.settings().filter(|setting| chosen.is_none_or(|(key, _)| key != setting.key)) {
        around(smallest(table, Some(setting), chosen));
        let put = |value: String| {
            let mut members = smallest(table, Some(setting), chosen);
            members.retain(|member| !member.starts_with(&format!("{} = ", setting.key)));
            members.push(format!("{} = {value}", setting.key));
            around(members);
        };
        within(setting, &setting.form, &put, depth + 1);
    }
}

fn within(setting: &Setting, form: &'static Form, put: &dyn Fn(String), depth: usize) {
    let braces = |members: Members| put(format!("{{ {} }}", members.join(", ")));
    match form {
        // A call as a table has the method and path that it has alone.
        Form::Table(table) if ["call", "call that writes a document"].contains(&table.name) => {
            each(table, Some(("call", setting.example)), &braces, depth);
        }
        Form::Table(table) => each(table, None, &braces, depth),
        Form::Variants(variants) => {
            for (word, table) in (variants.of)() {
                each(table, Some((variants.by, word)), &braces, depth);
            }
        }
        // Some names are not any: the example has one.
        Form::Named(of) => {
            let name = setting.example.strip_prefix("{ ").and_then(|rest| rest.split_once(" = {"));
            let name = name.map_or("example", |(name, _)| name);
            within(setting, of, &|value| put(format!("{{ {name} = {value} }}")), depth);
        }
        Form::Either(_, long) => within(setting, long, put, depth),
        Form::List(_) | Form::OneOrMany(_) | Form::Text(_) | Form::Word { .. } => {}
        Form::Boolean | Form::Count(_) | Form::Anything => {}
    }
}

/// A hub of the demo world, with every file that examples name.
fn hub() -> TempDir {
    let hub = TempDir::new().unwrap();
    diaporos_demo::write_hub(hub.path()).unwrap();
    // Examples map what they are about, and not all that the site requires.
    let site = hub.path().join("profiles/visitor-site.toml");
    let fields = std::fs::read_to_string(&site).unwrap().replace("required = true", "required = false");
    std::fs::write(site, fields).unwrap();
    // Sections, as the examples of outlines have them.
    let catalogue = hub.path().join("profiles/catalogue.toml");
    let sections = "\n[types.section.read]\nlist = \"/sections\"\nitems = \"$.sections[*]\"\nid = \"$.id\"\n\n\
        [types.section.fields]\nslug = \"text\"\nname = \"text\"\nparent = \"text\"\nweight = \"integer\"\nshown = \"boolean\"\n";
    let whole = std::fs::read_to_string(&catalogue).unwrap() + sections;
    std::fs::write(catalogue, whole).unwrap();
    let rest = "[types.page.read]\nlist = \"/pages\"\nitems = \"$.pages[*]\"\nid = \"$.id\"\n";
    for (name, text) in [
        ("profiles/example.toml", rest),
        ("profiles/guide.toml", include_str!("../../../demo/guide/profiles/guide.toml")),
        ("certificates.pem", "x"),
        ("page.html", "{{ fields.heading }}"),
        ("glossary.csv", "term,language,say,avoid\nfrond,fr,fronde,\n"),
        ("plants.graphql", "query { plants { nodes { id } } }"),
        ("plants.sql", "SELECT id FROM plants"),
    ] {
        std::fs::write(hub.path().join(name), text).unwrap();
    }
    // What operations declare that the examples name.
    let declared = "$id: ID, $key: String, $input: PageInput, $page: PageInput, $pageId: ID, $status: String";
    let of_pages = ["page", "find-page", "create-page", "update-page", "publish-page", "hide-page", "delete-page"];
    for name in of_pages.into_iter().chain(["plant", "pages", "lock", "unlock", "lock-of"]) {
        let text = format!("query Page({declared}) {{ page(id: $id) {{ id }} }}");
        std::fs::write(hub.path().join(format!("{name}.graphql")), text).unwrap();
    }
    hub
}

/// Whether a file is one by its schema.
fn fits(validator: &jsonschema::Validator, toml: &str) -> bool {
    let json = toml::from_str::<serde_json::Value>(toml).unwrap();
    let faults: Vec<String> = validator.iter_errors(&json).map(|error| error.to_string()).collect();
    if !faults.is_empty() {
        eprintln!("{toml}\n    by its schema: {}", faults.join("\n    "));
    }
    faults.is_empty()
}

/// Whether the configuration has no fault.
fn is_sound(hub: &Path, what: &str) -> bool {
    let loaded = load(hub, &|_, _| Vec::new(), jiff::Timestamp::UNIX_EPOCH).unwrap();
    let faults: Vec<String> = loaded
        .reports
        .iter()
        .flat_map(|report| &report.findings)
        .filter(|finding| finding.severity == Severity::Error)
        .map(|finding| finding.message.clone())
        .collect();
    if !faults.is_empty() {
        eprintln!("{what}\n    {}", faults.join("\n    "));
    }
    faults.is_empty()
}

#[test]
fn every_example_of_the_configuration_is_sound() {
    let hub = hub();
    let demo = std::fs::read_to_string(hub.path().join("diaporos.toml")).unwrap();
    let (systems, rest) = demo.split_once("# What expressions share").unwrap();
    assert!(rest.contains("[lanes.profiles]"));
    let systems = format!(
        "{systems}\n[systems.guide]\nkind = \"files\"\nfolder = \"guide/data\"\nprofile = \"profiles/guide.toml\"\n"
    );
    let validator = jsonschema::validator_for(&schema("configuration", &CONFIGURATION)).unwrap();
    let (tried, faulty) = (std::cell::Cell::new(0), std::cell::Cell::new(0));
    each(
        &CONFIGURATION,
        None,
        &|members| {
            let kinds = KINDS.iter().filter(|kind| kind.profile_rules().is_some());
            for kind in kinds.filter(|kind| members[0].contains(&format!("kind = \"{}\"", kind.word()))) {
                let rules = kind.profile_rules().unwrap();
                let profile = format!("types = {{ page = {} }}", type_of(rules.settings));
                std::fs::write(hub.path().join("profiles/example.toml"), profile).unwrap();
            }
            // What the lanes and briefs of the examples are about.
            let around = if members[0].starts_with("systems") { "" } else { &systems };
            std::fs::write(hub.path().join("diaporos.toml"), format!("{}\n{around}", members.join("\n"))).unwrap();
            tried.set(tried.get() + 1);
            let text = members.join("\n");
            faulty.set(faulty.get() + usize::from(!is_sound(hub.path(), &text) || !fits(&validator, &text)));
        },
        0,
    );
    assert!(tried.get() > 200, "{} were tried", tried.get());
    assert_eq!(faulty.get(), 0, "of {}", tried.get());
}

/// A type that is sound in profiles of a kind.
fn type_of(profile: &'static Table) -> String {
    let Form::Named(Form::Table(types)) = profile.setting("types").unwrap().form else { panic!("types by name") };
    let members = ["read", "write"].into_iter().filter_map(|key| types.setting(key)).map(Setting::line);
    format!("{{ {} }}", members.collect::<Vec<_>>().join(", "))
}

#[test]
fn every_example_of_the_profiles_is_sound() {
    let hub = hub();
    let (tried, faulty) = (std::cell::Cell::new(0), std::cell::Cell::new(0));
    for kind in KINDS {
        let Some(rules) = kind.profile_rules() else { continue };
        let validator = jsonschema::validator_for(&schema(kind.word(), rules.settings)).unwrap();
        let system = smallest(kind.settings(), None, Some(("kind", kind.word()))).join("\n");
        // Columns per language are known by the system's codes.
        let codes = if kind.word() == "sql" { "languages = { en = \"en\" }" } else { "" };
        std::fs::write(hub.path().join("diaporos.toml"), format!("[systems.example]\n{system}\n{codes}\n")).unwrap();
        let around = |mut members: Members| {
            if !members.iter().any(|member| member.starts_with("types") || member.starts_with("translation")) {
                members.push(rules.settings.setting("types").unwrap().line());
            }
            // A type says how it is read or written.
            std::fs::write(hub.path().join("profiles/example.toml"), members.join("\n")).unwrap();
            tried.set(tried.get() + 1);
            let text = members.join("\n");
            let sound = is_sound(hub.path(), &format!("{}: {text}", kind.word()));
            faulty.set(faulty.get() + usize::from(!sound || !fits(&validator, &text)));
        };
        each(rules.settings, None, &around, 0);
    }
    assert!(tried.get() > 300, "{} were tried", tried.get());
    assert_eq!(faulty.get(), 0, "of {}", tried.get());
}
