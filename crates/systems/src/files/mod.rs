//! Kind `files`: a folder of JSON, JSON Lines, CSV, XML, or Markdown with front matter. What
//! changed is told by content, never by time.

mod find;
mod form;
mod kind;
mod lines;
mod publish;
mod whole;
mod write;

pub use kind::Files;

#[cfg(any(test, fuzzing))]
pub(crate) use lines::{LineForm, cut_from as cut_lines};

use std::path::{Path, PathBuf};
use std::sync::OnceLock;

use async_trait::async_trait;
use diaporos_core::change::{Fingerprint, fingerprint_bytes, fingerprint_texts};
use diaporos_core::intake::{CacheValidators, Incoming, Listing, PageCounts};
use diaporos_core::model::Model;
use diaporos_core::value::{EntryId, SystemName, TypeName};
use indexmap::IndexMap;
use rayon::prelude::*;
use serde_json::Value as Json;

use crate::decode::{Decoder, SHARE};
use crate::languages::LanguageCodes;
use crate::languages::LanguageShape;
use crate::profile::{Id, Profile, ReadType};
use crate::text_file::{InPath, WholeForm, language_in, parse};
use crate::{Ask, ErrorKind, ListingCapabilities, Page, PageContent, Problem, Read, SystemError};
use form::Form;
pub use publish::publish;
pub(crate) use whole::{WholeFiles, file_capabilities};
pub use write::files_writer;

/// Raised when files come to be read otherwise, so that unchanged ones are read anew.
const SCHEME: &str = "files 2";
/// Files of one page, and after how many bytes no more are added.
const FILES_A_PAGE: usize = 200;
const BYTES_A_PAGE: u64 = 4 * 1024 * 1024;

/// Reads a folder of files by its profile.
#[derive(Debug)]
pub struct FilesReader {
    system: SystemName,
    folder: PathBuf,
    profile: Profile,
    languages: LanguageCodes,
    max_bytes: u64,
    reading: Fingerprint,
    /// The files of each type, found once for a pull.
    found: IndexMap<TypeName, OnceLock<Result<Vec<String>, String>>>,
}

/// Where a listing stands: a file, how far into it, and the number of the line there.
#[derive(Debug, Clone, PartialEq, Eq)]
struct Place {
    offset: u64,
    line: u64,
    file: String,
}

impl Place {
    fn read(cursor: &str) -> Option<Place> {
        let mut parts = cursor.splitn(3, ' ');
        let mut number = || parts.next()?.parse().ok();
        let (offset, line) = (number()?, number()?);
        Some(Place { offset, line, file: parts.next()?.to_owned() })
    }

    fn write(&self) -> String {
        format!("{} {} {}", self.offset, self.line, self.file)
    }

    fn start(file: &str) -> Place {
        Place { offset: 0, line: 1, file: file.to_owned() }
    }
}

/// What stands on a page, not read yet: what is as it was need not be.
#[derive(Default)]
struct Gathered {
    files: Vec<(String, Bytes)>,
    marks: Vec<String>,
    size: u64,
}

enum Bytes {
    Whole(WholeForm, Vec<u8>),
    Piece(lines::Piece),
    OfNoForm,
}

/// The entries of a page, and what could not be read.
#[derive(Default)]
struct Taken {
    entries: Vec<Incoming>,
    problems: Vec<Problem>,
}

impl Taken {
    fn add(&mut self, read: Result<Incoming, Problem>) {
        match read {
            Ok(entry) => self.entries.push(entry),
            Err(problem) => self.problems.push(problem),
        }
    }
}

impl FilesReader {
    /// A reader of a folder.
    #[must_use]
    pub fn new(
        system: SystemName,
        folder: PathBuf,
        profile: Profile,
        languages: LanguageCodes,
        max_bytes: u64,
    ) -> FilesReader {
        let reading = fingerprint_texts([SCHEME, &profile.fingerprint().to_string(), &format!("{languages:?}")]);
        let found = profile.types.keys().map(|kind| (kind.clone(), OnceLock::new())).collect();
        FilesReader { system, folder, profile, languages, max_bytes, reading, found }
    }

    fn error(&self, file: &str, kind: ErrorKind) -> SystemError {
        let url = if file.is_empty() { self.folder.clone() } else { self.folder.join(file) };
        SystemError { system: self.system.clone(), url: url.display().to_string(), kind }
    }

    fn read_type(&self, kind: &TypeName) -> Result<&ReadType, SystemError> {
        self.profile.read_type(kind).map_err(|kind| self.error("", kind))
    }

    fn files(&self, kind: &TypeName, read: &ReadType) -> Result<&[String], SystemError> {
        let Some(found) = self.found.get(kind) else { return Ok(&[]) };
        let found = found.get_or_init(|| find::find(&self.folder, &read.list));
        found.as_deref().map_err(|reason| self.error("", ErrorKind::Unreachable(reason.clone())))
    }

    /// Gathers files from a place on until there are enough for a page. Where a file of lines is
    /// not at its end, the place is within it.
    fn gather(&self, kind: &TypeName, from: Option<Place>) -> Result<(Gathered, Option<Place>), SystemError> {
        let read = self.read_type(kind)?;
        let files = self.files(kind, read)?;
        let mut gathered = Gathered::default();
        let first = from.as_ref().map_or(0, |from| files.partition_point(|file| *file < from.file));
        let mut from = from.filter(|from| files.get(first) == Some(&from.file));
        for file in &files[first..] {
            let place = from.take().unwrap_or_else(|| Place::start(file));
            if gathered.files.len() >= FILES_A_PAGE || gathered.size >= BYTES_A_PAGE {
                return Ok((gathered, Some(place)));
            }
            let path = self.folder.join(file);
            let (bytes, next) = match Form::as_read(file, read) {
                Some(Form::Lines(form)) => {
                    let piece = lines::cut(&path, form, (place.offset, place.line), self.max_bytes)
                        .map_err(|reason| self.error(file, ErrorKind::Content(reason)))?;
                    gathered.size += piece.size();
                    gathered.marks.push(format!("{file} {} {}", place.offset, piece.content));
                    let next = piece.next.map(|(offset, line)| Place { offset, line, file: file.clone() });
                    (Bytes::Piece(piece), next)
                }
                Some(Form::Whole(form)) => {
                    let bytes = self.whole(&path, file)?;
                    gathered.size += bytes.len() as u64;
                    gathered.marks.push(format!("{file} {}", fingerprint_bytes("", &bytes)));
                    (Bytes::Whole(form, bytes), None)
                }
                None => (Bytes::OfNoForm, None),
            };
            gathered.files.push((file.clone(), bytes));
            if next.is_some() {
                return Ok((gathered, next));
            }
        }
        Ok((gathered, None))
    }

    /// Reads what was gathered.
    fn take(&self, kind: &TypeName, gathered: Gathered) -> Result<Taken, SystemError> {
        let read = self.read_type(kind)?;
        let fields = self.profile.types.get(kind).and_then(|known| known.fields.as_ref());
        let decoder = Decoder { system: &self.system, languages: &self.languages, read, fields };
        let mut taken = Taken::default();
        for (file, bytes) in gathered.files {
            let name = FileName::new(&file, read, &self.languages);
            match bytes {
                Bytes::Whole(form, bytes) => match parse(form, &bytes) {
                    Ok(json) => take(&decoder, &name, &json, &bytes, &mut taken),
                    Err(message) => taken.problems.push(name.unreadable(read, message)),
                },
                Bytes::Piece(piece) => {
                    let read = |(line, item, raw): lines::Line| match item {
                        Ok(json) => read_item(&decoder, (&name.item(line), raw), &name, &json),
                        Err(message) => Err(Problem::unnamed(format!("{file}, line {line}"), message)),
                    };
                    let lines = piece.lines().into_par_iter().with_min_len(SHARE);
                    lines.map(read).collect::<Vec<_>>().into_iter().for_each(|read| taken.add(read));
                }
                Bytes::OfNoForm => {
                    let message = "its ending tells no form that is read: json, jsonl, csv, xml, md".to_owned();
                    taken.problems.push(name.unreadable(read, message));
                }
            }
        }
        Ok(taken)
    }

    fn whole(&self, path: &Path, file: &str) -> Result<Vec<u8>, SystemError> {
        let unreadable = |error: std::io::Error| self.error(file, ErrorKind::Unreachable(error.to_string()));
        let length = std::fs::metadata(path).map_err(unreadable)?.len();
        if length > self.max_bytes {
            return Err(self.error(file, ErrorKind::TooLarge { limit: self.max_bytes }));
        }
        std::fs::read(path).map_err(unreadable)
    }
}

/// A file's name with what it tells: the id of its entry, and its language.
struct FileName {
    file: String,
    stem: String,
    language: Option<String>,
}

impl FileName {
    fn new(file: &str, read: &ReadType, languages: &LanguageCodes) -> FileName {
        if let (Some(form), LanguageShape::FileNames { main }) = (read.texts, &read.languages) {
            let is_known = |code: &str| languages.knows(code);
            let InPath { stem, language } = language_in(form, file, &is_known);
            return FileName { file: file.to_owned(), stem, language: Some(language.unwrap_or_else(|| main.clone())) };
        }
        let stem = file.rsplit_once('.').map_or(file, |(stem, _)| stem);
        let (stem, language) = match (&read.languages, stem.rsplit_once('.')) {
            (LanguageShape::FileNames { .. }, Some((stem, language))) if !language.contains('/') => {
                (stem, Some(language.to_owned()))
            }
            (LanguageShape::FileNames { main }, _) => (stem, Some(main.clone())),
            _ => (stem, None),
        };
        FileName { file: file.to_owned(), stem: stem.to_owned(), language }
    }

    /// A file that cannot be read. Where it holds one entry that is called after it, that one is known.
    fn unreadable(&self, read: &ReadType, message: impl Into<String>) -> Problem {
        let is_alone = matches!(read.id, Id::File) && !read.items.as_str().contains('*');
        let id = EntryId::new(self.stem.clone()).ok().filter(|_| is_alone);
        Problem { item: self.file.clone(), id, message: message.into() }
    }

    fn item(&self, number: u64) -> String {
        format!("{}/{number}", self.stem)
    }

    /// What an item of several is called: by its key, where it is a text.
    fn item_of(&self, read: &ReadType, item: &Json, number: u64) -> String {
        match item["key"].as_str().filter(|_| read.texts.is_some()) {
            Some(key) if self.stem.is_empty() => key.to_owned(),
            Some(key) => format!("{}/{key}", self.stem),
            None => self.item(number),
        }
    }
}

/// Takes every item of a file.
fn take(decoder: &Decoder<'_>, name: &FileName, json: &Json, bytes: &[u8], taken: &mut Taken) {
    let items = decoder.read.items.all(json);
    for problem in json["problems"].as_array().into_iter().flatten().filter(|_| decoder.read.texts.is_some()) {
        let why = problem["why"].as_str().unwrap_or_default();
        let id = EntryId::new(name.item_of(decoder.read, problem, 0)).ok();
        let id = id.filter(|_| matches!(decoder.read.id, Id::File));
        taken.problems.push(Problem { item: name.file.clone(), id, message: why.to_owned() });
    }
    let several = items.len() > 1 || decoder.read.items.as_str().contains('*');
    for (number, item) in (1..).zip(items) {
        let id = if several { name.item_of(decoder.read, item, number) } else { name.stem.clone() };
        // The file as it is, where it holds one entry.
        let raw = if several { item.to_string() } else { String::from_utf8_lossy(bytes).into_owned() };
        taken.add(read_item(decoder, (&id, raw), name, item));
    }
}

fn read_item(
    decoder: &Decoder<'_>,
    (id, raw): (&str, String),
    name: &FileName,
    item: &Json,
) -> Result<Incoming, Problem> {
    let in_file = |problem: Problem| Problem { item: format!("{} in {}", problem.item, name.file), ..problem };
    let mut entry = decoder.incoming(id, item, raw).map_err(in_file)?;
    if let Some(code) = &name.language {
        let unknown = |error| name.unreadable(decoder.read, format!("its name cannot be read: {error}"));
        let tag = decoder.languages.tag(code).map_err(unknown)?;
        entry.part = Some(tag);
    }
    Ok(entry)
}

#[async_trait]
impl Read for FilesReader {
    fn types(&self) -> Vec<TypeName> {
        self.profile.readable()
    }

    fn model(&self) -> &Model {
        self.profile.model()
    }

    fn capabilities(&self, kind: &TypeName) -> ListingCapabilities {
        file_capabilities(&self.profile, &self.languages, kind)
            .unwrap_or_else(|| ListingCapabilities::plain(Listing::Window))
    }

    fn page_key(&self, ask: Ask<'_>) -> String {
        format!("{} {} {}", ask.kind, ask.cursor.unwrap_or_default(), self.reading)
    }

    async fn page(&self, ask: Ask<'_>, known: Option<&CacheValidators>) -> Result<Page, SystemError> {
        let from = ask.cursor.and_then(Place::read);
        let (gathered, next) = self.gather(ask.kind, from)?;
        let next = next.map(|place| place.write());
        let content = fingerprint_texts(gathered.marks.iter().map(String::as_str));
        if known.is_some_and(|known| known.content == content && known.next == next) {
            return Ok(Page::new(PageContent::Same, next));
        }
        let counts = PageCounts::default();
        let mark = CacheValidators { etag: None, last_modified: None, content, next: next.clone(), counts };
        let Taken { entries, problems } = self.take(ask.kind, gathered)?;
        Ok(Page::new(PageContent::Entries { entries, problems, mark }, next))
    }
}
