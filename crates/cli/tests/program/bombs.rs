//! Texts that are made to stop the hub: each is refused or read within its budget, and the rest goes
//! on. The program runs under `ulimit`, so that no bomb takes the machine with it.

use std::process::Command;

use tempfile::TempDir;

/// What one run may take of a processor and of memory. What a bomb does to a naive reader takes hours; a minute is
/// enough for a debug build on a slow machine. The memory is address space, of which the allocator reserves more than
/// it uses.
const SECONDS: u32 = 60;
const KILOBYTES: u32 = 1_500_000;

const FILES: &str = "[systems.garden]\nkind = \"files\"\nfolder = \".\"\nprofile = \"garden.toml\"\n";

/// What a bomb stands in.
enum Place {
    /// A file of the folder, pulled by this profile.
    File(&'static str, &'static str),
    /// A feed.
    Feed,
    /// A text that an expression is applied to, with a short text beside it.
    Text(&'static str),
    /// A description that a profile is drawn from.
    OpenApi,
    /// A list of feeds.
    Opml,
    /// A profile.
    Profile,
    /// A configuration.
    Config,
    /// A template of a page.
    Template,
    /// A condition that is typed.
    Condition,
}

use Place::{Condition, Config, Feed, File, OpenApi, Opml, Profile, Template, Text};

const JSON: &str = "[types.plant.read]\nfiles = \"plants/*.json\"\n[types.plant.fields]\ntitle = \"text\"\n";
const LINES: &str =
    "[types.plant.read]\nfiles = \"plants/*.jsonl\"\nid = \"$.id\"\n[types.plant.fields]\ntitle = \"text\"\n";
const CSV: &str =
    "[types.plant.read]\nfiles = \"plants/*.csv\"\nid = \"$.id\"\n[types.plant.fields]\ntitle = \"text\"\n";
const XML: &str = "[types.plant.read]\nfiles = \"plants/*.xml\"\n[types.plant.fields]\ntitle = \"text\"\n";
const MARKDOWN: &str = "[types.plant.read]\nfiles = \"plants/*.md\"\n[types.plant.fields]\nbody = \"markdown\"\n";

fn rss(items: &str) -> String {
    format!("<rss version=\"2.0\"><channel><title>x</title>{items}</channel></rss>")
}

fn open_api(schemas: &str) -> String {
    format!(
        "openapi: 3.0.0\ninfo: {{title: x, version: '1'}}\npaths:\n  /plants:\n    get:\n      responses:\n        '200':\n          description: x\n          content:\n            application/json:\n              schema:\n                type: array\n                items: {{ $ref: '#/components/schemas/A' }}\ncomponents:\n  schemas:\n{schemas}"
    )
}

fn bombs() -> Vec<(&'static str, Place, String)> {
    let html = |text: String| text;
    vec![
        ("nested arrays", File("plants/1.json", JSON), format!("{}{}", "[".repeat(200_000), "]".repeat(200_000))),
        ("nested objects", File("plants/1.json", JSON), "{\"a\":".repeat(200_000)),
        ("a long number", File("plants/1.json", JSON), format!("{{\"title\":{}}}", "9".repeat(1_000_000))),
        ("a long text", File("plants/1.json", JSON), format!("{{\"title\":\"{}\"}}", "x".repeat(20_000_000))),
        ("many members", File("plants/1.json", JSON), format!("{{{}\"z\":1}}", (0..300_000).map(|n| format!("\"a{n}\":1,")).collect::<String>())),
        ("a long line", File("plants/1.jsonl", LINES), format!("{{\"id\":1,\"title\":\"{}\"}}\n{{\"id\":2,\"title\":\"good\"}}\n", "x".repeat(33 << 20))),
        ("many short lines", File("plants/1.jsonl", LINES), "{}\n".repeat(200_000)),
        ("nested lines", File("plants/1.jsonl", LINES), format!("{}\n{{\"id\":2,\"title\":\"good\"}}\n", "[".repeat(100_000))),
        ("a quote left open", File("plants/1.csv", CSV), format!("id,title\n1,\"{}", "x,\n".repeat(8_000_000))),
        ("a record of many fields", File("plants/1.csv", CSV), format!("id,title\n{}\n", ",".repeat(10_000_000))),
        ("a heading of many fields", File("plants/1.csv", CSV), format!("id,title{}\n1,x\n", (0..20_000).map(|n| format!(",c{n}")).collect::<String>())),
        ("nested elements", File("plants/1.xml", XML), "<a>".repeat(300_000)),
        ("entities in entities", File("plants/1.xml", XML), format!("<!DOCTYPE x [<!ENTITY a0 \"x\">{}]><x>&a40;</x>", (1..=40).map(|n| format!("<!ENTITY a{n} \"&a{0};&a{0};\">", n - 1)).collect::<String>())),
        ("an outer entity", File("plants/1.xml", XML), "<!DOCTYPE x [<!ENTITY a SYSTEM \"file:///dev/zero\">]><x><title>&a;</title></x>".to_owned()),
        ("many attributes", File("plants/1.xml", XML), format!("<x {}/>", (0..200_000).map(|n| format!("a{n}='1' ")).collect::<String>())),
        ("aliases in front matter", File("plants/1.md", MARKDOWN), format!("---\na0: &a0 [x,x,x,x,x,x,x,x,x]\n{}---\nx\n", (1..30).map(|n| format!("a{n}: &a{n} [*a{0},*a{0},*a{0},*a{0},*a{0},*a{0},*a{0},*a{0}]\n", n - 1)).collect::<String>())),
        ("nested front matter", File("plants/1.md", MARKDOWN), format!("---\n{}\n---\nx\n", "[".repeat(100_000))),
        ("empty items", Feed, rss(&"<item>".repeat(800_000))),
        ("items in items", Feed, rss(&format!("{}{}", "<item>".repeat(19_000), "</item>".repeat(19_000)))),
        ("many categories", Feed, rss(&format!("<item><title>a</title>{}</item>", "<category>c</category>".repeat(300_000)))),
        ("a feed of entities", Feed, format!("<!DOCTYPE rss [<!ENTITY a0 \"xxxxxxxxxx\">{}]>{}", (1..=12).map(|n| format!("<!ENTITY a{n} \"&a{0};&a{0};&a{0};&a{0};&a{0};&a{0};&a{0};&a{0};\">", n - 1)).collect::<String>(), rss("<item><title>&a12;</title></item>"))),
        ("a feed that is never closed", Feed, format!("<rss><channel>{}", "<x>".repeat(500_000))),
        ("a feed of brackets", Feed, format!("{{\"version\":\"https://jsonfeed.org/version/1.1\",\"items\":{}", "[".repeat(300_000))),
        ("a title that nests", Feed, rss(&format!("<item><title><![CDATA[{}]]></title></item>", "<b>".repeat(30_000)))),
        ("quotations in quotations", Text("html"), html(">".repeat(30_000) + "x")),
        ("brackets", Text("html"), html("[".repeat(30_000))),
        ("emphasis", Text("html"), html("*a _b ".repeat(20_000))),
        ("lists in lists", Text("html"), html("- ".repeat(20_000) + "x")),
        ("bold in bold", Text("clean"), html("<b>".repeat(100_000))),
        ("bold and paragraphs", Text("clean"), html(format!("{}{}", "<b>".repeat(150), "<p>".repeat(100_000)))),
        ("bold closed otherwise", Text("clean"), html("<b><i></b>".repeat(20_000))),
        ("links in links", Text("clean"), html("<a href=x>".repeat(50_000))),
        ("tables in tables", Text("clean"), html("<table><td>".repeat(20_000))),
        ("blocks in blocks", Text("plain"), html("<div>".repeat(200_000))),
        ("many attributes of one", Text("plain"), html(format!("<a {}>", (0..100_000).map(|n| format!("a{n}=1 ")).collect::<String>()))),
        ("half tags", Text("plain"), html("<".repeat(500_000))),
        ("entities", Text("plain"), html("&amp".repeat(300_000))),
        ("HTML into Markdown", Text("markdown"), html("<blockquote>".repeat(30_000))),
        ("pictures in Markdown", Text("markdown"), html("<ul><li>".repeat(20_000))),
        ("unlike items", Text("split \",\" | unique | count"), (0..60_000).map(|n| format!("{n},")).collect()),
        ("looking in a list", Text("split \",\" | where it in (fields.title | split \",\") | count"), (0..20_000).map(|n| format!("{n},")).collect()),
        ("a text without spaces", Text("slug"), "é".repeat(500_000)),
        ("replacing one letter", Text("replace \"a\" \"aaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaa\""), "a".repeat(900_000)),
        ("a schema of itself", OpenApi, open_api("    A: { $ref: '#/components/schemas/A' }\n")),
        ("a list of itself", OpenApi, open_api("    A: { type: array, items: { $ref: '#/components/schemas/A' } }\n")),
        ("made of itself twice", OpenApi, open_api("    A:\n      allOf: [{ $ref: '#/components/schemas/A' }, { $ref: '#/components/schemas/A' }, { $ref: '#/components/schemas/A' }]\n      properties: { id: { type: string } }\n")),
        ("properties of itself", OpenApi, open_api("    A: { type: object, properties: { id: { type: string }, a: { $ref: '#/components/schemas/A' } } }\n")),
        ("nested description", OpenApi, "[".repeat(100_000)),
        ("titles alike", Opml, format!("<opml version=\"2.0\"><body>{}</body></opml>", "<outline text=\"Fern\" xmlUrl=\"http://f.example/\"/>".repeat(20_000))),
        ("groups in groups", Opml, format!("<opml version=\"2.0\"><body>{}", "<outline text=\"x\">".repeat(100_000))),
        ("a JSONPath of filters", Profile, format!("[types.plant.read]\nfiles = \"*.json\"\nid = '$[{}@.a{}]'\n", "?(@[".repeat(2_000), "])".repeat(2_000))),
        ("a profile of faults", Profile, format!("[types.plant.read]\nfiles = \"*.json\"\n[types.plant.fields]\n{}", (0..20_000).map(|n| format!("f{n} = \"nokind\"\n")).collect::<String>())),
        ("nested tables", Profile, format!("a = {}1{}\n", "{ a = ".repeat(20_000), " }".repeat(20_000))),
        ("a configuration of faults", Config, (0..20_000).map(|n| format!("k{n} = 1\n")).collect()),
        ("nested lists", Config, format!("a = {}{}\n", "[".repeat(50_000), "]".repeat(50_000))),
        ("a loop in a template", Template, "{% for a in range(1000) %}{% for b in range(1000) %}{% for c in range(1000) %}xxxxxxxxxxxxxxxx{% endfor %}{% endfor %}{% endfor %}".to_owned()),
        ("a text many times", Template, "{% for a in range(10000) %}{{ 'x' * 100000 }}{% endfor %}".to_owned()),
        ("a template of itself", Template, "{% macro m() %}{{ m() }}{% endmacro %}{{ m() }}".to_owned()),
        ("brackets in a condition", Condition, "(".repeat(5_000)),
        ("a long condition", Condition, format!("title == \"x\"{}", " or title == \"x\"".repeat(600))),
        ("minus signs", Condition, format!("{}1 == 1", "- ".repeat(4_000))),
    ]
}

/// Runs the program in a shell that limits it, and gives its exit code and what it said.
fn limited(folder: &TempDir, args: &[&str]) -> (Option<i32>, String) {
    let program = assert_cmd::cargo::cargo_bin!("diaporos").display().to_string();
    let words: Vec<String> = args.iter().map(|word| format!("'{}'", word.replace('\'', r"'\''"))).collect();
    let script = format!("ulimit -t {SECONDS}; ulimit -v {KILOBYTES}; exec {program} {}", words.join(" "));
    let output = Command::new("sh")
        .args(["-c", &script])
        .current_dir(folder.path())
        .env_clear()
        .env("PATH", std::env::var_os("PATH").unwrap_or_default())
        .output()
        .unwrap();
    let said = String::from_utf8_lossy(&[output.stdout, output.stderr].concat()).into_owned();
    (output.status.code(), said)
}

fn set_off(place: &Place, bomb: &str) -> Vec<(Option<i32>, String)> {
    let folder = TempDir::new().unwrap();
    let write = |name: &str, text: &str| {
        let file = folder.path().join(name);
        std::fs::create_dir_all(file.parent().unwrap()).unwrap();
        std::fs::write(file, text).unwrap();
    };
    let plain = "[types.plant.read]\nfiles = \"plants/*.json\"\n[types.plant.fields]\ntitle = \"text\"\n";
    let lane = |expression: &str, more: &str| {
        let expression = expression.replace('\'', "''");
        format!(
            "{FILES}[systems.out]\nkind = \"files\"\nfolder = \"out\"\nprofile = \"out.toml\"\n[lanes.notes]\nfrom = \"garden/plant\"\nto = \"out/note\"\nmatch = \"key\"\ngone = \"keep\"\n{more}[lanes.notes.fields]\nkey = 'entry.id | slug'\ntitle = '''{expression}'''\n"
        )
    };
    let out = "[types.note.fields]\nkey = \"text\"\ntitle = \"anything\"\n[types.note.write]\nplace = \"{key}.json\"\n";
    match place {
        File(name, profile) => {
            write("diaporos.toml", FILES);
            write("garden.toml", profile);
            write(name, bomb);
            vec![limited(&folder, &["pull"])]
        }
        Feed => {
            write(
                "diaporos.toml",
                "[systems.news]\nkind = \"feed\"\n[systems.news.feeds]\na = \"a.xml\"\nb = \"b.xml\"\n",
            );
            write("a.xml", bomb);
            write("b.xml", &rss("<item><guid>1</guid><title>good</title></item>"));
            let pulled = limited(&folder, &["pull"]);
            let entries = limited(&folder, &["entries"]);
            let rest = entries.1.contains("good").then_some(0);
            vec![pulled, (rest, format!("one feed stops the rest: {}", entries.1))]
        }
        Text(functions) => {
            write("diaporos.toml", &lane(&format!("title | {functions}"), ""));
            write("garden.toml", plain);
            write("out.toml", out);
            write("out/x", "");
            write("plants/1.json", &serde_json::json!({ "title": bomb }).to_string());
            write("plants/2.json", r#"{"title":"good"}"#);
            let pulled = limited(&folder, &["pull"]);
            let pushed = limited(&folder, &["push"]);
            let good = folder.path().join("out/plants-2.json").exists();
            let rest = (good.then_some(0), "one text stops the rest".to_owned());
            vec![pulled, pushed, rest]
        }
        OpenApi => {
            write("diaporos.toml", FILES);
            write("garden.toml", plain);
            write("api.yaml", bomb);
            vec![limited(&folder, &["init", "--from-openapi", "api.yaml", "--system", "garden"])]
        }
        Opml => {
            write("list.opml", bomb);
            vec![limited(&folder, &["init", "--from-opml", "list.opml", "--system", "news"])]
        }
        Profile => {
            write("diaporos.toml", FILES);
            write("garden.toml", bomb);
            vec![limited(&folder, &["check"])]
        }
        Config => {
            write("diaporos.toml", bomb);
            vec![limited(&folder, &["check"]), limited(&folder, &["check", "--format", "json"])]
        }
        Template => {
            write("diaporos.toml", &lane("title", "template = \"page.html\"\n"));
            write("garden.toml", plain);
            write("out.toml", out);
            write("out/x", "");
            write("page.html", bomb);
            write("plants/1.json", r#"{"title":"good"}"#);
            vec![
                limited(&folder, &["pull"]),
                limited(&folder, &["preview", "notes", "garden/plant/plants/1", "--html", "look.html"]),
            ]
        }
        Condition => {
            write("diaporos.toml", FILES);
            write("garden.toml", plain);
            write("plants/1.json", r#"{"title":"good"}"#);
            vec![limited(&folder, &["pull"]), limited(&folder, &["entries", "--where", bomb])]
        }
    }
}

#[test]
fn no_text_stops_the_hub() {
    let bombs = bombs();
    assert!(bombs.len() >= 40);
    let threads = std::thread::available_parallelism().map_or(2, usize::from);
    let failed: Vec<String> = std::thread::scope(|scope| {
        let shares: Vec<_> = bombs
            .chunks(bombs.len().div_ceil(threads))
            .map(|share| {
                scope.spawn(move || {
                    let mut failed = Vec::new();
                    for (name, place, bomb) in share {
                        for (code, said) in set_off(place, bomb) {
                            let told: String = said.chars().take(600).collect();
                            // Killed, aborted, or out of memory.
                            if code.is_none_or(|code| code >= 100)
                                || said.contains("panicked")
                                || said.contains("memory allocation")
                            {
                                failed.push(format!("{name}: {code:?} {told}"));
                            }
                            if said.len() > 2_000_000 {
                                failed.push(format!("{name}: {} bytes were printed", said.len()));
                            }
                        }
                    }
                    failed
                })
            })
            .collect();
        shares.into_iter().flat_map(|share| share.join().unwrap()).collect()
    });
    assert!(failed.is_empty(), "{}", failed.join("\n\n"));
}
