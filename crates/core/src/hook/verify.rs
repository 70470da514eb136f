//! Whether a call is from whom it says.

use base64::Engine;
use base64::engine::general_purpose::{STANDARD, STANDARD_NO_PAD};
use hmac::Mac;
use jiff::{SignedDuration, Timestamp};

use super::sign::{signed, signer, signing_key};

/// How a call shows from whom it is.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Scheme {
    /// Standard Webhooks: `webhook-id`, `webhook-timestamp` and `webhook-signature`.
    StandardWebhooks,
    /// An HMAC-SHA-256 of the body in a header.
    Hmac {
        /// The header.
        header: String,
        /// How it is written.
        encoding: Encoding,
        /// What stands before it: `sha256=`.
        prefix: String,
    },
    /// A token in `Authorization`.
    Bearer,
    /// A name and a password in `Authorization`, of which the secret is `name:password`.
    Basic,
}

/// How bytes are written in a header.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Encoding {
    /// Hexadecimal digits.
    Hex,
    /// Base64 (RFC 4648), with or without padding.
    Base64,
}

/// A call as it came.
#[derive(Clone, Copy)]
pub struct Received<'a> {
    /// The value of a header, by its name in small letters.
    pub header: &'a dyn Fn(&str) -> Option<&'a str>,
    /// The body as it came, byte for byte.
    pub body: &'a [u8],
    /// When it came.
    pub now: Timestamp,
}

/// Why a call is not believed.
#[derive(Debug, Clone, Copy, PartialEq, Eq, thiserror::Error)]
pub enum Refused {
    /// A header that is needed is missing, or makes no sense.
    #[error("a header that shows from whom it is is missing or makes no sense")]
    NotSigned,
    /// It was made too long ago, or is yet to be made.
    #[error("it was made at another time than now")]
    AtAnotherTime,
    /// No secret fits.
    #[error("it is not signed with a secret that is known here")]
    OtherSecret,
}

/// Holds a call against the secrets, of which any may fit, and gives the id that it has by its scheme.
///
/// # Errors
/// Where it cannot be believed.
pub fn verify(
    scheme: &Scheme,
    secrets: &[&str],
    received: Received<'_>,
    within: SignedDuration,
) -> Result<Option<String>, Refused> {
    let header = |name: &str| (received.header)(name).map(str::trim).ok_or(Refused::NotSigned);
    let fits = |fits: bool| if fits { Ok(None) } else { Err(Refused::OtherSecret) };
    match scheme {
        Scheme::StandardWebhooks => standard_webhooks(secrets, received, within).map(Some),
        Scheme::Hmac { header: name, encoding, prefix } => {
            let text = header(name)?.strip_prefix(prefix.as_str()).ok_or(Refused::NotSigned)?;
            let given = decoded(text, *encoding).ok_or(Refused::NotSigned)?;
            fits(secrets.iter().any(|secret| {
                let mut signer = signer(secret.as_bytes());
                signer.update(received.body);
                signer.verify_slice(&given).is_ok()
            }))
        }
        Scheme::Bearer => {
            let token = header("authorization")?;
            let token = of_scheme(token, "bearer").ok_or(Refused::NotSigned)?;
            fits(secrets.iter().any(|secret| is_same(token.as_bytes(), secret.as_bytes())))
        }
        Scheme::Basic => {
            let encoded = of_scheme(header("authorization")?, "basic").ok_or(Refused::NotSigned)?;
            let given = decoded(encoded, Encoding::Base64).ok_or(Refused::NotSigned)?;
            fits(secrets.iter().any(|secret| is_same(&given, secret.as_bytes())))
        }
    }
}

fn standard_webhooks(secrets: &[&str], received: Received<'_>, within: SignedDuration) -> Result<String, Refused> {
    let header = |name: &str| (received.header)(name).ok_or(Refused::NotSigned);
    let (id, second, signatures) = (header("webhook-id")?, header("webhook-timestamp")?, header("webhook-signature")?);
    let made = second.parse().ok().and_then(|second| Timestamp::from_second(second).ok()).ok_or(Refused::NotSigned)?;
    // Several stand in one header while a secret is changed for another; others than ours may be of versions
    // to come.
    let given: Vec<Vec<u8>> = signatures
        .split_ascii_whitespace()
        .filter_map(|signature| decoded(signature.strip_prefix("v1,")?, Encoding::Base64))
        .collect();
    let fits = |secret: &&str| {
        let key = signing_key(secret);
        given.iter().any(|given| signed(&key, id, second, received.body).verify_slice(given).is_ok())
    };
    if id.is_empty() || given.is_empty() {
        return Err(Refused::NotSigned);
    }
    if !secrets.iter().any(fits) {
        return Err(Refused::OtherSecret);
    }
    if received.now.duration_since(made).abs() > within {
        return Err(Refused::AtAnotherTime);
    }
    Ok(id.to_owned())
}

/// Whether the value of `Authorization` is a token: as a bearer, or as the password of any user.
#[must_use]
pub fn bears(value: &str, token: &str) -> bool {
    if let Some(given) = of_scheme(value, "bearer") {
        return is_same(given.as_bytes(), token.as_bytes());
    }
    let decoded = of_scheme(value, "basic").and_then(|encoded| decoded(encoded, Encoding::Base64));
    let Some(given) = decoded else { return false };
    given.iter().position(|byte| *byte == b':').is_some_and(|at| is_same(&given[at + 1..], token.as_bytes()))
}

/// What stands after the name of a scheme, which may be written in any case (RFC 9110, 11.1).
fn of_scheme<'a>(value: &'a str, scheme: &str) -> Option<&'a str> {
    let (name, rest) = value.split_once(' ')?;
    name.eq_ignore_ascii_case(scheme).then(|| rest.trim())
}

fn decoded(text: &str, encoding: Encoding) -> Option<Vec<u8>> {
    match encoding {
        Encoding::Base64 => STANDARD.decode(text).or_else(|_| STANDARD_NO_PAD.decode(text)).ok(),
        Encoding::Hex if text.len().is_multiple_of(2) && text.is_ascii() => {
            (0..text.len()).step_by(2).map(|at| u8::from_str_radix(text.get(at..at + 2)?, 16).ok()).collect()
        }
        Encoding::Hex => None,
    }
}

/// Whether texts are the same, in a time that does not tell how much of them is.
fn is_same(given: &[u8], known: &[u8]) -> bool {
    blake3::hash(given) == blake3::hash(known)
}
