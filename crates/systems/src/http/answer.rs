//! An answer, read whole within its limit.

use std::time::Duration;

use diaporos_core::change::Fingerprint;
use diaporos_core::intake::{CacheValidators, PageCounts};
use diaporos_core::text::xml;
use serde_json::Value as Json;

use super::problem::describe;
use url::Url;

use crate::ErrorKind;

/// How much of an error's body is shown.
const SHOWN: usize = 300;

/// An answer with a status below 400.
#[derive(Debug)]
pub struct Answer {
    /// The status.
    pub status: u16,
    /// The headers, names in lower case.
    pub headers: Vec<(String, String)>,
    /// The decoded body.
    pub body: Vec<u8>,
    /// Where it has moved to for good (301, 308).
    pub moved: Option<Url>,
    /// In which form its documents are.
    pub form: AnswerForm,
}

/// The form of the documents that a system answers with.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub enum AnswerForm {
    /// JSON.
    #[default]
    Json,
    /// XML, which is read as the JSON of its elements.
    Xml,
}

impl Answer {
    /// An answer with its headers and its body.
    pub(crate) fn new(status: u16, headers: Vec<(String, String)>, body: Vec<u8>) -> Answer {
        Answer { status, headers, body, moved: None, form: AnswerForm::Json }
    }

    /// A header's value, by its name in lower case.
    #[must_use]
    pub fn header(&self, name: &str) -> Option<&str> {
        self.headers.iter().find(|(known, _)| known == name).map(|(_, value)| value.as_str())
    }

    /// The encoding that its header claims.
    #[must_use]
    pub fn charset(&self) -> Option<&str> {
        let parameters = self.header("content-type")?.split(';').skip(1);
        let named =
            |parameter: &str| parameter.trim().get(..8).is_some_and(|name| name.eq_ignore_ascii_case("charset="));
        parameters.map(str::trim).find(|parameter| named(parameter)).map(|parameter| parameter[8..].trim_matches('"'))
    }

    /// Whether its media type says that it is a page of HTML.
    #[must_use]
    pub fn is_html(&self) -> bool {
        let media = self.header("content-type").and_then(|header| header.split(';').next()).unwrap_or_default();
        ["text/html", "application/xhtml+xml"].iter().any(|html| media.trim().eq_ignore_ascii_case(html))
    }

    /// By what it is known again, with the hash of its content, where the listing goes on, and what it
    /// says of the listing.
    #[must_use]
    pub fn mark(&self, content: Fingerprint, next: Option<String>, counts: PageCounts) -> CacheValidators {
        let text = |name| self.header(name).map(str::to_owned);
        CacheValidators { etag: text("etag"), last_modified: text("last-modified"), content, next, counts }
    }

    /// Whether it says that nothing changed since the mark that was sent.
    #[must_use]
    pub fn is_not_modified(&self) -> bool {
        self.status == 304
    }

    /// Whether it leads elsewhere.
    #[must_use]
    pub fn is_redirect(&self) -> bool {
        (300..400).contains(&self.status) && self.status != 304
    }

    /// The body as JSON; of XML, the JSON of its elements.
    ///
    /// # Errors
    /// Where it is not, with what it looks like instead.
    pub fn json(&self) -> Result<Json, ErrorKind> {
        if self.form == AnswerForm::Xml {
            return self.elements();
        }
        serde_json::from_slice(&self.body).map_err(|error| {
            let start = String::from_utf8_lossy(&self.body[..self.body.len().min(SHOWN)]).trim_start().to_owned();
            let looks = if self.body.is_empty() {
                "the body is empty".to_owned()
            } else if start.starts_with('<') {
                "the body looks like HTML or XML".to_owned()
            } else if error.is_eof() {
                format!("the body ends in the middle, at byte {}", self.body.len())
            } else {
                error.to_string()
            };
            ErrorKind::Content(format!("expected JSON, and {looks}"))
        })
    }
    fn elements(&self) -> Result<Json, ErrorKind> {
        let wrong = |what: String| ErrorKind::Content(format!("expected XML, and {what}"));
        if self.is_html() {
            return Err(wrong("the answer is a page of HTML".to_owned()));
        }
        // A text in another encoding says so in its first line (XML 1.0 §4.3.3).
        let text = std::str::from_utf8(&self.body).map_err(|_| wrong("the body is not UTF-8".to_owned()))?;
        let text = text.trim_start_matches('\u{feff}').trim_start();
        match text.chars().next() {
            None => Err(wrong("the body is empty".to_owned())),
            Some('<') => xml::to_json(text, xml::LIMITS).map_err(wrong),
            Some(_) => Err(wrong("the body looks like none".to_owned())),
        }
    }
}

/// How long the other side asks to wait: seconds, or a moment, which is held against its own clock
/// (RFC 9110 §10.2.3).
pub(super) fn retry_after(answer: &Answer) -> Option<Duration> {
    let text = answer.header("retry-after")?.trim();
    if let Ok(seconds) = text.parse() {
        return Some(Duration::from_secs(seconds));
    }
    let moment = |text: &str| jiff::fmt::rfc2822::parse(text).ok().map(|zoned| zoned.timestamp());
    let wait = moment(text)?.duration_since(moment(answer.header("date")?)?);
    Duration::try_from(wait).ok()
}

/// What a status that is no success means.
pub(crate) fn failure(status: u16, body: &[u8], retry_after: Option<Duration>) -> ErrorKind {
    match status {
        401 | 403 => ErrorKind::Unauthorised { status, message: describe(body) },
        404 => ErrorKind::NotFound,
        410 => ErrorKind::GoneForGood,
        409 | 412 => ErrorKind::Differs { status, message: describe(body) },
        423 => ErrorKind::Locked { message: describe(body) },
        429 => ErrorKind::Throttled { after: retry_after },
        503 if let Some(after) = retry_after => ErrorKind::Unavailable { after },
        _ => ErrorKind::Status { status, message: describe(body) },
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn answer(body: &str) -> Answer {
        Answer::new(200, Vec::new(), body.as_bytes().to_vec())
    }

    #[test]
    fn how_long_to_wait() {
        let asked = |after: &str, date: &str| {
            let headers = vec![("retry-after".to_owned(), after.to_owned()), ("date".to_owned(), date.to_owned())];
            retry_after(&Answer { headers, ..answer("") })
        };
        let date = "Fri, 01 May 2026 09:30:00 GMT";
        assert_eq!(asked("7", date), Some(Duration::from_secs(7)));
        assert_eq!(asked("Fri, 01 May 2026 09:31:00 GMT", date), Some(Duration::from_secs(60)));
        assert_eq!(asked("Fri, 01 May 2026 09:29:00 GMT", date), None, "a moment that has passed is no wait");
        assert_eq!(asked("soon", date), None);
    }

    #[test]
    fn what_is_not_json_is_described() {
        for (body, expected) in [
            ("", "expected JSON, and the body is empty"),
            ("<html>", "expected JSON, and the body looks like HTML or XML"),
            ("{\"a\": [1,", "expected JSON, and the body ends in the middle, at byte 9"),
            ("nope", "expected JSON, and expected ident at line 1 column 2"),
        ] {
            assert_eq!(answer(body).json().unwrap_err().to_string(), expected);
        }
    }

    #[test]
    fn errors_show_their_own_words() {
        for (status, body, expected) in [
            (422, r#"{"title":"Invalid","detail":"slug is taken"}"#, "it answered 422: slug is taken"),
            (500, "<html><body><h1>Oops</h1>down</body></html>", "it answered 500: Oops down"),
            (400, "", "it answered 400"),
            (401, "x", "the credential was refused (401: x); check the token, and what it may do"),
            (412, "", "it does not fit what is there now (412)"),
            (409, r#"{"title":"slug is taken"}"#, "it does not fit what is there now (409: slug is taken)"),
            (423, "", "it is locked there"),
        ] {
            assert_eq!(failure(status, body.as_bytes(), None).to_string(), expected);
        }
    }
}
