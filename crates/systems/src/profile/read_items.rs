//! Where the items are that entries are made of.

use diaporos_core::diagnostic::{Code, Diagnostic, Report};
use diaporos_core::settings::Section;

use super::ListingForm;
use crate::query::Query;
use crate::text_file::TextsForm;

/// Where the items are in an answer, a file or a document. A type of one entry has the whole of it, where nothing is
/// said.
pub(super) fn items(
    section: &mut Section<'_>,
    form: ListingForm,
    (is_alone, texts): (bool, Option<TextsForm>),
    report: &mut Report,
) -> Option<Query> {
    match (is_alone, form) {
        (true, _) | (_, ListingForm::Files | ListingForm::Changes | ListingForm::Rows) => {
            let usual = || if texts.is_some() { Query::constant("$.texts[*]") } else { Query::whole() };
            Query::from_key(section, "items", report).or_else(usual)
        }
        _ => {
            if !section.has("items") {
                section.missing("items", report);
            }
            Query::from_key(section, "items", report)
        }
    }
}

/// The form of files of texts by key. But for those that have all languages, the path tells the language.
pub(super) fn texts(section: &mut Section<'_>, form: ListingForm, report: &mut Report) -> Option<Option<TextsForm>> {
    if form != ListingForm::Files {
        return Some(None);
    }
    let word = section.word("texts", &TextsForm::WORDS, report);
    let Some(texts) = word else { return (!section.has("texts")).then_some(None) };
    if texts.has_all_languages() == section.has("language_in_name") {
        let why = match texts.has_all_languages() {
            true => "such a file has all languages; `language_in_name` has no meaning for it",
            false => "`language_in_name` is missing: the language of files whose path tells none",
        };
        let span = section.place(&["texts"]).unwrap_or_else(|| section.span());
        report.add(Diagnostic::error(Code::BadValue, span, why));
        return None;
    }
    Some(Some(texts))
}
