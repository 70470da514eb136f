//! Work on a task of its own, beside whoever waits for what comes of it.

use tokio::task::JoinSet;

/// Work that was begun. It ends with this value: what nobody waits for any more is given up.
#[derive(Debug)]
pub struct Beside<T> {
    task: JoinSet<T>,
}

impl<T: Send + 'static> Beside<T> {
    /// Begins work, which goes on while whoever will wait for it is busy.
    pub fn begin(work: impl Future<Output = T> + Send + 'static) -> Beside<T> {
        let mut task = JoinSet::new();
        task.spawn(work);
        Beside { task }
    }

    /// What came of the work; nothing where the program ends before it did.
    pub async fn ended(mut self) -> Option<T> {
        match self.task.join_next().await? {
            Ok(done) => Some(done),
            Err(error) if error.is_panic() => std::panic::resume_unwind(error.into_panic()),
            Err(_) => None,
        }
    }
}
