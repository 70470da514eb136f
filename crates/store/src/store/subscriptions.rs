//! Hubs that are to call when a feed publishes.

use super::database::{OptionalRow, params};
use diaporos_core::value::SystemName;
use jiff::Timestamp;

use super::row::{millis, moment};
use super::{Store, StoreError};

/// A feed and the hub that calls when it publishes.
#[derive(Clone, PartialEq, Eq)]
pub struct Subscription {
    /// The system.
    pub system: SystemName,
    /// The feed's name in it.
    pub feed: String,
    /// The hub; none where the feed names none.
    pub hub: Option<String>,
    /// What the hub calls the feed.
    pub topic: String,
    /// What the address is known by that the hub calls.
    pub token: String,
    /// What it signs with.
    pub secret: String,
    /// Till when it calls; none where it has not asked back yet.
    pub ends: Option<Timestamp>,
    /// When it is seen to again.
    pub next: Timestamp,
    /// How often in a row something went wrong.
    pub failures: u32,
    /// What did last.
    pub problem: Option<String>,
}

impl std::fmt::Debug for Subscription {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        // Neither the token nor the secret is for a log.
        f.debug_struct("Subscription").field("system", &self.system).field("feed", &self.feed).finish_non_exhaustive()
    }
}

const COLUMNS: &str = "SELECT system, feed, hub, topic, token, secret, ends, next, failures, problem FROM subscription";

fn subscription(row: super::database::Row<'_>) -> Result<Subscription, StoreError> {
    let ends: Option<i64> = row.get(6)?;
    Ok(Subscription {
        system: SystemName::new(row.get::<_, String>(0)?).map_err(StoreError::content)?,
        feed: row.get(1)?,
        hub: row.get(2)?,
        topic: row.get(3)?,
        token: row.get(4)?,
        secret: row.get(5)?,
        ends: ends.map(moment).transpose()?,
        next: moment(row.get(7)?)?,
        failures: row.get(8)?,
        problem: row.get(9)?,
    })
}

impl Store {
    /// Every subscription.
    ///
    /// # Errors
    /// Where the store fails.
    pub fn subscriptions(&self) -> Result<Vec<Subscription>, StoreError> {
        let mut query = self.connection.prepare_cached(&format!("{COLUMNS} ORDER BY system, feed"))?;
        let mut rows = query.query(params![])?;
        let mut found = Vec::new();
        while let Some(row) = rows.next()? {
            found.push(subscription(row)?);
        }
        Ok(found)
    }

    /// The subscription whose hub calls by a token.
    ///
    /// # Errors
    /// Where the store fails.
    pub fn subscription_by_token(&self, token: &str) -> Result<Option<Subscription>, StoreError> {
        let mut query = self.connection.prepare_cached(&format!("{COLUMNS} WHERE token = ?1"))?;
        let mut rows = query.query([token])?;
        rows.next()?.map(subscription).transpose()
    }

    /// Keeps a subscription in the place of the one of its feed.
    ///
    /// # Errors
    /// Where the store fails.
    pub fn keep_subscription(&mut self, one: &Subscription) -> Result<(), StoreError> {
        let transaction = self.fence.begin(&mut self.connection)?;
        transaction
            .prepare_cached("INSERT INTO subscription VALUES (?1, ?2, ?3, ?4, ?5, ?6, ?7, ?8, ?9, ?10) ON CONFLICT (system, feed) DO UPDATE SET
                 hub = ?3, topic = ?4, token = ?5, secret = ?6, ends = ?7, next = ?8, failures = ?9, problem = ?10")?
            .execute(params![
                one.system.as_str(),
                one.feed,
                one.hub,
                one.topic,
                one.token,
                one.secret,
                one.ends.map(millis),
                millis(one.next),
                one.failures,
                one.problem
            ])?;
        Ok(transaction.commit()?)
    }

    /// Notes when a feed is seen to again whose hub was asked, or could not be; not where the hub has asked back
    /// meanwhile, since when it is not due any more.
    ///
    /// # Errors
    /// Where the store fails.
    pub fn see_again(
        &mut self,
        (system, feed): (&str, &str),
        now: Timestamp,
        next: Timestamp,
        problem: Option<&str>,
    ) -> Result<(), StoreError> {
        let transaction = self.fence.begin(&mut self.connection)?;
        transaction
            .prepare_cached(
                "UPDATE subscription SET next = ?4, problem = ?5, failures = failures + 1
                 WHERE system = ?1 AND feed = ?2 AND next <= ?3",
            )?
            .execute(params![system, feed, millis(now), millis(next), problem])?;
        Ok(transaction.commit()?)
    }

    /// Notes that a hub asked back, and till when it calls; or that it will not, and why. Says whether it is
    /// known by that token still, with that topic.
    ///
    /// # Errors
    /// Where the store fails.
    pub fn hub_answered(
        &mut self,
        (token, topic): (&str, &str),
        ends: Result<Timestamp, &str>,
        next: Timestamp,
    ) -> Result<bool, StoreError> {
        let transaction = self.fence.begin(&mut self.connection)?;
        let (until, problem) = (ends.ok().map(millis), ends.err());
        let known = transaction
            .prepare_cached(
                "UPDATE subscription SET ends = ?3, next = ?4, problem = ?5, failures = CASE WHEN CAST(?5 AS TEXT) IS NULL THEN 0 ELSE failures + 1 END
                 WHERE token = ?1 AND topic = ?2 RETURNING 1",
            )?
            .query_row(params![token, topic, until, millis(next), problem], |_| Ok(()))
            .optional()?;
        transaction.commit()?;
        Ok(known.is_some())
    }

    /// Forgets the subscriptions of feeds that are no longer subscribed to.
    ///
    /// # Errors
    /// Where the store fails.
    pub fn forget_subscriptions(&mut self, kept: &[(&str, &str)]) -> Result<(), StoreError> {
        let all = self.subscriptions()?;
        let gone = all.iter().filter(|one| !kept.contains(&(one.system.as_str(), one.feed.as_str())));
        for one in gone {
            self.connection.execute(
                "DELETE FROM subscription WHERE system = ?1 AND feed = ?2",
                params![one.system.as_str(), one.feed],
            )?;
        }
        Ok(())
    }
}
