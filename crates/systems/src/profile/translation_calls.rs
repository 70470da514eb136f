//! How texts are sent for translation and come back: the `translation` table of a profile.

use diaporos_core::diagnostic::Report;
use diaporos_core::settings;
use diaporos_core::settings::forms::TEXT;
use diaporos_core::settings::{Form, Section, Table, usual};

use super::Call;
use super::call::CALL;
use crate::query::{JSON_PATH, Query};

/// How an agency takes texts.
pub(crate) static TRANSLATION_CALLS: Table = Table::new(
    "translation",
    &[settings![
        upload: CALL, required, "takes a file, called `{key}`", "POST /files?name={key}";
        file: JSON_PATH, required, "where the answer says what the file is called there", "$.id";
        order: CALL, required, "orders the translation of files together", "POST /orders";
        id: JSON_PATH, required, "where the answer, and what `find` finds, says what the order is called", "$.id";
        find: CALL, required, "finds an order by our reference, `{key}`, so that a lost answer does not order twice", "GET /orders?reference={key}";
        found: JSON_PATH, required, "where the answer has it", "$.orders[0]";
        progress: CALL, required, "shows an order `{id}`", "GET /orders/{id}";
        languages: JSON_PATH, required, "where its languages are", "$.languages[*]";
        language: JSON_PATH, required, "where one of them has its code", "$.language";
        percent: JSON_PATH, required, "where it says how much is done", "$.percent";
        ready: JSON_PATH, none, "where it says whether there is something to fetch; from the first percent on without it", "$.ready";
        download: CALL, required, "gives the file of a `{language}` as it is by now", "GET /orders/{id}/files/{language}";
        cancel: CALL, none, "calls an order off", "DELETE /orders/{id}";
        members: Form::Table(&MEMBERS), none, "what the members of an order are called", "{ reference = \"our_number\", due = \"wanted_by\" }";
    ]],
);
static MEMBERS: Table = Table::new(
    "members of an order",
    &[settings![
        reference: TEXT, usual "reference", "our reference, by which it is found again", "our_number";
        from: TEXT, usual "from", "the language of the texts", "source";
        due: TEXT, usual "due", "by when it is wanted (RFC 3339)", "wanted_by";
        files: TEXT, usual "files", "the list of files", "documents";
        file: TEXT, usual "file", "of a file, what it is called there", "id";
        language: TEXT, usual "language", "of a file, its language", "target";
    ]],
);

/// How an agency takes texts.
#[derive(Debug, Clone)]
pub(crate) struct TranslationCalls {
    /// Takes a file, whose name is `{key}`.
    pub(crate) upload: Call,
    /// Where the answer has what it calls the file.
    pub(crate) file: Query,
    /// Orders the translation of files.
    pub(crate) order: Call,
    /// Where the answer, and what is found, has what it calls the order.
    pub(crate) id: Query,
    /// Finds an order by our reference, `{key}`, and where the answer has it.
    pub(crate) find: Call,
    pub(crate) found: Query,
    /// Shows how an order `{id}` comes along.
    pub(crate) progress: Call,
    /// Where that has its languages, and of each its code and how many percent are done.
    pub(crate) languages: Query,
    pub(crate) language: Query,
    pub(crate) percent: Query,
    /// Where it says whether there is something to fetch; where there is any percent, without it.
    pub(crate) ready: Option<Query>,
    /// Gives the file of an order `{id}` in a `{language}`.
    pub(crate) download: Call,
    /// Calls an order off.
    pub(crate) cancel: Option<Call>,
    /// What the members of an order are called.
    pub(crate) members: OrderMembers,
}

/// What the members of an order are called.
#[derive(Debug, Clone)]
pub(crate) struct OrderMembers {
    /// Our reference, by which it is found again.
    pub(crate) reference: String,
    /// The language of the texts.
    pub(crate) from: String,
    /// By when it is wanted (RFC 3339).
    pub(crate) due: String,
    /// The list of files, and of each its id and its language.
    pub(crate) files: String,
    pub(crate) file: String,
    pub(crate) language: String,
}

impl TranslationCalls {
    pub(super) fn from_section(section: &mut Section<'_>, report: &mut Report) -> Option<TranslationCalls> {
        let upload = Call::from_key(section, "upload", &["key", "language"], report);
        let order = Call::from_key(section, "order", &[], report);
        let find = Call::reading(section, "find", &["key"], report);
        let progress = Call::reading(section, "progress", &["id"], report);
        let download = Call::reading(section, "download", &["id", "language"], report);
        let cancel = Call::from_key(section, "cancel", &["id"], report);
        let mut query = |key| Query::from_key(section, key, report);
        let (file, id, found) = (query("file"), query("id"), query("found"));
        let (languages, language, percent) = (query("languages"), query("language"), query("percent"));
        let ready = Query::from_key(section, "ready", report);
        let members = members(section, report);
        Some(TranslationCalls {
            upload: upload?,
            file: file?,
            order: order?,
            id: id?,
            find: find?,
            found: found?,
            progress: progress?,
            languages: languages?,
            language: language?,
            percent: percent?,
            ready,
            download: download?,
            cancel,
            members: members?,
        })
    }
}

fn members(section: &mut Section<'_>, report: &mut Report) -> Option<OrderMembers> {
    let Some(mut table) = section.section("members", report) else {
        return usual(&MEMBERS, OrderMembers::from_section);
    };
    let members = OrderMembers::from_section(&mut table, report);
    table.finish(report);
    members
}

impl OrderMembers {
    fn from_section(table: &mut Section<'_>, report: &mut Report) -> Option<OrderMembers> {
        let mut called = |key: &'static str| table.string(key, report);
        let (reference, from, due) = (called("reference"), called("from"), called("due"));
        let (files, file, language) = (called("files"), called("file"), called("language"));
        Some(OrderMembers {
            reference: reference?,
            from: from?,
            due: due?,
            files: files?,
            file: file?,
            language: language?,
        })
    }
}
