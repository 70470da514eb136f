//! Writing files on a WebDAV server: under a lock where it gives any, and over a known version only.

use async_trait::async_trait;
use diaporos_core::change::fingerprint_bytes;
use diaporos_core::value::{Revision, SystemName, TypeName};
use serde_json::{Map, Value as Json};

use super::Folder;
use super::answer::{Lock, read_multistatus, set_properties};
use super::lock::{Guard, Held, Locks};
use crate::http::{Answer, Body, Limits, Method, Request};
use crate::keyed_store::{Base, KeyedStore, KeyedStoreWriter, Stored};
use crate::profile::Properties;
use crate::text_file::FileForm;
use crate::{ErrorKind, HttpSystem, SystemError, Write};

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
    let store = DavStore { locks: Locks { folder, owner }, properties: properties.unwrap_or_default() };
    Ok(Box::new(KeyedStoreWriter::new(store, system.profile, system.languages)))
}

struct DavStore {
    locks: Locks,
    /// What of a document is a property of its file, and not in it.
    properties: Properties,
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
        self.locks.folder.client.write(&request).await
    }

    /// Makes the folders of a place that are not there.
    async fn make_folders(&self, place: &str) -> Result<(), SystemError> {
        let ends = place.match_indices('/').map(|(at, _)| at);
        for end in ends {
            let mut url = self.locks.folder.url(&place[..end])?;
            url.set_path(&format!("{}/", url.path()));
            match self.send(self.locks.folder.client.request(Method::Mkcol, url)).await {
                // It is there already (RFC 4918 §9.3.1).
                Ok(_) | Err(SystemError { kind: ErrorKind::Status { status: 405, .. }, .. }) => {}
                // Some fail in another way where two make one folder at the same time.
                Err(error) => match self.locks.statuses(&place[..end]).await {
                    Ok(Some(found)) if !found.is_empty() => {}
                    _ => return Err(error),
                },
            }
        }
        Ok(())
    }

    fn writing(&self, place: &str, bytes: Vec<u8>, form: FileForm) -> Result<Request, SystemError> {
        let mut request = self.locks.folder.client.request(Method::Put, self.locks.folder.url(place)?);
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
        let guard = match self.locks.lock(place).await {
            // A folder above it is missing (RFC 4918 §9.10.6), whatever status says so.
            Err(SystemError {
                kind:
                    ErrorKind::Differs { status: 409, .. } | ErrorKind::NotFound | ErrorKind::Status { status: 500, .. },
                ..
            }) => {
                self.make_folders(place).await?;
                self.locks.lock(place).await?
            }
            guard => guard?,
        };
        let made = self.locks.under(place, &guard, self.create_guarded(place, (bytes, form), properties, &guard)).await;
        if let Guard::Lock(held) = &guard {
            // The empty file that our lock made is nobody's where nothing came into it.
            if held.made && made.as_ref().is_err_and(|error| !error.kind.leaves_doubt()) {
                let request = self.locks.folder.client.request(Method::Delete, self.locks.folder.url(place)?);
                if let Err(error) = self.send(guard.bearing(request)).await {
                    tracing::warn!(%error, "an empty file could not be taken away");
                }
            }
            self.locks.give_back(place, held).await;
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
        let there = self.locks.folder.get(place).await?;
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
        let mut request = self.locks.folder.client.request(Method::Proppatch, self.locks.folder.url(place)?);
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
        let guard = self.locks.lock(place).await?;
        let changing = async {
            self.change_guarded(place, base, request, &guard).await?;
            self.set(place, properties, &guard).await
        };
        let done = self.locks.under(place, &guard, changing).await;
        if let Guard::Lock(held) = &guard {
            self.locks.give_back(place, held).await;
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
        let reading = self.locks.folder.client.request(Method::Get, self.locks.folder.url(place)?);
        let answer = self.locks.folder.client.read(&reading).await?;
        let properties = self.locks.folder.properties(place, &self.properties).await?;
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

#[async_trait]
impl KeyedStore for DavStore {
    async fn get(&self, _: &TypeName, place: &str) -> Result<Option<Stored>, SystemError> {
        let form = self.form(place)?;
        let Some(bytes) = self.locks.folder.get(place).await? else { return Ok(None) };
        let document = form.document(&bytes);
        let mut document = document.map_err(|why| self.error(place, ErrorKind::Refused(format!("the file {why}"))))?;
        let properties = self.locks.folder.properties(place, &self.properties).await?;
        let version = self.version(place, &bytes, &properties)?;
        document.extend(properties);
        Ok(Some((document, version)))
    }

    async fn put(
        &self,
        _: &TypeName,
        place: &str,
        document: Map<String, Json>,
        base: Base<'_>,
    ) -> Result<Stored, SystemError> {
        let form = self.form(place)?;
        let (file, properties) = self.apart(&document);
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
        let version = self.version(place, &bytes, &stored.collect())?;
        Ok((document, version))
    }

    async fn remove(&self, _: &TypeName, place: &str, base: &Revision) -> Result<(), SystemError> {
        let request = self.locks.folder.client.request(Method::Delete, self.locks.folder.url(place)?);
        self.change(place, base, request, &Map::new()).await
    }

    fn request(&self, _: &TypeName, place: &str, document: Option<&Map<String, Json>>) -> Result<Request, SystemError> {
        let form = self.form(place)?;
        match document {
            Some(document) => self.writing(place, form.bytes(&self.apart(document).0), form),
            None => Ok(self.locks.folder.client.request(Method::Delete, self.locks.folder.url(place)?)),
        }
    }

    fn system(&self) -> &SystemName {
        self.locks.folder.system()
    }

    fn limits(&self) -> &Limits {
        self.locks.folder.client.limits()
    }

    fn error(&self, place: &str, kind: ErrorKind) -> SystemError {
        self.locks.folder.error(place, kind)
    }

    async fn release_stale_lock(&self, place: &str) -> Result<(), SystemError> {
        match self.locks.holder(place).await? {
            Some(Lock { token: Some(token), owner, .. }) if owner == self.locks.owner => {
                self.locks.unlock(place, &token).await
            }
            _ => Ok(()),
        }
    }
}
