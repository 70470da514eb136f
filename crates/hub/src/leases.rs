//! What a process may do alone: it takes leases, and renews them as long as it lives.

use std::ops::{Deref, DerefMut};
use std::sync::Arc;
use std::sync::mpsc::{RecvTimeoutError, Sender, channel};
use std::thread::JoinHandle;
use std::time::Duration;

use diaporos_core::value::LaneName;
use diaporos_store::{Holder, Leased, Process, Store, StoreError, StorePlace};
use jiff::{SignedDuration, Timestamp};

/// How long a lease lasts that is not renewed: longer than a commit of another process may take.
const LASTS: SignedDuration = SignedDuration::from_secs(60);
/// How often leases are renewed.
const RENEWED_EVERY: Duration = Duration::from_secs(15);
/// How often it is looked whether a lease is free.
const LOOKED_EVERY: Duration = Duration::from_millis(50);

/// The clock, for a thread of its own.
pub type Clock = fn() -> Timestamp;

/// A process that works on the hub.
pub struct Worker {
    process: Arc<Process>,
    who: String,
    clock: Clock,
    renewing: Option<(Sender<()>, JoinHandle<()>)>,
}

impl Worker {
    /// Begins to work on the hub of a store, under a name that no other process has.
    ///
    /// # Errors
    /// Where the store's folder cannot be written.
    pub fn begin(store: &StorePlace, name: &str, who: &str, clock: Clock) -> Result<Worker, StoreError> {
        let process = Arc::new(Process::begin(store, name)?);
        let (store, renewed) = (Store::open(store)?.sparing()?, Arc::clone(&process));
        let (stop, stopped) = channel();
        let renew = move || {
            while stopped.recv_timeout(RENEWED_EVERY) == Err(RecvTimeoutError::Timeout) {
                // Where the store cannot be written now, the next time it may.
                if let Err(error) = store.renew_leases(&renewed, (clock(), clock() + LASTS)) {
                    tracing::warn!("leases could not be renewed: {error}");
                }
            }
        };
        let renewing = Some((stop, std::thread::spawn(renew)));
        Ok(Worker { process, who: who.to_owned(), clock, renewing })
    }

    /// The lease by which this process helps with a lane.
    #[must_use]
    pub fn hand(&self, lane: &LaneName) -> Leased {
        Leased::hand(lane, self.process.name())
    }

    /// Takes leases, all or none.
    ///
    /// # Errors
    /// Where another process has one of them, or the store fails.
    pub fn take(&self, store: &mut Store, what: &[Leased], doing: &str) -> Result<(), StoreError> {
        let now = (self.clock)();
        let holder = Holder { process: &self.process, who: &self.who, doing };
        store.take_leases(what, holder, (now, now + LASTS))
    }

    /// Takes leases, and waits a while for those that another process has. `waiting` is told once of
    /// whom it waits for.
    ///
    /// # Errors
    /// Where another process still has one of them, or the store fails.
    pub fn take_within(
        &self,
        store: &mut Store,
        (what, doing): (&[Leased], &str),
        most: Duration,
        waiting: &dyn Fn(&StoreError),
    ) -> Result<(), StoreError> {
        let mut waited = Duration::ZERO;
        loop {
            match self.take(store, what, doing) {
                Err(error @ StoreError::Leased(_)) if waited < most => {
                    if waited.is_zero() {
                        waiting(&error);
                    }
                    std::thread::sleep(LOOKED_EVERY);
                    waited += LOOKED_EVERY;
                }
                other => return other,
            }
        }
    }
}

/// A store with leases, which are given up with it, however its owner ends.
pub struct LeasedStore(Store);

impl LeasedStore {
    /// A store that has leases.
    #[must_use]
    pub fn new(store: Store) -> LeasedStore {
        LeasedStore(store)
    }
}

impl Deref for LeasedStore {
    type Target = Store;

    fn deref(&self) -> &Store {
        &self.0
    }
}

impl DerefMut for LeasedStore {
    fn deref_mut(&mut self) -> &mut Store {
        &mut self.0
    }
}

impl Drop for LeasedStore {
    fn drop(&mut self) {
        // Where that fails they end with the process.
        let _ = self.0.give_up_leases();
    }
}

impl Drop for Worker {
    fn drop(&mut self) {
        if let Some((stop, thread)) = self.renewing.take() {
            drop(stop);
            // A thread that panicked has nothing more to renew.
            let _ = thread.join();
        }
    }
}
