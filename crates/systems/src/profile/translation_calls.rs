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
        form: TEXT, none, "the part of a form that the file is sent as, after the members of the call's `body`; it is the whole body without it", "file";
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
        quote: Form::Table(&QUOTE), none, "where the agency says what an order will cost, and begins once that is accepted", "{ shown = \"GET /orders/{id}\", price = \"$.price\", currency = \"$.currency\", accepted = \"$.accepted\", accept = \"POST /orders/{id}/accept\" }";
        members: Form::Table(&MEMBERS), none, "what the members of an order are called", "{ reference = \"our_number\", due = \"wanted_by\" }";
    ]],
);
static QUOTE: Table = Table::new(
    "quote",
    &[settings![
        shown: CALL, required, "shows the order `{id}` with its price", "GET /orders/{id}";
        price: JSON_PATH, required, "where the price is, once there is one", "$.price.amount";
        currency: JSON_PATH, none, "where its currency is (ISO 4217)", "$.price.currency";
        accepted: JSON_PATH, required, "where it says whether it is accepted, as a truth value", "$.accepted";
        accept: CALL, required, "accepts it; it may be said twice", "POST /orders/{id}/accept";
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
    /// The part of a form that it is sent as.
    pub(crate) form: Option<String>,
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
    /// Where it says what an order will cost.
    pub(crate) quote: Option<QuoteCalls>,
    /// What the members of an order are called.
    pub(crate) members: OrderMembers,
}

/// How an agency says what an order will cost.
#[derive(Debug, Clone)]
pub(crate) struct QuoteCalls {
    /// Shows an order `{id}` with its price.
    pub(crate) shown: Call,
    pub(crate) price: Query,
    pub(crate) currency: Option<Query>,
    /// Where it says whether it is accepted.
    pub(crate) accepted: Query,
    /// Accepts it.
    pub(crate) accept: Call,
}

impl QuoteCalls {
    fn from_section(table: &mut Section<'_>, report: &mut Report) -> Option<QuoteCalls> {
        let shown = Call::reading(table, "shown", &["id"], report);
        let accept = Call::from_key(table, "accept", &["id"], report);
        let mut query = |key| Query::from_key(table, key, report);
        let (price, currency, accepted) = (query("price"), query("currency"), query("accepted"));
        Some(QuoteCalls { shown: shown?, price: price?, currency, accepted: accepted?, accept: accept? })
    }
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
        let form = section.string("form", report);
        let quote = match section.section("quote", report) {
            None => None,
            Some(mut table) => {
                let quote = QuoteCalls::from_section(&mut table, report);
                table.finish(report);
                Some(quote?)
            }
        };
        Some(TranslationCalls {
            form,
            quote,
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
