use super::*;
use crate::http::Body;
use crate::http::Credential;
use crate::rest::Rest;
use crate::settings::usual_limits;
use crate::{Kind, Secret, SecretReference, read_profile};
use diaporos_core::diagnostic::Source;
use diaporos_core::plan::Presence;
use diaporos_core::value::SystemName;
use diaporos_core::value::{Record, Value, from_stored};
use serde_json::json;

const CALLS: &str = r#"find = "GET /pages?slug={key}&lang={language}"
found = "$.pages[*]"
read = "GET /pages/{id}"
create = { call = "POST /pages", body = { status = "live" } }
update = "PUT /pages/{id}"
withdraw = { call = "POST /pages/{id}/hide", body = { why = "gone" } }
delete = "DELETE /pages/{id}"
id = "$.id"
revision = "$.version"
if_match = '"{revision}"'
withdrawn = { at = "$.status", words = ["hidden"] }
"#;

fn writer(languages: &str) -> RestWriter {
    writer_by(CALLS, languages)
}

fn writer_by(calls: &str, languages: &str) -> RestWriter {
    let text = format!(
        "[types.page.fields]\nheading = {{ kind = \"text\", localised = true }}\n[types.page.write]\n{calls}{languages}\n"
    );
    let (profile, report) = read_profile(Source { name: "p".into(), text }, Rest.profile_rules().unwrap());
    assert_eq!(report.findings, []);
    let codes = [("eng", "en"), ("fra", "fr")].map(|(code, tag)| (code.to_owned(), tag.parse().unwrap()));
    let secret = Secret::new(SecretReference::Variable("T".into()), "hush".into());
    over_http(profile.unwrap(), LanguageCodes::new(codes.into()), Some(Credential::Bearer(secret)))
}

fn over_http(profile: Profile, languages: LanguageCodes, credential: Option<Credential>) -> RestWriter {
    let (name, url) = (SystemName::new("site").unwrap(), "http://site.example/api/".parse().unwrap());
    RestWriter::new(HttpSystem { name, url, profile, languages, credential, limits: usual_limits() }).unwrap()
}

fn kind() -> TypeName {
    TypeName::new("page").unwrap()
}

fn drawn(writer: &RestWriter, order: &Order) -> String {
    match writer.request(&kind(), order) {
        Err(error) => error.to_string(),
        Ok(request) => {
            let headers: Vec<&str> = request.headers.iter().map(|(name, _)| name.as_str()).collect();
            let body = match &request.body {
                Some(Body::Json(json, _)) => json.to_string(),
                _ => String::new(),
            };
            format!("{} {} {} {body}", request.method.word(), request.url, headers.join(" "))
        }
    }
}

fn fields(json: Json) -> Record {
    let Ok(Value::Record(record)) = from_stored(json) else { panic!() };
    record
}

#[test]
fn orders_as_requests_in_each_shape_of_languages() {
    let id = EntryId::new("a b/7").unwrap();
    let revision = Revision::new("3").ok();
    let plain = fields(json!({ "heading": "Fern" }));
    let localised = fields(json!({ "heading": { "@languages": { "en": "Fern", "fr": "Fougère" } } }));
    let welsh = fields(json!({ "heading": { "@languages": { "cy": "Rhedyn" } } }));
    let create = |fields: &Record, language: Option<&str>, item: Option<&str>| Order::Create {
        key: None,
        fields: fields.clone(),
        language: language.map(|tag| tag.parse().unwrap()),
        item: item.map(|item| EntryId::new(item).unwrap()),
    };
    let (map, row) = (writer(""), writer("languages = { shape = \"row\", language = \"lang\", item = \"item\" }"));
    let drawn = [
        drawn(&map, &create(&localised, None, None)),
        drawn(&map, &create(&welsh, None, None)),
        drawn(&row, &create(&plain, Some("fr"), None)),
        drawn(&row, &create(&plain, Some("fr"), Some("12"))),
        drawn(&row, &create(&plain, Some("cy"), None)),
        drawn(
            &row,
            &Order::Update { id: id.clone(), revision: revision.clone(), fields: plain.clone(), language: None },
        ),
        drawn(&row, &Order::Update { id: id.clone(), revision: None, fields: plain, language: None }),
        drawn(&row, &Order::Withdraw { id: id.clone(), revision: revision.clone() }),
        drawn(&row, &Order::Delete { id, revision }),
    ];
    insta::assert_snapshot!(drawn.join("\n"));
}

#[test]
fn documents_as_the_hub_sees_them() {
    let map = writer("");
    let write = map.write_type(&kind()).unwrap();
    let document = json!({ "id": 7, "version": 3, "status": "hidden", "heading": { "eng": "Fern", "fra": "Fougère" }, "banner": { "x": 1 } });
    let existing = map.existing(&kind(), write, (&document, ""), None).unwrap();
    assert_eq!((existing.id.as_str(), existing.revision.unwrap().as_str()), ("7", "3"));
    assert_eq!(existing.presence, Presence::Withdrawn);
    let localised = fields(json!({ "h": { "@languages": { "en": "Fern", "fr": "Fougère" } } }));
    assert_eq!(existing.fields["heading"], localised["h"]);
    assert!(matches!(existing.fields["banner"], Value::Record(_)), "what is not localised by the type is not read so");
    for broken in [json!({}), json!([]), json!({ "id": { "a": 1 } })] {
        assert!(map.existing(&kind(), write, (&broken, ""), None).is_err(), "{broken}");
    }
}

#[test]
fn languages_at_addresses_of_their_own_and_as_elements() {
    let calls = r#"find = "GET /pages?slug={key}&lang={language}"
found = "$[*]"
read = "GET /pages/{id}/{language}"
create = "POST /pages?lang={language}"
add = "PUT /pages/{id}/{language}"
update = "PATCH /pages/{id}/{language}"
id = "$.id"
"#;
    let address = writer_by(calls, "languages = { shape = \"address\" }");
    let french = Some("fr".parse().unwrap());
    let plain = fields(json!({ "heading": "Fougère" }));
    let create = |item: Option<&str>| Order::Create {
        fields: plain.clone(),
        language: french.clone(),
        item: item.map(|item| EntryId::new(item).unwrap()),
        key: None,
    };
    let update = Order::Update {
        id: EntryId::new("7/fra").unwrap(),
        revision: None,
        fields: plain.clone(),
        language: french.clone(),
    };
    for (order, expected) in [
        (create(None), "POST http://site.example/api/pages?lang=fra"),
        (create(Some("7")), "PUT http://site.example/api/pages/7/fra"),
        (update, "PATCH http://site.example/api/pages/7/fra"),
    ] {
        let request = address.request(&kind(), &order).unwrap();
        assert_eq!(format!("{} {}", request.method.word(), request.url), expected);
    }
    let write = address.write_type(&kind()).unwrap();
    let found = address.existing(&kind(), write, (&json!({ "id": 7, "heading": "Fougère" }), "fra"), None).unwrap();
    assert_eq!((found.id.as_str(), found.item.unwrap().as_str()), ("7/fra", "7"));

    let nodes = writer("languages = { shape = \"xml\", element = \"t\", attribute = \"l\" }");
    let localised = fields(json!({ "heading": { "@languages": { "en": "Fern & moss", "fr": "Fougère" } } }));
    let order = Order::Create { fields: localised.clone(), language: None, item: None, key: None };
    let Some(Body::Json(body, _)) = nodes.request(&kind(), &order).unwrap().body else { panic!("a body") };
    assert_eq!(body["heading"], "<t l=\"eng\">Fern &amp; moss</t><t l=\"fra\">Fougère</t>");
    let write = nodes.write_type(&kind()).unwrap();
    let found = nodes.existing(&kind(), write, (&json!({ "id": 7, "heading": body["heading"] }), ""), None).unwrap();
    assert_eq!(found.fields["heading"], localised["heading"]);
}

const NESTED: &str = r#"document = "$.data"
fields_at = "$.attributes"
find = "GET /pages?slug={key}"
found = "$.data[*]"
read = "GET /pages/{id}"
create = { call = "POST /pages", body = { type = "page", flags = { seen = true, rank = 3 } } }
update = "PATCH /pages/{id}"
id = "$.id"
"#;

fn nested() -> RestWriter {
    let fields = "[types.page.fields]\nslug = \"text\"\nheight = { kind = \"integer\", at = \"$.size.height\" }\n";
    let text = format!("{fields}[types.page.write]\n{NESTED}\n");
    let (profile, report) = read_profile(Source { name: "p".into(), text }, Rest.profile_rules().unwrap());
    assert_eq!(report.findings, []);
    over_http(profile.unwrap(), LanguageCodes::default(), None)
}

#[test]
fn fields_stand_where_they_are_read_for_requests_and_answers_alike() {
    let site = nested();
    let fields = fields(json!({ "slug": "fern", "height": 3 }));
    let order = Order::Create { fields: fields.clone(), language: None, item: None, key: None };
    let Some(Body::Json(body, _)) = site.request(&kind(), &order).unwrap().body else { panic!("a body") };
    let document = json!({ "type": "page", "flags": { "seen": true, "rank": 3 }, "attributes": { "slug": "fern" }, "size": { "height": 3 } });
    assert_eq!(body, json!({ "data": document }), "fixed members are of any kind");
    let mut there = document.clone();
    there["id"] = json!(7);
    let write = site.write_type(&kind()).unwrap();
    let found = site.existing(&kind(), write, (&there, ""), None).unwrap();
    assert!(found.holds(&fields) && found.has_key("slug", "fern") == Some(true), "{found:?}");
    assert_eq!(found.has_key("slug", "moss"), Some(false));
    let update = Order::Update { id: found.id, revision: None, fields, language: None };
    assert!(site.request(&kind(), &update).unwrap().within_whole, "what stands beside ours is sent back");
}

/// Only an answer that shows the document counts.
#[test]
fn what_an_answer_shows() {
    let site = writer("");
    let write = site.write_type(&kind()).unwrap();
    let create = Order::Create { fields: fields(json!({ "heading": "Fern" })), language: None, item: None, key: None };
    let id = EntryId::new("7").unwrap();
    let update = Order::Update { id: id.clone(), revision: None, fields: fields(json!({})), language: None };
    let delete = Order::Delete { id, revision: None };
    for (order, status, body, expected) in [
        (&create, 201, r#"{"id": 7, "heading": "Fern"}"#, "7 shown"),
        (&create, 201, r#"{"id": 7}"#, "7"),
        (&create, 200, "<html>Please sign in</html>", "doubt"),
        (&create, 204, "", "doubt"),
        (&create, 201, "", "doubt"),
        (&create, 200, "{}", "doubt"),
        (&update, 200, r#"{"id": 7}"#, "7"),
        (&update, 204, "", "7"),
        (&update, 200, "", "doubt"),
        (&update, 200, "{}", "doubt"),
        (&update, 200, r#"{"id": 8}"#, "doubt"),
        (&update, 200, "<html></html>", "doubt"),
        (&delete, 204, "", "7"),
        (&delete, 200, "", "doubt"),
    ] {
        let answer = Answer::new(status, Vec::new(), body.as_bytes().to_vec());
        let told = match site.written(&kind(), write, order, &answer) {
            Ok(written) => {
                format!("{}{}", written.id.unwrap(), if written.fields.is_some() { " shown" } else { "" })
            }
            Err(error) => {
                assert!(error.kind.leaves_doubt(), "{error}");
                "doubt".to_owned()
            }
        };
        assert_eq!(told, expected, "{order:?} {status} {body}");
    }
}

#[test]
fn a_system_that_renumbers_keeps_its_own_number() {
    let calls = CALLS.replace("POST /pages\"", "PUT /pages/{key}\"");
    let site = writer_by(&calls, "");
    let write = site.write_type(&kind()).unwrap();
    let key = Some("fern".to_owned());
    let order = Order::Create { fields: fields(json!({ "heading": "Fern" })), language: None, item: None, key };
    let answer = |body: &str| Answer::new(201, Vec::new(), body.as_bytes().to_vec());
    let renumbered = site.written(&kind(), write, &order, &answer(r#"{"id": "fern-2", "heading": "Fern "}"#)).unwrap();
    assert_eq!(renumbered.id.unwrap().as_str(), "fern-2");
    assert!(site.written(&kind(), write, &order, &answer(r#"{"id": "home", "heading": "Welcome"}"#)).is_err());
}

#[test]
fn weak_tags_guard_nothing_and_are_not_sent() {
    let calls = CALLS.replace("\"$.version\"", "\"etag\"").replace("'\"{revision}\"'", "\"{revision}\"");
    let site = writer_by(&calls.replace("PUT", "PATCH"), "");
    let revision = |text: &str| Revision::new(text).ok();
    for (tag, guards) in [("\"3\"", true), ("W/\"3\"", false)] {
        let (id, revision) = (EntryId::new("7").unwrap(), revision(tag));
        assert_eq!(site.guards(&kind(), revision.as_ref()), guards);
        let order = Order::Update { id, revision, fields: fields(json!({})), language: None };
        let request = site.request(&kind(), &order).unwrap();
        assert_eq!(request.headers.iter().any(|(name, _)| name == "if-match"), guards);
        assert!(request.headers.iter().any(|(name, _)| name == "accept-encoding"), "a compressed answer's tag is weak");
    }
    assert!(!site.guards(&kind(), None));
}
