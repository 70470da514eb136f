//! Gathers what several tasks want to send, so that it goes in one request.

use std::future::Future;
use std::sync::{Mutex, PoisonError};
use std::time::Duration;

use tokio::sync::oneshot;

/// How long the first waits for others to join.
const WAITS: Duration = Duration::from_millis(4);

/// What waits to be sent, each with where its answer goes.
type Waiting<T, R> = Vec<(T, oneshot::Sender<R>)>;

/// Gathers up to so many, for a moment.
#[derive(Debug)]
pub(crate) struct Gatherer<T, R> {
    waiting: Mutex<Waiting<T, R>>,
    most: usize,
}

impl<T, R: Clone> Gatherer<T, R> {
    pub(crate) fn new(most: usize) -> Self {
        Gatherer { waiting: Mutex::new(Vec::new()), most: most.max(1) }
    }

    /// Sends one thing together with what others bring in the same moment. Whoever is first sends for
    /// all; `send` gives an answer for each, in order. None where the sender was dropped midway.
    pub(crate) async fn send<F>(&self, thing: T, send: impl FnOnce(Vec<T>) -> F) -> Option<R>
    where
        F: Future<Output = Vec<R>>,
    {
        let (answer, own) = oneshot::channel();
        let (is_first, is_full) = {
            let mut waiting = self.waiting.lock().unwrap_or_else(PoisonError::into_inner);
            waiting.push((thing, answer));
            (waiting.len() == 1, waiting.len() >= self.most)
        };
        if is_first && !is_full {
            tokio::time::sleep(WAITS).await;
        }
        if is_first || is_full {
            let gathered = std::mem::take(&mut *self.waiting.lock().unwrap_or_else(PoisonError::into_inner));
            let (things, answers): (Vec<T>, Vec<_>) = gathered.into_iter().unzip();
            if !things.is_empty() {
                for (answer, to) in send(things).await.into_iter().zip(answers) {
                    // Whoever asked may have given up.
                    drop(to.send(answer));
                }
            }
        }
        own.await.ok()
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use std::sync::atomic::{AtomicUsize, Ordering};

    #[tokio::test]
    async fn everybody_gets_their_own_answer() {
        let gatherer = Gatherer::new(10);
        let sent = AtomicUsize::new(0);
        let one = |number: usize| {
            let sent = &sent;
            gatherer.send(number, move |numbers: Vec<usize>| async move {
                assert!(numbers.len() <= 10);
                sent.fetch_add(1, Ordering::Relaxed);
                numbers.into_iter().map(|number| number * 2).collect()
            })
        };
        let answers = futures::future::join_all((0..95).map(one)).await;
        assert_eq!(answers, (0..95).map(|number| Some(number * 2)).collect::<Vec<_>>());
        assert!(sent.load(Ordering::Relaxed) <= 12, "{sent:?}");
    }
}
