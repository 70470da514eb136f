//! One request by hand: whatever is answered is given.

use serde_json::Value as Json;
use url::Url;

use crate::SystemError;
use crate::http::{Answer, Body, Client, Method, Request, join_url};

/// Which of a system's credentials a request carries.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Access {
    /// The one for reading.
    Read,
    /// The one for writing.
    Write,
}

/// Asks a system by hand.
#[derive(Debug, Clone)]
pub struct Asker {
    client: Client,
    base: Url,
}

impl Asker {
    pub(crate) fn new(client: Client, base: Url) -> Asker {
        Asker { client, base }
    }

    /// The request of a call, `GET /entries/1`; the path follows the system's address.
    ///
    /// # Errors
    /// Says what is no call.
    pub fn request(&self, call: &str, body: Option<Json>) -> Result<Request, String> {
        let (word, path) = call.trim().split_once(char::is_whitespace).unwrap_or((call.trim(), ""));
        let Some((_, method)) = Method::WORDS.iter().find(|(known, _)| *known == word) else {
            let likely = Method::WORDS.iter().find(|(known, _)| known.eq_ignore_ascii_case(word));
            let likely = likely
                .map_or("; a call is a method and a path, as `GET /entries/1`".to_owned(), |(known, _)| {
                    format!("; did you mean `{known}`?")
                });
            return Err(format!("`{word}` is not a method{likely}"));
        };
        let path = path.trim();
        // An address of its own could lead the credential elsewhere.
        if path.contains("://") || path.starts_with("//") {
            return Err(format!("`{path}` is not a path; it follows the system's address, {}", self.base));
        }
        let url = join_url(&self.base, path).map_err(|error| format!("`{path}` is not a path: {error}"))?;
        let mut request = self.client.request(*method, url);
        request.body = body.map(Body::json);
        Ok(request)
    }

    /// Sends a request once, and gives whatever is answered. Nothing is tried again, and no redirect is followed.
    ///
    /// # Errors
    /// Where no answer came.
    pub async fn ask(&self, request: &Request) -> Result<Answer, SystemError> {
        self.client.ask(request).await
    }
}
