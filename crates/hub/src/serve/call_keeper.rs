//! Keeps calls from outside, many in one commit. A call is answered with success once it is on the disk.

use std::sync::Arc;
use std::sync::atomic::{AtomicU64, Ordering};
use std::time::{Duration, Instant};

use diaporos_store::{NewCall, Store, StoreError, StorePlace};
use tokio::sync::{mpsc, oneshot};

/// Calls that wait for the disk at most; more are told to come again.
const MOST_WAITING: usize = 1_024;
/// Calls that are kept in one commit at most.
const TOGETHER: usize = 256;

/// How often it is counted how many wait.
const COUNTED_EVERY: Duration = Duration::from_secs(5);

/// What became of a call.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum Kept {
    /// It is kept.
    New,
    /// It was kept before.
    Before,
}

type Waiting = (NewCall, oneshot::Sender<Result<Kept, ()>>);

/// Hands calls to a thread that keeps them.
#[derive(Clone)]
pub(super) struct CallKeeper {
    to_thread: mpsc::Sender<Waiting>,
    /// Hints that wait to be looked at, as far as is known.
    open: Arc<AtomicU64>,
}

/// Why a call was not kept.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum NotKept {
    /// Too many wait.
    TooMany,
    /// The store failed.
    Store,
}

/// So many hints may wait to be looked at before no more are taken.
const MOST_OPEN: u64 = 200_000;

impl CallKeeper {
    /// Starts the thread; `kept` is called after each commit that brought something new.
    ///
    /// # Errors
    /// Where the store cannot be opened.
    pub(super) fn begin(place: &StorePlace, kept: impl Fn() + Send + 'static) -> Result<CallKeeper, StoreError> {
        let mut store = Store::open_for_change(place)?.sparing()?;
        let open = Arc::new(AtomicU64::new(store.waiting()?.events));
        let (to_thread, mut calls) = mpsc::channel::<Waiting>(MOST_WAITING);
        let counted = Arc::clone(&open);
        std::thread::spawn(move || {
            let mut batch = Vec::with_capacity(TOGETHER);
            let mut since = Instant::now();
            // The channel closes with the last who hands calls over.
            while calls.blocking_recv_many(&mut batch, TOGETHER) > 0 {
                let new = keep(&mut store, &mut batch);
                if new > 0 {
                    counted.fetch_add(new, Ordering::Relaxed);
                    kept();
                }
                // To count is work; what was looked at meanwhile is noticed soon enough.
                if since.elapsed() >= COUNTED_EVERY
                    && let Ok(waiting) = store.waiting()
                {
                    counted.store(waiting.events, Ordering::Relaxed);
                    since = Instant::now();
                }
            }
        });
        Ok(CallKeeper { to_thread, open })
    }

    /// Keeps a call, and says so once it is on the disk.
    pub(super) async fn keep(&self, call: NewCall) -> Result<Kept, NotKept> {
        if self.open.load(Ordering::Relaxed) > MOST_OPEN {
            return Err(NotKept::TooMany);
        }
        let (done, is_kept) = oneshot::channel();
        self.to_thread.try_send((call, done)).map_err(|_| NotKept::TooMany)?;
        is_kept.await.ok().and_then(Result::ok).ok_or(NotKept::Store)
    }
}

/// Keeps a batch and answers each of it; how many are new.
fn keep(store: &mut Store, batch: &mut Vec<Waiting>) -> u64 {
    let (calls, answers): (Vec<NewCall>, Vec<_>) = batch.drain(..).unzip();
    let kept = store.keep_calls(&calls);
    if let Err(error) = &kept {
        tracing::error!("calls could not be kept: {error}");
    }
    let is_new = kept.unwrap_or_default();
    for (place, answer) in answers.into_iter().enumerate() {
        let said = match is_new.get(place) {
            Some(true) => Ok(Kept::New),
            Some(false) => Ok(Kept::Before),
            None => Err(()),
        };
        // Nobody is left to answer where the caller went away; the call is kept all the same.
        let _ = answer.send(said);
    }
    is_new.iter().filter(|new| **new).count() as u64
}
