//! Kind `ninjs`: news items in the IPTC's JSON form (ninjs 1.3, 2.0), one or several a document,
//! from the web or from a file.

mod decode;
mod kind;

pub use kind::Ninjs;

#[cfg(any(test, fuzzing))]
pub(crate) use decode::decode;

use std::sync::OnceLock;

use async_trait::async_trait;
use diaporos_core::change::fingerprint_bytes;
use diaporos_core::intake::{CacheValidators, Listing, PageCounts};
use diaporos_core::model::{EntryType, Field, FieldKind, Model};
use diaporos_core::value::{SystemName, TypeName};
use url::Url;

use crate::feed::read_file;
use crate::http::{Client, Credential, Limits, Method, Request, shown_url};
use crate::{Ask, Document, DocumentPlace, ErrorKind, ListingCapabilities, Page, PageContent, Read, SystemError};

/// The type of every entry that comes as a news item.
pub const TYPE: &str = "item";

/// Reads documents of news items, each under a name.
#[derive(Debug)]
pub struct NinjsReader {
    client: Client,
    limits: Limits,
    documents: Vec<(String, DocumentPlace)>,
    kind: TypeName,
}

impl NinjsReader {
    /// A reader of these documents.
    ///
    /// # Errors
    /// Where TLS cannot be set up.
    pub fn new(
        system: SystemName,
        documents: Vec<(String, DocumentPlace)>,
        credential: Option<Credential>,
        limits: Limits,
    ) -> Result<Self, SystemError> {
        let [(kind, _)] = model_types();
        Ok(NinjsReader { client: Client::new(system, limits.clone(), credential)?, limits, documents, kind })
    }

    /// The cursor is the number of the document.
    fn document(&self, cursor: Option<&str>) -> Option<(usize, &DocumentPlace)> {
        let number = cursor.map_or(Some(0), |text| text.parse().ok())?;
        self.documents.get(number).map(|(_, place)| (number, place))
    }

    /// The credential is for the host of the first document, and goes to no other.
    fn request(&self, url: &Url) -> Request {
        let first = self.documents.iter().find_map(|(_, place)| match place {
            DocumentPlace::Web(url) => Some(url.origin()),
            DocumentPlace::File(_) => None,
        });
        if first == Some(url.origin()) {
            self.client.request(Method::Get, url.clone())
        } else {
            Request::new(Method::Get, url.clone())
        }
    }
}

#[async_trait]
impl Read for NinjsReader {
    fn types(&self) -> Vec<TypeName> {
        vec![self.kind.clone()]
    }

    fn model(&self) -> &Model {
        model()
    }

    fn capabilities(&self, _: &TypeName) -> ListingCapabilities {
        ListingCapabilities { pages_apart: true, ..ListingCapabilities::plain(Listing::Window) }
    }

    fn first_requests(&self) -> Vec<Request> {
        let web = self.documents.iter().filter_map(|(_, place)| match place {
            DocumentPlace::Web(url) => Some(self.request(url)),
            DocumentPlace::File(_) => None,
        });
        web.collect()
    }

    fn client(&self) -> Option<&Client> {
        Some(&self.client)
    }

    fn documents(&self) -> Vec<Document> {
        let names = self.documents.iter().map(|(name, _)| name);
        names
            .enumerate()
            .map(|(number, name)| Document {
                cursor: Some(number.to_string()),
                called: format!("the document `{name}`"),
            })
            .collect()
    }

    fn page_key(&self, ask: Ask<'_>) -> String {
        self.document(ask.cursor).map_or(String::new(), |(_, place)| match place {
            DocumentPlace::Web(url) => shown_url(url),
            DocumentPlace::File(path) => path.display().to_string(),
        })
    }

    async fn page(&self, ask: Ask<'_>, known: Option<&CacheValidators>) -> Result<Page, SystemError> {
        let wrong = |kind| SystemError { system: self.client.system().clone(), url: self.page_key(ask), kind };
        let Some((_, place)) = self.document(ask.cursor) else {
            return Err(wrong(ErrorKind::Content("there is no document to read".to_owned())));
        };
        let answer = match place {
            DocumentPlace::Web(url) => self.client.read(&self.request(url).unless_known(known)).await?,
            DocumentPlace::File(path) => read_file(self.client.system(), path, self.limits.max_bytes)?,
        };
        let content = fingerprint_bytes(decode::SCHEME, &answer.body);
        if answer.is_not_modified() || known.is_some_and(|known| known.content == content) {
            return Ok(Page::new(PageContent::Same, None));
        }
        let json = answer.json().map_err(wrong)?;
        let (entries, problems) = decode::decode(&json).map_err(|message| wrong(ErrorKind::Content(message)))?;
        let mark = answer.mark(content, None, PageCounts::default());
        Ok(Page::new(PageContent::Entries { entries, problems, mark }, None))
    }
}

/// The fields that every news item may have under these names, whatever version it is in. An item's
/// further properties stand beside them under their own names.
pub fn model() -> &'static Model {
    static MODEL: OnceLock<Model> = OnceLock::new();
    MODEL.get_or_init(|| Model { types: model_types().into_iter().collect() })
}

fn model_types() -> [(TypeName, EntryType); 1] {
    let field = |kind, many| Field { kind, many, ..Field::default() };
    let fields = [
        ("uri", field(FieldKind::Text, false)),
        ("type", field(FieldKind::Text, false)),
        ("headline", field(FieldKind::Text, false)),
        ("slugline", field(FieldKind::Text, false)),
        ("description", field(FieldKind::Text, false)),
        ("body_text", field(FieldKind::Text, false)),
        ("body_html", field(FieldKind::Html, false)),
        ("byline", field(FieldKind::Text, false)),
        ("language", field(FieldKind::Text, false)),
        ("subjects", field(FieldKind::Text, true)),
        ("places", field(FieldKind::Text, true)),
        ("published", field(FieldKind::Text, false)),
        ("updated", field(FieldKind::Text, false)),
        ("assets", field(FieldKind::Record, true)),
    ];
    let fields = fields.into_iter().map(|(name, field)| (name.to_owned(), field)).collect();
    #[expect(clippy::expect_used, reason = "the name is a constant that a test reads too")]
    let kind = TypeName::new(TYPE).expect("`item` is a name");
    [(kind, EntryType { fields })]
}
