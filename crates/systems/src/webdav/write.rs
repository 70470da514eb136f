//! Writing files on a WebDAV server: under a lock where it gives any, and over a known version only.

use std::future::Future;
use std::time::Duration;

use async_trait::async_trait;
use diaporos_core::change::fingerprint_bytes;
use diaporos_core::value::{Revision, SystemName};
use serde_json::{Map, Value as Json};
use tokio::time::Instant;

use super::Folder;
use super::answer::{Lock, Resource, ask_for_lock, ask_for_locks, read_multistatus, set_properties};
use crate::http::{Answer, Body, Limits, Method, Request};
use crate::keyed_store::{Base, KeyedStore, KeyedStoreWriter, Stored};
use crate::profile::Properties;
use crate::text_file::FileForm;
use crate::{ErrorKind, HttpSystem, SystemError, Write};

/// How long a lock is asked for, in seconds; the server may grant another time.
const LASTS: &str = "Second-120";

/// A writer of a server's files by a profile. `owner` is what others read of whose our locks are, and
/// by which we know them again.
///
/// # Errors
/// Where TLS cannot be set up.
pub fn webdav_writer(system: HttpSystem, owner: String) -> Result<Box<dyn Write>, SystemError> {
    let folder = Folder::new(system.client()?, system.url.clone());
    let properties = system.profile.types.values().map(|known| known.properties.clone());
    let properties = properties.reduce(|mut all, other| {
        all.names.extend(other.names);
        if all.namespace.is_empty() {
            all.namespace = other.namespace;
        }
        all
    });
    let store = DavStore { folder, owner, properties: properties.unwrap_or_default() };
    Ok(Box::new(KeyedStoreWriter::new(store, system.profile, system.languages)))
}

struct DavStore {
    folder: Folder,
    owner: String,
    /// What of a document is a property of its file, and not in it.
    properties: Properties,
}

/// What guards a write.
enum Guard {
    /// A lock of ours.
    Lock(Held),
    /// The server gives none; its ETag has to do.
    None,
}

/// A lock of ours.
struct Held {
    token: String,
    /// How long the server lets it last; none where it does not say, or for ever.
    lasts: Option<Duration>,
    /// Whether taking it made the file (RFC 4918 §7.3).
    made: bool,
}

impl Guard {
    /// A request that shows that we hold the lock.
    fn bearing(&self, request: Request) -> Request {
        match self {
            Guard::Lock(held) => request.header("if", format!("(<{}>)", held.token)),
            Guard::None => request,
        }
    }
}

impl DavStore {
    fn form(&self, place: &str) -> Result<FileForm, SystemError> {
        let form = FileForm::of(place);
        form.ok_or_else(|| self.error(place, ErrorKind::Refused("its place ends in neither .md nor .json".to_owned())))
    }

    fn version(&self, place: &str, bytes: &[u8], properties: &Map<String, Json>) -> Result<Revision, SystemError> {
        // Without properties the version is that of the bytes alone.
        let said: String = properties.iter().map(|(name, value)| format!(" {name} {value}")).collect();
        Revision::new(fingerprint_bytes(&format!("file{said}"), bytes).to_string())
            .map_err(|error| self.error(place, ErrorKind::Refused(error.to_string())))
    }

    async fn send(&self, request: Request) -> Result<Answer, SystemError> {
        self.folder.client.write(&request).await
    }

    /// Takes a lock. Our own that a crash left is given back first.
    async fn lock(&self, place: &str) -> Result<Guard, SystemError> {
        match self.take(place).await {
            // A 409 may as well say that a folder above it is missing (RFC 4918 §9.10.6): then nobody holds it.
            Err(error @ SystemError { kind: ErrorKind::Locked { .. } | ErrorKind::Differs { .. }, .. }) => {
                let Some(lock) = self.holder(place).await? else { return Err(error) };
                let Some(token) = lock.token.filter(|_| lock.owner == self.owner) else {
                    let by = if lock.owner.is_empty() { String::new() } else { format!("by {}", lock.owner) };
                    return Err(self.error(place, ErrorKind::Locked { message: by }));
                };
                self.unlock(place, &token).await?;
                self.take(place).await
            }
            taken => taken,
        }
    }

    async fn take(&self, place: &str) -> Result<Guard, SystemError> {
        let mut request = self.folder.client.request(Method::Lock, self.folder.url(place)?);
        request = request.header("depth", "0").header("timeout", LASTS);
        request.body = Some(ask_for_lock(&self.owner));
        match self.send(request).await {
            Ok(answer) => {
                let told = read_multistatus(&answer.body).unwrap_or_default().into_iter().find_map(|found| found.lock);
                let token = answer.header("lock-token").map(|token| token.trim_matches(['<', '>', ' ']).to_owned());
                let token = token.filter(|token| !token.is_empty());
                let lasts = told.as_ref().and_then(|lock| lock.lasts.clone());
                let lasts = lasts.or_else(|| answer.header("timeout").map(str::to_owned)).as_deref().and_then(granted);
                let missing = || self.error(place, ErrorKind::Content("a lock was given without its token".to_owned()));
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
    async fn under<T>(
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
                match self.send(request.header("if", format!("(<{token}>)"))).await {
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
            return Err(self.error(place, ErrorKind::Content(why)));
        }
        result
    }

    async fn unlock(&self, place: &str, token: &str) -> Result<(), SystemError> {
        let request = self.folder.client.request(Method::Unlock, self.folder.url(place)?);
        match self.send(request.header("lock-token", format!("<{token}>"))).await {
            // It has run out: 409 where there is no such lock (RFC 4918 §9.11.1), or the file is gone.
            Ok(_) | Err(SystemError { kind: ErrorKind::Differs { .. } | ErrorKind::NotFound, .. }) => Ok(()),
            Err(error) => Err(error),
        }
    }

    async fn holder(&self, place: &str) -> Result<Option<Lock>, SystemError> {
        let found = self.statuses(place).await?;
        Ok(found.and_then(|found| found.into_iter().find_map(|found| found.lock)))
    }

    /// What the server says of a place and its locks; none where nothing is there.
    async fn statuses(&self, place: &str) -> Result<Option<Vec<Resource>>, SystemError> {
        let mut request = self.folder.client.request(Method::Propfind, self.folder.url(place)?).header("depth", "0");
        request.body = Some(ask_for_locks());
        match self.folder.client.read(&request).await {
            Err(SystemError { kind: ErrorKind::NotFound, .. }) => Ok(None),
            Err(error) => Err(error),
            Ok(answer) => {
                let found = read_multistatus(&answer.body);
                found.map(Some).map_err(|why| self.error(place, ErrorKind::Content(why)))
            }
        }
    }

    /// Makes the folders of a place that are not there.
    async fn make_folders(&self, place: &str) -> Result<(), SystemError> {
        let ends = place.match_indices('/').map(|(at, _)| at);
        for end in ends {
            let mut url = self.folder.url(&place[..end])?;
            url.set_path(&format!("{}/", url.path()));
            match self.send(self.folder.client.request(Method::Mkcol, url)).await {
                // It is there already (RFC 4918 §9.3.1).
                Ok(_) | Err(SystemError { kind: ErrorKind::Status { status: 405, .. }, .. }) => {}
                // Some fail in another way where two make one folder at the same time.
                Err(error) => match self.statuses(&place[..end]).await {
                    Ok(Some(found)) if !found.is_empty() => {}
                    _ => return Err(error),
                },
            }
        }
        Ok(())
    }

    fn writing(&self, place: &str, bytes: Vec<u8>, form: FileForm) -> Result<Request, SystemError> {
        let mut request = self.folder.client.request(Method::Put, self.folder.url(place)?);
        request.body = Some(Body::Bytes(bytes, form.media().to_owned()));
        Ok(request)
    }

    /// Makes a new file: locks its place, looks whether anything is there, and writes. A server may ignore
    /// `If-None-Match`, and one without locks leaves only the look just before.
    async fn create(
        &self,
        place: &str,
        (bytes, form): (&[u8], FileForm),
        properties: &Map<String, Json>,
    ) -> Result<(), SystemError> {
        let guard = match self.lock(place).await {
            // A folder above it is missing (RFC 4918 §9.10.6), whatever status says so.
            Err(SystemError {
                kind:
                    ErrorKind::Differs { status: 409, .. } | ErrorKind::NotFound | ErrorKind::Status { status: 500, .. },
                ..
            }) => {
                self.make_folders(place).await?;
                self.lock(place).await?
            }
            guard => guard?,
        };
        let made = self.under(place, &guard, self.create_guarded(place, (bytes, form), properties, &guard)).await;
        if let Guard::Lock(held) = &guard {
            // The empty file that our lock made is nobody's where nothing came into it.
            if held.made && made.as_ref().is_err_and(|error| !error.kind.leaves_doubt()) {
                let request = self.folder.client.request(Method::Delete, self.folder.url(place)?);
                if let Err(error) = self.send(guard.bearing(request)).await {
                    tracing::warn!(%error, "an empty file could not be taken away");
                }
            }
            self.give_back(place, held).await;
        }
        made
    }

    async fn create_guarded(
        &self,
        place: &str,
        (bytes, form): (&[u8], FileForm),
        properties: &Map<String, Json>,
        guard: &Guard,
    ) -> Result<(), SystemError> {
        let made_by_lock = matches!(guard, Guard::Lock(Held { made: true, .. }));
        let there = self.folder.get(place).await?;
        if there.is_some_and(|there| !(made_by_lock && there.is_empty())) {
            return Err(self.error(place, ErrorKind::Differs { status: 412, message: String::new() }));
        }
        let request = || {
            let request = self.writing(place, bytes.to_vec(), form)?;
            // Under a lock the file is there already, and empty.
            Ok(match guard {
                Guard::Lock(_) => guard.bearing(request),
                Guard::None => request.header("if-none-match", "*"),
            })
        };
        match self.send(request()?).await {
            Err(SystemError {
                kind:
                    ErrorKind::Differs { status: 409, .. } | ErrorKind::NotFound | ErrorKind::Status { status: 500, .. },
                ..
            }) => {
                self.make_folders(place).await?;
                self.send(request()?).await?;
            }
            sent => drop(sent?),
        }
        self.set(place, properties, guard).await
    }

    /// Gives a lock back. After a deletion it is gone with the file, which is as good.
    async fn give_back(&self, place: &str, held: &Held) {
        if let Err(error) = self.unlock(place, &held.token).await {
            tracing::warn!(%error, "a lock could not be given back");
        }
    }

    /// A document apart: what is in the file, and what are properties of it.
    fn apart(&self, document: &Map<String, Json>) -> (Map<String, Json>, Map<String, Json>) {
        let is_property = |(name, _): &(String, Json)| self.properties.names.contains(name);
        let (properties, rest): (Vec<_>, Vec<_>) = document.clone().into_iter().partition(is_property);
        (rest.into_iter().collect(), properties.into_iter().collect())
    }

    /// Sets properties, under a lock where there is one.
    async fn set(&self, place: &str, properties: &Map<String, Json>, guard: &Guard) -> Result<(), SystemError> {
        if properties.is_empty() {
            return Ok(());
        }
        let text = |value: &Json| value.as_str().map_or_else(|| value.to_string(), str::to_owned);
        let values: Vec<_> = properties.iter().map(|(name, value)| (name.clone(), text(value))).collect();
        let mut request = self.folder.client.request(Method::Proppatch, self.folder.url(place)?);
        request.body = Some(set_properties(&self.properties.namespace, &values));
        let answer = self.send(guard.bearing(request)).await?;
        let found = read_multistatus(&answer.body).map_err(|why| self.error(place, ErrorKind::Content(why)))?;
        let refused = found.iter().flat_map(|found| &found.statuses).find(|status| !status.contains(" 2"));
        match refused {
            None => Ok(()),
            Some(status) => {
                Err(self.error(place, ErrorKind::Refused(format!("its properties were refused: {status}"))))
            }
        }
    }

    async fn change(
        &self,
        place: &str,
        base: &Revision,
        request: Request,
        properties: &Map<String, Json>,
    ) -> Result<(), SystemError> {
        let guard = self.lock(place).await?;
        let changing = async {
            self.change_guarded(place, base, request, &guard).await?;
            self.set(place, properties, &guard).await
        };
        let done = self.under(place, &guard, changing).await;
        if let Guard::Lock(held) = &guard {
            self.give_back(place, held).await;
        }
        done
    }

    async fn change_guarded(
        &self,
        place: &str,
        base: &Revision,
        mut request: Request,
        guard: &Guard,
    ) -> Result<(), SystemError> {
        let reading = self.folder.client.request(Method::Get, self.folder.url(place)?);
        let answer = self.folder.client.read(&reading).await?;
        let properties = self.folder.properties(place, &self.properties).await?;
        if self.version(place, &answer.body, &properties)? != *base {
            return Err(self.error(place, ErrorKind::Differs { status: 412, message: String::new() }));
        }
        match (guard, answer.header("etag")) {
            (Guard::Lock(_), _) => request = guard.bearing(request),
            // A weak mark cannot be compared so (RFC 9110 §13.1.1).
            (Guard::None, Some(etag)) if !etag.starts_with("W/") => request = request.header("if-match", etag),
            (Guard::None, _) => {}
        }
        self.send(request).await.map(drop)
    }
}

/// How long a lock lasts: `Second-120` (RFC 4918 §10.7); none for ever, or where that cannot be read.
fn granted(timeout: &str) -> Option<Duration> {
    let mut each = timeout.split(',').map(str::trim);
    each.find_map(|one| one.strip_prefix("Second-")?.parse().ok()).map(Duration::from_secs)
}

#[async_trait]
impl KeyedStore for DavStore {
    async fn get(&self, place: &str) -> Result<Option<Stored>, SystemError> {
        let form = self.form(place)?;
        let Some(bytes) = self.folder.get(place).await? else { return Ok(None) };
        let document = form.document(&bytes);
        let mut document = document.map_err(|why| self.error(place, ErrorKind::Refused(format!("the file {why}"))))?;
        let properties = self.folder.properties(place, &self.properties).await?;
        let version = self.version(place, &bytes, &properties)?;
        document.extend(properties);
        Ok(Some((document, version)))
    }

    async fn put(&self, place: &str, document: &Map<String, Json>, base: Base<'_>) -> Result<Revision, SystemError> {
        let form = self.form(place)?;
        let (file, properties) = self.apart(document);
        let bytes = form.bytes(&file);
        match base {
            Base::Absent => {
                self.create(place, (&bytes, form), &properties).await?;
            }
            Base::Version(base) => {
                self.change(place, base, self.writing(place, bytes.clone(), form)?, &properties).await?;
            }
        }
        // As they will be read again: as texts, and only those that have one.
        let text = |value: &Json| value.as_str().map_or_else(|| value.to_string(), str::to_owned);
        let names = self.properties.names.iter();
        let stored = names.filter_map(|name| Some((name.clone(), text(properties.get(name)?))));
        let stored = stored.filter(|(_, text)| !text.is_empty()).map(|(name, text)| (name, Json::String(text)));
        self.version(place, &bytes, &stored.collect())
    }

    async fn remove(&self, place: &str, base: &Revision) -> Result<(), SystemError> {
        let request = self.folder.client.request(Method::Delete, self.folder.url(place)?);
        self.change(place, base, request, &Map::new()).await
    }

    fn request(&self, place: &str, document: Option<&Map<String, Json>>) -> Result<Request, SystemError> {
        let form = self.form(place)?;
        match document {
            Some(document) => self.writing(place, form.bytes(&self.apart(document).0), form),
            None => Ok(self.folder.client.request(Method::Delete, self.folder.url(place)?)),
        }
    }

    fn system(&self) -> &SystemName {
        self.folder.system()
    }

    fn limits(&self) -> &Limits {
        self.folder.client.limits()
    }

    fn error(&self, place: &str, kind: ErrorKind) -> SystemError {
        self.folder.error(place, kind)
    }

    async fn release_stale_lock(&self, place: &str) -> Result<(), SystemError> {
        match self.holder(place).await? {
            Some(Lock { token: Some(token), owner, .. }) if owner == self.owner => self.unlock(place, &token).await,
            _ => Ok(()),
        }
    }
}
