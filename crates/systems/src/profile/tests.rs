use super::*;
use crate::Kind;

fn findings(text: &str) -> String {
    let source = Source { name: "profiles/p.toml".to_owned(), text: text.to_owned() };
    let (_, report) = read_profile(source, crate::rest::Rest.profile_rules().unwrap());
    let line = |finding: &Diagnostic| {
        let (line, column) = report.source.position(finding.span.start);
        let help = finding.help.as_deref().map_or(String::new(), |help| format!(" ({help})"));
        format!("{line}:{column} {} {}{help}", finding.code, finding.message)
    };
    report.findings.iter().map(line).collect::<Vec<_>>().join("\n")
}

#[test]
fn every_fault_is_reported_in_one_pass() {
    let text = r#"
[types.page]

[types.plant.read]
list = "/entries"
itmes = "$.entries[*]"
items = "$.entries[*"
state = "$.status"
states = { published = "alive" }
[types.plant.read.paging]
style = "pages"
[types.plant.fields]
name = "txt"
curator = "reference"
by = { kind = "reference" }
height = { kind = "integer", max_length = 0 }

[types.post.write]
find = "GET /posts?slug={slug}"
create = "CREATE /posts"
update = "PUT"
id = "$.id"
if_match = "x"
languages = { shape = "rows" }
"#;
    insta::assert_snapshot!(findings(text));
}

#[test]
fn a_file_that_is_not_toml() {
    insta::assert_snapshot!(findings("[types.page\nx = "));
    assert!(findings("").starts_with("1:1 key/missing the file needs the key `types` (for example `types = {"));
}

#[test]
fn what_cannot_be_written_is_a_fault() {
    let profile = r#"
[types.page.fields]
height = { kind = "integer", at = "$.sizes[*].height" }
width = { kind = "integer", at = "$.size.width" }
[types.page.read]
list = "/p"
items = "$[*]"
id = "$.id"
fields_at = "$..fields"
[types.page.write]
read = "GET /p/{id}"
create = "POST /p"
update = "PATCH /p/{id}"
id = "$.id"
"#;
    let told = findings(profile);
    assert!(told.contains("`height` stands at `$.sizes[*].height`, and nothing can be written there"), "{told}");
    assert!(told.contains("`fields_at` stands at `$..fields`") && !told.contains("width"), "{told}");
    assert!(findings(&profile.replace("$..fields", "$.fields").replace("[*]", "")).is_empty());
}
