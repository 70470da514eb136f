//! Kind `feed`: RSS, Atom and JSON Feed, from the web or from a file.

mod decode;

use diaporos_core::intake::{Listing, PageMark};
use std::path::PathBuf;
use std::sync::OnceLock;

use async_trait::async_trait;
use diaporos_core::change::fingerprint_bytes;
use diaporos_core::model::{EntryType, Field, FieldKind, Model};
use diaporos_core::value::{SystemName, TypeName};
use url::Url;

use crate::http::{Answer, Client, Limits, Method, Request, shown_url};
use crate::{Ask, ErrorKind, Manner, Page, PageContent, Read, SystemError};

/// The type of every entry that comes from a feed.
pub const TYPE: &str = "item";

/// Where a feed is.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum FeedPlace {
    /// On the web.
    Web(Url),
    /// In a file.
    File(PathBuf),
}

/// A feed with the name under which its items are told apart.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct FeedSource {
    /// The name.
    pub name: String,
    /// Where it is.
    pub place: FeedPlace,
}

/// A system of one or more feeds.
#[derive(Debug)]
pub struct Feeds {
    client: Client,
    limits: Limits,
    sources: Vec<FeedSource>,
    kind: TypeName,
}

impl Feeds {
    /// A system of these feeds.
    ///
    /// # Errors
    /// Where TLS cannot be set up.
    pub fn new(system: SystemName, sources: Vec<FeedSource>, limits: Limits) -> Result<Self, SystemError> {
        let [(kind, _)] = model_types();
        Ok(Feeds { client: Client::new(system, limits, None)?, limits, sources, kind })
    }

    /// The cursor is the number of the feed.
    fn source(&self, cursor: Option<&str>) -> Option<(usize, &FeedSource)> {
        let number = cursor.map_or(Some(0), |text| text.parse().ok())?;
        self.sources.get(number).map(|source| (number, source))
    }

    fn file(&self, path: &PathBuf) -> Result<Vec<u8>, SystemError> {
        let error = |kind| SystemError { system: self.client.system().clone(), url: path.display().to_string(), kind };
        let about = std::fs::metadata(path).map_err(|cause| error(ErrorKind::Unreachable(cause.to_string())))?;
        if about.len() > self.limits.max_bytes {
            return Err(error(ErrorKind::TooLarge { limit: self.limits.max_bytes }));
        }
        std::fs::read(path).map_err(|cause| error(ErrorKind::Unreachable(cause.to_string())))
    }

    async fn answer(&self, place: &FeedPlace, known: Option<&PageMark>) -> Result<Answer, SystemError> {
        let url = match place {
            FeedPlace::Web(url) => url.clone(),
            FeedPlace::File(path) => {
                return Ok(Answer { status: 200, headers: Vec::new(), body: self.file(path)?, moved: None });
            }
        };
        let request = Request::new(Method::Get, url).unless_known(known);
        self.client.read(&request).await
    }
}

#[async_trait]
impl Read for Feeds {
    fn types(&self) -> Vec<TypeName> {
        vec![self.kind.clone()]
    }

    fn model(&self) -> &Model {
        model()
    }

    fn first_requests(&self) -> Vec<Request> {
        let web = self.sources.iter().filter_map(|source| match &source.place {
            FeedPlace::Web(url) => Some(Request::new(Method::Get, url.clone())),
            FeedPlace::File(_) => None,
        });
        web.collect()
    }

    fn client(&self) -> Option<&Client> {
        Some(&self.client)
    }

    fn manner(&self, _: &TypeName) -> Manner {
        Manner::plain(Listing::Window)
    }

    fn after(&self, cursor: Option<&str>) -> Option<String> {
        let (number, _) = self.source(cursor)?;
        (number + 1 < self.sources.len()).then(|| (number + 1).to_string())
    }

    fn place(&self, ask: Ask<'_>) -> String {
        self.source(ask.cursor).map_or(String::new(), |(_, source)| match &source.place {
            FeedPlace::Web(url) => shown_url(url),
            FeedPlace::File(path) => path.display().to_string(),
        })
    }

    async fn page(&self, ask: Ask<'_>, known: Option<&PageMark>) -> Result<Page, SystemError> {
        let Some((_, source)) = self.source(ask.cursor) else {
            let kind = ErrorKind::Content("there is no feed to read".to_owned());
            return Err(SystemError { system: self.client.system().clone(), url: String::new(), kind });
        };
        let next = self.after(ask.cursor);
        let answer = self.answer(&source.place, known).await?;
        if answer.is_not_modified() {
            return Ok(Page::new(PageContent::Same, next));
        }
        let content = fingerprint_bytes(decode::SCHEME, &answer.body);
        if known.is_some_and(|known| known.content == content) {
            return Ok(Page::new(PageContent::Same, next));
        }
        let url = self.place(ask);
        let wrong = |kind| SystemError { system: self.client.system().clone(), url: url.clone(), kind };
        let (entries, problems) = decode::decode(&source.name, &answer.body).map_err(wrong)?;
        let mark = answer.mark(content, next.clone());
        let note = answer.moved.map(|url| {
            format!("the feed `{}` has moved for good to {}; change its address", source.name, shown_url(&url))
        });
        Ok(Page { note, ..Page::new(PageContent::Entries { entries, problems, mark }, next) })
    }
}

/// The fields that an item of a feed can have.
pub fn model() -> &'static Model {
    static MODEL: OnceLock<Model> = OnceLock::new();
    MODEL.get_or_init(|| Model { types: model_types().into_iter().collect() })
}

fn model_types() -> [(TypeName, EntryType); 1] {
    let field = |kind, many| Field { kind, many, ..Field::default() };
    let fields = [
        ("title", field(FieldKind::Text, false)),
        ("link", field(FieldKind::Url, false)),
        ("summary", field(FieldKind::Html, false)),
        ("content", field(FieldKind::Html, false)),
        ("authors", field(FieldKind::Text, true)),
        ("categories", field(FieldKind::Text, true)),
        ("published", field(FieldKind::Instant, false)),
        ("updated", field(FieldKind::Instant, false)),
        ("language", field(FieldKind::Text, false)),
        ("enclosures", field(FieldKind::Record, true)),
        ("feed", field(FieldKind::Text, false)),
        ("feed_title", field(FieldKind::Text, false)),
    ];
    let fields = fields.into_iter().map(|(name, field)| (name.to_owned(), field)).collect();
    #[expect(clippy::expect_used, reason = "the name is a constant that a test reads too")]
    let kind = TypeName::new(TYPE).expect("`item` is a name");
    [(kind, EntryType { fields })]
}
