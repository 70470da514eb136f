//! How files are delivered to a system.

use diaporos_core::diagnostic::Report;
use diaporos_core::settings::Section;

use super::{Call, Query};
use crate::asset::AssetLimits;

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
        for key in ["find", "upload"] {
            if !section.has(key) {
                section.missing(key, report);
            }
        }
        let found = Query::required(section, "found", report);
        let id = Query::required(section, "id", report);
        let form = section.text("form", report).map(|item| item.value.as_str().to_owned());
        let limits = asset_limits(section, report);
        Some(AssetCalls { find: find?, found: found?, upload: upload?, id: id?, form, limits })
    }
}

/// `types` and `max_bytes`.
pub(super) fn asset_limits(section: &mut Section<'_>, report: &mut Report) -> AssetLimits {
    let types = section.text_or_texts("types", report);
    let types = types.iter().map(|item| item.value.as_str().to_ascii_lowercase()).collect();
    let max_bytes = section.count("max_bytes", 1, report).map_or(20 * 1024 * 1024, |count| count.value);
    AssetLimits { max_bytes, types }
}
