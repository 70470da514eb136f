//! Whatever comes in, a reader answers or refuses: it does not panic, and it comes to an end.

use std::io::Cursor;

use diaporos_core::diagnostic::Source;
use diaporos_core::translate;
use jiff::Timestamp;

use crate::feed::{self, FeedSource, ItemChoice};
use crate::files::{LineForm, cut_lines};
use crate::text_file::parse_markdown;
use diaporos_core::text::xml;

use crate::{DocumentPlace, KINDS, mail, ninjs, openapi, read_profile, webdav};

/// Reads a feed.
pub fn read_feed(bytes: &[u8]) -> bool {
    let source =
        FeedSource { name: "f".to_owned(), place: DocumentPlace::File("x".into()), wanted: ItemChoice::default() };
    let base = "http://a.example/feed".parse().ok();
    feed::read_whole(&source, base.as_ref(), Timestamp::UNIX_EPOCH, (bytes, None)).is_ok()
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

/// Reads a message.
pub fn read_message(bytes: &[u8]) {
    mail::read_message(bytes.to_vec());
}

/// Reads a document of XML.
pub fn read_xml(text: &str) {
    let _ = xml::to_json(text, xml::LIMITS);
}

/// Reads a profile; one that is refused says why.
pub fn read_a_profile(text: &str) {
    for rules in KINDS.iter().filter_map(|kind| kind.profile_rules()) {
        let (profile, report) = read_profile(Source { name: "p".to_owned(), text: text.to_owned() }, rules);
        assert!(profile.is_some() || report.has_errors(), "refused without a word");
    }
}

/// Reads what comes back from translators: XLIFF 1.2 and 2.1, PO, CSV. Whole units are handed over, each
/// once.
pub fn read_returned_units(bytes: &[u8]) {
    let mut taken = 0;
    let _ = translate::read_units(&mut Cursor::new(bytes), &mut |_| {
        taken += 1;
        Ok(())
    });
    assert!(taken <= bytes.len(), "more than there is");
}

/// Reads a memory of translations (TMX).
pub fn read_memory(bytes: &[u8]) {
    let _ = translate::read_tmx(&mut Cursor::new(bytes), &mut |_| Ok(()));
}

/// Reads a glossary: TBX-Basic, or CSV.
pub fn read_glossary(text: &str) {
    let _ = translate::terms_from_csv(text);
    if let Ok(from) = "en".parse() {
        let _ = translate::terms_from_tbx(text, &from);
    }
}

/// Reads a list of feeds (OPML).
pub fn read_list_of_feeds(text: &str) {
    let _ = feed::read_opml(text);
}

/// Reads what a WebDAV server says of files and locks.
pub fn read_multistatus(bytes: &[u8]) {
    let _ = webdav::read_multistatus(bytes);
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
    const MESSAGE: &str = "From: =?utf-8?Q?M?= <m@a.example>\r\nSubject: A\r\nContent-Type: multipart/mixed; boundary=x\r\n\r\n--x\r\nContent-Type: text/html; charset=x\r\nContent-Transfer-Encoding: base64\r\n\r\nPHA+\r\n--x\r\nContent-Type: message/rfc822\r\n\r\nSubject: B\r\n\r\nC\r\n--x--\r\n";
    const CSV: &str = "id;name\n1;\"Fern; royal\"\n2;Moss\n";
    const LINES: &str = "{\"id\": 1}\n\n{\"id\": 2}\r\n";
    const MARKDOWN: &str = "---\ntitle: Fern\ntags: [a, &x b, *x]\nnested: { a: { b: 1 } }\n---\n# Body\n";
    const XML: &str = r#"<a x="1"><b>t &#233; &amp;</b><![CDATA[<c>]]><d/></a>"#;
    const PROFILE: &str = "[types.page.read]\nlist = \"/p\"\nitems = \"$.a[*]\"\nid = [\"$.b\", \"$.c\"]\npaging = { style = \"cursor\", next = \"$.n\", size = { parameter = \"l\", items = 5 } }\n[types.page.fields]\nt = { kind = \"text\", max_length = 3 }\n";
    const OPENAPI: &str = r##"{"openapi":"3.0.0","paths":{"/p":{"get":{"responses":{"200":{"content":{"application/json":{"schema":{"type":"array","items":{"$ref":"#/x"}}}}}}}}},"x":{"allOf":[{"$ref":"#/x"}],"properties":{"id":{"type":"string"}}}}"##;

    const XLIFF_2: &str = r#"<xliff xmlns="urn:oasis:names:tc:xliff:document:2.0" version="2.0" srcLang="en" trgLang="fr"><file id="f"><unit id="u1"><originalData><data id="d1">&lt;b&gt;</data></originalData><segment state="translated"><source>A <pc id="1" dataRefStart="d1">fern</pc></source><target>Une <pc id="1" dataRefStart="d1">fougère</pc></target></segment></unit></file></xliff>"#;
    const XLIFF_1: &str = r#"<xliff version="1.2" xmlns="urn:oasis:names:tc:xliff:document:1.2"><file original="o" source-language="en" target-language="fr" datatype="html"><body><trans-unit id="u1"><source>A <g id="1">fern</g><x id="2"/></source><target state="translated">Une <g id="1">fougère</g><x id="2"/></target></trans-unit></body></file></xliff>"#;
    const PO: &str = "msgid \"\"\nmsgstr \"Language: fr\\n\"\n\n#. a note\n#, fuzzy\nmsgctxt \"u1\"\nmsgid \"A fern\"\nmsgstr \"Une \"\n\"fougère\"\n";
    const SHEET: &str = "id,source,target\nu1,\"A {1}fern{/1}\",\"Une {1}fougère{/1}\"\n";
    const TMX: &str = r#"<tmx version="1.4"><header srclang="en"/><body><tu><tuv xml:lang="en"><seg>A <bpt i="1">&lt;b></bpt>fern<ept i="1"/></seg></tuv><tuv xml:lang="fr"><seg>Une fougère</seg></tuv></tu></body></tmx>"#;
    const TBX: &str = r#"<tbx type="TBX-Basic"><text><body><conceptEntry id="c1"><langSec xml:lang="en"><termSec><term>fern</term></termSec></langSec><langSec xml:lang="fr"><termSec><term>fougère</term></termSec></langSec></conceptEntry></body></text></tbx>"#;
    const OPML: &str = r#"<opml version="2.0"><head><title>F</title></head><body><outline text="Ferns"><outline type="rss" text="A &amp; B" xmlUrl="http://a.example/f"/></outline></body></opml>"#;
    const MULTISTATUS: &str = r#"<D:multistatus xmlns:D="DAV:"><D:response><D:href>/a%20b.md</D:href><D:propstat><D:prop><D:resourcetype><D:collection/></D:resourcetype><D:lockdiscovery><D:activelock><D:owner>us</D:owner><D:timeout>Second-9</D:timeout><D:locktoken><D:href>opaquelocktoken:1</D:href></D:locktoken></D:activelock></D:lockdiscovery></D:prop><D:status>HTTP/1.1 200 OK</D:status></D:propstat></D:response></D:multistatus>"#;

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
        fn messages(text in mangled(MESSAGE)) {
            read_message(text.as_bytes());
        }

        #[test]
        fn messages_of_any_bytes(bytes in prop::collection::vec(any::<u8>(), 0..200)) {
            read_message(&bytes);
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
        fn returned_units(text in prop_oneof![mangled(XLIFF_2), mangled(XLIFF_1), mangled(PO), mangled(SHEET)]) {
            read_returned_units(text.as_bytes());
        }

        #[test]
        fn memories(text in mangled(TMX)) {
            read_memory(text.as_bytes());
        }

        #[test]
        fn glossaries(text in prop_oneof![mangled(TBX), mangled(SHEET)]) {
            read_glossary(&text);
        }

        #[test]
        fn lists_of_feeds(text in mangled(OPML)) {
            read_list_of_feeds(&text);
        }

        #[test]
        fn answers_of_webdav(text in mangled(MULTISTATUS)) {
            read_multistatus(text.as_bytes());
        }

        #[test]
        fn openapi_documents(text in mangled(OPENAPI)) {
            read_openapi(&text);
        }
    }
}
