//! How a type's documents are found, written and taken away.

use std::collections::BTreeSet;

use diaporos_core::diagnostic::{Code, Diagnostic, Report};
use diaporos_core::settings;
use diaporos_core::settings::forms::{TEXT, TEXTS};
use diaporos_core::settings::{Form, Section, Table, TextForm, words};
use indexmap::IndexMap;

use super::asset_calls::ASSET_CALLS;
use super::batch_call::BATCH;
use super::call::{CALL, WRITING_CALL};
use super::document_listing::{DocumentListing, LISTED, LISTED_BY_QUERY};
use super::layout::member_path;
use super::lock_calls::{LOCK, LOCK_OPERATIONS};
use super::operation_call::OPERATION;
use super::read_type::named_words;
use super::{AssetCalls, BatchCall, Call, Layout, LockCalls, MemberPath, OperationCall, whole_table};
use crate::languages::{LanguageShape, OF_CALLS};
use crate::operation::Meaning;
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
        create: WRITING_CALL, required, "writes a new one; with `{key}` in its path the identifier is ours to choose, and only what is not there yet is written", "POST /api/pages";
        update: WRITING_CALL, required, "changes one; PUT, which replaces, sends its other members back, any other must leave what is not sent", "PATCH /api/pages/{id}";
        add: WRITING_CALL, none, "of languages with addresses of their own: adds one to a document that has others", "POST /api/pages/{id}";
        publish: WRITING_CALL, none, "puts on view what was written, where that is a call of its own", "POST /api/pages/{id}/publish";
        publish_batch: Form::Table(&BATCH), none, "how several are put on view in one call", "{ call = \"POST /api/pages/publish\", items = \"pages\", results = \"$.results[*]\", status = \"$.status\" }";
        withdraw: WRITING_CALL, none, "takes one off view", "POST /api/pages/{id}/withdraw";
        withdrawn: Form::Table(&WITHDRAWN), none, "where a document says that it is off view", "{ at = \"$.status\", words = [\"withdrawn\"] }";
        delete: WRITING_CALL, none, "deletes one", "DELETE /api/pages/{id}";
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

/// How a type's documents are found, written and taken away by operations.
pub(crate) static WRITE_BY_OPERATIONS: Table = Table::new(
    "writing by operations",
    &[settings![
        languages: Form::Variants(&OF_CALLS), none, "how languages go into documents; `{ shape = \"map\" }` without it", "{ shape = \"row\", language = \"lang\", item = \"item\" }";
        find: Form::Table(&OPERATION), none, "finds documents by the lane's `match` field, `$key`", "{ query = \"find-page.graphql\" }";
        found: JSON_PATH, none, "where its answer has them", "$.data.pages.nodes[*]";
        read: Form::Table(&OPERATION), required, "reads one: how a lost answer is settled, and who changed what", "{ query = \"page.graphql\", document = \"$.data.page\" }";
        listed: Form::Table(&LISTED_BY_QUERY), none, "a query that lists them, so that `--verify` need not read each by itself; as in `read` without it", "{ query = \"pages.graphql\", items = \"$.data.pages.nodes[*]\" }";
        create: Form::Table(&OPERATION), required, "writes a new one", "{ query = \"create-page.graphql\", document = \"$.data.createPage.page\", problems = \"$.data.createPage.problems[*]\" }";
        update: Form::Table(&OPERATION), required, "changes one, and must leave what is not sent", "{ query = \"update-page.graphql\", document = \"$.data.updatePage.page\", problems = \"$.data.updatePage.problems[*]\" }";
        publish: Form::Table(&OPERATION), none, "puts on view what was written, where that is an operation of its own", "{ query = \"publish-page.graphql\", document = \"$.data.publishPage.page\" }";
        withdraw: Form::Table(&OPERATION), none, "takes one off view", "{ query = \"hide-page.graphql\", document = \"$.data.hidePage.page\" }";
        withdrawn: Form::Table(&WITHDRAWN), none, "where a document says that it is off view", "{ at = \"$.status\", words = [\"withdrawn\"] }";
        delete: Form::Table(&OPERATION), none, "deletes one", "{ query = \"delete-page.graphql\", problems = \"$.data.deletePage.problems[*]\" }";
        fields_at: JSON_PATH, none, "where the fields stand in the document; as in `read` without it", "$.content";
        id: JSON_PATH, required, "where its id is", "$.id";
        revision: JSON_PATH, none, "where its version is; where every operation on a document declares `$revision`, each is told it, and refused over another; else each document is read just before", "$.version";
        lock: Form::Table(&LOCK_OPERATIONS), none, "how a document is locked while it is written", "{ take = { query = \"lock.graphql\" }, release = { query = \"unlock.graphql\" } }";
        codes: Form::Named(&Form::Word { what: "what a code means", of: || words(&Meaning::WORDS) }), none, "what codes of errors mean beside those that many servers use", "{ STALE_PAGE = \"differs\", QUOTA = \"busy\" }";
    ]],
)
.needing(&[("find", "found")]);

/// How a type's documents are found, written and taken away.
#[derive(Debug, Clone)]
pub(crate) struct WriteType {
    /// How languages go into documents.
    pub(crate) languages: LanguageShape,
    /// Where the document is in requests and answers about it; the whole of them where nothing is said.
    pub(crate) document: Option<MemberPath>,
    /// Where its fields are.
    pub(crate) layout: Layout,
    /// Whether documents are elements of XML.
    pub(crate) elements: bool,
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
        let layout = layout.for_writing(&placed_by(create.as_ref(), update.as_ref()), section, report);
        let id = id?;
        Some(WriteType {
            languages: languages?,
            document,
            layout,
            elements: false,
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

impl WriteType {
    /// All its calls.
    pub(super) fn calls_mut(&mut self) -> impl Iterator<Item = &mut Call> {
        let some = [&mut self.find, &mut self.add, &mut self.publish, &mut self.withdraw, &mut self.delete];
        some.into_iter().flatten().chain([&mut self.read, &mut self.create, &mut self.update])
    }

    /// Reads how documents are written by operations.
    pub(super) fn of_operations(section: &mut Section<'_>, layout: Layout, report: &mut Report) -> Option<WriteType> {
        let languages = whole_table(section, "languages", report, LanguageShape::of_calls);
        let languages = languages.or_else(|| (!section.has("languages")).then_some(LanguageShape::Map));
        let find = Call::operation(section, "find", report);
        let found = Query::from_key(section, "found", report);
        let [read, create, update, publish, withdraw, delete] =
            ["read", "create", "update", "publish", "withdraw", "delete"]
                .map(|key| Call::operation(section, key, report));
        let id = Query::from_key(section, "id", report);
        let revision = Query::from_key(section, "revision", report).map(RevisionPlace::Body);
        let withdrawn = whole_table(section, "withdrawn", report, withdrawn);
        let listed = whole_table(section, "listed", report, DocumentListing::of_query);
        let lock = whole_table(section, "lock", report, LockCalls::of_operations);
        let codes = named_words(section, "codes", &Meaning::WORDS, report);
        let layout = layout.for_writing(&BTreeSet::new(), section, report);
        let id = id?;
        let mut write = WriteType {
            languages: languages?,
            document: None,
            layout,
            elements: false,
            add: None,
            find,
            found: found.unwrap_or_else(|| id.clone()),
            read: read?,
            listed,
            create: create?,
            update: update?,
            publish,
            publish_batch: None,
            withdraw,
            delete,
            id,
            revision,
            if_match: None,
            withdrawn,
            lock,
            batch: None,
            assets: None,
            idempotency_key: None,
        };
        if let Some(create) = &mut write.create.operation {
            create.makes = true;
        }
        for operation in write.operations_mut() {
            operation.0.codes.clone_from(&codes);
        }
        Some(write)
    }

    /// Its operations, each with whether it only reads, and whether it writes fields.
    fn operations_mut(&mut self) -> Vec<(&mut OperationCall, bool, bool)> {
        let reads = [self.find.as_mut(), Some(&mut self.read)].map(|call| (call, true, false));
        let writes = [Some(&mut self.create), Some(&mut self.update)].map(|call| (call, false, true));
        let others = [self.publish.as_mut(), self.withdraw.as_mut(), self.delete.as_mut()];
        let locks = self.lock.iter_mut().flat_map(LockCalls::calls_mut).map(|(call, reads)| (Some(call), reads, false));
        let all = reads.into_iter().chain(writes).chain(others.map(|call| (call, false, false))).chain(locks);
        all.filter_map(|(call, reads, fields)| Some((call?.operation.as_deref_mut()?, reads, fields))).collect()
    }

    /// The files of its operations.
    pub(super) fn operation_files(&self) -> impl Iterator<Item = &str> {
        let some = [&self.find, &self.publish, &self.withdraw, &self.delete].into_iter().flatten();
        let calls =
            some.chain([&self.read, &self.create, &self.update]).chain(self.lock.iter().flat_map(LockCalls::calls));
        let listed = self.listed.iter().filter(|listed| listed.query.is_some()).map(|listed| listed.list.as_str());
        calls.filter_map(|call| Some(call.operation.as_ref()?.file.as_str())).chain(listed)
    }

    /// Takes the texts of its operations. Gives the files that are wrong, and what is wrong with each.
    pub(super) fn take_operations(&mut self, texts: &IndexMap<String, String>) -> Vec<(String, String)> {
        let mut wrong = Vec::new();
        if let Some(DocumentListing { list, query: Some(query), .. }) = &mut self.listed {
            query.text = texts.get(list).cloned().unwrap_or_default();
        }
        for (operation, reads, fields) in self.operations_mut() {
            let Some(text) = texts.get(&operation.file) else { continue };
            if let Err(why) = operation.take_text(text, reads, fields) {
                wrong.push((operation.file.clone(), why));
            }
        }
        wrong
    }

    /// Whether each operation on a document that is there is told the version that it is based on: one that takes it
    /// away as well as one that changes it.
    pub(crate) fn tells_revision(&self) -> bool {
        let mut others = [&self.publish, &self.withdraw, &self.delete].into_iter().flatten();
        let told = |call: &Call| call.operation.as_ref().is_some_and(|operation| operation.fills("revision"));
        self.revision.is_some() && told(&self.update) && others.all(told)
    }
}

/// The fields that have places in the bodies of both calls. Both write all fields, so that one with a place in one body
/// alone stands nowhere in the other.
fn placed_by(create: Option<&Call>, update: Option<&Call>) -> BTreeSet<String> {
    let of = |call: Option<&Call>| -> BTreeSet<String> {
        call.into_iter().flat_map(Call::placed).map(str::to_owned).collect()
    };
    of(create).intersection(&of(update)).cloned().collect()
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
