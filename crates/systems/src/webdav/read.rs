//! Reading files of a WebDAV server.

use async_trait::async_trait;
use diaporos_core::change::{fingerprint_bytes, fingerprint_texts};
use diaporos_core::intake::{CacheValidators, Listing, PageCounts};
use diaporos_core::model::Model;
use diaporos_core::value::TypeName;
use futures::StreamExt;
use globset::GlobBuilder;
use serde_json::{Map, Value as Json};
use tokio::sync::OnceCell;

use super::{DEEPEST, Folder, MOST};
use crate::files::{WholeFiles, file_capabilities};
use crate::http::{Client, Method, Request};
use crate::profile::ReadType;
use crate::{Ask, ErrorKind, HttpSystem, ListingCapabilities, Page, PageContent, Problem, Read, SystemError};

/// Files of one page.
const FILES_A_PAGE: usize = 64;

/// Reads the files of a server's folder by a profile.
#[derive(Debug)]
pub struct WebdavReader {
    folder: Folder,
    files: WholeFiles,
    /// The places of all files, found once for a pull.
    found: OnceCell<Vec<String>>,
}

impl WebdavReader {
    /// A reader of a server's folder.
    ///
    /// # Errors
    /// Where TLS cannot be set up.
    pub fn new(system: HttpSystem) -> Result<WebdavReader, SystemError> {
        let client = system.client()?;
        let HttpSystem { name, url, profile, languages, .. } = system;
        let files = WholeFiles::new(name, profile, languages);
        Ok(WebdavReader { folder: Folder::new(client, url), files, found: OnceCell::new() })
    }

    /// Every file, folder by folder, in order.
    async fn find(&self) -> Result<Vec<String>, SystemError> {
        let mut files = Vec::new();
        let mut folders = vec![(String::new(), 0)];
        while let Some((folder, depth)) = folders.pop() {
            for found in self.folder.list(&folder).await? {
                let Some(place) = self.folder.place(&found.href).filter(|place| *place != folder) else { continue };
                // A server that lists what is not in the folder would lead us in a circle.
                let within =
                    if folder.is_empty() { !place.contains('/') } else { place.starts_with(&format!("{folder}/")) };
                if !within {
                    continue;
                }
                if !found.is_folder {
                    files.push(place);
                } else if depth < DEEPEST {
                    folders.push((place, depth + 1));
                } else {
                    let why = format!("its folders are nested more than {DEEPEST} levels deep");
                    return Err(self.folder.error(&place, ErrorKind::Content(why)));
                }
            }
            if files.len() > MOST {
                let why = format!("there are more than {MOST} files");
                return Err(self.folder.error("", ErrorKind::Content(why)));
            }
        }
        files.sort();
        files.dedup();
        Ok(files)
    }
}

/// A file's place, its bytes, and the properties that it has beside.
type FoundFile = (String, Vec<u8>, Map<String, Json>);

impl WebdavReader {
    /// Files with their properties, and those that could not be had.
    async fn with_properties(
        &self,
        (kind, read): (&TypeName, &ReadType),
        found: impl Iterator<Item = (String, Result<Option<Vec<u8>>, SystemError>)>,
    ) -> Result<(Vec<FoundFile>, Vec<Problem>), SystemError> {
        let known = self.files.profile().types.get(kind).map(|known| &known.properties);
        let wanted = known.filter(|properties| !properties.names.is_empty());
        let (mut files, mut unread) = (Vec::new(), Vec::new());
        for (place, bytes) in found {
            let bytes = match bytes {
                Ok(Some(bytes)) => bytes,
                Ok(None) => {
                    unread.push(self.files.unreadable(
                        read,
                        &place,
                        "is listed, and is not there when it is asked for",
                    ));
                    continue;
                }
                // What is wrong with one file is that file's.
                Err(SystemError { kind: ErrorKind::Content(why), .. }) => {
                    unread.push(self.files.unreadable(read, &place, &why));
                    continue;
                }
                Err(error) => return Err(error),
            };
            let properties = match wanted {
                Some(wanted) => self.folder.properties(&place, wanted).await?,
                None => Map::new(),
            };
            files.push((place, bytes, properties));
        }
        Ok((files, unread))
    }
}

#[async_trait]
impl Read for WebdavReader {
    fn types(&self) -> Vec<TypeName> {
        self.files.profile().readable()
    }

    fn model(&self) -> &Model {
        self.files.profile().model()
    }

    fn capabilities(&self, kind: &TypeName) -> ListingCapabilities {
        file_capabilities(self.files.profile(), self.files.languages(), kind)
            .unwrap_or_else(|| ListingCapabilities::plain(Listing::Window))
    }

    fn page_key(&self, ask: Ask<'_>) -> String {
        format!("{} {} {}", ask.kind, ask.cursor.unwrap_or_default(), self.files.reading())
    }

    async fn page(&self, ask: Ask<'_>, mark: Option<&CacheValidators>) -> Result<Page, SystemError> {
        let read = self.files.profile().read_type(ask.kind).map_err(|kind| self.folder.error("", kind))?;
        let pattern = GlobBuilder::new(&read.list).literal_separator(true).build();
        let pattern =
            pattern.map_err(|error| self.folder.error("", ErrorKind::Content(error.to_string())))?.compile_matcher();
        let all = self.found.get_or_try_init(|| self.find()).await?;
        let from = ask.cursor.unwrap_or_default();
        let mut places: Vec<String> = all
            .iter()
            .filter(|place| pattern.is_match(place) && place.as_str() >= from)
            .take(FILES_A_PAGE + 1)
            .cloned()
            .collect();
        let next = if places.len() > FILES_A_PAGE { places.pop() } else { None };
        let mut asked = Vec::with_capacity(places.len());
        for place in &places {
            asked.push(self.folder.get(place));
        }
        let max_in_flight = self.folder.client.limits().concurrency;
        let bytes: Vec<_> = futures::stream::iter(asked).buffered(max_in_flight).collect().await;
        let (files, mut unread) = self.with_properties((ask.kind, read), places.into_iter().zip(bytes)).await?;
        let marks: Vec<String> = files
            .iter()
            .map(|(place, bytes, properties)| {
                format!("{place} {} {}", fingerprint_bytes("", bytes), Json::Object(properties.clone()))
            })
            .collect();
        let content = fingerprint_texts(marks.iter().map(String::as_str));
        if unread.is_empty() && mark.is_some_and(|known| known.content == content && known.next == next) {
            return Ok(Page::new(PageContent::Same, next));
        }
        let counts = PageCounts::default();
        let mark = CacheValidators { etag: None, last_modified: None, content, next: next.clone(), counts };
        let (entries, mut problems) = self.files.entries(read, ask.kind, files);
        problems.append(&mut unread);
        Ok(Page::new(PageContent::Entries { entries, problems, mark }, next))
    }

    fn first_requests(&self) -> Vec<Request> {
        let request = self.folder.client.request(Method::Propfind, self.folder.base.clone());
        vec![request.header("depth", "0")]
    }

    fn client(&self) -> Option<&Client> {
        Some(&self.folder.client)
    }
}
