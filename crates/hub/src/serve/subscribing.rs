//! Subscribing to the hubs of feeds (WebSub): asking them to call, and again before they stop.

use diaporos_core::value::SystemName;
use diaporos_store::{Store, StoreError, Subscription};
use diaporos_systems::SystemError;
use diaporos_systems::websub::{Offer, Subscriber, Wish};
use jiff::{SignedDuration, Timestamp};
use url::Url;

use super::known_hubs::KnownHubs;
use crate::config::Config;
use crate::leases::Clock;
use crate::{ConnectError, Connector};

/// For how long a hub is asked to call.
const LEASE: SignedDuration = SignedDuration::from_hours(10 * 24);
/// How long a hub may take to ask back.
const ASKS_BACK_WITHIN: SignedDuration = SignedDuration::from_mins(10);
/// How often a feed that names no hub is looked at again, and the longest pause after failures.
const LOOKED_AT_AGAIN: SignedDuration = SignedDuration::from_hours(24);

/// What became of a feed.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Subscribed {
    /// The feed.
    pub feed: String,
    /// The hub that was asked; none where the feed names none; or what went wrong.
    pub end: Result<Option<String>, String>,
}

/// The feeds that are subscribed to, each with its system.
fn wished(config: &Config) -> Vec<(&str, &str)> {
    let systems = config.systems.iter();
    systems.flat_map(|(name, system)| system.subscribed().into_iter().map(|feed| (name.as_str(), feed))).collect()
}

/// Forgets what is no longer subscribed to, and makes the rest known to whoever listens.
///
/// # Errors
/// Where the store fails.
pub(super) fn make_known(config: &Config, store: &mut Store, calls: &KnownHubs) -> Result<(), StoreError> {
    store.forget_subscriptions(&wished(config))?;
    calls.set(store.subscriptions()?);
    Ok(())
}

/// The systems of which a feed is to be seen to.
///
/// # Errors
/// Where the store fails.
pub(super) fn due(config: &Config, store: &Store, now: Timestamp) -> Result<Vec<SystemName>, StoreError> {
    let wished = wished(config);
    if wished.is_empty() || config.serving.public.is_none() {
        return Ok(Vec::new());
    }
    let known = store.subscriptions()?;
    let is_due = |(system, feed): (&str, &str)| {
        let row = known.iter().find(|row| row.system.as_str() == system && row.feed == feed);
        row.is_none_or(|row| row.next <= now)
    };
    let is_wished = |name: &SystemName| wished.iter().any(|one| one.0 == name.as_str() && is_due(*one));
    Ok(config.systems.keys().filter(|name| is_wished(name)).cloned().collect())
}

/// Sees to the feeds of a system.
pub(super) struct Subscribing<'a> {
    pub(super) config: &'a Config,
    pub(super) connector: &'a Connector<'a>,
    pub(super) clock: Clock,
    pub(super) calls: &'a KnownHubs,
}

impl Subscribing<'_> {
    /// Asks the hubs of a system's feeds to call, where that is due.
    ///
    /// # Errors
    /// Where the store fails, or the system or our own address cannot be set up.
    pub(super) async fn see_to(
        &self,
        system: &SystemName,
        store: &mut Store,
    ) -> Result<Result<Vec<Subscribed>, ConnectError>, StoreError> {
        let (subscriber, public) = match (self.connector.subscriber(system), self.connector.public()) {
            (Ok(subscriber), Ok(Some(public))) => (subscriber, public),
            (Err(error), _) | (_, Err(error)) => return Ok(Err(error)),
            (_, Ok(None)) => return Ok(Ok(Vec::new())),
        };
        let mut seen = Vec::new();
        let wished = wished(self.config);
        for feed in subscriber.names().filter(|feed| wished.contains(&(system.as_str(), *feed))) {
            let now = (self.clock)();
            let row = match known(store, system, feed)? {
                Some(row) => row,
                None => {
                    let row = blank(system, feed, now)?;
                    store.keep_subscription(&row)?;
                    row
                }
            };
            if row.next > now {
                continue;
            }
            let end = match subscriber.offer(feed).await {
                Err(error) => Err(error),
                Ok(None) => Ok(None),
                Ok(Some(offer)) => self.ask(&row, &offer, (&subscriber, &public), store).await?,
            };
            self.conclude(row, &end, store)?;
            let end = end.map(|offer| offer.map(|offer| offer.hub.to_string())).map_err(|error| error.to_string());
            seen.push(Subscribed { feed: feed.to_owned(), end });
        }
        Ok(Ok(seen))
    }

    /// Notes when a feed is seen to again. Where its hub has asked back meanwhile, that is known already.
    fn conclude(
        &self,
        row: Subscription,
        end: &Result<Option<Offer>, SystemError>,
        store: &mut Store,
    ) -> Result<(), StoreError> {
        let now = (self.clock)();
        let later = |pause: SignedDuration| now.checked_add(pause).unwrap_or(now);
        let of = (row.system.as_str(), row.feed.as_str());
        match end {
            Ok(None) => {
                let next = later(LOOKED_AT_AGAIN);
                let none = Subscription { hub: None, ends: None, problem: None, failures: 0, next, ..row };
                store.keep_subscription(&none)?;
            }
            // Counted as a failure till it asks back.
            Ok(Some(_)) => {
                store.see_again(of, now, later(ASKS_BACK_WITHIN.max(pause(row.failures))), None)?;
            }
            Err(error) => store.see_again(of, now, later(pause(row.failures)), Some(&error.to_string()))?,
        }
        self.calls.set(store.subscriptions()?);
        Ok(())
    }

    /// Asks a hub. What it calls by is known before it is asked: it may ask back before it answers.
    async fn ask(
        &self,
        before: &Subscription,
        offer: &Offer,
        (subscriber, public): (&Subscriber, &Url),
        store: &mut Store,
    ) -> Result<Result<Option<Offer>, SystemError>, StoreError> {
        let is_same = before.hub.as_deref() == Some(offer.hub.as_str()) && before.topic == offer.topic.as_str();
        // To renew is to ask for the same address once more.
        let row = match is_same {
            true => before.clone(),
            false => Subscription {
                hub: Some(offer.hub.to_string()),
                topic: offer.topic.to_string(),
                ..blank(&before.system, &before.feed, before.next)?
            },
        };
        store.keep_subscription(&row)?;
        self.calls.set(store.subscriptions()?);
        let mut callback = public.clone();
        callback.set_path(&format!("{}/websub/{}", public.path().trim_end_matches('/'), row.token));
        let lease = LEASE.as_secs().unsigned_abs();
        let wish = Wish { callback: &callback, secret: &row.secret, lease };
        Ok(subscriber.subscribe(&row.feed, offer, wish).await.map(|()| Some(offer.clone())))
    }
}

fn known(store: &Store, system: &SystemName, feed: &str) -> Result<Option<Subscription>, StoreError> {
    Ok(store.subscriptions()?.into_iter().find(|row| row.system == *system && row.feed == feed))
}

/// A feed of which nothing is known yet.
fn blank(system: &SystemName, feed: &str, next: Timestamp) -> Result<Subscription, StoreError> {
    Ok(Subscription {
        system: system.clone(),
        feed: feed.to_owned(),
        hub: None,
        topic: String::new(),
        token: unguessable()?,
        secret: unguessable()?,
        ends: None,
        next,
        failures: 0,
        problem: None,
    })
}

/// How long is waited after so many failures before.
fn pause(failures: u32) -> SignedDuration {
    SignedDuration::from_mins(1_i64 << (2 * failures.min(6))).min(LOOKED_AT_AGAIN)
}

/// A text that nobody guesses.
fn unguessable() -> Result<String, StoreError> {
    let mut bytes = [0; 24];
    getrandom::fill(&mut bytes).map_err(|error| StoreError::Content(format!("no random numbers: {error}")))?;
    Ok(bytes.iter().map(|byte| format!("{byte:02x}")).collect())
}
