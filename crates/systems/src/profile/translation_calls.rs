//! How texts are sent for translation and come back: the `translation` table of a profile.

use diaporos_core::diagnostic::Report;
use diaporos_core::settings::Section;

use super::{Call, Query};

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
        for key in ["upload", "order", "find", "progress", "download"] {
            if !section.has(key) {
                section.missing(key, report);
            }
        }
        let mut query = |key| Query::required(section, key, report);
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
            members,
        })
    }
}

fn members(section: &mut Section<'_>, report: &mut Report) -> OrderMembers {
    let mut table = section.section("members", report);
    let mut called = |key: &'static str| {
        let given = table.as_mut().and_then(|table| table.text(key, report));
        given.map_or_else(|| key.to_owned(), |item| item.value.as_str().to_owned())
    };
    let members = OrderMembers {
        reference: called("reference"),
        from: called("from"),
        due: called("due"),
        files: called("files"),
        file: called("file"),
        language: called("language"),
    };
    if let Some(table) = table {
        table.finish(report);
    }
    members
}
