//! Standard Webhooks against packages that we did not write: each side signs, and each verifies what the other did.

use std::collections::BTreeMap;

use diaporos_core::hook::{Received, Scheme, sign, verify};
use jiff::{SignedDuration, Timestamp};
use serde_json::{Value as Json, json};

use crate::servers::answers;

const SECRET: &str = "whsec_MfKQ9r8GKYqrTwjUPD8ILPZIo2LaLaSw";
const OTHER: &str = "whsec_T3N0cmVsIEdhcmRlbnMgYXJlIG1hZGUgdXA=";
const BODY: &str = "{\"event\": \"saved\", \"id\": \"p-001 é\"}";

fn headers(id: &str, second: i64, signature: &str) -> BTreeMap<String, String> {
    [("webhook-id", id), ("webhook-timestamp", &second.to_string()), ("webhook-signature", signature)]
        .map(|(name, value)| (name.to_owned(), value.to_owned()))
        .into()
}

/// Ten calls: what is told of each, its headers and its body.
fn calls(now: i64) -> Vec<(&'static str, BTreeMap<String, String>, &'static str)> {
    let good = |second: i64| sign(SECRET, "e-1", second, BODY.as_bytes());
    let without = |name: &str| {
        let mut headers = headers("e-1", now, &good(now));
        headers.remove(name);
        headers
    };
    let two = format!("{} {}", sign(OTHER, "e-1", now, BODY.as_bytes()), good(now));
    vec![
        ("good", headers("e-1", now, &good(now)), BODY),
        ("one of two signatures", headers("e-1", now, &two), BODY),
        ("another secret", headers("e-1", now, &sign(OTHER, "e-1", now, BODY.as_bytes())), BODY),
        ("another body", headers("e-1", now, &good(now)), "{}"),
        ("another id", headers("e-2", now, &good(now)), BODY),
        ("too old", headers("e-1", now - 400, &good(now - 400)), BODY),
        ("yet to come", headers("e-1", now + 400, &good(now + 400)), BODY),
        ("no signature", without("webhook-signature"), BODY),
        ("no time", without("webhook-timestamp"), BODY),
        ("another version", headers("e-1", now, &good(now).replace("v1,", "v2,")), BODY),
    ]
}

fn ours(headers: &BTreeMap<String, String>, body: &str, now: i64) -> bool {
    let header = |name: &str| headers.get(name).map(String::as_str);
    let received = Received { header: &header, body: body.as_bytes(), now: Timestamp::from_second(now).unwrap() };
    verify(&Scheme::StandardWebhooks, &[SECRET], received, SignedDuration::from_mins(5)).is_ok()
}

#[test]
fn both_ways_with_two_packages() {
    let now = Timestamp::now().as_second();
    for (program, script) in [("node", "webhooks.mjs"), ("python", "webhooks.py")] {
        let cases: Vec<Json> = calls(now)
            .into_iter()
            .map(|(_, headers, body)| json!({ "secret": SECRET, "headers": headers, "body": body }))
            .collect();
        let Some(theirs) = answers(program, script, &cases) else { return };
        let verdicts: Vec<(&str, bool, bool)> = calls(now)
            .iter()
            .zip(&theirs)
            .map(|((what, headers, body), theirs)| (*what, theirs == "true", ours(headers, body, now)))
            .collect();
        assert_eq!(verdicts.len(), 10);
        assert!(verdicts.iter().all(|(_, theirs, ours)| theirs == ours), "{program}: {verdicts:?}");
        assert_eq!(verdicts.iter().filter(|(_, _, ours)| *ours).count(), 2, "{verdicts:?}");
        let signed = answers(program, script, &[json!({ "secret": SECRET, "id": "e-7", "second": now, "body": BODY })]);
        let signature = &signed.unwrap()[0];
        assert_eq!(*signature, sign(SECRET, "e-7", now, BODY.as_bytes()), "{program}");
        assert!(ours(&headers("e-7", now, signature), BODY, now), "{program}");
    }
}
