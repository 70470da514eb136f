//! Which hub a feed names (WebSub, 4): its headers count before its document.

use std::borrow::Cow;

use quick_xml::events::{BytesStart, Event};
use quick_xml::{Reader, XmlVersion};
use serde::Deserialize;
use url::Url;

use super::Offer;

/// What a feed, or its headers, say of hubs and of its own name.
#[derive(Debug, Default)]
struct Links {
    hub: Option<String>,
    own: Option<String>,
}

impl Links {
    fn take(&mut self, rel: &str, target: &str) {
        for word in rel.split_ascii_whitespace() {
            let place = match word.to_ascii_lowercase().as_str() {
                "hub" => &mut self.hub,
                "self" => &mut self.own,
                _ => continue,
            };
            // The first that is named counts.
            place.get_or_insert_with(|| target.to_owned());
        }
    }

    fn offer(self, base: &Url) -> Option<Offer> {
        let (hub, own) = (self.hub?, self.own);
        let hub = base.join(hub.trim()).ok().filter(|hub| matches!(hub.scheme(), "http" | "https"))?;
        // Without a name of its own it is what it was fetched by.
        let topic = own.map_or(Some(base.clone()), |own| base.join(own.trim()).ok())?;
        Some(Offer { hub, topic })
    }
}

/// The hub that a feed names, in its headers or in the beginning of its document.
pub(super) fn offer(base: &Url, links: &[&str], document: &[u8]) -> Option<Offer> {
    let mut headers = Links::default();
    for header in links {
        of_header(header, &mut headers);
    }
    let mut inner = Links::default();
    if document.iter().find(|byte| !byte.is_ascii_whitespace()) == Some(&b'{') {
        of_json(document, &mut inner);
    } else {
        of_xml(document, &mut inner);
    }
    let own = headers.own.or(inner.own);
    Links { hub: headers.hub.or(inner.hub), own }.offer(base)
}

/// `Link` (RFC 8288): `<https://hub.example/>; rel="hub", <…>; rel=self`.
fn of_header(header: &str, links: &mut Links) {
    let mut rest = header;
    while let Some((_, after)) = rest.split_once('<') {
        let Some((target, after)) = after.split_once('>') else { return };
        // The next address begins where the next `<` stands, outside quotes.
        let mut in_quotes = false;
        let end = after.char_indices().find(|(_, c)| {
            in_quotes ^= *c == '"';
            *c == ',' && !in_quotes
        });
        let (parameters, next) = end.map_or((after, ""), |(at, _)| after.split_at(at));
        for parameter in parameters.split(';') {
            if let Some((name, value)) = parameter.split_once('=')
                && name.trim().eq_ignore_ascii_case("rel")
            {
                links.take(value.trim().trim_matches('"'), target);
            }
        }
        rest = next;
    }
}

/// JSON Feed 1.1: `hubs` and `feed_url`.
fn of_json(document: &[u8], links: &mut Links) {
    #[derive(Deserialize)]
    struct Feed {
        feed_url: Option<String>,
        #[serde(default)]
        hubs: Vec<Hub>,
    }
    #[derive(Deserialize)]
    struct Hub {
        #[serde(rename = "type")]
        kind: String,
        url: String,
    }
    let Ok(feed) = serde_json::from_slice::<Feed>(document) else { return };
    links.own = feed.feed_url;
    links.hub = feed.hubs.into_iter().find(|hub| hub.kind.eq_ignore_ascii_case("websub")).map(|hub| hub.url);
}

/// `link` elements of Atom, also within RSS, before the first entry.
fn of_xml(document: &[u8], links: &mut Links) {
    let text = String::from_utf8_lossy(document);
    let mut reader = Reader::from_str(&text);
    reader.config_mut().check_end_names = false;
    loop {
        match reader.read_event() {
            Ok(Event::Start(element) | Event::Empty(element)) => match element.local_name().as_ref() {
                "entry" | "item" => return,
                "link" => of_element(&element, links),
                _ => {}
            },
            // The document may be cut off, where it is long.
            Ok(Event::Eof) | Err(_) => return,
            Ok(_) => {}
        }
    }
}

fn of_element(element: &BytesStart<'_>, links: &mut Links) {
    let value = |name: &str| {
        let attribute = element.try_get_attribute(name).ok().flatten()?;
        attribute.normalized_value(XmlVersion::Implicit1_0).ok().map(Cow::into_owned)
    };
    if let (Some(rel), Some(target)) = (value("rel"), value("href")) {
        links.take(&rel, &target);
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn found(links: &[&str], document: &str) -> Option<(String, String)> {
        let base = Url::parse("https://fernhollow.example/news/feed").unwrap();
        offer(&base, links, document.as_bytes()).map(|offer| (offer.hub.to_string(), offer.topic.to_string()))
    }

    fn pair(hub: &str, topic: &str) -> Option<(String, String)> {
        Some((hub.to_owned(), topic.to_owned()))
    }

    #[test]
    fn headers_and_documents_name_hubs() {
        let own = "https://fernhollow.example/news/feed";
        assert_eq!(found(&["<https://hub.example/>; rel=\"hub\""], ""), pair("https://hub.example/", own));
        assert_eq!(
            found(&["</own>; rel=self; title=\"a, b\", <https://hub.example/h?x=1,2>; rel=\"preload hub\""], ""),
            pair("https://hub.example/h?x=1,2", "https://fernhollow.example/own")
        );
        let atom = "<?xml version='1.0'?><feed xmlns='http://www.w3.org/2005/Atom'><link rel='self' href='https://fernhollow.example/a?b=1&amp;c=2'/><link rel='hub' href='/hub'/><entry/></feed>";
        assert_eq!(found(&[], atom), pair("https://fernhollow.example/hub", "https://fernhollow.example/a?b=1&c=2"));
        let rss = "<rss><channel><link>https://fernhollow.example</link><atom:link xmlns:atom='http://www.w3.org/2005/Atom' rel='hub' href='https://hub.example/'/><item><title>cut o";
        assert_eq!(found(&[], rss), pair("https://hub.example/", own));
        let json = "{\"feed_url\": \"https://fernhollow.example/j\", \"hubs\": [{\"type\": \"rssCloud\", \"url\": \"https://no.example\"}, {\"type\": \"WebSub\", \"url\": \"https://hub.example/\"}], \"items\": []}";
        assert_eq!(found(&[], json), pair("https://hub.example/", "https://fernhollow.example/j"));
        // A header counts before the document.
        assert_eq!(
            found(&["<https://one.example/>; rel=hub"], json),
            pair("https://one.example/", "https://fernhollow.example/j")
        );
    }

    #[test]
    fn what_names_none_offers_nothing() {
        for (links, document) in [
            (&[][..], "<rss><channel><item><link rel='hub' href='https://evil.example'/></item></channel></rss>"),
            (&["<https://hub.example/>; rel=next"], "<feed/>"),
            (&["<https://hub.example/; rel=hub"], "not a feed"),
            (&["<javascript:alert(1)>; rel=hub"], ""),
            (&[], "{\"hubs\": 7}"),
        ] {
            assert_eq!(found(links, document), None, "{links:?} {document}");
        }
    }
}
