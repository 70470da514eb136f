//! Telling by POST.

use diaporos_core::hook::sign;
use diaporos_core::value::SystemName;
use url::Url;

use super::{Reached, Telling};
use crate::http::{Body, Client, Credential, Limits, Method, Network};
use crate::settings::usual_limits;
use crate::{Secret, SystemError};

/// Somebody who is told by POST.
#[derive(Debug)]
pub struct PostRecipient {
    client: Client,
    url: Url,
    key: Option<Secret>,
}

impl PostRecipient {
    /// Somebody at an address, who is shown a token and signatures where these are set.
    ///
    /// # Errors
    /// Where TLS cannot be set up.
    pub fn new(name: SystemName, at: Reached, token: Option<Secret>, key: Option<Secret>) -> Result<Self, SystemError> {
        let Reached { url, ca_bundle } = at;
        let network = Network { ca_bundle, ..Network::default() };
        // It is tried again from the outbox, and not here.
        let limits = Limits { retries: 0, redirects: 0, network, ..usual_limits() };
        let client = Client::new(name, limits, token.map(Credential::Bearer))?;
        Ok(PostRecipient { client, url, key })
    }

    /// Tells it. Where the answer is lost it may have been told all the same; by the id it knows that.
    ///
    /// # Errors
    /// Where it was not taken, or no answer came.
    pub(super) async fn tell(&self, telling: Telling<'_>) -> Result<(), SystemError> {
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
