//! What `serve` does with batches by itself: makes and sends one at the times of its brief, where enough lacks a
//! translation and not more than it may send; and collects what came back.

use diaporos_store::{BatchRow, BatchStanding, Store};
use jiff::Timestamp;

use super::BatchError;
use super::carrier::{Carrying, CollectListener};
use super::collect::{CollectTally, Collected, Collector, UnitRow};
use super::make::{MakeOptions, Making, make};
use super::quote::Quoted;
use crate::Connector;
use crate::config::{Brief, Config};

/// What became of a brief whose time had come.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum TimedBatch {
    /// Too few words lack a translation, or none do.
    Waits {
        /// How many.
        words: u64,
    },
    /// More words lack one than may be sent without a person.
    TooMany {
        /// How many.
        words: u64,
    },
    /// An agency asks a price that a person has to accept.
    Asked {
        /// For which batch.
        batch: String,
        /// How much.
        price: String,
    },
    /// Batches were sent: one that was begun before, or the one that was made.
    Sent {
        /// Their names.
        batches: Vec<String>,
        /// The words of the one that was made.
        words: u64,
    },
}

/// What `serve` needs for batches.
pub struct TimedBatches<'a> {
    /// The configuration.
    pub config: &'a Config,
    /// Connects to the agency.
    pub connector: &'a Connector<'a>,
    /// The brief.
    pub brief: &'a Brief,
    /// The clock.
    pub clock: &'a (dyn Fn() -> Timestamp + Sync),
}

impl TimedBatches<'_> {
    fn carrying(&self, batch: &BatchRow) -> Result<Carrying, BatchError> {
        Ok(Carrying::of(self.config, self.connector, (self.brief, batch))?)
    }

    fn of(&self, store: &Store, standing: BatchStanding) -> Result<Vec<BatchRow>, BatchError> {
        let all = store.batches()?.into_iter().rev();
        Ok(all.filter(|batch| batch.brief == self.brief.name && batch.standing == standing).collect())
    }

    /// Sends what was begun to be sent, and makes and sends what lacks a translation.
    ///
    /// # Errors
    /// Where the carrier fails, or a condition has no value; the next time goes on.
    pub async fn make_and_send(&self, store: &mut Store) -> Result<TimedBatch, BatchError> {
        let mut batches = Vec::new();
        for mut begun in self.of(store, BatchStanding::Sending)? {
            self.carrying(&begun)?
                .asking(self.connector, self.brief)?
                .send(store, self.brief, &mut begun, self.clock)
                .await?;
            batches.push(begun.name);
        }
        let library = &self.config.library;
        let tried = MakeOptions { making: Making::DryRun, ..MakeOptions::default() };
        let wanted = make(store, library, self.brief, &tried, (self.clock)())?;
        for (text, fault) in &wanted.broken {
            tracing::warn!("{text} is not sent: {fault}");
        }
        let words: u64 = wanted.counts.iter().map(|count| count.words).sum();
        if words > self.brief.times.most {
            return Ok(TimedBatch::TooMany { words });
        }
        // What is known from before is filled in, also where nothing is to be sent.
        if words >= self.brief.times.least || (words == 0 && !wanted.carried.is_empty()) {
            let sent = MakeOptions { making: Making::Sent, ..MakeOptions::default() };
            let made = make(store, library, self.brief, &sent, (self.clock)())?;
            for name in made.batches {
                let Some(mut batch) = store.batch(&name)? else { continue };
                self.carrying(&batch)?
                    .asking(self.connector, self.brief)?
                    .send(store, self.brief, &mut batch, self.clock)
                    .await?;
                batches.push(batch.name);
            }
        }
        for sent in self.of(store, BatchStanding::Sent)? {
            if let Some(Quoted::Asked(price)) = self.carrying(&sent)?.settle(self.brief, &sent).await? {
                return Ok(TimedBatch::Asked { batch: sent.name, price });
            }
        }
        Ok(if batches.is_empty() { TimedBatch::Waits { words } } else { TimedBatch::Sent { batches, words } })
    }

    /// Collects what came back of every batch that is with the translators.
    ///
    /// # Errors
    /// Where the carrier or the store fails; what was accepted before stays.
    pub async fn collect(&self, store: &mut Store) -> Result<TimedCollection, BatchError> {
        let mut collection = TimedCollection::default();
        for batch in self.of(store, BatchStanding::Sent)? {
            let mut collector =
                Collector { store, brief: self.brief, batch: &batch, now: (self.clock)(), reviewer: None };
            self.carrying(&batch)?.collect(&mut collector, false, &mut collection).await?;
        }
        Ok(collection)
    }
}

/// What came of a collection.
#[derive(Debug, Clone, PartialEq, Default)]
pub struct TimedCollection {
    /// How units went.
    pub tally: CollectTally,
    /// Files that could not be taken, or not to their end, each with why.
    pub faults: Vec<String>,
}

impl TimedCollection {
    /// Whether anything came that was not known.
    #[must_use]
    pub fn has_news(&self) -> bool {
        let CollectTally { accepted, pending, rejected, outdated, refused, .. } = self.tally;
        accepted + pending + rejected + outdated + refused > 0 || !self.faults.is_empty()
    }
}

impl std::ops::AddAssign for TimedCollection {
    fn add_assign(&mut self, other: TimedCollection) {
        self.tally += other.tally;
        self.faults.extend(other.faults);
    }
}

impl CollectListener for TimedCollection {
    fn unit(&mut self, _: UnitRow) {}

    fn file(&mut self, name: &str, collected: Collected) {
        match collected {
            Collected::Taken { tally, broken, .. } => {
                self.tally += tally;
                self.faults.extend(broken.map(|why| format!("{name}: {why}")));
            }
            Collected::Before(_) => {}
            Collected::Refused(refusal) => self.faults.push(format!("{name}: {refusal}")),
        }
    }
}
