//! What form a file has.

use super::lines::LineForm;
use crate::profile::ReadType;
use crate::text_file::WholeForm;

/// What form a file has.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum Form {
    /// One document.
    Whole(WholeForm),
    /// An entry a line or record.
    Lines(LineForm),
}

impl Form {
    /// The form that a file is read in.
    pub(super) fn as_read(file: &str, read: &ReadType) -> Option<Form> {
        read.texts.map(|texts| Form::Whole(WholeForm::Texts(texts))).or_else(|| Form::of(file))
    }

    /// The form that a file's ending tells.
    pub(super) fn of(file: &str) -> Option<Form> {
        let ending = file.rsplit_once('.')?.1.to_ascii_lowercase();
        Some(match ending.as_str() {
            "json" => Form::Whole(WholeForm::Json),
            "xml" => Form::Whole(WholeForm::Xml),
            "md" | "markdown" => Form::Whole(WholeForm::Markdown),
            "jsonl" | "ndjson" => Form::Lines(LineForm::Json),
            "csv" | "tsv" => Form::Lines(LineForm::Csv),
            _ => return None,
        })
    }
}
