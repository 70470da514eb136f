//! Kind `docstore`: a document database that speaks the CouchDB HTTP protocol. Documents have an
//! `_id` of our choosing and a `_rev`, which goes with every write; writes go in bulk and are settled
//! row by row; changes are followed by an opaque mark.

mod kind;
mod read;
mod write;

pub use kind::Docstore;

pub use read::DocstoreReader;
pub use write::docstore_writer;

use diaporos_core::value::SystemName;
use serde_json::{Map, Value as Json};
use url::Url;

use crate::http::{Answer, Client, Request, shown_url};
use crate::{ErrorKind, SystemError};

/// A database, and who asks it.
#[derive(Debug)]
struct Database {
    client: Client,
    base: Url,
}

impl Database {
    fn system(&self) -> &SystemName {
        self.client.system()
    }

    /// The address of a document, or of what begins with an underscore.
    fn url(&self, steps: &[&str]) -> Result<Url, SystemError> {
        let mut url = self.base.clone();
        match url.path_segments_mut() {
            Ok(mut path) => drop(path.pop_if_empty().extend(steps)),
            Err(()) => return Err(self.error("", ErrorKind::Refused("the address has no path".to_owned()))),
        }
        Ok(url)
    }

    fn error(&self, place: &str, kind: ErrorKind) -> SystemError {
        let mut url = self.base.clone();
        if let Ok(mut path) = url.path_segments_mut() {
            path.pop_if_empty().push(place);
        }
        SystemError { system: self.system().clone(), url: shown_url(&url), kind }
    }

    /// An answer's object, whatever media type it says it has.
    fn object(&self, request: &Request, answer: &Answer) -> Result<Map<String, Json>, SystemError> {
        match answer.json() {
            Ok(Json::Object(members)) => Ok(members),
            Ok(_) => Err(self.client.error(request, ErrorKind::Content("expected an object".to_owned()))),
            Err(kind) => Err(self.client.error(request, kind)),
        }
    }
}

/// Whether a member is the database's own.
fn is_its_own(name: &str) -> bool {
    name.starts_with('_')
}
