//! Requests that are signed with a secret (HMAC, RFC 2104), by a recipe that a system describes.

use base64::prelude::{BASE64_STANDARD, Engine as _};
use hmac::{Hmac, KeyInit, Mac};
use jiff::Timestamp;
use jiff::fmt::rfc2822;
use sha2::{Digest, Sha256, Sha512};
use url::Url;

use super::part::Part;
use crate::places::filled;
use crate::{ErrorKind, Secret};

/// Who signs requests, with what, and how.
#[derive(Debug, Clone)]
pub struct Signing {
    /// What they are signed with.
    pub key: Secret,
    /// Who signs.
    pub id: Option<Part>,
    /// How.
    pub recipe: SigningRecipe,
}

/// How a request is signed.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct SigningRecipe {
    /// What is signed, with places for parts of the request.
    pub text: String,
    /// The hash.
    pub hash: SigningHash,
    /// How signature and hash are written.
    pub form: SignatureForm,
    /// The header with the signature, in lower case.
    pub header: String,
    /// What the header says: `{signature}` and `{id}` are filled.
    pub says: String,
    /// How the moment of the request is written.
    pub moment: MomentHeader,
    /// The header with the moment, where one is sent.
    pub moment_header: Option<String>,
    /// The header with the hash of the body, where one is sent.
    pub digest_header: Option<String>,
}

/// The hash of a signature.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum SigningHash {
    /// SHA-256.
    Sha256,
    /// SHA-512.
    Sha512,
}

/// How a signature, and a hash of a body, is written.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum SignatureForm {
    /// In hexadecimal digits.
    Hex,
    /// In base 64 (RFC 4648 §4).
    Base64,
}

/// How the moment of a request is written.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum MomentHeader {
    /// As in the header `Date` (RFC 9110 §5.6.7).
    Http,
    /// RFC 3339.
    Rfc3339,
    /// Seconds since 1970.
    Seconds,
}

impl Signing {
    /// The places of what is signed.
    pub(crate) const PLACES: [&'static str; 7] = ["method", "host", "path", "query", "moment", "digest", "id"];

    /// The headers that a request has by it, at a moment; the request by its method, its address and its body.
    pub(super) fn headers(
        &self,
        (method, url, body): (&str, &Url, &[u8]),
        now: Timestamp,
    ) -> Result<Vec<(String, String)>, ErrorKind> {
        let recipe = &self.recipe;
        let moment = match recipe.moment {
            MomentHeader::Http => rfc2822::DateTimePrinter::new()
                .timestamp_to_rfc9110_string(&now)
                .map_err(|error| ErrorKind::Refused(error.to_string()))?,
            MomentHeader::Rfc3339 => now.strftime("%Y-%m-%dT%H:%M:%SZ").to_string(),
            MomentHeader::Seconds => now.as_second().to_string(),
        };
        let digest = recipe.form.written(&match recipe.hash {
            SigningHash::Sha256 => Sha256::digest(body).to_vec(),
            SigningHash::Sha512 => Sha512::digest(body).to_vec(),
        });
        let id = self.id.as_ref().map(Part::expose).unwrap_or_default();
        let host = match (url.host_str(), url.port()) {
            (Some(host), Some(port)) => format!("{host}:{port}"),
            (host, _) => host.unwrap_or_default().to_owned(),
        };
        let values = [method, &host, url.path(), url.query().unwrap_or_default(), &moment, &digest, id];
        let signature = recipe.form.written(&self.signed(filled(&recipe.text, &Self::PLACES, &values).as_bytes())?);
        let says = filled(&recipe.says, &["signature", "id"], &[&signature, id]);
        let mut headers = vec![(recipe.header.clone(), says)];
        headers.extend(recipe.moment_header.iter().map(|name| (name.clone(), moment.clone())));
        headers.extend(recipe.digest_header.iter().map(|name| (name.clone(), digest.clone())));
        Ok(headers)
    }

    fn signed(&self, text: &[u8]) -> Result<Vec<u8>, ErrorKind> {
        let key = self.key.expose().as_bytes();
        let no_key = |_| ErrorKind::NoToken("the key cannot sign".to_owned());
        Ok(match self.recipe.hash {
            SigningHash::Sha256 => {
                Hmac::<Sha256>::new_from_slice(key).map_err(no_key)?.chain_update(text).finalize().into_bytes().to_vec()
            }
            SigningHash::Sha512 => {
                Hmac::<Sha512>::new_from_slice(key).map_err(no_key)?.chain_update(text).finalize().into_bytes().to_vec()
            }
        })
    }
}

impl SignatureForm {
    fn written(self, bytes: &[u8]) -> String {
        match self {
            SignatureForm::Hex => bytes.iter().map(|byte| format!("{byte:02x}")).collect(),
            SignatureForm::Base64 => BASE64_STANDARD.encode(bytes),
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::SecretReference;

    fn signing(text: &str, form: SignatureForm) -> Signing {
        let key = Secret::new(SecretReference::Variable("KEY".to_owned()), "Jefe".to_owned());
        let recipe = SigningRecipe {
            text: text.to_owned(),
            hash: SigningHash::Sha256,
            form,
            header: "x-signature".to_owned(),
            says: "HMAC {id}:{signature}".to_owned(),
            moment: MomentHeader::Seconds,
            moment_header: Some("x-moment".to_owned()),
            digest_header: Some("x-digest".to_owned()),
        };
        Signing { key, id: Some(Part::Plain("hub".to_owned())), recipe }
    }

    #[test]
    fn a_signature_is_that_of_the_standard() {
        // RFC 4231, test case 2.
        let signing = signing("what do ya want for nothing?", SignatureForm::Hex);
        let headers =
            signing.headers(("GET", &"http://a.example/x".parse().unwrap(), b""), Timestamp::UNIX_EPOCH).unwrap();
        let expected = "5bdcc146bf60754e6a042426089575c75a003f089d2739839dec58b964ec3843";
        assert_eq!(headers[0].1, format!("HMAC hub:{expected}"));
    }

    #[test]
    fn what_is_signed_is_the_request() {
        let url: Url = "http://a.example:81/x/{id}?k=1&l=%20".parse().unwrap();
        let request = ("POST", &url, br#"{"a":1}"#.as_slice());
        let text = "{method}\n{host}\n{path}\n{query}\n{moment}\n{digest}\n{id}\n{other}";
        let signing = signing(text, SignatureForm::Base64);
        let headers = signing.headers(request, Timestamp::from_second(1_777_000_000).unwrap()).unwrap();
        let digest = BASE64_STANDARD.encode(Sha256::digest(br#"{"a":1}"#));
        assert_eq!(
            headers[1..],
            [("x-moment".to_owned(), "1777000000".to_owned()), ("x-digest".to_owned(), digest.clone()),]
        );
        let said = format!("POST\na.example:81\n/x/%7Bid%7D\nk=1&l=%20\n1777000000\n{digest}\nhub\n{{other}}");
        let signature = BASE64_STANDARD.encode(signing.signed(said.as_bytes()).unwrap());
        assert_eq!(headers[0].1, format!("HMAC hub:{signature}"));
    }
}
