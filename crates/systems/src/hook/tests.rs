use diaporos_core::diagnostic::Source;
use diaporos_core::settings::read_toml;
use jiff::Timestamp;

use super::*;
use crate::SecretReference;

/// A hook with these settings besides; or what is wrong with them.
fn hook_of(lines: &str) -> Result<Hook, String> {
    let text = format!("system = \"catalogue\"\n{lines}\n");
    let (read, report) = read_toml(Source { name: "hook".to_owned(), text }, &HOOK, |table, report| {
        table.text("system", report);
        hook(table, report)
    });
    match read {
        Some(settings) if !report.has_errors() => {
            let secret = |reference: &SecretReference| Secret::new(reference.clone(), "t0ken-of-tests".to_owned());
            let secrets = settings.secrets.iter().map(secret).collect();
            Ok(Hook::new(settings, secrets))
        }
        _ => Err(report.findings.into_iter().map(|found| found.message).collect::<Vec<_>>().join("; ")),
    }
}

const BEARER: &str = "verify = \"bearer\"\nsecrets = \"env:HOOK\"\n";

fn call(lines: &str, body: &str) -> Result<HookCall, HookError> {
    let hook = hook_of(&format!("{BEARER}{lines}")).unwrap();
    let header = |name: &str| match name {
        "authorization" => Some("Bearer t0ken-of-tests"),
        "x-delivery" => Some("d-7"),
        _ => None,
    };
    hook.read(Received { header: &header, body: body.as_bytes(), now: Timestamp::UNIX_EPOCH })
}

fn named(lines: &str, body: &str) -> Vec<String> {
    match call(lines, body).unwrap().names {
        Named::Entries(entries) => entries.iter().map(|(kind, id)| format!("{kind}/{id}")).collect(),
        other => vec![format!("{other:?}")],
    }
}

#[test]
fn what_a_call_names() {
    let body = r#"{"event": "entry.saved", "entry": {"type": "plant", "id": "p-1"}, "others": [{"id": 7}, {"id": 8}]}"#;
    assert_eq!(named("of = \"plant-profile\"\nid = \"$.entry.id\"", body), ["plant-profile/p-1"]);
    let mapped = "type = \"$.entry.type\"\ntypes = { plant = \"plant-profile\" }\nid = \"$.others[*].id\"";
    assert_eq!(named(mapped, body), ["plant-profile/7", "plant-profile/8"]);
    assert_eq!(named("type = \"$.entry.type\"\nid = \"$.entry.id\"", body), ["plant/p-1"]);
    assert_eq!(named("", "not JSON, and not read"), ["Everything"]);
    assert_eq!(named("event = \"$.event\"\nonly = [\"entry.saved\"]", body), ["Everything"]);
    assert_eq!(named("event = \"$.event\"\nonly = [\"entry.deleted\"]", body), ["Nothing"]);
    let of_header = call("event_id = \"header:X-Delivery\"\nevent = \"$.event\"", body).unwrap();
    assert_eq!((of_header.id.as_deref(), of_header.event.as_deref()), (Some("d-7"), Some("entry.saved")));
    assert_eq!(call("event_id = \"$.entry.id\"", body).unwrap().id.as_deref(), Some("p-1"));
}

#[test]
fn calls_that_make_no_sense() {
    let lines = "type = \"$.type\"\nid = \"$.id\"";
    for (body, told) in [
        ("<html>", "its body is no JSON"),
        ("{}", "it names no type at `$.type`"),
        (r#"{"type": "a/b", "id": "x"}"#, "its type cannot be one"),
        (r#"{"type": "plant"}"#, "it names no entry at `$.id`"),
        (r#"{"type": "plant", "id": {"of": 1}}"#, "is no id"),
        (r#"{"type": "plant", "id": ""}"#, "its id cannot be one"),
    ] {
        let error = call(lines, body).unwrap_err().to_string();
        assert!(error.contains(told), "{body}: {error}");
    }
    let other = hook_of(BEARER).unwrap();
    let refused = other.read(Received { header: &|_| Some("Bearer x"), body: b"", now: Timestamp::UNIX_EPOCH });
    assert_eq!(refused, Err(HookError::Refused(Refused::OtherSecret)));
}

#[test]
fn settings_that_make_no_sense() {
    for (lines, told) in [
        ("verify = \"bearer\"", "needs the key `secrets`"),
        ("verify = \"bearer\"\nsecrets = \"hunter2-hunter2\"", "a secret stands in the configuration"),
        ("secrets = \"env:A\"", "needs the key `verify`"),
        ("verify = \"hmac\"\nsecrets = \"env:A\"", "needs the key `header`"),
        ("verify = \"trust\"\nsecrets = \"env:A\"", "`trust` is not a way"),
        ("verify = \"basic\"\nsecrets = \"env:A\"\nof = \"plant\"\ntype = \"$.t\"", "`of` or `type`"),
        ("verify = \"basic\"\nsecrets = \"env:A\"\nid = \"entry.id\"", "not a JSONPath"),
        ("verify = \"basic\"\nsecrets = \"env:A\"\nevent_id = \"id\"", "neither a JSONPath nor"),
        ("verify = \"basic\"\nsecrets = \"env:A\"\nrate = \"often\"", "not a rate"),
    ] {
        let found = hook_of(lines).err().unwrap_or_default();
        assert!(found.contains(told), "{lines}: {found}");
    }
    assert!(hook_of("verify = \"standard-webhooks\"\nsecrets = [\"env:A\", \"file:b\"]").is_ok());
}
