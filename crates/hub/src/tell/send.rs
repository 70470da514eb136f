//! Sending what is to be told, in order for each subject, until it is taken.

use diaporos_core::value::SystemName;
use diaporos_store::{Attempt, Message, NewMessage, Store, StoreError};
use diaporos_systems::told::{Recipient, Telling};
use jiff::{SignedDuration, Timestamp};

use super::render::{RenderError, message_of};
use crate::config::{Config, TellConfig};
use crate::identity::identity;
use crate::{ConnectError, Connector};

/// Happenings that are decided about together, and messages that are sent in one go.
const TOGETHER: usize = 100;
/// The first pause after a failure; each is three times as long as the one before, up to the longest.
const FIRST_PAUSE: SignedDuration = SignedDuration::from_secs(5);
const LONGEST_PAUSE: SignedDuration = SignedDuration::from_hours(1);
/// For how long it is tried.
const TRIED_FOR: SignedDuration = SignedDuration::from_hours(24);
/// Failures in a row after which the rest waits.
const MOST_FAILURES: u32 = 3;

/// Somebody who is told, and with what.
pub struct TellRun<'a> {
    /// The configuration.
    pub config: &'a Config,
    /// Its name.
    pub name: &'a SystemName,
    /// What is said of it.
    pub tell: &'a TellConfig,
    /// The clock.
    pub clock: &'a (dyn Fn() -> Timestamp + Sync),
}

/// What became of a go.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct TellTally {
    /// Messages that were taken.
    pub told: u64,
    /// Attempts that failed, and the last of them.
    pub failed: Option<(u64, String)>,
    /// Messages that were given up.
    pub given_up: u64,
    /// Happenings of which it cannot be said what is told, and the last of these.
    pub unsaid: Option<(u64, String)>,
}

impl TellRun<'_> {
    /// Decides what is told of what happened, and sends what waits.
    ///
    /// # Errors
    /// Where the store fails, or the address or a secret cannot be had.
    pub async fn run(
        &self,
        store: &mut Store,
        connector: &Connector<'_>,
    ) -> Result<Result<TellTally, ConnectError>, StoreError> {
        let mut tally = TellTally::default();
        let hub = match identity(&self.config.folder) {
            Ok(hub) => hub,
            Err(error) => return Ok(Err(ConnectError::Identity(error.to_string()))),
        };
        while self.decide(store, &hub, &mut tally)? {}
        let recipient = match connector.recipient(self.name, self.tell) {
            Ok(recipient) => recipient,
            Err(error) => return Ok(Err(error)),
        };
        self.send(store, &recipient, &mut tally).await?;
        Ok(Ok(tally))
    }

    /// Writes down what is told of the next happenings; whether there were any.
    fn decide(&self, store: &mut Store, hub: &str, tally: &mut TellTally) -> Result<bool, StoreError> {
        let happenings = store.happenings(self.name.as_str(), TOGETHER)?;
        let Some(last) = happenings.last().map(|last| last.number) else { return Ok(false) };
        let mut messages: Vec<NewMessage> = Vec::new();
        for happening in &happenings {
            match message_of(self.config, store, self.tell, happening, hub) {
                Ok(message) => messages.extend(message),
                Err(RenderError::Store(error)) => return Err(error),
                // One that cannot be said keeps no other back.
                Err(RenderError::Expression(why)) => {
                    let count = tally.unsaid.as_ref().map_or(0, |(count, _)| *count) + 1;
                    tally.unsaid = Some((count, format!("{} of {}: {why}", happening.kind, happening.subject)));
                }
            }
        }
        store.put_out(self.name.as_str(), last, &messages, (self.clock)())?;
        Ok(true)
    }

    async fn send(&self, store: &mut Store, recipient: &Recipient, tally: &mut TellTally) -> Result<(), StoreError> {
        let mut failures = 0;
        loop {
            let due = store.messages_due(self.name.as_str(), (self.clock)(), TOGETHER)?;
            if due.is_empty() {
                return Ok(());
            }
            for message in due {
                let attempt = self.attempt(recipient, &message).await;
                match &attempt {
                    Attempt::Told => {
                        tally.told += 1;
                        failures = 0;
                    }
                    Attempt::Again(problem, _) | Attempt::GivenUp(problem) => {
                        let count = tally.failed.as_ref().map_or(0, |(count, _)| *count) + 1;
                        tally.failed = Some((count, problem.clone()));
                        tally.given_up += u64::from(matches!(attempt, Attempt::GivenUp(_)));
                        failures += 1;
                    }
                }
                store.attempted(message.number, &attempt, (self.clock)())?;
                // Who does not answer now is left alone for a moment.
                if failures >= MOST_FAILURES {
                    return Ok(());
                }
            }
        }
    }

    async fn attempt(&self, recipient: &Recipient, message: &Message) -> Attempt {
        let now = (self.clock)();
        let NewMessage { media, headers, body, .. } = &message.message;
        let id = format!("{}-{}", self.name, message.number);
        let telling = Telling { id: &id, second: now.as_second(), media, headers, body };
        match recipient.tell(telling).await {
            Ok(()) => Attempt::Told,
            Err(error) if now.duration_since(message.made) > TRIED_FOR => Attempt::GivenUp(error.to_string()),
            Err(error) => {
                let tripled = 3_i32.checked_pow(message.attempts.min(12)).unwrap_or(i32::MAX);
                let pause = FIRST_PAUSE.checked_mul(tripled).unwrap_or(LONGEST_PAUSE).min(LONGEST_PAUSE);
                Attempt::Again(error.to_string(), now.checked_add(pause).unwrap_or(now))
            }
        }
    }
}
