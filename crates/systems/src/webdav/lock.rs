//! Locks of a WebDAV server (RFC 4918 §6).

use std::future::Future;
use std::time::Duration;

use tokio::time::Instant;

use super::Folder;
use super::answer::{Lock, Resource, ask_for_lock, ask_for_locks, read_multistatus};
use crate::http::{Method, Request};
use crate::{ErrorKind, SystemError};

/// How long a lock is asked for, in seconds; the server may grant another time.
const LASTS: &str = "Second-120";

/// What guards a write.
pub(super) enum Guard {
    /// A lock of ours.
    Lock(Held),
    /// The server gives none; its ETag has to do.
    None,
}

/// A lock of ours.
pub(super) struct Held {
    pub(super) token: String,
    /// How long the server lets it last; none where it does not say, or for ever.
    pub(super) lasts: Option<Duration>,
    /// Whether taking it made the file (RFC 4918 §7.3).
    pub(super) made: bool,
}

impl Guard {
    /// A request that shows that we hold the lock.
    pub(super) fn bearing(&self, request: Request) -> Request {
        match self {
            Guard::Lock(held) => request.header("if", format!("(<{}>)", held.token)),
            Guard::None => request,
        }
    }
}

/// Takes locks in a server's folder, and gives them back.
pub(super) struct Locks {
    pub(super) folder: Folder,
    /// What others read of whose our locks are, and by which we know them again.
    pub(super) owner: String,
}

impl Locks {
    /// Takes a lock. Our own that a crash left is given back first.
    pub(super) async fn lock(&self, place: &str) -> Result<Guard, SystemError> {
        match self.take(place).await {
            // A 409 may as well say that a folder above it is missing (RFC 4918 §9.10.6): then nobody holds it.
            Err(error @ SystemError { kind: ErrorKind::Locked { .. } | ErrorKind::Differs { .. }, .. }) => {
                let Some(lock) = self.holder(place).await? else { return Err(error) };
                let Some(token) = lock.token.filter(|_| lock.owner == self.owner) else {
                    let by = if lock.owner.is_empty() { String::new() } else { format!("by {}", lock.owner) };
                    return Err(self.folder.error(place, ErrorKind::Locked { message: by }));
                };
                self.unlock(place, &token).await?;
                self.take(place).await
            }
            taken => taken,
        }
    }

    pub(super) async fn take(&self, place: &str) -> Result<Guard, SystemError> {
        let mut request = self.folder.client.request(Method::Lock, self.folder.url(place)?);
        request = request.header("depth", "0").header("timeout", LASTS);
        request.body = Some(ask_for_lock(&self.owner));
        match self.folder.client.write(&request).await {
            Ok(answer) => {
                let told = read_multistatus(&answer.body).unwrap_or_default().into_iter().find_map(|found| found.lock);
                let token = answer.header("lock-token").map(|token| token.trim_matches(['<', '>', ' ']).to_owned());
                let token = token.filter(|token| !token.is_empty());
                let lasts = told.as_ref().and_then(|lock| lock.lasts.clone());
                let lasts = lasts.or_else(|| answer.header("timeout").map(str::to_owned)).as_deref().and_then(granted);
                let missing =
                    || self.folder.error(place, ErrorKind::Content("a lock was given without its token".to_owned()));
                let token = token.or_else(|| told?.token).ok_or_else(missing)?;
                Ok(Guard::Lock(Held { token, lasts, made: answer.status == 201 }))
            }
            // Locks are optional (RFC 4918 §18).
            Err(SystemError { kind: ErrorKind::Status { status: 405 | 501, .. }, .. }) => Ok(Guard::None),
            Err(error) => Err(error),
        }
    }

    /// Does something under a lock, which is renewed before it ends. One that ended all the same leaves
    /// what was done in doubt: somebody else may have written meanwhile.
    pub(super) async fn under<T>(
        &self,
        place: &str,
        guard: &Guard,
        done: impl Future<Output = Result<T, SystemError>> + Send,
    ) -> Result<T, SystemError> {
        let Guard::Lock(Held { token, lasts: Some(lasts), .. }) = guard else { return done.await };
        let mut ends = Instant::now() + *lasts;
        let renewing = async {
            loop {
                tokio::time::sleep(ends.saturating_duration_since(Instant::now()) / 2).await;
                let Ok(url) = self.folder.url(place) else { return };
                let request = self.folder.client.request(Method::Lock, url).header("timeout", LASTS);
                match self.folder.client.write(&request.header("if", format!("(<{token}>)"))).await {
                    Ok(_) => ends = Instant::now() + *lasts,
                    Err(error) => {
                        tracing::debug!(%error, "a lock could not be renewed");
                        tokio::time::sleep_until(ends).await;
                        return;
                    }
                }
            }
        };
        let mut renewing = std::pin::pin!(renewing);
        let mut done = std::pin::pin!(done);
        let mut ran_out = false;
        let result = loop {
            tokio::select! {
                result = &mut done => break result,
                () = &mut renewing, if !ran_out => ran_out = true,
            }
        };
        if ran_out && result.is_ok() {
            let why = "our lock ran out before the answer came, so that somebody else may have written".to_owned();
            return Err(self.folder.error(place, ErrorKind::Content(why)));
        }
        result
    }

    pub(super) async fn unlock(&self, place: &str, token: &str) -> Result<(), SystemError> {
        let request = self.folder.client.request(Method::Unlock, self.folder.url(place)?);
        match self.folder.client.write(&request.header("lock-token", format!("<{token}>"))).await {
            // It has run out: 409 where there is no such lock (RFC 4918 §9.11.1), or the file is gone.
            Ok(_) | Err(SystemError { kind: ErrorKind::Differs { .. } | ErrorKind::NotFound, .. }) => Ok(()),
            Err(error) => Err(error),
        }
    }

    pub(super) async fn holder(&self, place: &str) -> Result<Option<Lock>, SystemError> {
        let found = self.statuses(place).await?;
        Ok(found.and_then(|found| found.into_iter().find_map(|found| found.lock)))
    }

    /// What the server says of a place and its locks; none where nothing is there.
    pub(super) async fn statuses(&self, place: &str) -> Result<Option<Vec<Resource>>, SystemError> {
        let mut request = self.folder.client.request(Method::Propfind, self.folder.url(place)?).header("depth", "0");
        request.body = Some(ask_for_locks());
        match self.folder.client.read(&request).await {
            Err(SystemError { kind: ErrorKind::NotFound, .. }) => Ok(None),
            Err(error) => Err(error),
            Ok(answer) => {
                let found = read_multistatus(&answer.body);
                found.map(Some).map_err(|why| self.folder.error(place, ErrorKind::Content(why)))
            }
        }
    }

    /// Gives a lock back. After a deletion it is gone with the file, which is as good.
    pub(super) async fn give_back(&self, place: &str, held: &Held) {
        if let Err(error) = self.unlock(place, &held.token).await {
            tracing::warn!(%error, "a lock could not be given back");
        }
    }
}

/// How long a lock lasts: `Second-120` (RFC 4918 §10.7); none for ever, or where that cannot be read.
fn granted(timeout: &str) -> Option<Duration> {
    let mut each = timeout.split(',').map(str::trim);
    each.find_map(|one| one.strip_prefix("Second-")?.parse().ok()).map(Duration::from_secs)
}
