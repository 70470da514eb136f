use indexmap::IndexMap;
use serde_json::json;

use super::*;
use crate::expr::{Library, compile, parse};
use crate::lane::{FieldExpression, TypeRef};
use crate::plan::GonePolicy;
use crate::value::{LaneName, TypeName, to_json};

fn lane(texts: &[&str]) -> Lane {
    let library = Library { languages: vec!["en".parse().unwrap(), "fr".parse().unwrap()], ..Library::default() };
    let mut slots = Slots::default();
    let mut fields = IndexMap::new();
    for text in texts {
        let tree = parse(text).unwrap();
        let program = compile(&tree, None, &library, &mut slots).0.unwrap();
        fields.insert((*text).to_owned(), FieldExpression { text: (*text).to_owned(), tree, program });
    }
    let end = |system: &str, kind: &str| TypeRef {
        system: SystemName::new(system).unwrap(),
        kind: TypeName::new(kind).unwrap(),
    };
    Lane {
        name: LaneName::new("l").unwrap(),
        from: end("s", "plant"),
        to: end("d", "page"),
        key: None,
        language: None,
        when: None,
        require: vec![],
        protect: vec![],
        gone: GonePolicy::Keep,
        changed_there: crate::change::MergePolicies::default(),
        references: crate::lane::ReferencePolicy::default(),
        fields,
        defaults: IndexMap::new(),
        slots,
        library: library.into(),
    }
}

fn read(source: Option<&EntryType>, line: &str) -> String {
    let lane = lane(&["name", "by", "size", "id"]);
    match LineReader::new(&lane, source).read(line.as_bytes(), 7) {
        Err(message) => message,
        Ok(Line { address, state, values }) => {
            let kinds = values.iter().map(|value| format!("{} {}", value.kind_name(), to_json(value)));
            format!("{address} {} | {}", state.word(), kinds.collect::<Vec<_>>().join(" | "))
        }
    }
}

#[test]
fn lines_become_entries() {
    let lines = [
        r#"{"id": "p-1", "state": "draft", "name": {"en": "Fern", "fr": null}, "by": "c-1", "other": {"deep": [1]}}"#,
        r#"{"name": {"en": "Fern", "de": "Farn"}, "size": {"w": 1.5, "h": 18446744073709551615}}"#,
        r#"{"id": 12, "state": "odd", "name": {}, "by": ["s/curator/c-1", "c-2"]}"#,
        r#"{"id": "", "name": 1}"#,
        r#"{"name": "x""#,
        r#"{"name": "x"} {"#,
        r#"["x"]"#,
        "nothing",
    ];
    let unknown = lines.map(|line| read(None, line)).join("\n");
    let field = |kind, localised| Field { kind, localised, ..Field::default() };
    let fields = [
        ("name", field(FieldKind::Text, true)),
        ("by", field(FieldKind::Reference(TypeName::new("curator").unwrap()), false)),
        ("size", field(FieldKind::Record, false)),
    ];
    let declared = EntryType { fields: fields.into_iter().map(|(name, field)| (name.to_owned(), field)).collect() };
    let known = lines.map(|line| read(Some(&declared), line)).join("\n");
    insta::assert_snapshot!(format!("{unknown}\n\ndeclared:\n{known}"));
    let record = read(Some(&declared), &json!({ "size": { "en": 1, "fr": 2 } }).to_string());
    assert!(record.contains("record {\"en\":1,\"fr\":2}"), "a record whose members look like languages: {record}");
}

#[test]
fn what_is_not_utf8_is_told_by_its_place() {
    let lane = lane(&["name"]);
    let told = LineReader::new(&lane, None).read(b"{\"name\": \"\xff\"}", 1).unwrap_err();
    assert_eq!(told, "it is not UTF-8 at byte 11");
}
