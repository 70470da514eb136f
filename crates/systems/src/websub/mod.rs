//! WebSub (W3C Recommendation, 2018): feeds whose hub calls us when they publish.

mod discovery;
mod subscriber;

use url::Url;

pub use subscriber::{Subscriber, Wish};

/// A feed that says which hub calls those who subscribe.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Offer {
    /// The hub.
    pub hub: Url,
    /// What the hub calls the feed.
    pub topic: Url,
}
