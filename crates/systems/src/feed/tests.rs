//! Whole feeds, as they are found in the world.

use diaporos_core::intake::Incoming;
use diaporos_core::value::{Value, to_json};
use jiff::Timestamp;
use url::Url;

use super::document::Document;
use super::encoding::Coding;
use super::source::TextSource;
use super::{FeedSource, ItemChoice, Medium, read_whole};
use crate::{DocumentPlace, Problem};

fn source(wanted: ItemChoice) -> FeedSource {
    FeedSource { name: "fernhollow".to_owned(), place: DocumentPlace::File("x".into()), wanted }
}

fn now() -> Timestamp {
    "2026-05-02T08:00:00Z".parse().unwrap()
}

fn drawn(body: &str) -> String {
    drawn_of(&source(ItemChoice::default()), body)
}

fn drawn_of(source: &FeedSource, body: &str) -> String {
    let base: Url = "http://f.example/feed".parse().unwrap();
    match read_whole(source, Some(&base), now(), (body.as_bytes(), None)) {
        Err(error) => error.to_string(),
        Ok(read) => {
            let entry = |entry: &Incoming| {
                let notes: String = entry.notes.iter().map(|note| format!("\n  note: {note}")).collect();
                let fields = entry
                    .fields
                    .iter()
                    .filter(|(name, _)| !["feed", "feed_title", "medium", "guid"].contains(&name.as_str()));
                let state = if entry.state == diaporos_core::value::State::Live { "" } else { " (draft)" };
                let fields = fields.map(|(name, value)| format!("\n  {name}: {}", to_json(value))).collect::<String>();
                format!("{}{state}{fields}{notes}", entry.id)
            };
            let problem = |problem: &Problem| format!("{}: {}", problem.item, problem.message);
            let again = (read.repeated > 0).then(|| format!("{} again", read.repeated));
            read.entries
                .iter()
                .map(entry)
                .chain(read.problems.iter().map(problem))
                .chain(again)
                .collect::<Vec<_>>()
                .join("\n")
        }
    }
}

const RSS: &str = r#"<?xml version="1.0"?><rss version="2.0"><channel><title>Fernhollow &amp;amp; friends</title><language>en</language>
    <item><guid isPermaLink="false">17</guid><title>Ferns &amp;amp; mosses</title><link>http://f.example/17</link><description>&lt;p&gt;Now&lt;/p&gt;</description>
    <category>News</category><pubDate>Fri, 01 May 2026 09:30:00 +0100</pubDate></item>
    <item><title>No id</title><link>http://f.example/18</link></item>
    <item><title>Neither</title></item></channel></rss>"#;

#[test]
fn three_families() {
    let atom = r#"<feed xmlns="http://www.w3.org/2005/Atom"><id>tag:f.example,2026:feed</id><title>Tarnside</title><updated>2026-05-01T00:00:00Z</updated>
        <entry><id>tag:f.example,2026:1</id><title type="html">A &lt;b&gt;walk&lt;/b&gt;</title><updated>2026-05-02T00:00:00Z</updated>
        <link href="http://f.example/1"/><link rel="enclosure" type="audio/mpeg" length="9" href="http://f.example/1.mp3"/></entry></feed>"#;
    let json = r#"{"version":"https://jsonfeed.org/version/1.1","title":"Highmoss","items":[{"id":"9","content_html":"<p>x</p>","url":"http://h.example/9"}]}"#;
    insta::assert_snapshot!([RSS, atom, json].map(drawn).join("\n---\n"));
}

#[test]
fn items_by_kind_and_age_under_a_label() {
    let feed = r#"<feed xmlns="http://www.w3.org/2005/Atom"><id>f</id><title>Tarnside</title><updated>2026-05-01T00:00:00Z</updated>
        <entry><id>old</id><title>Old</title><updated>2026-01-01T00:00:00Z</updated></entry>
        <entry><id>heard</id><title>Heard</title><updated>2026-05-01T00:00:00Z</updated><link rel="enclosure" type="audio/mpeg" href="http://f.example/1.mp3"/></entry>
        <entry><id>read</id><title>Read</title><updated>2026-05-01T00:00:00Z</updated></entry></feed>"#;
    let of = |wanted: ItemChoice| read_whole(&source(wanted), None, now(), (feed.as_bytes(), None)).unwrap().entries;
    let ids = |wanted: ItemChoice| {
        of(wanted).iter().map(|entry| entry.id.as_str().replace("fernhollow/", "")).collect::<Vec<_>>()
    };
    let month = Some(std::time::Duration::from_secs(30 * 86_400));
    assert_eq!(ids(ItemChoice::default()), ["old", "heard", "read"]);
    assert_eq!(ids(ItemChoice { newest: month, ..ItemChoice::default() }), ["heard", "read"]);
    assert_eq!(ids(ItemChoice { media: vec![Medium::Audio], ..ItemChoice::default() }), ["heard"]);
    let labelled = of(ItemChoice { label: Some("Our tarn".into()), ..ItemChoice::default() });
    assert_eq!(labelled[0].fields.get("feed_title"), Some(&Value::from("Our tarn")));
}

fn opened(text: String, base: &Url) -> Document {
    let source = TextSource::new(Coding::Utf8, Box::new(std::io::Cursor::new(text.into_bytes())));
    Document::open(source, Some(base.clone())).unwrap()
}

#[test]
fn a_paged_feed_goes_on_on_its_own_host() {
    let base: Url = "http://f.example/feed".parse().unwrap();
    let further = |rel: &str, href: &str| {
        let feed = format!(
            r#"<feed xmlns="http://www.w3.org/2005/Atom"><id>f</id><title>T</title><updated>2026-05-01T00:00:00Z</updated><link rel="{rel}" href="{href}"/></feed>"#
        );
        let document = opened(feed, &base);
        document.frame().further(&base).map(|url| url.to_string())
    };
    assert_eq!(further("next", "/feed?page=2").as_deref(), Some("http://f.example/feed?page=2"));
    assert_eq!(further("prev-archive", "2026-04").as_deref(), Some("http://f.example/2026-04"));
    assert_eq!(further("next", "http://other.example/feed"), None);
    assert_eq!(further("next", "file:///etc/passwd"), None);
    assert_eq!(further("self", "/feed?page=2"), None);
    let json = r#"{"version": "https://jsonfeed.org/version/1.1", "next_url": "/2.json", "items": []}"#;
    let document = opened(json.to_owned(), &base);
    assert_eq!(document.frame().further(&base).map(|url| url.to_string()).as_deref(), Some("http://f.example/2.json"));
}

#[test]
fn an_item_without_an_id_keeps_the_one_we_gave_it() {
    assert_eq!(drawn(RSS), drawn(RSS));
    assert!(drawn(RSS).contains("fernhollow/http://f.example/18"));
    // Those that differ in anything are different.
    let two = "<rss><channel><item><title>Fern</title><enclosure url='http://f.example/1.mp3'/></item><item><title>Fern</title><enclosure url='http://f.example/2.mp3'/></item></channel></rss>";
    assert_eq!(
        read_whole(&source(ItemChoice::default()), None, now(), (two.as_bytes(), None)).unwrap().entries.len(),
        2
    );
}

#[test]
fn of_two_with_one_id_the_newest_counts() {
    let item = |title: &str, day: u8| {
        format!("<item><guid>a:1</guid><title>{title}</title><pubDate>0{day} May 2026 09:00:00 GMT</pubDate></item>")
    };
    let feed = |items: &[String]| format!("<rss><channel>{}</channel></rss>", items.concat());
    for (items, newest) in [
        ([item("old", 1), item("new", 2)], "new"),
        ([item("new", 2), item("old", 1)], "new"),
        ([item("first", 1), item("second", 1)], "first"),
    ] {
        let read = read_whole(&source(ItemChoice::default()), None, now(), (feed(&items).as_bytes(), None)).unwrap();
        let titles: Vec<_> = read.entries.iter().map(|entry| entry.fields["title"].as_text().unwrap()).collect();
        assert_eq!((titles, read.repeated), (vec![newest], 1));
    }
}

#[test]
fn what_can_be_salvaged_is_and_says_so() {
    let rss = |items: &str| format!("<rss version=\"2.0\"><channel><title>F</title>{items}</channel></rss>");
    let items = [
        "<item><guid>amp</guid><title>Moss & fern</title><description>A&nbsp;&unknown; b</description></item>",
        "<item><guid>markup</guid><title>Fern</title><description>Now <b>open</b><br> daily</description></item>",
        "<item><guid>control</guid><title>Fe\u{8}rn&#11;</title></item>",
        "<item><guid>date</guid><title>x</title><pubDate>2026-05-01 09:30</pubDate></item>",
        "<item><guid>no-date</guid><title>x</title><pubDate>some day in May</pubDate></item>",
        "<item><guid>title</guid><title>No end<link>http://f.example/1</link><description>D</description></item>",
        "<item><guid>section</guid><description><![CDATA[No <b>end</b></description><pubDate>2026-05-01T09:30:00Z</pubDate></item>",
        "<item><guid>comment</guid><!-- no end <title>T</title></item>",
        "<item><guid>broken</guid><link></item>",
        "<item><guid>after</guid><description><![CDATA[T]]></description><!-- x --></item>",
        "<item><guid>no end</guid><title>T</title>",
        "<item/>",
    ];
    let fine = "<item><guid>fine</guid><title>Fine</title></item>";
    let texts = [
        rss(&format!("{}{fine}", items.concat())),
        rss(fine).replace("2.0", "0.94"),
        rss(fine).replace("</channel></rss>", "<item><guid>cut</guid><tit"),
        rss(fine).replace("</channel></rss>", ""),
        format!("Warning: a notice of the server\n<?xml version=\"1.0\"?>{}", rss(fine)),
        format!("<!DOCTYPE rss [<!ENTITY x SYSTEM \"file:///etc/passwd\">]>{}", rss("<item><guid>entity</guid><title>&x;</title></item>")),
        r#"{"version": "2", "title": "J", "items": [{"id": 7, "content_text": "x < y", "date_published": "2026-05-01"}, {"content_text": 3}, 5, {"id": "cut"#.to_owned(),
    ];
    insta::assert_snapshot!(texts.map(|text| drawn(&text)).join("\n---\n"));
}

#[test]
fn every_old_form_is_understood() {
    let atom_03 = r#"<feed version="0.3" xmlns="http://purl.org/atom/ns#" xml:lang="cy"><title>Old</title>
        <entry><id>tag:1</id><title mode="escaped" type="text/html">A &lt;i&gt;fern&lt;/i&gt;</title><link rel="alternate" type="text/html" href="http://f.example/1"/>
        <issued>2026-05-01T09:30:00Z</issued><modified>2026-05-02T09:30:00Z</modified><author><name>Nia</name><url>http://n.example</url></author>
        <content type="text/html" mode="base64">PGI+TW9zczwvYj4=</content><summary type="application/xhtml+xml" mode="xml"><div xmlns="http://www.w3.org/1999/xhtml">A<br/>b</div></summary></entry></feed>"#;
    let rss_10 = r#"<rdf:RDF xmlns:rdf="http://www.w3.org/1999/02/22-rdf-syntax-ns#" xmlns="http://purl.org/rss/1.0/" xmlns:dc="http://purl.org/dc/elements/1.1/" xmlns:content="http://purl.org/rss/1.0/modules/content/">
        <channel rdf:about="http://f.example/rss"><title>RDF</title><items><rdf:Seq><rdf:li resource="http://f.example/1"/></rdf:Seq></items></channel>
        <item rdf:about="http://f.example/1"><title>T</title><description>D</description><dc:creator>Nia</dc:creator><dc:date>2026-05-01</dc:date><dc:subject>Ferns</dc:subject><content:encoded><![CDATA[<p>x</p>]]></content:encoded></item></rdf:RDF>"#;
    let rss_09 = rss_10
        .replace("http://purl.org/rss/1.0/\"", "http://my.netscape.com/rdf/simple/0.9/\"")
        .replace(" rdf:about=\"http://f.example/1\"", "");
    let prefixed = r#"<r:rss xmlns:r="http://nobody.example/rss"><r:channel><r:title>P</r:title><r:item><r:guid isPermaLink="false">1</r:guid><r:title>T</r:title></r:item></r:channel></r:rss>"#;
    let namespaced = r#"<rss version="2.0" xmlns="http://nobody.example/"><channel><title>N</title><item><guid>1</guid><pubDate>Fri, 01 May 2026 09:30 BST</pubDate></item></channel></rss>"#;
    let mixed = r#"<feed xmlns="http://www.w3.org/2005/Atom"><title>M</title><item><guid>1</guid><description>D</description></item></feed>"#;
    let rootless = r#"<title>R</title><item><guid>1</guid><title>T</title></item><item><guid>2</guid></item>"#;
    insta::assert_snapshot!(
        [atom_03, rss_10, &rss_09, prefixed, namespaced, mixed, rootless].map(drawn).join("\n---\n")
    );
}

#[test]
fn nothing_of_an_item_is_out_of_reach() {
    let rss = r#"<rss version="2.0" xmlns:media="http://search.yahoo.com/mrss/" xmlns:itunes="http://www.itunes.com/dtds/podcast-1.0.dtd" xmlns:podcast="https://podcastindex.org/namespace/1.0"
          xmlns:dc="http://purl.org/dc/elements/1.1/" xmlns:georss="http://www.georss.org/georss" xmlns:slash="http://purl.org/rss/1.0/modules/slash/" xmlns:atom="http://www.w3.org/2005/Atom" xmlns:garden="http://garden.example/ns">
        <channel><title>All</title><language>en</language><link>http://f.example/</link>
        <item xml:lang="fr"><guid isPermaLink="false">1</guid><title>T</title><itunes:title>Other</itunes:title><link>/1</link><comments>/1#c</comments><slash:comments>12</slash:comments>
          <author>nia@f.example (Nia Rowe)</author><dc:creator>Nia Rowe</dc:creator><dc:contributor>Tom</dc:contributor><podcast:person role="Guest" href="http://g.example">Ann</podcast:person>
          <description>Fish &amp; moss</description><category domain="http://f.example/t">Ferns</category><media:keywords>fern, moss</media:keywords>
          <dc:rights>© Fernhollow</dc:rights><dc:publisher>Ostrel</dc:publisher><source url="http://o.example/rss">Other</source>
          <enclosure url="a.mp3" type="audio/mpeg" length="99"/><itunes:duration>1:02:03</itunes:duration><itunes:episode>4</itunes:episode><itunes:season>2</itunes:season><itunes:explicit>no</itunes:explicit>
          <itunes:image href="/i.jpg"/><podcast:transcript url="/t.vtt" type="text/vtt"/><georss:point>51.8 -3.2</georss:point><georss:featurename>Tarn</georss:featurename>
          <media:credit role="photographer">Tom</media:credit>
          <media:group><media:content url="/v.mp4" type="video/mp4" fileSize="1000" duration="30" width="640" height="360" isDefault="true"><media:title>V</media:title><media:copyright>O</media:copyright></media:content>
            <media:content url="/s.mp4" type="video/mp4"/><media:thumbnail url="/th.jpg" width="75"/></media:group>
          <garden:bed number="7"><garden:soil>Peat</garden:soil></garden:bed><garden:tag>a</garden:tag><garden:tag>b</garden:tag><lead>First words</lead></item></channel></rss>"#;
    let atom = r#"<feed xmlns="http://www.w3.org/2005/Atom" xmlns:app="http://www.w3.org/2007/app" xmlns:thr="http://purl.org/syndication/thread/1.0" xml:base="http://b.example/x/"><title>A</title><author><name>Feed author</name></author>
        <entry xml:lang="cy"><id>1</id><title type="xhtml"><div xmlns="http://www.w3.org/1999/xhtml">A <em>fern</em></div></title><link href="1"/><link rel="related" href="r" hreflang="fr" type="text/html" title="R"/><link rel="replies" href="c"/>
          <content type="html" xml:base="y/">&lt;img src="p.jpg"> &lt;a href="/q">q&lt;/a></content><summary>1 &lt; 2</summary><category term="fern" label="Ferns" scheme="http://s.example"/>
          <app:control><app:draft>yes</app:draft></app:control><thr:total>3</thr:total><source><id>s</id><title>Source</title><link href="http://o.example"/></source><rights>R</rights><contributor><name>Tom</name></contributor></entry>
        <entry><id>2</id><title>T</title><content type="image/png" src="p.png"/></entry>
        <entry><id>3</id><title>T</title><content type="application/xml"><entry xmlns="http://o.example"><x/></entry></content></entry></feed>"#;
    let json = r#"{"version":"https://jsonfeed.org/version/1.1","title":"J","language":"en","authors":[{"name":"Feed author"}],"items":[
        {"id": 9, "url": "/9", "external_url": "http://o.example/", "title": "T", "content_text": "1 < 2 & 3", "summary": "S", "image": "i.jpg", "banner_image": "b.jpg", "date_published": "2026-05-01T09:30:00+01:00", "date_modified": "2026-05-02T09:30:00Z",
         "authors": [{"name": "Nia", "url": "http://n.example"}, {"url": "mailto:tom@f.example"}], "tags": ["fern", 5], "language": "fr", "attachments": [{"url": "a.mp3", "mime_type": "audio/mpeg", "title": "A", "size_in_bytes": 99, "duration_in_seconds": 61.5}], "_garden": {"bed": 7}}]}"#;
    insta::assert_snapshot!([rss, atom, json].map(drawn).join("\n---\n"));
}

#[test]
fn what_is_not_a_feed_is_never_an_empty_one() {
    let cut = &RSS[..RSS.len() / 2];
    let cut_between = &RSS[..RSS.find("</item>").unwrap() + 7];
    let texts = [
        "",
        "  \n",
        "<!DOCTYPE html><html><body>Sign in</body></html>",
        "<html><body><item>Sign in</item></body></html>",
        cut,
        cut_between,
        "{\"items\": []}",
        "{\"error\": \"sign in\"}",
        "{\"a\"",
        "[]",
        "plain words",
        "<x/>",
        "<rdf:RDF xmlns:rdf=\"http://www.w3.org/1999/02/22-rdf-syntax-ns#\"><Person/></rdf:RDF>",
        "<rss version=\"2.0\"><channel><title>Empty, and a feed</title></channel></rss>",
    ];
    insta::assert_snapshot!(texts.map(drawn).join("\n"));
}

/// What grows faster than its length would not come to an end here.
#[test]
fn a_megabyte_of_anything_is_read_in_its_time() {
    let within = |inner: &str| format!("<rss><channel><item><guid>1</guid>{inner}</item></channel></rss>");
    let long = |piece: &str| piece.repeat(1_000_000 / piece.len());
    let pieces = [
        "<!--&",
        "<![CDATA[",
        "<a",
        "<a b=\"",
        "&",
        "&amp",
        "<description>",
        "</item",
        "<x>",
        "<x y='",
        "<item>",
        "<b/>",
        "a,",
        "<?",
        "]]>",
        "<!DOCTYPE [",
        "<description>&lt;a",
        "<category>x</category>",
        "<![CDATA[</item>",
        "<link href='a' ",
        "<a xmlns:b='c'>",
    ];
    for piece in pieces {
        for text in [long(piece), within(&long(piece)), within(&format!("<description>{}</description>", long(piece)))]
        {
            let began = std::time::Instant::now();
            drawn(&text);
            assert!(began.elapsed().as_secs() < 30, "{piece}: {:?}", began.elapsed());
        }
    }
    for piece in ["{\"id\": \"1\", ", "{\"a\":", "[", "{\"id\":\"1\"},", "{", "\"", "{\"id\": 1}{"] {
        let began = std::time::Instant::now();
        drawn(&format!("{{\"version\": \"https://jsonfeed.org/version/1\", \"items\": [{}", long(piece)));
        assert!(began.elapsed().as_secs() < 30, "{piece}: {:?}", began.elapsed());
    }
}
