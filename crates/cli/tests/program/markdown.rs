//! Markdown that is translated: what is no text stays as it is, byte for byte.

use serde_json::json;

use crate::harness::{hub_of, run};

const CONFIG: &str = r#"
[systems.files]
kind    = "files"
folder  = "content"
profile = "profiles/files.toml"

[briefs.pages]
type   = "files/page"
fields = ["body"]
from   = "en"
into   = ["fr"]
folder = "handover"
"#;

const PROFILE: &str = r#"
[types.page.fields]
body = { kind = "markdown", localised = true }

[types.page.read]
files = "*.jsonl"
id    = "$.id"
"#;

const SOURCE: &str = "---\nshelf: north\n---\n\n# A ~~rare~~ fern {#fern}\n\n> It drinks H<sub>2</sub>O\n> all day[^1].\n\n\
    | Name | Height |\n|:-----|-------:|\n| Moss | `2 cm` |\n\n```rust,ignore\nlet fern = 1;\n```\n\n\
    See [the *page*][page], {{ user_name }}.\n\n[page]: /p \"A page\"\n[^1]: In summer.\n";

const TARGET: &str = "---\nshelf: north\n---\n\n# Une fougère ~~rare~~ {#fern}\n\n> Elle boit de l'H<sub>2</sub>O tout le jour[^1].\n\n\
    | Nom | Taille |\n|:-----|-------:|\n| Mousse | `2 cm` |\n\n```rust,ignore\nlet fern = 1;\n```\n\n\
    Voir [la *page*][page], {{ user_name }}.\n\n[page]: /p \"Une page\"\n[^1]: \\- En été\\_\n";

#[test]
fn only_its_text_is_translated() {
    let entry = json!({ "id": "fern", "body": { "en": SOURCE } }).to_string();
    let folder =
        hub_of(&[("diaporos.toml", CONFIG), ("profiles/files.toml", PROFILE), ("content/pages.jsonl", &entry)]);
    let good = |args: &[&str]| run(folder.path(), args, &[]).ends(0).stdout;
    good(&["pull"]);
    good(&["batch", "make", "pages"]);
    good(&["batch", "send", "pages-1", "--as", "csv"]);
    let out = std::fs::read_to_string(folder.path().join("handover/out/pages-1.fr.csv")).unwrap();
    let mut lines = csv::Reader::from_reader(out.as_bytes());
    let headings = lines.headers().unwrap().clone();
    let mut back = csv::Writer::from_writer(Vec::new());
    back.write_record(&headings).unwrap();
    for line in lines.records() {
        let mut cells: Vec<String> = line.unwrap().iter().map(str::to_owned).collect();
        let target = match cells[0].as_str() {
            "A <1>rare</1> fern" => "Une fougère <1>rare</1>",
            "It drinks H<1>2</1>O all day<2/>." => "Elle boit de l'H<1>2</1>O tout le jour<2/>.",
            "Name" => "Nom",
            "Height" => "Taille",
            "Moss" => "Mousse",
            "See <1>the <2>page</2></1>, <3/>." => "Voir <1>la <2>page</2></1>, <3/>.",
            "A page" => "Une page",
            "In summer." => "- En été_",
            other => panic!("{other}"),
        };
        cells[1] = target.to_owned();
        back.write_record(&cells).unwrap();
    }
    std::fs::write(folder.path().join("back.csv"), back.into_inner().unwrap()).unwrap();
    good(&["batch", "collect", "pages-1", "--from", "back.csv"]);
    let shown: serde_json::Value =
        serde_json::from_str(&good(&["show", "files/page/fern", "--format", "json"])).unwrap();
    assert_eq!(shown["fields"]["body"]["fr"], TARGET);
}
