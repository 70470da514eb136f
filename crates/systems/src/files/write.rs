//! Writing files of a folder: whole or not at all, never outside, and only our own are ever removed.

use std::collections::BTreeSet;
use std::io::Write as _;
use std::path::{Component, Path, PathBuf};
use std::sync::Mutex;

use async_trait::async_trait;
use diaporos_core::change::fingerprint_bytes;
use diaporos_core::value::{Revision, SystemName, TypeName};
use serde_json::{Map, Value as Json};
use url::Url;

use crate::asset::Asset;
use crate::files::publish;
use crate::http::{Body, Limits, Method, Request};
use crate::keyed_store::{Base, KeyedStore, KeyedStoreWriter, Stored};
use crate::languages::LanguageCodes;
use crate::profile::Profile;
use crate::text_file::FileForm;
use crate::{ErrorKind, SystemError, Write};

/// Lists the files that we made, one a line, so that no other is ever removed.
const OURS: &str = ".diaporos-files";

/// A writer of a folder's files by a profile.
#[must_use]
pub fn files_writer(
    system: SystemName,
    folder: PathBuf,
    profile: Profile,
    languages: LanguageCodes,
    limits: Limits,
) -> Box<dyn Write> {
    let store = FilesStore { system, folder, limits, writing: Mutex::new(()) };
    Box::new(KeyedStoreWriter::new(store, profile, languages))
}

/// Where files of entries are kept.
const ASSETS: &str = "assets";

struct FilesStore {
    system: SystemName,
    folder: PathBuf,
    limits: Limits,
    /// One file is changed at a time: a comparison and the write after it belong together.
    writing: Mutex<()>,
}

impl FilesStore {
    /// The file of a place. No step leads upwards, is hidden, or is a link to elsewhere.
    fn path(&self, place: &str) -> Result<PathBuf, SystemError> {
        let refused = |why: &str| self.error(place, ErrorKind::Refused(why.to_owned()));
        let mut path = self.folder.clone();
        for step in Path::new(place).components() {
            let Component::Normal(step) = step else { return Err(refused("its place leads out of the folder")) };
            if step.to_string_lossy().starts_with('.') {
                return Err(refused("its place is a hidden file"));
            }
            path.push(step);
            if path.symlink_metadata().is_ok_and(|found| found.file_type().is_symlink()) {
                return Err(refused("its place is, or is in, a link that may lead anywhere"));
            }
        }
        if place.is_empty() { Err(refused("it has no place")) } else { Ok(path) }
    }

    fn form(&self, place: &str) -> Result<FileForm, SystemError> {
        let form = FileForm::of(place);
        form.ok_or_else(|| self.error(place, ErrorKind::Refused("its place ends in neither .md nor .json".to_owned())))
    }

    fn failed(&self, place: &str, error: &std::io::Error) -> SystemError {
        self.error(place, ErrorKind::Refused(error.to_string()))
    }

    fn bytes(&self, place: &str) -> Result<Option<Vec<u8>>, SystemError> {
        let path = self.path(place)?;
        match std::fs::metadata(&path) {
            Err(error) if error.kind() == std::io::ErrorKind::NotFound => return Ok(None),
            Err(error) => return Err(self.failed(place, &error)),
            Ok(found) if found.len() > self.limits.max_bytes => {
                return Err(self.error(place, ErrorKind::TooLarge { limit: self.limits.max_bytes }));
            }
            Ok(_) => {}
        }
        match std::fs::read(path) {
            Err(error) if error.kind() == std::io::ErrorKind::NotFound => Ok(None),
            read => read.map(Some).map_err(|error| self.failed(place, &error)),
        }
    }

    /// Insists that a file is as it must be.
    fn compare(&self, place: &str, base: Base<'_>) -> Result<(), SystemError> {
        let now =
            self.bytes(place)?.map(|bytes| version(&bytes)).transpose().map_err(|kind| self.error(place, kind))?;
        let as_it_must_be = match base {
            Base::Absent => now.is_none(),
            Base::Version(base) => now.as_ref() == Some(base),
        };
        if as_it_must_be {
            return Ok(());
        }
        Err(self.error(place, ErrorKind::Differs { status: 412, message: String::new() }))
    }

    fn ours(&self) -> Result<BTreeSet<String>, SystemError> {
        match std::fs::read_to_string(self.folder.join(OURS)) {
            Err(error) if error.kind() == std::io::ErrorKind::NotFound => Ok(BTreeSet::new()),
            Err(error) => Err(self.failed(OURS, &error)),
            Ok(text) => Ok(text.lines().map(str::to_owned).collect()),
        }
    }

    /// Notes that a file is ours, before it is made.
    fn claim(&self, place: &str) -> std::io::Result<()> {
        let mut list = std::fs::OpenOptions::new().create(true).append(true).open(self.folder.join(OURS))?;
        writeln!(list, "{place}")?;
        list.sync_all()
    }

    /// Writes beside the file, and puts it in its place in one step.
    fn replace(path: &Path, bytes: &[u8]) -> std::io::Result<()> {
        let folder = path.parent().unwrap_or(Path::new("."));
        std::fs::create_dir_all(folder)?;
        let mut beside = tempfile::Builder::new().prefix(".diaporos-").tempfile_in(folder)?;
        beside.write_all(bytes)?;
        beside.as_file().sync_all()?;
        publish(beside, path)?;
        // The name is on the disk only when its folder is.
        std::fs::File::open(folder)?.sync_all()
    }
}

fn version(bytes: &[u8]) -> Result<Revision, ErrorKind> {
    Revision::new(fingerprint_bytes("file", bytes).to_string()).map_err(|error| ErrorKind::Refused(error.to_string()))
}

#[async_trait]
impl KeyedStore for FilesStore {
    async fn get(&self, _: &TypeName, place: &str) -> Result<Option<Stored>, SystemError> {
        let form = self.form(place)?;
        let Some(bytes) = self.bytes(place)? else { return Ok(None) };
        let document = form.document(&bytes);
        let document = document.map_err(|why| self.error(place, ErrorKind::Refused(format!("the file {why}"))))?;
        Ok(Some((document, version(&bytes).map_err(|kind| self.error(place, kind))?)))
    }

    async fn put(
        &self,
        _: &TypeName,
        place: &str,
        document: Map<String, Json>,
        base: Base<'_>,
    ) -> Result<Stored, SystemError> {
        let (path, bytes) = (self.path(place)?, self.form(place)?.bytes(&document));
        let _writing = self.writing.lock().unwrap_or_else(std::sync::PoisonError::into_inner);
        if !self.folder.is_dir() {
            return Err(self.error("", ErrorKind::Unreachable("there is no such folder".to_owned())));
        }
        self.compare(place, base)?;
        if matches!(base, Base::Absent) {
            self.claim(place).map_err(|error| self.failed(place, &error))?;
        }
        Self::replace(&path, &bytes).map_err(|error| self.failed(place, &error))?;
        Ok((document, version(&bytes).map_err(|kind| self.error(place, kind))?))
    }

    async fn remove(&self, _: &TypeName, place: &str, base: &Revision) -> Result<(), SystemError> {
        let path = self.path(place)?;
        let _writing = self.writing.lock().unwrap_or_else(std::sync::PoisonError::into_inner);
        self.compare(place, Base::Version(base))?;
        if !self.ours()?.contains(place) {
            let why = "the file was there before us, and only our own are removed; take it away by hand".to_owned();
            return Err(self.error(place, ErrorKind::Refused(why)));
        }
        std::fs::remove_file(path).map_err(|error| self.failed(place, &error))
    }

    async fn keep_asset(&self, asset: &Asset) -> Result<String, SystemError> {
        // What is in it is in its name, so that what is there is what it would be.
        let plain = |c: char| if c.is_ascii_alphanumeric() || matches!(c, '-' | '_' | '.') { c } else { '-' };
        let name: String = asset.name.chars().map(plain).collect();
        let name = name.trim_start_matches('.');
        let hash = asset.hash.get(..16).unwrap_or(&asset.hash);
        let place = format!("{ASSETS}/{hash}-{}", name.get(name.len().saturating_sub(60)..).unwrap_or(name));
        let path = self.path(&place)?;
        let _writing = self.writing.lock().unwrap_or_else(std::sync::PoisonError::into_inner);
        if self.bytes(&place)?.is_some_and(|known| known == asset.bytes) {
            return Ok(place);
        }
        self.claim(&place).map_err(|error| self.failed(&place, &error))?;
        Self::replace(&path, &asset.bytes).map_err(|error| self.failed(&place, &error))?;
        Ok(place)
    }

    async fn kept_asset(&self, place: &str) -> Result<Option<Vec<u8>>, SystemError> {
        self.bytes(place)
    }

    fn request(&self, _: &TypeName, place: &str, document: Option<&Map<String, Json>>) -> Result<Request, SystemError> {
        let path = self.path(place)?;
        let path = std::path::absolute(&path).unwrap_or(path);
        let url = Url::from_file_path(&path)
            .map_err(|()| self.error(place, ErrorKind::Refused("its place cannot be an address".to_owned())))?;
        let method = if document.is_some() { Method::Put } else { Method::Delete };
        let form = self.form(place)?;
        let body = document.map(|document| Body::Bytes(form.bytes(document), form.media().to_owned()));
        Ok(Request { body, ..Request::new(method, url) })
    }

    fn system(&self) -> &SystemName {
        &self.system
    }

    fn limits(&self) -> &Limits {
        &self.limits
    }

    fn error(&self, place: &str, kind: ErrorKind) -> SystemError {
        SystemError { system: self.system.clone(), url: self.folder.join(place).display().to_string(), kind }
    }
}
