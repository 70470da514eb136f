//! Calls from outside, of the built program.

use std::io::{Read, Write};
use std::net::TcpStream;
use std::process::Stdio;

use diaporos_core::hook::sign;
use diaporos_demo::{Fault, Rule};
use serde_json::json;

use crate::harness::Hub;
use crate::serve::{Serving, is_off, shows};

const SECRET: &str = "whsec_T3N0cmVsIEdhcmRlbnMgYXJlIG1hZGUgdXA=";

/// A hub that is called, with its lanes pushed once.
pub(crate) fn called() -> Hub {
    let hub = Hub::new();
    let text = std::fs::read_to_string(hub.path().join("diaporos.toml")).unwrap();
    let hooks = "
[serve]
listen = \"127.0.0.1:0\"

[hooks.catalogue]
system  = \"catalogue\"
verify  = \"standard-webhooks\"
secrets = [\"file:secret\", \"file:old\"]
type    = \"$.type\"
id      = \"$.id\"
event   = \"$.event\"
only    = [\"saved\", \"deleted\"]

[hooks.news]
system    = \"bulletins\"
verify    = \"bearer\"
secrets   = \"file:token\"
rate      = \"1/h\"
max_bytes = 64
";
    hub.write("diaporos.toml", &format!("{text}{hooks}"));
    for (name, secret) in [("secret", SECRET), ("old", "whsec_b2xkZXIgc2VjcmV0"), ("token", "t0ken-of-news-4711")] {
        hub.write(name, secret);
    }
    hub.good(&["pull"]);
    hub.run(&["push"]).ends(3);
    hub.world.visitor_site.forget();
    hub.world.catalogue.forget();
    hub
}

/// Where a hub listens.
pub(crate) fn address(serving: &Serving<'_>) -> String {
    serving.says("listening at ");
    let said = serving.said();
    said.split("listening at ").nth(1).unwrap().lines().next().unwrap().to_owned()
}

/// Sends a request over a connection of its own, and gives the status, 0 where none came, and the body.
pub(crate) fn send(method: &str, url: &str, headers: &[(&str, &str)], body: &str) -> (u16, String) {
    let (host, path) = url.strip_prefix("http://").unwrap().split_once('/').unwrap();
    let headers: String = headers.iter().map(|(name, value)| format!("{name}: {value}\r\n")).collect();
    let request = format!(
        "{method} /{path} HTTP/1.1\r\nhost: {host}\r\nconnection: close\r\ncontent-length: {}\r\n{headers}\r\n{body}",
        body.len()
    );
    let answer = raw(host, &request);
    let status = answer.split(' ').nth(1).and_then(|status| status.parse().ok()).unwrap_or_default();
    (status, answer.split_once("\r\n\r\n").map_or(String::new(), |(_, body)| body.to_owned()))
}

/// What comes back for these very bytes; nothing where the connection fails.
pub(crate) fn raw(host: &str, request: &str) -> String {
    let exchange = || -> std::io::Result<String> {
        let mut stream = TcpStream::connect(host)?;
        stream.write_all(request.as_bytes())?;
        let mut answer = String::new();
        stream.read_to_string(&mut answer)?;
        Ok(answer)
    };
    exchange().unwrap_or_default()
}

/// Calls, and gives the status.
fn post(url: &str, headers: &[(&str, &str)], body: &str) -> u16 {
    send("POST", url, headers, body).0
}

/// Calls as the catalogue does.
pub(crate) fn call(at: &str, id: &str, body: &str) -> u16 {
    let second = jiff::Timestamp::now().as_second();
    let (signature, second) = (sign(SECRET, id, second, body.as_bytes()), second.to_string());
    let headers =
        [("webhook-id", id), ("webhook-timestamp", second.as_str()), ("webhook-signature", signature.as_str())];
    post(&format!("{at}/hooks/catalogue"), &headers, body)
}

pub(crate) fn saved(id: &str) -> String {
    json!({ "event": "saved", "type": "plant-profile", "id": id }).to_string()
}

#[test]
fn what_an_editor_saves_is_live_when_the_catalogue_calls() {
    let hub = called();
    let serving = Serving::begin(&hub, &[]);
    let at = address(&serving);
    hub.world.plants.edit_text("p-001", "common_name", "eng", "King of ferns");
    assert_eq!(call(&at, "e-1", &saved("p-001")), 202);
    hub.wait_until(|_| shows(&hub, "King of ferns"));
    let asked: Vec<String> = hub.world.catalogue.asked().iter().map(|asked| asked.path.clone()).collect();
    assert_eq!(asked, ["/v1/entries/p-001"], "that entry alone was read");
    assert_eq!(call(&at, "e-1", &saved("p-002")), 202, "the same id is the same call");
    assert_eq!(call(&at, "e-2", r#"{"event": "viewed", "type": "plant-profile", "id": "p-003"}"#), 202);
    std::thread::sleep(std::time::Duration::from_millis(500));
    assert_eq!(hub.world.catalogue.asked().len(), 1, "neither is looked at");
    hub.world.plants.delete("p-002");
    assert_eq!(call(&at, "e-3", r#"{"event": "deleted", "type": "plant-profile", "id": "p-002"}"#), 202);
    hub.wait_until(|_| is_off(&hub, "Hart's-tongue Fern"));
    let said = serving.end();
    assert!(said.contains("called, and pulled catalogue/plant-profile/p-002: gone"), "{said}");
    hub.nothing_is_doubled();
}

#[test]
fn a_hook_is_a_hint_and_never_the_truth() {
    let hub = called();
    let serving = Serving::begin(&hub, &[]);
    let at = address(&serving);
    assert_eq!(call(&at, "e-1", r#"{"event": "deleted", "type": "plant-profile", "id": "p-001"}"#), 202);
    hub.wait_until(|world| !world.catalogue.asked().is_empty());
    // It calls before it shows what it calls about.
    hub.world.plants.edit_text("p-001", "common_name", "eng", "King of ferns");
    hub.wait_until(|_| shows(&hub, "King of ferns"));
    // Everything is said to be missing: that is not believed.
    hub.world.catalogue.fail(Rule::always(Fault::Status { status: 404 }));
    assert_eq!(call(&at, "e-2", r#"{"event": "deleted", "type": "plant-profile", "id": "p-001"}"#), 202);
    serving.says("called, and kept catalogue/plant-profile/p-001");
    hub.world.catalogue.mend();
    serving.end();
    assert!(shows(&hub, "King of ferns"));
}

#[test]
fn who_calls_otherwise_is_told_so_and_counted() {
    let hub = called();
    let serving = Serving::begin(&hub, &[]);
    let at = address(&serving);
    let news = format!("{at}/hooks/news");
    let token = [("authorization", "Bearer t0ken-of-news-4711")];
    assert_eq!(post(&format!("{at}/hooks/nothing"), &token, ""), 404);
    assert_eq!(post(&news, &[("authorization", "Bearer guess")], ""), 401);
    assert_eq!(post(&news, &token, &"x".repeat(65)), 413);
    assert_eq!(post(&news, &token, ""), 202);
    assert_eq!(post(&news, &token, ""), 429);
    assert_eq!(call(&at, "e-1", "<html>"), 422);
    let second = jiff::Timestamp::now().as_second() - 400;
    let signature = sign(SECRET, "e-2", second, b"{}");
    let late = [("webhook-id", "e-2"), ("webhook-timestamp", &second.to_string()), ("webhook-signature", &signature)];
    assert_eq!(post(&format!("{at}/hooks/catalogue"), &late, "{}"), 401);
    let body = saved("p-001");
    let now = jiff::Timestamp::now().as_second();
    let old = sign("whsec_b2xkZXIgc2VjcmV0", "e-3", now, body.as_bytes());
    let rotated = [("webhook-id", "e-3"), ("webhook-timestamp", &now.to_string()), ("webhook-signature", &old)];
    assert_eq!(post(&format!("{at}/hooks/catalogue"), &rotated, &body), 202, "the older secret counts still");
    assert_eq!(send("GET", &news, &[], "").0, 405);
    assert_eq!(send("GET", &format!("{at}/healthz"), &[], ""), (200, "ok\n".to_owned()));
    let said = serving.end();
    assert!(!said.contains("t0ken-of-news") && !said.contains(SECRET), "{said}");
}

#[test]
fn what_was_answered_with_success_outlives_any_crash() {
    let hub = called();
    let ids: Vec<String> = (1..=20).map(|number| format!("p-{number:03}")).collect();
    for (place, id) in ids.iter().enumerate() {
        hub.world.plants.edit_text(id, "common_name", "eng", &format!("Fern number {place}"));
    }
    let mut taken = std::collections::BTreeSet::new();
    for round in 0..12 {
        let serving = Serving::begin(&hub, &[]);
        let at = address(&serving);
        let calls: Vec<_> = (0..40)
            .map(|number| {
                let (at, id) = (at.clone(), ids[(round * 7 + number) % ids.len()].clone());
                std::thread::spawn(move || (call(&at, &format!("e-{round}-{number}"), &saved(&id)), id))
            })
            .collect();
        std::thread::sleep(std::time::Duration::from_millis(10 + 17 * u64::try_from(round).unwrap()));
        // Killed, with whatever it did.
        drop(serving);
        taken.extend(
            calls.into_iter().map(|call| call.join().unwrap()).filter(|(status, _)| *status == 202).map(|(_, id)| id),
        );
    }
    assert!(taken.len() > 5, "{taken:?}");
    let serving = Serving::begin(&hub, &[]);
    let place = |id: &String| ids.iter().position(|known| known == id).unwrap();
    let goes = |id: &String| hub.good(&["explain", &format!("catalogue/plant-profile/{id}")]).contains("goes");
    let expected: Vec<String> =
        taken.iter().filter(|id| goes(id)).map(|id| format!("Fern number {}", place(id))).collect();
    hub.wait_until(|world| {
        let rows = world.pages.rows();
        expected.iter().filter(|heading| rows.iter().any(|page| page["heading"] == heading.as_str())).count() + 4
            >= expected.len()
    });
    serving.end();
    let open = hub.in_store("SELECT count(*) FROM hook_event WHERE done IS NULL AND looks = 0");
    assert_eq!(open, ["0"], "each was looked at");
    hub.nothing_is_doubled();
}

#[test]
fn a_secret_that_cannot_be_had_is_named_before_anything_runs() {
    let hub = called();
    std::fs::remove_file(hub.path().join("old")).unwrap();
    let ran = hub.command(&["serve"]).stdin(Stdio::null()).output().unwrap();
    let said = String::from_utf8_lossy(&ran.stderr).into_owned();
    assert!(ran.status.code() == Some(2) && said.contains("old"), "{said}");
}
