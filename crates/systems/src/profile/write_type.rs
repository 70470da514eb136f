//! How a type's documents are found, written and taken away.

use diaporos_core::diagnostic::{Code, Diagnostic, Report};
use diaporos_core::settings;
use diaporos_core::settings::forms::{TEXT, TEXTS};
use diaporos_core::settings::{Form, Section, Table, TextForm};

use super::asset_calls::ASSET_CALLS;
use super::batch_call::BATCH;
use super::call::CALL;
use super::document_listing::{DocumentListing, LISTED};
use super::layout::member_path;
use super::lock_calls::LOCK;
use super::{AssetCalls, BatchCall, Call, Layout, LockCalls, MemberPath, whole_table};
use crate::languages::{LanguageShape, OF_CALLS};
use crate::query::{JSON_PATH, Query};

/// How a type's documents are found, written and taken away by calls.
pub(crate) static WRITE_BY_CALLS: Table = Table::new(
    "writing by calls",
    &[settings![
        languages: Form::Variants(&OF_CALLS), none, "how languages go into documents; `{ shape = \"map\" }` without it", "{ shape = \"row\", language = \"lang\", item = \"item\" }";
        find: CALL, none, "finds documents by the lane's `match` field, `{key}`", "GET /api/pages?slug={key}&lang={language}";
        found: JSON_PATH, none, "where the answer has them", "$.pages[*]";
        read: CALL, required, "reads one: how a lost answer is settled, and who changed what", "GET /api/pages/{id}";
        listed: Form::Table(&LISTED), none, "where they are listed, so that `--verify` need not read each by itself; as in `read` without it", "{ list = \"/api/pages\", items = \"$.pages[*]\" }";
        create: CALL, required, "writes a new one; with `{key}` in its path the identifier is ours to choose, and only what is not there yet is written", "POST /api/pages";
        update: CALL, required, "changes one; PUT, which replaces, sends its other members back, any other must leave what is not sent", "PATCH /api/pages/{id}";
        add: CALL, none, "of languages with addresses of their own: adds one to a document that has others", "POST /api/pages/{id}";
        publish: CALL, none, "puts on view what was written, where that is a call of its own", "POST /api/pages/{id}/publish";
        publish_batch: Form::Table(&BATCH), none, "how several are put on view in one call", "{ call = \"POST /api/pages/publish\", items = \"pages\", results = \"$.results[*]\", status = \"$.status\" }";
        withdraw: CALL, none, "takes one off view", "POST /api/pages/{id}/withdraw";
        withdrawn: Form::Table(&WITHDRAWN), none, "where a document says that it is off view", "{ at = \"$.status\", words = [\"withdrawn\"] }";
        delete: CALL, none, "deletes one", "DELETE /api/pages/{id}";
        document: JSON_PATH, none, "where the document stands in what is sent and answered; it is the whole of it without", "$.data";
        fields_at: JSON_PATH, none, "where the fields stand in the document; as in `read` without it", "$.attributes";
        id: JSON_PATH, required, "where its id is", "$.id";
        revision: JSON_PATH_OR_ETAG, none, "where its version is, or `etag` for the header", "$.version";
        if_match: TEXT, none, "what goes into `If-Match`, so that nobody's work is overwritten", "{revision}";
        idempotency_key: TEXT, none, "the header by which the system knows a request that arrives twice", "Idempotency-Key";
        lock: Form::Table(&LOCK), none, "how a document is locked while it is written", "{ take = \"POST /api/pages/{id}/lock\", release = \"DELETE /api/pages/{id}/lock\" }";
        batch: Form::Table(&BATCH), none, "how several documents are written in one call; where the answer is lost, each is looked up", "{ call = \"POST /api/pages/batch\", items = \"pages\", results = \"$.results[*]\", status = \"$.status\" }";
        assets: Form::Table(&ASSET_CALLS), none, "how files are delivered that fields of kind `asset` name", "{ find = \"GET /api/media?hash={key}\", found = \"$.media[*]\", upload = \"POST /api/media?hash={key}\", id = \"$.id\" }";
    ]],
)
.needing(&[("find", "found"), ("publish_batch", "publish")]);
const JSON_PATH_OR_ETAG: Form =
    Form::Text(&TextForm { name: "a JSONPath (RFC 9535), or `etag`", pattern: Some("^(\\$|etag$)") });
/// Where a document says that it is off view.
pub(super) static WITHDRAWN: Table = Table::new(
    "withdrawn",
    &[settings![
        at: JSON_PATH, required, "where it says so", "$.status";
        words: TEXTS, required, "the words that say so", "[\"withdrawn\"]";
    ]],
);

/// How a type's documents are found, written and taken away.
#[derive(Debug, Clone)]
pub(crate) struct WriteType {
    /// How languages go into documents.
    pub(crate) languages: LanguageShape,
    /// Where the document is in requests and answers about it; the whole of them where nothing is said.
    pub(crate) document: Option<MemberPath>,
    /// Where its fields are.
    pub(crate) layout: Layout,
    /// Adds a language to a document that has others, where that is another call than `create`.
    pub(crate) add: Option<Call>,
    /// Finds documents by key.
    pub(crate) find: Option<Call>,
    /// Where `find` answers with them.
    pub(crate) found: Query,
    /// Reads one document.
    pub(crate) read: Call,
    /// Where they are listed, where that is not as in the type's reading.
    pub(crate) listed: Option<DocumentListing>,
    /// Writes a new one.
    pub(crate) create: Call,
    /// Changes one.
    pub(crate) update: Call,
    /// Puts one on view that was written, where that is a step of its own.
    pub(crate) publish: Option<Call>,
    /// Puts several on view.
    pub(crate) publish_batch: Option<BatchCall>,
    /// Takes one off view.
    pub(crate) withdraw: Option<Call>,
    /// Deletes one.
    pub(crate) delete: Option<Call>,
    /// Where a document's id is.
    pub(crate) id: Query,
    /// Where its version is.
    pub(crate) revision: Option<RevisionPlace>,
    /// What goes into `If-Match`, `{revision}` filled.
    pub(crate) if_match: Option<String>,
    /// Where it says that it is off view, and the words that say so.
    pub(crate) withdrawn: Option<(Query, Vec<String>)>,
    /// How it is locked while it is written.
    pub(crate) lock: Option<LockCalls>,
    /// How several are written in one call.
    pub(crate) batch: Option<BatchCall>,
    /// How files that its documents refer to are delivered.
    pub(crate) assets: Option<AssetCalls>,
    /// The header by which the system knows a request that arrives twice.
    pub(crate) idempotency_key: Option<String>,
}

/// Where a document's version is.
#[derive(Debug, Clone)]
pub(crate) enum RevisionPlace {
    /// In the `ETag` header.
    Etag,
    /// In the body.
    Body(Query),
}

impl WriteType {
    pub(super) fn from_section(section: &mut Section<'_>, layout: Layout, report: &mut Report) -> Option<WriteType> {
        let languages = whole_table(section, "languages", report, LanguageShape::of_calls);
        let languages = languages.or_else(|| (!section.has("languages")).then_some(LanguageShape::Map));
        let by_address = matches!(languages, Some(LanguageShape::Addresses));
        let find = Call::reading(section, "find", &["key", "language"], report);
        let found = Query::from_key(section, "found", report);
        let places: &[&str] = if by_address { &["id", "language"] } else { &["id"] };
        let one = |section: &mut Section<'_>, key, report: &mut Report| Call::from_key(section, key, places, report);
        let add = one(section, "add", report);
        let read = Call::reading(section, "read", places, report);
        let listed = whole_table(section, "listed", report, DocumentListing::from_section);
        let create = Call::from_key(section, "create", &["key", "language"], report);
        let update = one(section, "update", report);
        let publish = one(section, "publish", report);
        let withdraw = one(section, "withdraw", report);
        let delete = one(section, "delete", report);
        let id = Query::from_key(section, "id", report);
        let revision = section.text("revision", report).and_then(|item| match item.value.as_str() {
            "etag" => Some(RevisionPlace::Etag),
            _ => Query::from_item(&item, report).map(RevisionPlace::Body),
        });
        let if_match = if_match(section, report);
        let withdrawn = whole_table(section, "withdrawn", report, withdrawn);
        let lock = whole_table(section, "lock", report, LockCalls::from_section);
        let assets = whole_table(section, "assets", report, AssetCalls::from_section);
        let publish_batch = whole_table(section, "publish_batch", report, BatchCall::from_section);
        let batch = whole_table(section, "batch", report, BatchCall::from_section);
        let idempotency_key = section.text("idempotency_key", report).map(|item| item.value.as_str().to_lowercase());
        let document = member_path(section, "document", report);
        let layout = layout.for_writing(section, report);
        let id = id?;
        Some(WriteType {
            languages: languages?,
            document,
            layout,
            add,
            find,
            found: found.unwrap_or_else(|| id.clone()),
            read: read?,
            listed,
            create: create?,
            update: update?,
            publish,
            publish_batch,
            withdraw,
            delete,
            id,
            revision,
            if_match,
            withdrawn,
            lock,
            batch,
            assets,
            idempotency_key,
        })
    }
}

/// Where a document says that it is off view, and with which words.
pub(super) fn withdrawn(table: &mut Section<'_>, report: &mut Report) -> Option<(Query, Vec<String>)> {
    let at = Query::from_key(table, "at", report);
    let words = table.texts("words", report);
    Some((at?, words?.into_iter().map(|word| word.value).collect()))
}

/// What goes into `If-Match`.
fn if_match(section: &mut Section<'_>, report: &mut Report) -> Option<String> {
    let item = section.text("if_match", report)?;
    if !item.value.as_str().contains("{revision}") {
        let finding = Diagnostic::error(Code::BadValue, item.span.clone(), "`if_match` must have `{revision}` in it");
        report.add(finding.help("for example `if_match = '\"{revision}\"'`"));
    }
    Some(item.value.as_str().to_owned())
}
