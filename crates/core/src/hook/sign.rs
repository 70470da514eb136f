//! Signatures of Standard Webhooks.

use base64::Engine;
use base64::engine::general_purpose::STANDARD;
use hmac::{Hmac, KeyInit, Mac};
use sha2::Sha256;

pub(super) type Signer = Hmac<Sha256>;

/// What a key begins with as it is handed out.
const KEY_PREFIX: &str = "whsec_";

/// The key of a secret as it is handed out: base64 after `whsec_`. Any other text is the key itself.
#[must_use]
pub fn signing_key(secret: &str) -> Vec<u8> {
    let decoded = secret.strip_prefix(KEY_PREFIX).and_then(|encoded| STANDARD.decode(encoded).ok());
    decoded.unwrap_or_else(|| secret.as_bytes().to_vec())
}

/// What signs with a key, which may be of any length.
pub(super) fn signer(key: &[u8]) -> Signer {
    // A key is hashed where it is too long and filled up where it is too short, so this holds for all.
    Signer::new_from_slice(key).unwrap_or_else(|_| Signer::new(&hmac::digest::Key::<Signer>::default()))
}

/// What is signed: id, second and body, with dots between.
pub(super) fn signed(key: &[u8], id: &str, second: &str, body: &[u8]) -> Signer {
    let mut signer = signer(key);
    for part in [id.as_bytes(), b".", second.as_bytes(), b".", body] {
        signer.update(part);
    }
    signer
}

/// The signature of a call, as it stands in its header `webhook-signature`.
#[must_use]
pub fn sign(secret: &str, id: &str, second: i64, body: &[u8]) -> String {
    let signature = signed(&signing_key(secret), id, &second.to_string(), body).finalize().into_bytes();
    format!("v1,{}", STANDARD.encode(signature))
}
