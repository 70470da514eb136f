//! Feeds of an output: Atom (RFC 4287), RSS 2.0, JSON Feed 1.1, news items (ninjs 2.0); archives by RFC 5005.

use diaporos_core::text::moment::instant;
use diaporos_core::text::{clean, plain};
use diaporos_core::value::{Address, LanguageTag, Value};
use jiff::Timestamp;
use jiff::fmt::rfc2822;
use serde_json::{Value as Json, json};
use sha2::{Digest, Sha256};

use super::documents::Shown;
use super::pages::titled;
use super::places::{PagePlace, Site, absolute, filled, rooted};
use super::xml::xml;
use super::{OutputProblem, Wanted};
use crate::config::{FeedConfig, FeedForm, OutputConfig};

const ATOM: &str = include_str!("templates/atom.xml");
const RSS: &str = include_str!("templates/rss.xml");

/// An item of a feed.
struct Item {
    id: String,
    title: String,
    url: String,
    summary: Option<String>,
    content: Option<String>,
    published: Timestamp,
    updated: Timestamp,
    picture: Option<Picture>,
}

struct Picture {
    url: String,
    media: &'static str,
    asset: String,
}

/// Makes every feed in every language.
pub(super) fn make(site: &Site<'_>, wanted: &mut Wanted) {
    for (name, feed) in &site.output.feeds {
        for language in site.languages.iter().copied() {
            if let Err(message) = one(site, (name, feed), language, wanted) {
                wanted.problems.push(OutputProblem { of: None, message: format!("feed {name}: {message}") });
            }
        }
    }
}

fn one(
    site: &Site<'_>,
    (name, feed): (&str, &FeedConfig),
    language: &LanguageTag,
    wanted: &mut Wanted,
) -> Result<(), String> {
    let output = site.output;
    let of_feed = site.shown.iter().filter(|(shown, _)| shown.kind == feed.of && shown.language == *language);
    let mut items: Vec<Item> =
        of_feed.filter_map(|(shown, place)| Some(item(output, feed, shown, place.as_ref().ok()?))).collect();
    if items.is_empty() {
        return Ok(());
    }
    // The oldest first, so that archives stay as they are.
    items.sort_by(|a, b| a.published.cmp(&b.published).then_with(|| a.id.cmp(&b.id)));
    let at = filled(&feed.at, language, None)?;
    let title = titled(&feed.title, language).or_else(|| titled(&output.title, language));
    let title = title.unwrap_or_else(|| name.to_owned());
    let feed = Feed { output, feed, language, title: &title, at: &at };
    let most = feed.feed.most.max(1);
    let keeps = feed.feed.archives && matches!(feed.feed.form, FeedForm::Atom | FeedForm::Rss);
    let full = if keeps { items.len().saturating_sub(1) / most } else { 0 };
    for number in 0..full {
        let part: Vec<&Item> = items[number * most..(number + 1) * most].iter().rev().collect();
        let before = number.checked_sub(1).map(|before| ("prev-archive", feed.archive(before)));
        let after = (number + 1 < full).then(|| ("next-archive", feed.archive(number + 1)));
        let links: Vec<_> = before.into_iter().chain(after).chain([("current", feed.at.to_owned())]).collect();
        wanted.add(feed.archive(number), feed.written(&part, &links, Some(number), wanted_bytes(wanted))?, None);
    }
    let newest: Vec<&Item> = items.iter().rev().take(most).collect();
    let links: Vec<_> = full.checked_sub(1).map(|last| ("prev-archive", feed.archive(last))).into_iter().collect();
    let bytes = feed.written(&newest, &links, None, wanted_bytes(wanted))?;
    wanted.add(at.clone(), bytes, None);
    Ok(())
}

/// How large the file of a picture is, where it is among what is written; feeds say 0 of what they do not know.
fn wanted_bytes(wanted: &Wanted) -> impl Fn(&str) -> usize {
    let known: std::collections::BTreeMap<String, usize> = wanted
        .files
        .iter()
        .filter(|(path, _)| path.starts_with("assets/"))
        .map(|(path, bytes)| (path.clone(), bytes.len()))
        .collect();
    move |path| known.get(path).copied().unwrap_or_default()
}

struct Feed<'a> {
    output: &'a OutputConfig,
    feed: &'a FeedConfig,
    language: &'a LanguageTag,
    title: &'a str,
    at: &'a str,
}

impl Feed<'_> {
    /// Where an archive is: the feed's path with its number.
    fn archive(&self, number: usize) -> String {
        let number = number + 1;
        match self.at.rsplit_once('.') {
            Some((stem, ending)) => format!("{stem}-{number}.{ending}"),
            None => format!("{}-{number}", self.at),
        }
    }

    fn whole(&self, at: &str) -> String {
        absolute(&self.output.url, &rooted(&self.output.url, at))
    }

    fn written(
        &self,
        items: &[&Item],
        links: &[(&str, String)],
        archive: Option<usize>,
        bytes_of: impl Fn(&str) -> usize,
    ) -> Result<Vec<u8>, String> {
        let own = archive.map_or_else(|| self.at.to_owned(), |number| self.archive(number));
        let updated = items.iter().map(|item| item.updated).max().unwrap_or(Timestamp::UNIX_EPOCH);
        match self.feed.form {
            FeedForm::Json => self.json(items, &bytes_of),
            FeedForm::Ninjs => self.ninjs(items),
            FeedForm::Atom | FeedForm::Rss => {
                let links: Vec<Json> =
                    links.iter().map(|(rel, at)| json!({ "rel": rel, "href": self.whole(at) })).collect();
                let shown: Vec<Json> = items.iter().map(|item| shown(item, &bytes_of)).collect();
                let values = json!({
                    "language": self.language.as_str(), "title": self.title, "id": urn(&self.whole(&own)),
                    "updated": updated.to_string(), "updated_rfc2822": rfc2822_of(updated),
                    "author": titled(&self.output.title, self.language).unwrap_or_else(|| self.title.to_owned()),
                    "own": self.whole(&own), "home": self.output.url.as_str(), "archive": archive.is_some(), "links": links,
                    "items": shown,
                });
                xml(if self.feed.form == FeedForm::Atom { ATOM } else { RSS }, &values)
            }
        }
    }

    fn json(&self, items: &[&Item], bytes_of: &impl Fn(&str) -> usize) -> Result<Vec<u8>, String> {
        let item = |item: &&Item| {
            let mut json = json!({
                "id": item.id, "url": item.url, "title": item.title, "date_published": item.published.to_string(),
                "date_modified": item.updated.to_string(),
            });
            // An item must have one of the two.
            match (&item.content, &item.summary) {
                (Some(content), _) => json["content_html"] = json!(content),
                (None, Some(summary)) => json["content_text"] = json!(summary),
                (None, None) => json["content_text"] = json!(item.title),
            }
            if let Some(summary) = &item.summary {
                json["summary"] = json!(summary);
            }
            if let Some(Picture { url, media, asset }) = &item.picture {
                json["image"] = json!(url);
                json["attachments"] = json!([{ "url": url, "mime_type": media, "size_in_bytes": bytes_of(asset) }]);
            }
            json
        };
        let feed = json!({
            "version": "https://jsonfeed.org/version/1.1", "title": self.title, "home_page_url": self.output.url.as_str(),
            "feed_url": self.whole(self.at), "language": self.language.as_str(),
            "items": items.iter().map(item).collect::<Vec<_>>(),
        });
        serde_json::to_vec_pretty(&feed).map_err(|error| error.to_string())
    }

    fn ninjs(&self, items: &[&Item]) -> Result<Vec<u8>, String> {
        let item = |item: &&Item| {
            let mut bodies = Vec::new();
            if let Some(content) = &item.content {
                bodies.push(json!({ "contenttype": "text/html", "value": content }));
            }
            let mut json = json!({
                "uri": item.id, "type": "text", "pubstatus": "usable", "language": self.language.as_str(),
                "versioncreated": item.updated.to_string(), "firstcreated": item.published.to_string(),
                "headlines": [{ "value": item.title }], "bodies": bodies,
            });
            if let Some(summary) = &item.summary {
                json["descriptions"] = json!([{ "contenttype": "text/plain", "value": summary }]);
            }
            json
        };
        let all = json!({ "items": items.iter().map(item).collect::<Vec<_>>() });
        serde_json::to_vec_pretty(&all).map_err(|error| error.to_string())
    }
}

fn shown(item: &Item, bytes_of: &impl Fn(&str) -> usize) -> Json {
    let picture = item
        .picture
        .as_ref()
        .map(|Picture { url, media, asset }| json!({ "url": url, "media": media, "bytes": bytes_of(asset) }));
    json!({
        "id": item.id, "title": item.title, "url": item.url, "summary": item.summary, "content": item.content,
        "published": item.published.to_string(), "published_rfc2822": rfc2822_of(item.published),
        "updated": item.updated.to_string(), "picture": picture,
    })
}

fn rfc2822_of(at: Timestamp) -> String {
    let printed = rfc2822::DateTimePrinter::new().timestamp_to_rfc9110_string(&at);
    printed.unwrap_or_else(|_| at.to_string())
}

fn item(output: &OutputConfig, feed: &FeedConfig, shown: &Shown, place: &PagePlace) -> Item {
    let fields = &feed.fields;
    let text = |name: &Option<String>| {
        let value = name.as_ref().and_then(|name| shown.fields.get(name))?;
        value.scalar_text().map(std::borrow::Cow::into_owned).filter(|text| !text.trim().is_empty())
    };
    let is_html = |name: &Option<String>| name.as_ref().is_some_and(|name| shown.html.contains(name));
    let in_words = |name: &Option<String>| {
        let text = text(name)?;
        if is_html(name) { plain(&text).ok() } else { Some(text) }
    };
    let published = text(&fields.published).and_then(|text| instant(&text)).unwrap_or(shown.delivered);
    let picture = fields.picture.as_ref().and_then(|name| shown.fields.get(name)).and_then(Value::as_text);
    let picture = picture.filter(|asset| asset.starts_with("assets/")).map(|asset| Picture {
        url: absolute(&output.url, &rooted(&output.url, asset)),
        media: media(asset),
        asset: asset.to_owned(),
    });
    Item {
        id: id(&shown.address, &shown.language),
        title: in_words(&Some(fields.title.clone())).unwrap_or_else(|| shown.address.to_string()),
        url: absolute(&output.url, &place.url),
        summary: in_words(&fields.summary),
        content: text(&fields.content).map(|html| clean(&html).unwrap_or_default()).filter(|html| !html.is_empty()),
        published,
        updated: shown.delivered.max(published),
        picture,
    }
}

fn media(asset: &str) -> &'static str {
    match asset.rsplit('.').next().unwrap_or_default() {
        "jpg" | "jpeg" => "image/jpeg",
        "png" => "image/png",
        "webp" => "image/webp",
        "gif" => "image/gif",
        _ => "application/octet-stream",
    }
}

/// What an item is known by, wherever its page moves: a UUID (RFC 9562, version 8) of its entry and language.
fn id(address: &Address, language: &LanguageTag) -> String {
    urn(&format!("{address} {language}"))
}

fn urn(of: &str) -> String {
    let hash = Sha256::digest(of.as_bytes());
    let mut bytes = [0_u8; 16];
    bytes.copy_from_slice(&hash[..16]);
    bytes[6] = (bytes[6] & 0x0f) | 0x80;
    bytes[8] = (bytes[8] & 0x3f) | 0x80;
    let hex: String = bytes.iter().map(|byte| format!("{byte:02x}")).collect();
    format!("urn:uuid:{}-{}-{}-{}-{}", &hex[..8], &hex[8..12], &hex[12..16], &hex[16..20], &hex[20..])
}
