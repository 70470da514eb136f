//! Who is told of what happened, over HTTP.

use diaporos_core::hook::sign;
use diaporos_core::value::SystemName;
use url::Url;

use crate::http::{Body, Client, Credential, Limits, Method};
use crate::settings::usual_limits;
use crate::{Secret, SystemError};

/// Somebody who is told over HTTP.
#[derive(Debug)]
pub struct Listener {
    client: Client,
    url: Url,
    key: Option<Secret>,
}

/// What is told.
#[derive(Debug, Clone, Copy)]
pub struct Telling<'a> {
    /// Its id, the same however often it is sent.
    pub id: &'a str,
    /// When it is sent, in seconds since 1970.
    pub second: i64,
    /// The media type of the body.
    pub media: &'a str,
    /// Headers besides.
    pub headers: &'a [(String, String)],
    /// The body.
    pub body: &'a str,
}

impl Listener {
    /// Somebody at an address, who is shown a token and signatures where these are set.
    ///
    /// # Errors
    /// Where TLS cannot be set up.
    pub fn new(name: SystemName, url: Url, token: Option<Secret>, key: Option<Secret>) -> Result<Self, SystemError> {
        // It is tried again from the outbox, and not here.
        let limits = Limits { retries: 0, redirects: 0, ..usual_limits() };
        let client = Client::new(name, limits, token.map(Credential::Bearer))?;
        Ok(Listener { client, url, key })
    }

    /// Tells it. Where the answer is lost it may have been told all the same; by the id it knows that.
    ///
    /// # Errors
    /// Where it was not taken, or no answer came.
    pub async fn tell(&self, telling: Telling<'_>) -> Result<(), SystemError> {
        let Telling { id, second, media, headers, body } = telling;
        let mut request = self.client.request(Method::Post, self.url.clone());
        for (name, value) in headers {
            request = request.header(name, value.clone());
        }
        request = request.header("webhook-id", id).header("webhook-timestamp", second.to_string());
        if let Some(key) = &self.key {
            request = request.header("webhook-signature", sign(key.expose(), id, second, body.as_bytes()));
        }
        request.body = Some(Body::Bytes(body.as_bytes().to_vec(), media.to_owned()));
        // The path of such an address is often its secret, whatever its length.
        let place = format!("{}/…", self.url.origin().ascii_serialization());
        self.client.write(&request).await.map(drop).map_err(|error| SystemError { url: place, ..error })
    }
}
