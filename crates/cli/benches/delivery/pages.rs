//! A hub with one lane, of small entries in a file to pages of a site.

use std::fmt::Write as _;
use std::fs;
use std::path::Path;

const DEPOT: &str = r#"
[types.plant.read]
files  = "plants.jsonl"
id     = "$.id"
absent = "kept"
"#;
const SITE: &str = r#"
[types.page.fields]
slug  = { kind = "text", required = true }
title = { kind = "text" }
body  = { kind = "text" }

[types.page.write]
find     = "GET /pages/{key}"
found    = "$"
read     = "GET /pages/{id}"
create   = "PUT /pages/{key}"
update   = "PATCH /pages/{id}"
withdraw = "POST /pages/{id}/hide"
id       = "$.slug"
revision = "etag"
if_match = "{revision}"
"#;

/// Begins a hub in a folder.
pub(crate) fn begin(hub: &Path) {
    fs::create_dir(hub.join("data")).unwrap();
    fs::write(hub.join("depot.toml"), DEPOT).unwrap();
    fs::write(hub.join("site.toml"), SITE).unwrap();
}

/// Writes the configuration of a lane to a site at that address.
pub(crate) fn configure(hub: &Path, site: &str, max_in_flight: usize, title: &str) {
    let text = format!(
        r#"
[systems.depot]
kind    = "files"
folder  = "data"
profile = "depot.toml"

[systems.site]
kind        = "rest"
url         = "{site}"
profile     = "site.toml"
concurrency = {max_in_flight}

[lanes.pages]
from  = "depot/plant"
to    = "site/page"
match = "slug"

[lanes.pages.fields]
slug  = 'id'
title = '{title}'
body  = 'body'
"#
    );
    fs::write(hub.join("diaporos.toml"), text).unwrap();
}

/// Small entries; those of another pass differ in their text.
pub(crate) fn source(hub: &Path, entries: usize, pass: u64) {
    let mut text = String::with_capacity(entries * 160);
    for n in 0..entries {
        writeln!(text, "{{\"id\":\"p-{n}\",\"title\":\"Fern number {n}\",\"body\":\"A fern of the Ostrel Glasshouse, seen in pass {pass}, by the pond, all year round.\"}}").unwrap();
    }
    fs::write(hub.join("data/plants.jsonl"), text).unwrap();
}
