//! Kind `webdav`: files and properties on a WebDAV server (RFC 4918). The same forms as in a folder:
//! JSON, and Markdown with front matter. Versions are told by content, for an equal ETag is no proof
//! that a file is as it was; a lock guards the write.

mod answer;
mod kind;
mod lock;
mod read;
mod write;

pub use kind::Webdav;

pub use read::WebdavReader;
pub use write::webdav_writer;

use diaporos_core::value::SystemName;
use serde_json::{Map, Value as Json};
use url::Url;

use crate::http::{Client, Method, Request, shown_url};
use crate::profile::Properties;
use crate::{ErrorKind, SystemError};
use answer::Resource;
pub(crate) use answer::read_multistatus;

/// Levels of folders, at most.
const DEEPEST: usize = 32;
/// Files of one type, at most.
const MOST: usize = 100_000;

/// A server's folder, and who asks it.
#[derive(Debug)]
struct Folder {
    client: Client,
    base: Url,
}

impl Folder {
    fn new(client: Client, mut base: Url) -> Folder {
        if !base.path().ends_with('/') {
            base.set_path(&format!("{}/", base.path()));
        }
        Folder { client, base }
    }

    fn system(&self) -> &SystemName {
        self.client.system()
    }

    fn error(&self, place: &str, kind: ErrorKind) -> SystemError {
        let url = self.url(place).map_or_else(|_| shown_url(&self.base), |url| shown_url(&url));
        SystemError { system: self.system().clone(), url, kind }
    }

    /// The address of a place, which stays within the folder.
    fn url(&self, place: &str) -> Result<Url, SystemError> {
        let mut url = self.base.clone();
        let wrong = place.split('/').any(|step| matches!(step, "" | "." | "..")) && !place.is_empty();
        let steps = url.path_segments_mut().map(|mut steps| {
            steps.pop_if_empty().extend(place.split('/').filter(|step| !step.is_empty()));
        });
        if wrong || steps.is_err() {
            let kind = ErrorKind::Refused(format!("`{place}` is no place in the folder"));
            return Err(SystemError { system: self.system().clone(), url: shown_url(&self.base), kind });
        }
        Ok(url)
    }

    /// The place that an address of an answer stands for; none outside the folder.
    fn place(&self, href: &str) -> Option<String> {
        let url = self.base.join(href).ok()?;
        let decoded = |url: &Url| -> Option<Vec<String>> {
            let steps = url.path_segments()?.map(|step| {
                let bytes = percent_decoded(step);
                String::from_utf8(bytes).ok()
            });
            steps.collect()
        };
        let (mut base, mut steps) = (decoded(&self.base)?, decoded(&url)?);
        base.pop();
        if url.host_str() != self.base.host_str() || !steps.starts_with(&base) {
            return None;
        }
        steps.drain(..base.len());
        let is_folder = steps.last().is_some_and(String::is_empty);
        if is_folder {
            steps.pop();
        }
        let escapes = steps.iter().any(|step| matches!(step.as_str(), "" | "." | "..") || step.contains('/'));
        (!escapes).then(|| steps.join("/"))
    }

    /// What is in a folder, and the folder itself.
    async fn list(&self, place: &str) -> Result<Vec<Resource>, SystemError> {
        let mut url = self.url(place)?;
        if !url.path().ends_with('/') {
            url.set_path(&format!("{}/", url.path()));
        }
        let mut request = self.client.request(Method::Propfind, url).header("depth", "1");
        request.body = Some(answer::ask_for_files());
        let answer = self.client.read(&request).await?;
        let found = read_multistatus(&answer.body).map_err(|why| self.error(place, ErrorKind::Content(why)))?;
        Ok(found)
    }

    /// The properties of a file that have a value, by their names.
    async fn properties(&self, place: &str, wanted: &Properties) -> Result<Map<String, Json>, SystemError> {
        if wanted.names.is_empty() {
            return Ok(Map::new());
        }
        let mut request = self.client.request(Method::Propfind, self.url(place)?).header("depth", "0");
        request.body = Some(answer::ask_for_properties(wanted));
        let answer = match self.client.read(&request).await {
            Err(SystemError { kind: ErrorKind::NotFound, .. }) => return Ok(Map::new()),
            answer => answer?,
        };
        let found = read_multistatus(&answer.body).map_err(|why| self.error(place, ErrorKind::Content(why)))?;
        let Some(mut found) = found.into_iter().next() else { return Ok(Map::new()) };
        let value = |name: &String| {
            let text = found.properties.remove(&format!("{{{}}}{name}", wanted.namespace))?;
            Some((name.clone(), Json::String(text)))
        };
        Ok(wanted.names.iter().filter_map(value).collect())
    }

    /// A file's bytes.
    ///
    /// # Errors
    /// Where the server says that they are a page of HTML: no file here is one, but a log-in is.
    async fn get(&self, place: &str) -> Result<Option<Vec<u8>>, SystemError> {
        let request: Request = self.client.request(Method::Get, self.url(place)?);
        match self.client.read(&request).await {
            Ok(answer) if answer.is_html() => {
                let why = "is served as a page of HTML and not as what its ending says; does a log-in stand before it?";
                Err(self.error(place, ErrorKind::Content(why.to_owned())))
            }
            Ok(answer) => Ok(Some(answer.body)),
            Err(SystemError { kind: ErrorKind::NotFound | ErrorKind::GoneForGood, .. }) => Ok(None),
            Err(error) => Err(error),
        }
    }
}

fn percent_decoded(step: &str) -> Vec<u8> {
    let bytes = step.as_bytes();
    let mut decoded = Vec::with_capacity(bytes.len());
    let mut at = 0;
    while let Some(byte) = bytes.get(at) {
        let hex = step.get(at + 1..at + 3).filter(|_| *byte == b'%').and_then(|hex| u8::from_str_radix(hex, 16).ok());
        decoded.push(hex.unwrap_or(*byte));
        at += if hex.is_some() { 3 } else { 1 };
    }
    decoded
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn addresses_are_compared_decoded_and_stay_in_the_folder() {
        let client = Client::new(SystemName::new("dav").unwrap(), crate::settings::usual_limits(), None).unwrap();
        let folder = Folder::new(client, "http://dav.example/a%20b/pages".parse().unwrap());
        for (href, expected) in [
            ("/a%20b/pages/ros%C3%A9.md", Some("rosé.md")),
            ("http://dav.example/a b/pages/x%2Ey.md", Some("x.y.md")),
            ("/a%20b/pages/", Some("")),
            ("/a%20b/pages/sub/", Some("sub")),
            ("/a%20b/pages/..%2Fx", None),
            ("/a%20b/other/x.md", None),
            ("http://evil.example/a%20b/pages/x.md", None),
        ] {
            assert_eq!(folder.place(href).as_deref(), expected, "{href}");
        }
        assert_eq!(folder.url("sub/a#b?.md").unwrap().as_str(), "http://dav.example/a%20b/pages/sub/a%23b%3F.md");
        assert!(folder.url("../x").is_err() && folder.url("a//b").is_err());
    }
}
