//! How files are delivered to a system.

use diaporos_core::diagnostic::Report;
use diaporos_core::settings;
use diaporos_core::settings::forms::TEXT;
use diaporos_core::settings::{Form, Section, Setting, Table};

use super::Call;
use super::call::CALL;
use crate::asset::AssetLimits;
use crate::query::{JSON_PATH, Query};

/// Which files are taken.
pub(super) const TAKEN: &[Setting] = settings![
    types: Form::OneOrMany(&TEXT), none, "the media types that are taken, held against a file's bytes", "[\"image/*\", \"application/pdf\"]";
    max_bytes: Form::Count(1), usual "20971520", "the most bytes of a file", "5000000";
];
/// How files are delivered by calls.
pub(super) static ASSET_CALLS: Table = Table::new(
    "files of documents",
    &[
        settings![
            find: CALL, required, "finds a file by the SHA-256 of its content, `{key}`", "GET /api/media?hash={key}";
            found: JSON_PATH, required, "where the answer has it", "$.media[*]";
            upload: CALL, required, "delivers one, once", "POST /api/media?hash={key}";
            id: JSON_PATH, required, "where it says what it calls the file, which then stands in the field", "$.id";
            form: TEXT, none, "the part of a form that the file is sent as; it is the whole body without it", "file";
        ],
        TAKEN,
    ],
);
/// How files are kept with documents of a database.
pub(super) static ATTACHMENTS: Table = Table::new("attachments", &[TAKEN]);

/// How files are delivered.
#[derive(Debug, Clone)]
pub(crate) struct AssetCalls {
    /// Finds a file by the hash of its content, `{key}`.
    pub(crate) find: Call,
    /// Where the answer has it.
    pub(crate) found: Query,
    /// Delivers one.
    pub(crate) upload: Call,
    /// Where its id is.
    pub(crate) id: Query,
    /// The name of the form's part that it is sent as; as the whole body where there is none.
    pub(crate) form: Option<String>,
    /// What is taken.
    pub(crate) limits: AssetLimits,
}

impl AssetCalls {
    pub(super) fn from_section(section: &mut Section<'_>, report: &mut Report) -> Option<AssetCalls> {
        let find = Call::reading(section, "find", &["key"], report);
        let upload = Call::from_key(section, "upload", &["key"], report);
        let found = Query::from_key(section, "found", report);
        let id = Query::from_key(section, "id", report);
        let form = section.string("form", report);
        let limits = asset_limits(section, report);
        Some(AssetCalls { find: find?, found: found?, upload: upload?, id: id?, form, limits })
    }
}

/// `types` and `max_bytes`.
pub(super) fn asset_limits(section: &mut Section<'_>, report: &mut Report) -> AssetLimits {
    let types = section.text_or_texts("types", report);
    let types = types.iter().map(|item| item.value.as_str().to_ascii_lowercase()).collect();
    let max_bytes = section.count("max_bytes", report).map_or(0, |count| count.value);
    AssetLimits { max_bytes, types }
}
