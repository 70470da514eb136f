//! Asking hubs to call.

use std::io;

use url::Url;
use url::form_urlencoded::Serializer;

use super::Offer;
use super::discovery::offer;
use crate::http::{Body, BodySink, Client, Method, is_loopback, shown_url};
use crate::{ErrorKind, SystemError};

/// So many bytes of a document are searched for a hub: it is named before the first entry.
const SEARCHED: usize = 512 << 10;
/// A document of JSON can be read whole alone.
const SEARCHED_JSON: usize = 8 << 20;

/// The feeds of a system to which a hub can be subscribed.
pub struct Subscriber {
    feeds: Vec<(String, Url, Client)>,
}

/// What is asked of a hub.
#[derive(Debug, Clone, Copy)]
pub struct Wish<'a> {
    /// Where it is to call.
    pub callback: &'a Url,
    /// What it is to sign with.
    pub secret: &'a str,
    /// For how many seconds.
    pub lease: u64,
}

/// The beginning of a body.
struct Beginning(Vec<u8>);

impl BodySink for Beginning {
    fn begin(&mut self) -> io::Result<()> {
        self.0.clear();
        Ok(())
    }

    fn take(&mut self, bytes: &[u8]) -> io::Result<()> {
        let is_json = self.0.iter().chain(bytes).find(|byte| !byte.is_ascii_whitespace()) == Some(&b'{');
        let room = (if is_json { SEARCHED_JSON } else { SEARCHED }).saturating_sub(self.0.len());
        self.0.extend_from_slice(&bytes[..bytes.len().min(room)]);
        Ok(())
    }
}

impl Subscriber {
    /// Feeds by name, each with its address and what it is asked with.
    #[must_use]
    pub(crate) fn new(feeds: Vec<(String, Url, Client)>) -> Subscriber {
        Subscriber { feeds }
    }

    /// The names of the feeds.
    pub fn names(&self) -> impl Iterator<Item = &str> {
        self.feeds.iter().map(|(name, ..)| name.as_str())
    }

    fn feed(&self, name: &str) -> Option<&(String, Url, Client)> {
        self.feeds.iter().find(|(known, ..)| known == name)
    }

    /// The hub that a feed names; none where it names none.
    ///
    /// # Errors
    /// Where the feed cannot be read.
    pub async fn offer(&self, name: &str) -> Result<Option<Offer>, SystemError> {
        let Some((_, url, client)) = self.feed(name) else { return Ok(None) };
        let mut beginning = Beginning(Vec::new());
        let answer = client.read_into(&client.request(Method::Get, url.clone()), None, &mut beginning).await?;
        let links: Vec<&str> =
            answer.headers.iter().filter(|(name, _)| name == "link").map(|(_, value)| value.as_str()).collect();
        Ok(offer(url, &links, &beginning.0))
    }

    /// Asks a hub to call; it asks back before it does (WebSub, 5.1). The feed names the hub, so that it leads to
    /// no special network, but to the feed's own host and to hosts that are named.
    ///
    /// # Errors
    /// Where the hub does not take it.
    pub async fn subscribe(&self, name: &str, offer: &Offer, wish: Wish<'_>) -> Result<(), SystemError> {
        let Some((_, url, client)) = self.feed(name) else { return Ok(()) };
        // WebSub, 5.1: a secret is told over https alone.
        if offer.hub.scheme() == "http" && !is_loopback(&offer.hub) {
            let why = "a secret would cross the network over plain http; the feed is pulled at its times";
            let (system, url) = (client.system().clone(), shown_url(&offer.hub));
            return Err(SystemError { system, url, kind: ErrorKind::Refused(why.to_owned()) });
        }
        let form = Serializer::new(String::new())
            .append_pair("hub.mode", "subscribe")
            .append_pair("hub.topic", offer.topic.as_str())
            .append_pair("hub.callback", wish.callback.as_str())
            .append_pair("hub.secret", wish.secret)
            .append_pair("hub.lease_seconds", &wish.lease.to_string())
            .finish();
        // The credential is the feed's, and not its hub's.
        let client = client.for_credential(None);
        let mut request = crate::http::Request::new(Method::Post, offer.hub.clone());
        request.body = Some(Body::Bytes(form.into_bytes(), "application/x-www-form-urlencoded".to_owned()));
        let own = url.host_str().map(str::to_owned);
        let named: Vec<String> = client.limits().network.hosts.iter().cloned().chain(own).collect();
        client.write_given(&request, &named).await.map(drop)
    }
}
