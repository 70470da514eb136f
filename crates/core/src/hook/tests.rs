use std::collections::BTreeMap;

use jiff::{SignedDuration, Timestamp};
use proptest::prelude::*;

use super::*;

const WITHIN: SignedDuration = SignedDuration::from_mins(5);
const BODY: &[u8] = br#"{"entry":"p-001"}"#;
const SECOND: i64 = 1_790_000_000;

fn check(
    scheme: &Scheme,
    secrets: &[&str],
    headers: &[(&str, &str)],
    body: &[u8],
    second: i64,
) -> Result<Option<String>, Refused> {
    let headers: BTreeMap<&str, &str> = headers.iter().copied().collect();
    let header = |name: &str| headers.get(name).copied();
    let now = Timestamp::from_second(second).unwrap();
    verify(scheme, secrets, Received { header: &header, body, now }, WITHIN)
}

/// The example that the specification gives.
#[test]
fn the_example_of_the_specification() {
    let secret = "whsec_plJ3nmyCDGBKInavdOK15jsl";
    let body = br#"{"event_type":"ping","data":{"success":true}}"#;
    let signature = sign(secret, "msg_loFOjxBNrRLzqYUf", 1_731_705_121, body);
    assert_eq!(signature, "v1,rAvfW3dJ/X/qxhsaXPOyyCGmRKsaKWcsNccKXlIktD0=");
    let headers = [
        ("webhook-id", "msg_loFOjxBNrRLzqYUf"),
        ("webhook-timestamp", "1731705121"),
        ("webhook-signature", signature.as_str()),
    ];
    let verified = check(&Scheme::StandardWebhooks, &[secret], &headers, body, 1_731_705_200);
    assert_eq!(verified, Ok(Some("msg_loFOjxBNrRLzqYUf".to_owned())));
}

#[test]
fn standard_webhooks_are_held_against_every_secret() {
    let (old, new) = ("whsec_b2xkIHNlY3JldA==", "whsec_bmV3IHNlY3JldA==");
    let second = SECOND.to_string();
    let both =
        format!("v1a,c29tZXRoaW5n {} {}", sign("whsec_b3RoZXI=", "e-1", SECOND, BODY), sign(old, "e-1", SECOND, BODY));
    let headers = |id: &'static str, signature| {
        [("webhook-id", id), ("webhook-timestamp", second.as_str()), ("webhook-signature", signature)]
    };
    let scheme = Scheme::StandardWebhooks;
    let at = |secrets: &[&str], headers: &[(&str, &str)], body: &[u8], second| {
        check(&scheme, secrets, headers, body, second)
    };
    assert_eq!(at(&[new, old], &headers("e-1", &both), BODY, SECOND), Ok(Some("e-1".to_owned())));
    assert_eq!(at(&[new], &headers("e-1", &both), BODY, SECOND), Err(Refused::OtherSecret));
    assert_eq!(at(&[old], &headers("e-2", &both), BODY, SECOND), Err(Refused::OtherSecret), "another id");
    assert_eq!(at(&[old], &headers("e-1", &both), b"{}", SECOND), Err(Refused::OtherSecret), "another body");
    assert_eq!(at(&[old], &headers("e-1", &both), BODY, SECOND + 300), Ok(Some("e-1".to_owned())));
    assert_eq!(at(&[old], &headers("e-1", &both), BODY, SECOND + 301), Err(Refused::AtAnotherTime));
    assert_eq!(at(&[old], &headers("e-1", &both), BODY, SECOND - 301), Err(Refused::AtAnotherTime));
    for wrong in ["", "v1", "v1,", "v2,aaaa", "v1,not base64"] {
        assert!(at(&[old], &headers("e-1", wrong), BODY, SECOND).is_err(), "{wrong}");
    }
    assert_eq!(at(&[old], &headers("e-1", &both)[..2], BODY, SECOND), Err(Refused::NotSigned));
    assert_eq!(at(&[], &headers("e-1", &both), BODY, SECOND), Err(Refused::OtherSecret), "no secret lets nothing in");
}

#[test]
fn an_hmac_in_a_header() {
    // RFC 4231, test case 2.
    let (key, body) = ("Jefe", b"what do ya want for nothing?".as_slice());
    let hex = "5bdcc146bf60754e6a042426089575c75a003f089d2739839dec58b964ec3843";
    let scheme =
        |encoding, prefix: &str| Scheme::Hmac { header: "x-signature".to_owned(), encoding, prefix: prefix.to_owned() };
    let with = |scheme: &Scheme, value: &str| check(scheme, &[key], &[("x-signature", value)], body, SECOND);
    assert_eq!(with(&scheme(Encoding::Hex, ""), hex), Ok(None));
    assert_eq!(with(&scheme(Encoding::Hex, ""), &hex.to_uppercase()), Ok(None));
    assert_eq!(with(&scheme(Encoding::Hex, "sha256="), &format!("sha256={hex}")), Ok(None));
    assert_eq!(with(&scheme(Encoding::Hex, "sha256="), hex), Err(Refused::NotSigned));
    assert_eq!(with(&scheme(Encoding::Base64, ""), "W9zBRr9gdU5qBCQmCJV1x1oAPwidJzmDnexYuWTsOEM="), Ok(None));
    assert_eq!(with(&scheme(Encoding::Base64, ""), "W9zBRr9gdU5qBCQmCJV1x1oAPwidJzmDnexYuWTsOEM"), Ok(None));
    for wrong in [&hex[..62], "é", "", "zz", &hex.replace('5', "6")] {
        assert!(with(&scheme(Encoding::Hex, ""), wrong).is_err(), "{wrong}");
    }
}

#[test]
fn tokens_and_passwords() {
    let with = |scheme: &Scheme, value: &str| {
        check(scheme, &["fern:moss", "t0ken"], &[("authorization", value)], BODY, SECOND)
    };
    assert_eq!(with(&Scheme::Bearer, "Bearer t0ken"), Ok(None));
    assert_eq!(with(&Scheme::Bearer, "bearer t0ken"), Ok(None));
    assert_eq!(with(&Scheme::Bearer, "Bearer t0ke"), Err(Refused::OtherSecret));
    assert_eq!(with(&Scheme::Bearer, "t0ken"), Err(Refused::NotSigned));
    assert_eq!(with(&Scheme::Basic, "Basic ZmVybjptb3Nz"), Ok(None));
    assert_eq!(with(&Scheme::Basic, "Basic ZmVybjpnb3Jz"), Err(Refused::OtherSecret));
    assert_eq!(with(&Scheme::Basic, "Bearer t0ken"), Err(Refused::NotSigned));
    assert_eq!(check(&Scheme::Bearer, &["t0ken"], &[], BODY, SECOND), Err(Refused::NotSigned));
}

#[test]
fn a_token_as_a_bearer_or_as_a_password() {
    assert!(bears("Bearer t0ken", "t0ken") && bears("basic YW55Ym9keTp0MGtlbg==", "t0ken"));
    for wrong in ["t0ken", "Bearer t0ke", "Bearer ", "Basic dDBrZW4=", "Basic !", "Basic YW55Ym9keTo=", ""] {
        assert!(!bears(wrong, "t0ken"), "{wrong}");
    }
}

proptest! {
    /// What is signed is verified, and no longer once a byte of it is another.
    #[test]
    fn a_signature_holds_for_what_was_signed(key in ".{0,80}", id in "[a-z0-9_]{1,20}", body in prop::collection::vec(any::<u8>(), 0..200), place in any::<prop::sample::Index>()) {
        let signature = sign(&key, &id, SECOND, &body);
        let second = SECOND.to_string();
        let headers = [("webhook-id", id.as_str()), ("webhook-timestamp", second.as_str()), ("webhook-signature", signature.as_str())];
        let at = |body: &[u8]| check(&Scheme::StandardWebhooks, &[&key], &headers, body, SECOND);
        prop_assert_eq!(at(&body), Ok(Some(id.clone())));
        let mut other = body.clone();
        if other.is_empty() { other.push(0) } else { let at = place.index(other.len()); other[at] ^= 1 }
        prop_assert_eq!(at(&other), Err(Refused::OtherSecret));
    }
}
