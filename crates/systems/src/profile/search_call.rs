//! A listing that is asked for by a call with a body.

use diaporos_core::diagnostic::{Code, Diagnostic, Report};
use diaporos_core::settings;
use diaporos_core::settings::forms::{ANY_VALUES, TEXT};
use diaporos_core::settings::{Form, InnerText, Item, Section, Table, TextOrTable};
use serde_json::{Map, Value as Json};

use super::MemberPath;
use super::call::{CALL_MEDIA, MEDIA, body_of};
use super::filled::constants;
use crate::ErrorKind;
use crate::http::{Body, Method};

/// A listing: its path, or a search.
pub(super) const LISTING: Form = Form::Either(&TEXT, &Form::Table(&SEARCH));
static SEARCH: Table = Table::new(
    "search",
    &[settings![
        post: TEXT, required, "the path of the listing, which is asked for by POST and changes nothing", "/v1/search";
        body: ANY_VALUES, none, "the members of its body, beside parameters that are places in it, as `$.page`", "{ type = \"page\" }";
        media: CALL_MEDIA, usual "application/json", "the media type of its body", "application/x-www-form-urlencoded";
    ]],
);

/// What a listing is asked for with, where it is a `POST` that reads.
#[derive(Debug, Clone, PartialEq)]
pub(crate) struct SearchCall {
    /// The members of every body.
    pub(crate) members: Map<String, Json>,
    media: &'static str,
}

impl SearchCall {
    /// Reads the listing under the key `list`: its path, and the call that it is.
    pub(super) fn from_key(section: &mut Section<'_>, report: &mut Report) -> Option<(String, Option<SearchCall>)> {
        if let TextOrTable::Text(item) = section.shape("list", report)? {
            return Some((checked(&item, report)?, None));
        }
        let mut table = section.section("list", report)?;
        let path = table.text("post", report);
        let members = table.section("body", report).map(|mut body| constants(&mut body)).unwrap_or_default();
        let media = table.word("media", &MEDIA.map(|media| (media, media)), report);
        table.finish(report);
        Some((checked(&path?, report)?, Some(SearchCall { members, media: media? })))
    }

    /// A body.
    ///
    /// # Errors
    /// Where its media type has no form for them.
    pub(crate) fn body(&self, members: Map<String, Json>) -> Result<Body, ErrorKind> {
        body_of(members, self.media)
    }
}

/// Refuses parameters that are places in a body where the listing has none, and those that are none in any.
pub(super) fn check_parameters<'p>(
    search: Option<&SearchCall>,
    parameters: impl IntoIterator<Item = &'p str>,
    section: &Section<'_>,
    report: &mut Report,
) {
    for parameter in parameters.into_iter().filter(|parameter| parameter.starts_with('$')) {
        let message = match (search, MemberPath::read(parameter)) {
            (Some(_), Some(_)) => continue,
            (None, _) => {
                format!("the parameter `{parameter}` is a place in a body, and this listing is asked for without one")
            }
            (Some(_), None) => {
                format!("the parameter `{parameter}` is no place in a body; one is a way of names, `$.page.size`")
            }
        };
        let finding = Diagnostic::error(Code::BadValue, section.span(), message);
        report.add(finding.help("a listing with a body is a search: `list = { post = \"/search\" }`"));
    }
}

/// The path of a listing: a path and no call.
fn checked(item: &Item<InnerText>, report: &mut Report) -> Option<String> {
    let text = item.value.as_str();
    let first = text.split(' ').next().unwrap_or_default();
    if Method::WORDS.iter().any(|(word, _)| *word == first) || text.contains(' ') {
        let message =
            format!("`{text}` is not a path; a listing is a path, as `/api/pages`, and is asked for with GET");
        let finding = Diagnostic::error(Code::BadValue, item.span.clone(), message);
        report.add(finding.help("a search that is asked for by POST is `list = { post = \"/search\" }`"));
        return None;
    }
    Some(text.to_owned())
}
