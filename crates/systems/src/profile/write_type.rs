//! How a type's documents are found, written and taken away.

use diaporos_core::diagnostic::{Code, Diagnostic, Report};
use diaporos_core::lane::Documents;
use diaporos_core::settings::Section;

use super::layout::member_path;
use super::{AssetCalls, BatchCall, Call, Layout, LockCalls, MemberPath, Query};

/// How a type's documents are found, written and taken away.
#[derive(Debug, Clone)]
pub(crate) struct WriteType {
    /// How languages go into documents.
    pub(crate) documents: Documents,
    /// Where the document is in requests and answers about it; the whole of them where nothing is said.
    pub(crate) document: Option<MemberPath>,
    /// Where its fields are.
    pub(crate) layout: Layout,
    /// The members that hold language and item, where there is a document per language.
    pub(crate) rows: Option<LanguageRows>,
    /// Whether each language of a document has an address of its own, `{id}` and `{language}`.
    pub(crate) by_address: bool,
    /// How languages stand in a text as XML, where they do.
    pub(crate) nodes: Option<LanguageNodes>,
    /// Adds a language to a document that has others, where that is another call than `create`.
    pub(crate) add: Option<Call>,
    /// Finds documents by key.
    pub(crate) find: Option<Call>,
    /// Where `find` answers with them.
    pub(crate) found: Query,
    /// Reads one document.
    pub(crate) read: Call,
    /// Writes a new one.
    pub(crate) create: Call,
    /// Changes one.
    pub(crate) update: Call,
    /// Puts one on view that was written, where that is a step of its own.
    pub(crate) publish: Option<Call>,
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

/// Languages as elements of an XML text: `<text lang="en">…</text>`.
#[derive(Debug, Clone)]
pub(crate) struct LanguageNodes {
    /// The elements' name.
    pub(crate) element: String,
    /// The attribute that holds the language.
    pub(crate) attribute: String,
}

/// The members of a document that hold its language, and what joins it to its other languages.
#[derive(Debug, Clone)]
pub(crate) struct LanguageRows {
    /// The language's member.
    pub(crate) language: String,
    /// The joining member.
    pub(crate) item: Option<String>,
}

impl WriteType {
    pub(super) fn from_section(section: &mut Section<'_>, layout: Layout, report: &mut Report) -> Option<WriteType> {
        let mut shape = LanguageShape { documents: Some(Documents::One), ..LanguageShape::default() };
        if let Some(mut languages) = section.section("languages", report) {
            shape = language_shape(&mut languages, report);
            languages.finish(report);
        }
        let LanguageShape { documents, rows, by_address, nodes } = shape;
        let find = Call::reading(section, "find", &["key", "language"], report);
        let found = Query::from_key(section, "found", report);
        let places: &[&str] = if by_address { &["id", "language"] } else { &["id"] };
        let one = |section: &mut Section<'_>, key, report: &mut Report| Call::from_key(section, key, places, report);
        let add = one(section, "add", report);
        let read = Call::reading(section, "read", places, report);
        let create = Call::from_key(section, "create", &["key", "language"], report);
        let update = one(section, "update", report);
        say_what_is_missing(section, report);
        let publish = one(section, "publish", report);
        let withdraw = one(section, "withdraw", report);
        let delete = one(section, "delete", report);
        let id = Query::required(section, "id", report);
        let revision = section.text("revision", report).and_then(|item| match item.value.as_str() {
            "etag" => Some(RevisionPlace::Etag),
            _ => Query::from_item(&item, report).map(RevisionPlace::Body),
        });
        let if_match = if_match(section, report);
        let withdrawn = table_of(section, "withdrawn", report, |table, report| {
            let at = Query::required(table, "at", report);
            let words = table.texts("words", report);
            Some((at?, words?.into_iter().map(|word| word.value).collect()))
        });
        let lock = table_of(section, "lock", report, LockCalls::from_section);
        let assets = table_of(section, "assets", report, AssetCalls::from_section);
        let batch = table_of(section, "batch", report, BatchCall::from_section);
        let idempotency_key = section.text("idempotency_key", report).map(|item| item.value.as_str().to_lowercase());
        let document = member_path(section, "document", report);
        let layout = layout.for_writing(section, report);
        let id = id?;
        Some(WriteType {
            documents: documents?,
            document,
            layout,
            rows,
            by_address,
            nodes,
            add,
            find,
            found: found.unwrap_or_else(|| id.clone()),
            read: read?,
            create: create?,
            update: update?,
            publish,
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

/// How languages go into documents, as it is read.
#[derive(Default)]
struct LanguageShape {
    documents: Option<Documents>,
    rows: Option<LanguageRows>,
    by_address: bool,
    nodes: Option<LanguageNodes>,
}

fn say_what_is_missing(section: &mut Section<'_>, report: &mut Report) {
    for key in ["read", "create", "update"] {
        if !section.has(key) {
            section.missing(key, report);
        }
    }
    if section.has("find") && !section.has("found") {
        section.missing("found", report);
    }
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

/// Reads a table to its end, where there is one.
fn table_of<T>(
    section: &mut Section<'_>,
    key: &'static str,
    report: &mut Report,
    read: impl FnOnce(&mut Section<'_>, &mut Report) -> Option<T>,
) -> Option<T> {
    let mut table = section.section(key, report)?;
    let value = read(&mut table, report);
    table.finish(report);
    value
}

fn language_shape(section: &mut Section<'_>, report: &mut Report) -> LanguageShape {
    let Some(shape) = section.required_text("shape", report) else { return LanguageShape::default() };
    let text = |section: &mut Section<'_>, key, report: &mut Report| {
        section.text(key, report).map(|item| item.value.as_str().to_owned())
    };
    match shape.value.as_str() {
        "map" => LanguageShape { documents: Some(Documents::One), ..LanguageShape::default() },
        "xml" => {
            let element = text(section, "element", report).unwrap_or_else(|| "text".to_owned());
            let attribute = text(section, "attribute", report).unwrap_or_else(|| "lang".to_owned());
            let nodes = Some(LanguageNodes { element, attribute });
            LanguageShape { documents: Some(Documents::One), nodes, ..LanguageShape::default() }
        }
        "address" => {
            LanguageShape { documents: Some(Documents::PerLanguage), by_address: true, ..LanguageShape::default() }
        }
        "row" => {
            let language = section.required_text("language", report).map(|item| item.value.as_str().to_owned());
            let item = text(section, "item", report);
            let rows = language.map(|language| LanguageRows { language, item });
            LanguageShape { documents: Some(Documents::PerLanguage), rows, ..LanguageShape::default() }
        }
        "one" => {
            let Some(item) = section.required_text("language", report) else { return LanguageShape::default() };
            match item.value.as_str().parse() {
                Ok(tag) => LanguageShape { documents: Some(Documents::OneLanguage(tag)), ..LanguageShape::default() },
                Err(error) => {
                    report.add(Diagnostic::error(Code::BadValue, item.span, format!("{error}")));
                    LanguageShape::default()
                }
            }
        }
        other => {
            let finding =
                Diagnostic::error(Code::BadValue, shape.span, format!("`{other}` is not a shape of languages"));
            report.add(finding.suggest(other, ["map", "row", "address", "xml", "one"]));
            LanguageShape::default()
        }
    }
}
