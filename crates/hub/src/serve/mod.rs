//! A hub that runs by itself: pulls systems at their times, and pushes lanes when something is owed.
//!
//! Each pull and each push is a job on a thread of its own, with a connection and leases of its own, so
//! that none waits for another and none takes another with it.

mod agenda;
mod call_keeper;
mod facts;
mod front;
mod hooks;
mod hub_calls;
mod jobs;
mod known_hubs;
mod listener;
mod look_job;
mod looks;
mod pages;
mod running;
mod shared;
mod subscribing;
mod underway;
mod watch;

use std::net::SocketAddr;
use std::path::PathBuf;
use std::sync::Arc;
use std::sync::atomic::{AtomicBool, Ordering};
use std::time::Duration;

use diaporos_store::{AlertChanges, StoreError};
use tokio::sync::Notify;

use crate::ConnectError;
use crate::config::Config;
use crate::leases::{Clock, Worker};

pub use agenda::{Facts, LaneFacts, Planned, When, Why, agenda};
pub use facts::facts;
pub use hooks::CallCounts;
pub use jobs::{Done, JobEnd};
pub use look_job::Looked;
use running::Running;
pub use subscribing::Subscribed;

/// How long work that is under way may take to end once `serve` is asked to.
pub const ENDS_WITHIN: Duration = Duration::from_secs(20);

/// What happened, for whoever tells it.
#[derive(Debug)]
pub enum Told {
    /// It runs, with so many systems that have times.
    Runs {
        /// How many systems are pulled by themselves.
        systems: usize,
        /// How many lanes are pushed by themselves.
        lanes: usize,
    },
    /// It listens here.
    Listens(SocketAddr),
    /// A job came to its end.
    Done(Done),
    /// Alerts opened, are open still, or closed.
    Alerts(AlertChanges),
    /// The store failed; what runs goes on, and it is tried again.
    Trouble(StoreError),
    /// The configuration changed, and is taken over.
    Reloaded,
    /// The configuration changed, and is faulty; the one before goes on.
    Refused(String),
    /// It was asked to end, and so many jobs are under way.
    Ending(usize),
}

/// What it is run with.
pub struct Serve {
    /// The hub's folder, whose files are watched.
    pub folder: PathBuf,
    /// Where it listens, where that is another place than the configuration says.
    pub listen: Option<SocketAddr>,
    /// Reads the configuration anew; the fault where it has one.
    pub load: Box<dyn Fn() -> Result<Config, String>>,
    /// This process.
    pub worker: Arc<Worker>,
    /// A variable of the environment.
    pub variable: fn(&str) -> Option<String>,
    /// The clock.
    pub clock: Clock,
    /// Who runs it.
    pub who: String,
    /// What is asked of it from outside.
    pub asked: Arc<Asked>,
    /// Takes note of what happens.
    pub tell: Box<dyn FnMut(&Told)>,
}

/// What is asked of it from outside, at any time.
#[derive(Debug, Default)]
pub struct Asked {
    ending: AtomicBool,
    reload: AtomicBool,
    something: Notify,
}

impl Asked {
    /// Asks it to end: what is under way is finished.
    pub fn end(&self) {
        self.ending.store(true, Ordering::Relaxed);
        self.something.notify_one();
    }

    /// Asks it to read its configuration anew.
    pub fn reload(&self) {
        self.reload.store(true, Ordering::Relaxed);
        self.something.notify_one();
    }

    /// Asks it to look whether something became due.
    pub fn look(&self) {
        self.something.notify_one();
    }

    /// Whether it is to end.
    pub fn is_ending(&self) -> bool {
        self.ending.load(Ordering::Relaxed)
    }
}

/// Why a hub cannot run by itself.
#[derive(Debug, thiserror::Error)]
pub enum ServeError {
    /// The store failed.
    #[error(transparent)]
    Store(#[from] StoreError),
    /// A secret of a hook cannot be had.
    #[error(transparent)]
    Connect(#[from] ConnectError),
    /// It is to listen beyond loopback, and nobody would have to show anything.
    #[error("it is to listen at {at}, beyond loopback, and whoever comes could look")]
    NoToken {
        /// Where.
        at: SocketAddr,
    },
    /// It cannot listen where it should.
    #[error("it cannot listen at {at}: {error}")]
    Listen {
        /// Where.
        at: SocketAddr,
        /// Why.
        error: std::io::Error,
    },
}

impl Serve {
    /// Runs until it is asked to end. What is under way then is finished, for at most [`ENDS_WITHIN`]; what is
    /// not finished by then is left as a crash would leave it, and the next run goes on with it.
    ///
    /// # Errors
    /// Where it cannot begin, or the store fails.
    pub async fn run(self, config: Config) -> Result<(), ServeError> {
        Running::begin(self, config).await?.run().await
    }
}
