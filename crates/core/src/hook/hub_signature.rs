//! Signatures of WebSub hubs.

use hmac::digest::KeyInit;
use hmac::{Hmac, Mac};
use sha1::Sha1;
use sha2::{Sha256, Sha384, Sha512};

/// Whether a body is signed with a secret, by the value of `X-Hub-Signature`: a method, `=` and hexadecimal
/// digits (WebSub, 7.1). As an HMAC, SHA-1 is still sound; it is what many hubs have.
#[must_use]
pub fn is_signed_by_hub(signature: &str, secret: &str, body: &[u8]) -> bool {
    let Some((method, digits)) = signature.trim().split_once('=') else { return false };
    let Some(bytes) = from_hex(digits) else { return false };
    match method.to_ascii_lowercase().as_str() {
        "sha1" => fits::<Hmac<Sha1>>(secret, body, &bytes),
        "sha256" => fits::<Hmac<Sha256>>(secret, body, &bytes),
        "sha384" => fits::<Hmac<Sha384>>(secret, body, &bytes),
        "sha512" => fits::<Hmac<Sha512>>(secret, body, &bytes),
        _ => false,
    }
}

fn fits<M: Mac + KeyInit>(secret: &str, body: &[u8], signature: &[u8]) -> bool {
    <M as KeyInit>::new_from_slice(secret.as_bytes())
        .is_ok_and(|mac| mac.chain_update(body).verify_slice(signature).is_ok())
}

fn from_hex(digits: &str) -> Option<Vec<u8>> {
    let pairs = digits.as_bytes().chunks(2);
    pairs
        .map(|pair| u8::from_str_radix(std::str::from_utf8(pair).ok().filter(|pair| pair.len() == 2)?, 16).ok())
        .collect()
}

#[cfg(test)]
mod tests {
    use super::*;

    /// HMACs of the text `news` under the key `key`, worked out with another program.
    #[test]
    fn every_method_of_the_recommendation_is_known() {
        for (method, digits) in SIGNED {
            assert!(is_signed_by_hub(&format!("{method}={digits}"), "key", b"news"), "{method}");
            assert!(is_signed_by_hub(&format!("{method}={}", digits.to_uppercase()), "key", b"news"), "{method}");
            assert!(!is_signed_by_hub(&format!("{method}={digits}"), "another", b"news"), "{method}");
            assert!(!is_signed_by_hub(&format!("{method}={digits}"), "key", b"other news"), "{method}");
            assert!(!is_signed_by_hub(&format!("{method}={}", &digits[2..]), "key", b"news"), "{method}");
        }
        for nonsense in ["", "sha256", "sha256=", "sha256=zz", "sha256=abc", "md5=00", &format!("sha1={}", SIGNED[1].1)]
        {
            assert!(!is_signed_by_hub(nonsense, "key", b"news"), "{nonsense}");
        }
    }

    const SIGNED: [(&str, &str); 4] = [
        ("sha1", "bce025cc5f91374519cea1d9a2945f87868fdc28"),
        ("sha256", "69d18d4ab406d423a648cdf0b13cec5fbdcf9e5aed6f6c8281cec68efb869c60"),
        ("sha384", "c897f9a88c71af3379ad1ad2276d39bddab233e615a5867a00f7653529dee7b152cc5875398a525dd8dc4ffb82e15670"),
        (
            "sha512",
            "9cfb682e06b8547c9020992a683c507a5e631d3f769cf84cebcba5ec69ed081b9aeb115b3119a014847de3b53b7bec62919991dd0f224aa272a1141eb46fee07",
        ),
    ];
}
