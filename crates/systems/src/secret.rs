//! Secrets: named in the configuration, never written there, never shown.

use std::fmt;
use std::path::{Path, PathBuf};

use base64::Engine;
use base64::engine::general_purpose::URL_SAFE_NO_PAD;
use jiff::Timestamp;
use secrecy::{ExposeSecret, SecretString};

/// Where a secret is kept.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum SecretReference {
    /// `env:NAME`: an environment variable.
    Variable(String),
    /// `file:PATH`: a file, whose last newline does not count.
    File(PathBuf),
}

impl SecretReference {
    /// Reads a reference; none where the text is not one (and so may be a secret itself).
    #[must_use]
    pub fn read(text: &str) -> Option<SecretReference> {
        if let Some(name) = text.strip_prefix("env:") {
            let good = !name.is_empty() && name.chars().all(|c| c.is_ascii_alphanumeric() || c == '_');
            return good.then(|| SecretReference::Variable(name.to_owned()));
        }
        let path = text.strip_prefix("file:").filter(|path| !path.is_empty())?;
        Some(SecretReference::File(Path::new(path).to_owned()))
    }

    /// What stands for the secret in a command line: `$NAME`, or a file's content.
    #[must_use]
    pub fn placeholder(&self) -> String {
        match self {
            SecretReference::Variable(name) => format!("${name}"),
            SecretReference::File(path) => format!("$(cat {})", path.display()),
        }
    }
}

impl fmt::Display for SecretReference {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            SecretReference::Variable(name) => write!(f, "env:{name}"),
            SecretReference::File(path) => write!(f, "file:{}", path.display()),
        }
    }
}

/// A secret with where it came from; only the reference can be printed.
#[derive(Clone)]
pub struct Secret {
    reference: SecretReference,
    value: SecretString,
}

impl Secret {
    /// When it ends, where it says so itself: the `exp` of a JSON Web Token (RFC 7519, 4.1.4).
    #[must_use]
    pub fn ends(&self) -> Option<Timestamp> {
        #[derive(serde::Deserialize)]
        struct Claims {
            exp: f64,
        }
        let payload = self.value.expose_secret().split('.').nth(1)?;
        let claims: Claims = serde_json::from_slice(&URL_SAFE_NO_PAD.decode(payload).ok()?).ok()?;
        // A fraction of a second is of no account.
        #[expect(clippy::cast_possible_truncation, reason = "what is out of range is no moment")]
        Timestamp::from_second(claims.exp as i64).ok()
    }

    /// A secret that was found under the reference; from here on it is blanked wherever it comes back.
    #[must_use]
    pub fn new(reference: SecretReference, value: String) -> Self {
        crate::blank::learn(&value);
        Secret { reference, value: value.into() }
    }

    /// Where it is kept.
    #[must_use]
    pub fn reference(&self) -> &SecretReference {
        &self.reference
    }

    /// The secret itself, for the header of a request and nothing else.
    pub(crate) fn expose(&self) -> &str {
        self.value.expose_secret()
    }
}

impl fmt::Debug for Secret {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "Secret({})", self.reference)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn references_are_told_from_secrets() {
        assert_eq!(SecretReference::read("env:SITE_TOKEN").unwrap().placeholder(), "$SITE_TOKEN");
        assert_eq!(SecretReference::read("file:a/b").unwrap().to_string(), "file:a/b");
        for clear in ["", "env:", "env:A B", "file:", "s3cret", "Bearer x"] {
            assert_eq!(SecretReference::read(clear), None, "{clear}");
        }
    }

    #[test]
    fn a_secret_never_prints() {
        let secret = Secret::new(SecretReference::Variable("T".into()), "hush".into());
        assert_eq!(format!("{secret:?}"), "Secret(env:T)");
    }
}
