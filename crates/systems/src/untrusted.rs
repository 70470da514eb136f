//! Whatever comes in, a reader answers or refuses: it does not panic, and it comes to an end.

use std::io::Cursor;

use diaporos_core::diagnostic::Source;
use jiff::Timestamp;

use crate::feed::{self, FeedPlace, FeedSource, ItemChoice};
use crate::files::{LineForm, cut_lines};
use crate::text_file::parse_markdown;
use diaporos_core::text::xml;

use crate::{ProfileKind, ninjs, openapi, read_profile};

/// Reads a feed.
pub fn read_feed(bytes: &[u8]) -> bool {
    let source = FeedSource { name: "f".to_owned(), place: FeedPlace::File("x".into()), wanted: ItemChoice::default() };
    let base = "http://a.example/feed".parse().ok();
    feed::decode(&source, base.as_ref(), Timestamp::UNIX_EPOCH, (bytes, None)).is_ok()
}

/// Reads news items.
pub fn read_news(bytes: &[u8]) {
    if let Ok(json) = serde_json::from_slice(bytes) {
        let _ = ninjs::decode(&json);
    }
}

/// Reads a file of lines or records to its end, piece by piece.
pub fn read_records(bytes: &[u8]) {
    for form in [LineForm::Csv, LineForm::Json] {
        let (mut from, mut pieces) = ((0, 1), 0);
        while let Ok(piece) = cut_lines(Cursor::new(bytes), form, from, 1_000) {
            let _ = piece.lines();
            pieces += 1;
            assert!(pieces <= bytes.len() + 2, "it does not come to an end");
            match piece.next {
                Some(next) => from = next,
                None => break,
            }
        }
    }
}

/// Reads Markdown with front matter.
pub fn read_front_matter(text: &str) {
    let _ = parse_markdown(text);
}

/// Reads a document of XML.
pub fn read_xml(text: &str) {
    let _ = xml::to_json(text, xml::LIMITS);
}

/// Reads a profile; one that is refused says why.
pub fn read_a_profile(text: &str) {
    for kind in [ProfileKind::Rest, ProfileKind::Files, ProfileKind::Graphql] {
        let (profile, report) = read_profile(Source { name: "p".to_owned(), text: text.to_owned() }, kind);
        assert!(profile.is_some() || report.has_errors(), "refused without a word");
    }
}

/// Reads a description of an API.
pub fn read_openapi(text: &str) {
    let _ = openapi::draft(text);
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    /// A good text with a piece taken out, doubled, or written over with what hostile input is made of.
    fn mangled(good: &'static str) -> impl Strategy<Value = String> {
        let hostile = prop_oneof![
            Just("\u{0}".to_owned()),
            Just("<".to_owned()),
            Just("]]>".to_owned()),
            Just("&#x10FFFF;".to_owned()),
            Just("\"".to_owned()),
            Just("[[[[[[[[".to_owned()),
            Just("---\n".to_owned()),
            Just("99999999999999999999".to_owned()),
            "\\PC{0,8}",
        ];
        prop::collection::vec((any::<prop::sample::Index>(), 0..12usize, hostile), 1..5).prop_map(move |changes| {
            let mut text: Vec<char> = good.chars().collect();
            for (place, length, with) in changes {
                let start = place.index(text.len() + 1);
                let end = (start + length).min(text.len());
                text.splice(start..end, with.chars());
            }
            text.into_iter().collect()
        })
    }

    const RSS: &str = r#"<?xml version="1.0" encoding="utf-8"?><rss version="2.0"><channel><title>T</title><item><guid>1</guid><title>A &amp; B</title><pubDate>Fri, 01 May 2026 09:30:00 +0100</pubDate><enclosure url="http://a.example/1.mp3" type="audio/mpeg" length="9"/></item></channel></rss>"#;
    const ATOM: &str = r#"<feed xmlns="http://www.w3.org/2005/Atom"><id>f</id><title>T</title><updated>2026-05-01T00:00:00Z</updated><link rel="next" href="?page=2"/><entry><id>1</id><title type="html">A &lt;b&gt;</title><updated>2026-05-02T00:00:00Z</updated></entry></feed>"#;
    const NINJS: &str = r#"{"items":[{"uri":"u:1","pubstatus":"usable","headlines":[{"role":"main","value":"A"}],"associations":{"x":{"renditions":{"a":{"href":"h","width":1}}}}}]}"#;
    const CSV: &str = "id;name\n1;\"Fern; royal\"\n2;Moss\n";
    const LINES: &str = "{\"id\": 1}\n\n{\"id\": 2}\r\n";
    const MARKDOWN: &str = "---\ntitle: Fern\ntags: [a, &x b, *x]\nnested: { a: { b: 1 } }\n---\n# Body\n";
    const XML: &str = r#"<a x="1"><b>t &#233; &amp;</b><![CDATA[<c>]]><d/></a>"#;
    const PROFILE: &str = "[types.page.read]\nlist = \"/p\"\nitems = \"$.a[*]\"\nid = [\"$.b\", \"$.c\"]\npaging = { style = \"cursor\", next = \"$.n\", size = { parameter = \"l\", items = 5 } }\n[types.page.fields]\nt = { kind = \"text\", max_length = 3 }\n";
    const OPENAPI: &str = r##"{"openapi":"3.0.0","paths":{"/p":{"get":{"responses":{"200":{"content":{"application/json":{"schema":{"type":"array","items":{"$ref":"#/x"}}}}}}}}},"x":{"allOf":[{"$ref":"#/x"}],"properties":{"id":{"type":"string"}}}}"##;

    proptest! {
        #![proptest_config(ProptestConfig::with_cases(300))]

        #[test]
        fn feeds(text in prop_oneof![mangled(RSS), mangled(ATOM)]) {
            read_feed(text.as_bytes());
        }

        #[test]
        fn feeds_of_any_bytes(bytes in prop::collection::vec(any::<u8>(), 0..200)) {
            prop_assert!(!read_feed(&bytes));
        }

        #[test]
        fn news_items(text in mangled(NINJS)) {
            read_news(text.as_bytes());
        }

        #[test]
        fn records(text in prop_oneof![mangled(CSV), mangled(LINES)]) {
            read_records(text.as_bytes());
        }

        #[test]
        fn front_matter(text in mangled(MARKDOWN)) {
            read_front_matter(&text);
        }

        #[test]
        fn xml_documents(text in mangled(XML)) {
            read_xml(&text);
        }

        #[test]
        fn profiles(text in mangled(PROFILE)) {
            read_a_profile(&text);
        }

        #[test]
        fn openapi_documents(text in mangled(OPENAPI)) {
            read_openapi(&text);
        }
    }
}
