//! Kind `files`: a folder of JSON, JSON Lines, CSV, XML, or Markdown with front matter. What
//! changed is told by content, never by time.

mod find;
mod form;
mod front_matter;
mod lines;

#[cfg(any(test, fuzzing))]
pub(crate) use front_matter::parse as parse_markdown;
#[cfg(any(test, fuzzing))]
pub(crate) use lines::{LineForm, read_from as read_lines};

use std::path::{Path, PathBuf};
use std::sync::OnceLock;

use async_trait::async_trait;
use diaporos_core::change::{Fingerprint, fingerprint_bytes, fingerprint_texts};
use diaporos_core::intake::{Incoming, Listing, PageMark};
use diaporos_core::model::Model;
use diaporos_core::value::{SystemName, TypeName};
use indexmap::IndexMap;
use serde_json::Value as Json;

use crate::decode::{Decoder, LanguageCodes};
use crate::profile::{Profile, ReadType};
use crate::{Ask, ErrorKind, Manner, Page, PageContent, PartManner, Problem, Read, SystemError};
pub use find::check_pattern;
use form::Form;

/// Raised when files come to be read otherwise, so that unchanged ones are read anew.
const SCHEME: &str = "files 1";
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

/// Where a listing stands: a file, and how far into it.
#[derive(Debug, Clone, PartialEq, Eq)]
struct Place {
    offset: u64,
    file: String,
}

impl Place {
    fn read(cursor: &str) -> Option<Place> {
        let (offset, file) = cursor.split_once(' ')?;
        Some(Place { offset: offset.parse().ok()?, file: file.to_owned() })
    }

    fn write(&self) -> String {
        format!("{} {}", self.offset, self.file)
    }
}

/// What a page has gathered.
#[derive(Default)]
struct Gathered {
    entries: Vec<Incoming>,
    problems: Vec<Problem>,
    marks: Vec<String>,
    bytes: u64,
    files: usize,
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
        let fields = self.profile.types.get(kind).and_then(|known| known.fields.as_ref());
        let decoder = Decoder { system: &self.system, languages: &self.languages, read, fields };
        let mut gathered = Gathered::default();
        let first = from.as_ref().map_or(0, |from| files.partition_point(|file| *file < from.file));
        let mut offset = from.map_or(0, |from| if files.get(first) == Some(&from.file) { from.offset } else { 0 });
        for file in &files[first..] {
            if gathered.files >= FILES_A_PAGE || gathered.bytes >= BYTES_A_PAGE {
                return Ok((gathered, Some(Place { offset: 0, file: file.clone() })));
            }
            gathered.files += 1;
            let path = self.folder.join(file);
            let name = FileName::new(file, read);
            let rest = match Form::of(file) {
                Some(Form::Lines(lines)) => self.lines(&decoder, &path, &name, lines, offset, &mut gathered)?,
                Some(Form::Whole(whole)) => {
                    let bytes = self.whole(&path, file)?;
                    gathered.bytes += bytes.len() as u64;
                    gathered.marks.push(format!("{file} {}", fingerprint_bytes("", &bytes)));
                    match form::parse(whole, &bytes) {
                        Ok(json) => take(&decoder, &name, &json, &bytes, &mut gathered),
                        Err(message) => gathered.problems.push(Problem { item: file.clone(), message }),
                    }
                    None
                }
                None => {
                    let message = "its ending tells no form that is read: json, jsonl, csv, xml, md".to_owned();
                    gathered.problems.push(Problem { item: file.clone(), message });
                    None
                }
            };
            if let Some(offset) = rest {
                return Ok((gathered, Some(Place { offset, file: file.clone() })));
            }
            offset = 0;
        }
        Ok((gathered, None))
    }

    fn whole(&self, path: &Path, file: &str) -> Result<Vec<u8>, SystemError> {
        let unreadable = |error: std::io::Error| self.error(file, ErrorKind::Unreachable(error.to_string()));
        let length = std::fs::metadata(path).map_err(unreadable)?.len();
        if length > self.max_bytes {
            return Err(self.error(file, ErrorKind::TooLarge { limit: self.max_bytes }));
        }
        std::fs::read(path).map_err(unreadable)
    }

    /// Reads lines or records from an offset on, and says where to go on.
    fn lines(
        &self,
        decoder: &Decoder<'_>,
        path: &Path,
        name: &FileName,
        form: lines::LineForm,
        offset: u64,
        gathered: &mut Gathered,
    ) -> Result<Option<u64>, SystemError> {
        let chunk = lines::read(path, form, offset, self.max_bytes)
            .map_err(|reason| self.error(&name.file, ErrorKind::Content(reason)))?;
        gathered.bytes += chunk.bytes;
        gathered.marks.push(format!("{} {offset} {}", name.file, chunk.content));
        for (line, item, raw) in chunk.items {
            match item {
                Ok(json) => take_item(decoder, (&name.item(line), raw), name, &json, gathered),
                Err(message) => {
                    gathered.problems.push(Problem { item: format!("{}, line {line}", name.file), message });
                }
            }
        }
        Ok(chunk.next)
    }
}

/// A file's name with what it tells: the id of its entry, and its language.
struct FileName {
    file: String,
    stem: String,
    language: Option<String>,
}

impl FileName {
    fn new(file: &str, read: &ReadType) -> FileName {
        let stem = file.rsplit_once('.').map_or(file, |(stem, _)| stem);
        let (stem, language) = match (&read.language_in_name, stem.rsplit_once('.')) {
            (Some(_), Some((stem, language))) if !language.contains('/') => (stem, Some(language.to_owned())),
            (Some(main), _) => (stem, Some(main.clone())),
            (None, _) => (stem, None),
        };
        FileName { file: file.to_owned(), stem: stem.to_owned(), language }
    }

    fn item(&self, number: u64) -> String {
        format!("{}/{number}", self.stem)
    }
}

/// Takes every item of a file.
fn take(decoder: &Decoder<'_>, name: &FileName, json: &Json, bytes: &[u8], gathered: &mut Gathered) {
    let items = decoder.read.items.all(json);
    let several = items.len() > 1 || decoder.read.items.as_str().contains('*');
    for (number, item) in (1..).zip(items) {
        let id = if several { name.item(number) } else { name.stem.clone() };
        // The file as it is, where it holds one entry.
        let raw = if several { item.to_string() } else { String::from_utf8_lossy(bytes).into_owned() };
        take_item(decoder, (&id, raw), name, item, gathered);
    }
}

fn take_item(decoder: &Decoder<'_>, (id, raw): (&str, String), name: &FileName, item: &Json, gathered: &mut Gathered) {
    let mut entry = decoder.incoming(id, item, raw);
    if let (Ok(taken), Some(code)) = (&mut entry, &name.language) {
        match decoder.languages.tag(code) {
            Ok(tag) => taken.part = Some(tag),
            Err(error) => {
                entry = Err(Problem { item: name.file.clone(), message: format!("its name cannot be read: {error}") });
            }
        }
    }
    match entry {
        Ok(entry) => gathered.entries.push(entry),
        Err(problem) => {
            gathered.problems.push(Problem { item: format!("{} in {}", problem.item, name.file), ..problem });
        }
    }
}

#[async_trait]
impl Read for FilesReader {
    fn types(&self) -> Vec<TypeName> {
        self.profile.readable()
    }

    fn model(&self) -> &Model {
        self.profile.model()
    }

    fn manner(&self, kind: &TypeName) -> Manner {
        let Ok(read) = self.read_type(kind) else { return Manner::plain(Listing::Window) };
        let main = read.language_in_name.as_ref().map(|code| self.languages.tag(code).ok());
        let parts = main.map(|main| PartManner { main });
        let parts = parts.or_else(|| read.parts.as_ref().map(|parts| PartManner { main: parts.main.clone() }));
        let listing = if read.absent_is_gone { Listing::Complete } else { Listing::Window };
        Manner { parts, ..Manner::plain(listing) }
    }

    fn place(&self, ask: Ask<'_>) -> String {
        format!("{} {} {}", ask.kind, ask.cursor.unwrap_or_default(), self.reading)
    }

    async fn page(&self, ask: Ask<'_>, known: Option<&PageMark>) -> Result<Page, SystemError> {
        let from = ask.cursor.and_then(Place::read);
        let (gathered, next) = self.gather(ask.kind, from)?;
        let next = next.map(|place| place.write());
        let content = fingerprint_texts(gathered.marks.iter().map(String::as_str));
        if known.is_some_and(|known| known.content == content && known.next == next) {
            return Ok(Page::new(PageContent::Same, next));
        }
        let mark = PageMark { etag: None, last_modified: None, content, next: next.clone() };
        let Gathered { entries, problems, .. } = gathered;
        Ok(Page::new(PageContent::Entries { entries, problems, mark }, next))
    }
}
