//! Where a listing goes on.

use serde_json::Value as Json;
use url::Url;

use crate::http::Answer;
use crate::profile::{Next, PageSize, Paging, Style, scalar_text};

impl Paging {
    /// The address of a page: the listing's, with what the page needs, or the one that the page
    /// before gave.
    pub(super) fn address(&self, mut url: Url, cursor: Option<&str>) -> Url {
        if let (Style::Link | Style::Address(_), Some(next)) = (&self.style, cursor) {
            return url.join(next).unwrap_or(url);
        }
        let place = match &self.style {
            Style::Page { parameter, first } => {
                Some((parameter, cursor.map_or_else(|| first.to_string(), str::to_owned)))
            }
            Style::Offset { parameter } => Some((parameter, cursor.unwrap_or("0").to_owned())),
            Style::Cursor { parameter, .. } => cursor.map(|cursor| (parameter, cursor.to_owned())),
            Style::None | Style::Link | Style::Address(_) | Style::Connection { .. } => None,
        };
        if let Some(PageSize { parameter, items }) = &self.size {
            url.query_pairs_mut().append_pair(parameter, &items.to_string());
        }
        if let Some((parameter, value)) = place {
            url.query_pairs_mut().append_pair(parameter, &value);
        }
        url
    }

    /// What leads to the page after this one; none at the end.
    pub(super) fn next(
        &self,
        cursor: Option<&str>,
        url: &Url,
        answer: &Answer,
        json: &Json,
        items: usize,
    ) -> Option<String> {
        let number = |usual: u64| cursor.and_then(|text| text.parse().ok()).unwrap_or(usual);
        match &self.style {
            Style::None | Style::Connection { .. } => None,
            // A page may be shorter than asked without being the last, so only an empty one ends it.
            Style::Page { .. } | Style::Offset { .. } if items == 0 => None,
            Style::Page { first, .. } => Some((number(*first) + 1).to_string()),
            Style::Offset { .. } => Some((number(0) + items as u64).to_string()),
            Style::Cursor { next: Next::Body(next), .. } => text_at(next.first(json)),
            Style::Cursor { next: Next::Header(name), .. } => {
                answer.header(name).filter(|text| !text.is_empty()).map(str::to_owned)
            }
            Style::Link => answer.header("link").and_then(next_link).and_then(|next| absolute(url, &next)),
            Style::Address(next) => text_at(next.first(json)).and_then(|next| absolute(url, &next)),
        }
    }

    /// How many items the answer says there are in all.
    pub(crate) fn total(&self, json: &Json) -> Option<u64> {
        self.total.as_ref()?.first(json)?.as_u64()
    }
}

fn text_at(found: Option<&Json>) -> Option<String> {
    found.and_then(scalar_text).filter(|text| !text.is_empty())
}

fn absolute(page: &Url, next: &str) -> Option<String> {
    page.join(next).ok().map(Into::into)
}

/// The target of the link with the relation `next` (RFC 8288 §3).
fn next_link(header: &str) -> Option<String> {
    let mut rest = header;
    while let Some(start) = rest.find('<') {
        let end = start + rest[start..].find('>')?;
        let target = &rest[start + 1..end];
        let parameters = &rest[end + 1..];
        // The link's parameters end at a comma outside of quotes.
        let mut quoted = false;
        let comma = parameters.char_indices().find(|(_, c)| {
            quoted ^= *c == '"';
            *c == ',' && !quoted
        });
        let (own, after) = comma.map_or((parameters, ""), |(at, _)| (&parameters[..at], &parameters[at + 1..]));
        let is_next = own.split(';').filter_map(|parameter| parameter.split_once('=')).any(|(name, value)| {
            let value = value.trim().trim_matches('"');
            name.trim().eq_ignore_ascii_case("rel")
                && value.split_whitespace().any(|rel| rel.eq_ignore_ascii_case("next"))
        });
        if is_next {
            return Some(target.to_owned());
        }
        rest = after;
    }
    None
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_next_of_several_links() {
        for (header, expected) in [
            (
                r#"<http://a.example/?page=3>; rel="next", <http://a.example/?page=9>; rel="last""#,
                Some("http://a.example/?page=3"),
            ),
            (r#"<http://a.example/?q=a,b>; rel="prev"; title="one, two", </x?page=2>; rel=next"#, Some("/x?page=2")),
            (r#"<http://a.example/>; rel="last next""#, Some("http://a.example/")),
            (r#"<http://a.example/>; rel="last""#, None),
            ("<unclosed", None),
            ("", None),
        ] {
            assert_eq!(next_link(header).as_deref(), expected, "{header}");
        }
    }
}
