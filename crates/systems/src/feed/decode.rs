//! From a feed's bytes to entries.

use diaporos_core::change::{fingerprint, fingerprint_texts};
use diaporos_core::intake::Incoming;
use diaporos_core::text::plain;
use diaporos_core::value::{EntryId, Record, Revision, State, Value};
use feed_rs::model::{Entry, Feed, FeedType, Text};
use jiff::Timestamp;
use url::Url;

use super::dates::{self, When};
use super::document::{Document, Received};
use super::{FeedSource, ItemChoice, Medium, encoding};
use crate::{ErrorKind, Problem};

/// Raised when items come to be read otherwise, so that unchanged feeds are read anew.
pub(super) const SCHEME: &str = "feed 3";

/// What a feed holds.
pub(crate) struct Decoded {
    pub(super) entries: Vec<Incoming>,
    pub(super) problems: Vec<Problem>,
    /// The next page of a paged feed, or the archive before this one (RFC 5005).
    pub(super) further: Option<Url>,
}

/// Reads a feed. Items' ids are told apart by the feed's name.
pub(crate) fn decode(
    source: &FeedSource,
    base: Option<&Url>,
    now: Timestamp,
    (body, charset): (&[u8], Option<&str>),
) -> Result<Decoded, ErrorKind> {
    let (text, encoding_note) = encoding::text(body, charset);
    let Document { feed, items, problems } = Document::read(&text).map_err(|error| not_a_feed(&text, &error))?;
    let mut decoded = Decoded { entries: Vec::new(), problems, further: further(&feed, base) };
    for ((place, item), received) in feed.entries.iter().enumerate().zip(items) {
        if !is_wanted(&source.wanted, item, now) {
            continue;
        }
        let mut fields = fields(source, &feed, item);
        let Received { raw, mut notes } = received;
        notes.extend(encoding_note.clone());
        if let Some(raw) = &raw {
            mend_dates(raw, item, &mut fields, &mut notes);
        }
        let id = format!("{}/{}", source.name, stable_id(item, &fields));
        match EntryId::new(id) {
            Err(error) => decoded
                .problems
                .push(Problem::unnamed(format!("item {}", place + 1), format!("its id cannot be used: {error}"))),
            Ok(id) => {
                let value = Value::Record(fields);
                let fingerprint = fingerprint(&value);
                let Value::Record(fields) = value else { continue };
                let revision = item.updated.and_then(|moment| Revision::new(moment.to_rfc3339()).ok());
                let state = State::Live;
                decoded.entries.push(Incoming { id, part: None, state, revision, fields, fingerprint, raw, notes });
            }
        }
    }
    Ok(decoded)
}

/// Reads the dates that the standards' reader could not, and says of every one that is not written
/// as they have it what became of it.
fn mend_dates(raw: &str, item: &Entry, fields: &mut Record, notes: &mut Vec<String>) {
    for (when, text) in dates::written(raw) {
        let (name, read) = match when {
            When::Published => ("published", item.published),
            When::Updated => ("updated", item.updated),
        };
        if dates::is_standard(text) {
            continue;
        }
        let salvaged = match read {
            Some(moment) => Some(moment.to_rfc3339()),
            None => dates::salvage(text).map(|moment| moment.to_string()),
        };
        match salvaged {
            Some(moment) => {
                notes.push(format!("its date `{text}` is not written as the standards say, and was read as {moment}"));
                fields.entry(name.to_owned()).or_insert(Value::Text(moment));
            }
            None => notes.push(format!("its date `{text}` cannot be read, and was left out")),
        }
    }
}

/// Where a feed goes on: on the same host only, for the link is the feed's and not ours.
fn further(feed: &Feed, base: Option<&Url>) -> Option<Url> {
    let base = base?;
    let link = |rel: &str| feed.links.iter().find(|link| link.rel.as_deref() == Some(rel));
    let target = base.join(&link("next").or_else(|| link("prev-archive"))?.href).ok()?;
    (target.origin() == base.origin() && target != *base).then_some(target)
}

fn is_wanted(wanted: &ItemChoice, item: &Entry, now: Timestamp) -> bool {
    let young = wanted.newest.is_none_or(|newest| {
        let Some(moment) = item.updated.or(item.published) else { return true };
        let age = now.as_second().saturating_sub(moment.timestamp());
        age <= i64::try_from(newest.as_secs()).unwrap_or(i64::MAX)
    });
    young && (wanted.media.is_empty() || wanted.media.contains(&medium(item)))
}

/// What an item is first of all: what is attached to it, or a text.
fn medium(item: &Entry) -> Medium {
    let linked = item.links.iter().filter(|link| link.rel.as_deref() == Some("enclosure"));
    let linked = linked.filter_map(|link| link.media_type.clone());
    let media = item.media.iter().flat_map(|media| &media.content);
    let media = media.filter_map(|content| content.content_type.as_ref().map(ToString::to_string));
    let attached = linked.chain(media).find_map(|media_type| match media_type.split('/').next() {
        Some("audio") => Some(Medium::Audio),
        Some("video") => Some(Medium::Video),
        Some("image") => Some(Medium::Picture),
        _ => None,
    });
    attached.unwrap_or(Medium::Text)
}

fn not_a_feed(text: &str, error: &str) -> ErrorKind {
    let start = text.trim_start().chars().take(32).collect::<String>().to_lowercase();
    ErrorKind::Content(if text.trim().is_empty() {
        "expected a feed, and the body is empty".to_owned()
    } else if start.starts_with("<!doctype html") || start.starts_with("<html") {
        "expected a feed, and it is a page of HTML".to_owned()
    } else {
        format!("expected a feed (RSS, Atom or JSON Feed): {error}")
    })
}

/// The item's own id; else its link; else the hash of what it says.
fn stable_id(item: &Entry, fields: &Record) -> String {
    let own = item.id.trim();
    if !own.is_empty() {
        return own.to_owned();
    }
    match fields.get("link") {
        Some(Value::Text(link)) => link.clone(),
        _ => {
            let said =
                ["title", "published", "summary", "content"].map(|name| fields.get(name).and_then(Value::as_text));
            fingerprint_texts(said.map(Option::unwrap_or_default)).to_string()
        }
    }
}

fn fields(source: &FeedSource, feed: &Feed, item: &Entry) -> Record {
    let mut fields = Record::default();
    let mut set = |name: &str, value: Value| {
        if !value.is_blank() {
            fields.insert(name.to_owned(), value);
        }
    };
    set("title", title(feed, item.title.as_ref()));
    let link = item.links.iter().find(|link| link.rel.as_deref().is_none_or(|rel| rel == "alternate"));
    set("link", link.map_or(Value::Null, |link| link.href.trim().into()));
    set("summary", item.summary.as_ref().map_or(Value::Null, |text| text.content.trim().into()));
    set(
        "content",
        item.content
            .as_ref()
            .and_then(|content| content.body.as_deref())
            .map_or(Value::Null, |body| body.trim().into()),
    );
    set("authors", texts(item.authors.iter().filter_map(|person| person.name.as_deref())));
    set(
        "categories",
        texts(item.categories.iter().map(|category| category.label.as_deref().unwrap_or(&category.term))),
    );
    let published = item.published.map_or(Value::Null, |moment| moment.to_rfc3339().into());
    set("published", published);
    set("updated", item.updated.map_or(Value::Null, |moment| moment.to_rfc3339().into()));
    set("language", item.language.as_deref().or(feed.language.as_deref()).map_or(Value::Null, Value::from));
    set("enclosures", enclosures(item));
    set("medium", medium(item).word().into());
    set("feed", source.name.as_str().into());
    let label = source.wanted.label.as_deref().map(Value::from);
    set("feed_title", label.unwrap_or_else(|| title(feed, feed.title.as_ref())));
    fields
}

/// A title is plain text; RSS does not say whether markup in it is meant, so it is read as HTML.
fn title(feed: &Feed, text: Option<&Text>) -> Value {
    let Some(text) = text else { return Value::Null };
    let is_rss = matches!(feed.feed_type, FeedType::RSS0 | FeedType::RSS1 | FeedType::RSS2);
    let is_html = is_rss || text.content_type.subty().as_str().contains("html");
    // What cannot be afforded as HTML is a text like any other, and is escaped where it goes as HTML.
    match plain(&text.content).ok().filter(|_| is_html) {
        Some(read) => read.replace('\n', " ").into(),
        None => text.content.trim().into(),
    }
}

fn texts<'a>(texts: impl Iterator<Item = &'a str>) -> Value {
    Value::List(texts.map(str::trim).filter(|text| !text.is_empty()).map(Value::from).collect())
}

fn enclosures(item: &Entry) -> Value {
    let linked = item.links.iter().filter(|link| link.rel.as_deref() == Some("enclosure"));
    let linked = linked.map(|link| (link.href.clone(), link.media_type.clone(), link.length));
    let media = item.media.iter().flat_map(|media| &media.content).filter_map(|content| {
        let media_type = content.content_type.as_ref().map(ToString::to_string);
        content.url.as_ref().map(|url| (url.to_string(), media_type, content.size))
    });
    let record = |(url, media_type, length): (String, Option<String>, Option<u64>)| {
        let mut fields = Record::from_iter([("url".to_owned(), Value::Text(url))]);
        fields.extend(media_type.map(|text| ("type".to_owned(), Value::Text(text))));
        fields.extend(
            length
                .and_then(|bytes| i64::try_from(bytes).ok())
                .map(|bytes| ("length".to_owned(), Value::Integer(bytes))),
        );
        Value::Record(fields)
    };
    Value::List(linked.chain(media).map(record).collect())
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::DocumentPlace;
    use diaporos_core::value::to_json;

    fn drawn(body: &str) -> String {
        drawn_of(&source(ItemChoice::default()), body)
    }

    fn source(wanted: ItemChoice) -> FeedSource {
        FeedSource { name: "fernhollow".to_owned(), place: DocumentPlace::File("x".into()), wanted }
    }

    fn drawn_of(source: &FeedSource, body: &str) -> String {
        let base: Url = "http://f.example/feed".parse().unwrap();
        match decode(source, Some(&base), "2026-05-02T08:00:00Z".parse().unwrap(), (body.as_bytes(), None)) {
            Err(error) => error.to_string(),
            Ok(Decoded { entries, problems, .. }) => {
                let entry = |entry: &Incoming| {
                    let notes: String = entry.notes.iter().map(|note| format!("\n  note: {note}")).collect();
                    format!("{}: {}{notes}", entry.id, to_json(&Value::Record(entry.fields.clone())))
                };
                let problem = |problem: &Problem| format!("{}: {}", problem.item, problem.message);
                entries.iter().map(entry).chain(problems.iter().map(problem)).collect::<Vec<_>>().join("\n")
            }
        }
    }

    const RSS: &str = r#"<?xml version="1.0"?><rss version="2.0"><channel><title>Fernhollow &amp;amp; friends</title><language>en</language>
        <item><guid>17</guid><title>Ferns &amp;amp; mosses</title><link>http://f.example/17</link><description>&lt;p&gt;Now&lt;/p&gt;</description>
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
        let ids = |wanted: ItemChoice| {
            let drawn = drawn_of(&source(wanted), feed);
            drawn.lines().map(|line| line.split(':').next().unwrap().replace("fernhollow/", "")).collect::<Vec<_>>()
        };
        let month = Some(std::time::Duration::from_secs(30 * 86_400));
        assert_eq!(ids(ItemChoice::default()), ["old", "heard", "read"]);
        assert_eq!(ids(ItemChoice { newest: month, ..ItemChoice::default() }), ["heard", "read"]);
        assert_eq!(ids(ItemChoice { media: vec![Medium::Audio], ..ItemChoice::default() }), ["heard"]);
        let labelled = drawn_of(&source(ItemChoice { label: Some("Our tarn".into()), ..ItemChoice::default() }), feed);
        assert!(labelled.contains(r#""feed_title":"Our tarn""#), "{labelled}");
    }

    #[test]
    fn a_paged_feed_goes_on_on_its_own_host() {
        let feed = |rel: &str, href: &str| {
            format!(
                r#"<feed xmlns="http://www.w3.org/2005/Atom"><id>f</id><title>T</title><updated>2026-05-01T00:00:00Z</updated><link rel="{rel}" href="{href}"/></feed>"#
            )
        };
        let base: Url = "http://f.example/feed".parse().unwrap();
        let further = |rel: &str, href: &str| {
            let now = "2026-05-02T08:00:00Z".parse().unwrap();
            let decoded =
                decode(&source(ItemChoice::default()), Some(&base), now, (feed(rel, href).as_bytes(), None)).unwrap();
            decoded.further.map(|url| url.to_string())
        };
        assert_eq!(further("next", "/feed?page=2").as_deref(), Some("http://f.example/feed?page=2"));
        assert_eq!(further("prev-archive", "2026-04").as_deref(), Some("http://f.example/2026-04"));
        assert_eq!(further("next", "http://other.example/feed"), None);
        assert_eq!(further("next", "file:///etc/passwd"), None);
        assert_eq!(further("next", "/feed"), None, "a page that names itself");
        assert_eq!(further("self", "/feed?page=2"), None);
    }

    #[test]
    fn an_item_without_an_id_keeps_the_one_we_gave_it() {
        assert_eq!(drawn(RSS), drawn(RSS));
        assert!(drawn(RSS).contains("fernhollow/http://f.example/18"));
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
        ];
        let fine = "<item><guid>fine</guid><title>Fine</title></item>";
        let texts = [
            rss(&items.concat()),
            rss(&format!("{fine}<item><guid>broken</guid><link></item>{fine}")).replace("<guid>fine</guid><title>Fine</title></item></channel>", "<guid>after</guid></item></channel>"),
            rss(&format!("{fine}<item><guid>no end</guid><title>T</title>{}", fine.replace("fine", "next"))),
            format!("<rss version=\"0.94\"><channel><title>F</title>{fine}</channel></rss>"),
            format!("<rss><channel><title>F</title>{fine}</channel></rss>"),
            format!("Warning: a notice of the server\n<?xml version=\"1.0\"?>{}", rss(fine)),
            format!("<!DOCTYPE rss [<!ENTITY x SYSTEM \"file:///etc/passwd\">]>{}", rss("<item><guid>entity</guid><title>&x;</title></item>")),
            r#"{"version": "2", "title": "J", "items": [{"id": 7, "content_text": "x", "date_published": "2026-05-01"}, {"content_text": 3}]}"#.to_owned(),
        ];
        insta::assert_snapshot!(texts.map(|text| drawn(&text)).join("\n---\n"));
    }

    #[test]
    fn what_is_not_a_feed_is_never_an_empty_one() {
        let cut = &RSS[..RSS.len() / 2];
        let cut_between = &RSS[..RSS.find("</item>").unwrap() + 7];
        let texts = [
            "",
            "  \n",
            "<!DOCTYPE html><html><body>Sign in</body></html>",
            cut,
            cut_between,
            "{\"items\": []}",
            "{\"a\"",
            "plain words",
            "<x/>",
        ];
        insta::assert_snapshot!(texts.map(drawn).join("\n"));
    }
}
