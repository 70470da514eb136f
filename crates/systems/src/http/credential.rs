//! How we show who we are. Each part of a credential that is secret is kept by reference.

use std::fmt;

use url::Url;

use super::part::Part;
use super::signing::Signing;
use crate::Secret;

/// How we show who we are.
#[derive(Debug, Clone)]
pub enum Credential {
    /// A bearer token (RFC 6750).
    Bearer(Secret),
    /// A user and a password (RFC 7617).
    Basic {
        /// The user.
        user: Part,
        /// The password.
        password: Secret,
    },
    /// A header of the system's own.
    Header {
        /// Its name.
        name: String,
        /// Its value.
        value: Secret,
    },
    /// A query parameter.
    Query {
        /// Its name.
        name: String,
        /// Its value.
        value: Secret,
    },
    /// A token that is fetched with the client's own credentials (OAuth 2, RFC 6749 §4.4).
    ClientCredentials(ClientCredentials),
    /// A cookie that a log-in gives.
    Session(LogIn),
    /// A signature of every request.
    Sign(Box<Signing>),
    /// A credential, and another that goes along with it.
    With(Box<Credential>, Box<Credential>),
}

/// Where and with what a token is fetched (RFC 6749 §4.4).
#[derive(Debug, Clone)]
pub struct ClientCredentials {
    /// The token endpoint.
    pub token: Url,
    /// The client's identifier.
    pub id: Part,
    /// Its secret.
    pub secret: Secret,
    /// What is asked for.
    pub scope: Option<String>,
    /// For whom the token is.
    pub audience: Option<String>,
    /// Whether the client shows who it is in the body, and not in a header (RFC 6749 §2.3.1).
    pub in_body: bool,
    /// A refresh token that was given, by which tokens are fetched (RFC 6749 §6).
    pub refresh: Option<Secret>,
}

/// A log-in that answers with a cookie.
#[derive(Debug, Clone)]
pub struct LogIn {
    /// Where it is posted to.
    pub url: Url,
    /// The members of the JSON body.
    pub fields: Vec<(String, Part)>,
}

impl Credential {
    /// Whether the credential is fetched first, and fetched again when it is refused.
    #[must_use]
    pub fn is_fetched(&self) -> bool {
        self.fetched().is_some()
    }

    /// What of it is fetched first.
    pub(super) fn fetched(&self) -> Option<&Credential> {
        match self {
            Credential::ClientCredentials(_) | Credential::Session(_) => Some(self),
            Credential::With(first, further) => first.fetched().or(further.fetched()),
            _ => None,
        }
    }
}

impl fmt::Display for Credential {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Credential::Bearer(secret) => write!(f, "bearer token from {}", secret.reference()),
            Credential::Basic { password, .. } => write!(f, "user and password from {}", password.reference()),
            Credential::Header { name, value } => write!(f, "header `{name}` from {}", value.reference()),
            Credential::Query { name, value } => write!(f, "query parameter `{name}` from {}", value.reference()),
            Credential::ClientCredentials(client) => write!(f, "token fetched with {}", client.secret.reference()),
            Credential::Session(_) => write!(f, "cookie of a log-in"),
            Credential::Sign(signing) => write!(f, "signature by {}", signing.key.reference()),
            Credential::With(first, further) => write!(f, "{first}, with the {further}"),
        }
    }
}
