//! Mending a feed's XML item by item: what an XML reader would stumble over is put right, and said.

use std::borrow::Cow;
use std::sync::LazyLock;

use quick_xml::escape::resolve_html5_entity;
use regex::{Captures, Regex};

/// An item as it stands in its document, and as it is read.
pub(super) struct Item {
    pub(super) raw: String,
    pub(super) mended: String,
    pub(super) notes: Vec<String>,
}

/// A feed's document in pieces: what stands before each item, the items, and what stands after.
pub(super) struct Pieces {
    pub(super) head: String,
    pub(super) items: Vec<Item>,
    pub(super) tail: String,
    /// Whether the document ends before its end.
    pub(super) breaks_off: bool,
}

#[expect(clippy::expect_used, reason = "the pattern is a constant that every test of feeds compiles")]
fn pattern(text: &str) -> Regex {
    Regex::new(text).expect("a pattern")
}

static DECLARATION: LazyLock<Regex> = LazyLock::new(|| pattern(r"^\s*<\?xml[^>]*\?>"));
static DOCTYPE: LazyLock<Regex> = LazyLock::new(|| pattern(r"(?s)<!DOCTYPE[^\[>]*(\[.*?\]\s*)?>"));
/// A tag that begins or ends an item, or something in which tags mean nothing.
static MARK: LazyLock<Regex> = LazyLock::new(|| {
    pattern(r"(?s)<!\[CDATA\[.*?\]\]>|<!--.*?-->|</?(?:[A-Za-z_][\w.-]*:)?(?:item|entry)(?:\s[^>]*)?>")
});
static REFERENCE: LazyLock<Regex> = LazyLock::new(|| {
    pattern(r"(?s)<!\[CDATA\[.*?\]\]>|<!--.*?-->|&(?:#(\d+);|#[xX]([0-9A-Fa-f]+);|([A-Za-z][A-Za-z0-9]*);)?")
});
static WORDY: LazyLock<Regex> = LazyLock::new(|| {
    let one = |name: &str| format!(r"(<{name}(?:\s[^>]*)?>)(.*?)(</{name}\s*>)");
    pattern(&format!(
        "(?s)(?:{})",
        ["title", "description", "content:encoded", "summary", "content"].map(one).join("|")
    ))
});
static OLD_VERSION: LazyLock<Regex> = LazyLock::new(|| pattern(r#"<rss\b([^>]*)>"#));
static VERSION: LazyLock<Regex> = LazyLock::new(|| pattern(r#"\sversion\s*=\s*("[^"]*"|'[^']*')"#));

impl Pieces {
    /// Takes a document apart. Its prologue is left out: it is text by now, and what a document type
    /// declares is never looked up.
    pub(super) fn of(text: &str) -> Pieces {
        let text = text.trim_start_matches(|c: char| c != '<');
        let text = DECLARATION.replace(text, "");
        let text = DOCTYPE.replace(&text, "");
        let mut items = Vec::new();
        // Where the item that is open begins, and where the last one ended.
        let (mut open, mut first, mut rest) = (None, None, 0);
        let marks =
            MARK.find_iter(&text).filter(|mark| !mark.as_str().starts_with("<!") && !mark.as_str().ends_with("/>"));
        for mark in marks {
            if mark.as_str().starts_with("</") {
                if let Some(start) = open.take() {
                    items.push(Item::of(&text[start..mark.end()]));
                    rest = mark.end();
                }
            } else {
                // Items do not stand in each other: one that has no end ends where the next begins.
                if let Some(start) = open.replace(mark.start()) {
                    items.push(Item::without_end(&text[start..mark.start()]));
                }
                first.get_or_insert(mark.start());
            }
        }
        let Some(first) = first.filter(|_| !items.is_empty()) else {
            return Pieces {
                head: mend_feed(&text),
                items: Vec::new(),
                tail: String::new(),
                breaks_off: open.is_some(),
            };
        };
        let tail = mend(open.map_or(&text[rest..], |_| "")).0.into_owned();
        let breaks_off = first > 0 && !tail.contains("</");
        Pieces { head: mend_feed(&text[..first]), items, tail, breaks_off }
    }

    /// The document put together again.
    pub(super) fn whole(&self) -> String {
        let items: String = self.items.iter().map(|item| item.mended.as_str()).collect();
        format!("{}{items}{}", self.head, self.tail)
    }

    /// A document with one item, for when the whole cannot be read.
    pub(super) fn alone(&self, item: &Item) -> String {
        let mut open: Vec<&str> = Vec::new();
        for tag in TAG.captures_iter(&self.head) {
            let name = tag.get(2).map_or("", |name| name.as_str());
            match (tag.get(1).is_some_and(|slash| !slash.as_str().is_empty()), tag.get(3).is_some()) {
                (true, _) => {
                    if open.last() == Some(&name) {
                        open.pop();
                    }
                }
                (false, true) => {}
                (false, false) if name.is_empty() => {}
                (false, false) => open.push(name),
            }
        }
        let ends: String = open.iter().rev().map(|name| format!("</{name}>")).collect();
        format!("{}{}{ends}", self.head, item.mended)
    }
}

static TAG: LazyLock<Regex> = LazyLock::new(|| {
    pattern(r"(?s)<!\[CDATA\[.*?\]\]>|<!--.*?-->|<\?.*?\?>|<(/?)([A-Za-z_][\w.:-]*)(?:\s[^>]*?)??(/)?>")
});

const CONTROL: &str = "it held control characters, which were left out";

impl Item {
    fn without_end(raw: &str) -> Item {
        let name: String = raw.chars().skip(1).take_while(|c| !c.is_whitespace() && *c != '>').collect();
        let mut item = Item::of(raw);
        item.mended.push_str(&format!("</{name}>"));
        item.notes.push("it had no end, and was read up to the next".to_owned());
        item
    }

    fn of(raw: &str) -> Item {
        let (mended, mut notes) = mend(raw);
        let wrapped = wrap_markup(&mended);
        if matches!(wrapped, Cow::Owned(_)) {
            notes.push("markup stood in its texts unescaped, and was read as part of them".to_owned());
        }
        Item { raw: raw.to_owned(), mended: wrapped.into_owned(), notes }
    }
}

/// What stands around items; a version of RSS that is not known is read as the last.
fn mend_feed(text: &str) -> String {
    let mended = mend(text).0;
    let known = |version: &str| ["2.0", "0.91", "0.92", ""].contains(&version.trim_matches(['"', '\'']));
    let named = OLD_VERSION.replace(&mended, |tag: &Captures<'_>| match VERSION.captures(&tag[1]) {
        Some(version) if known(&version[1]) => tag[0].to_owned(),
        Some(version) => tag[0].replace(&version[0], " version=\"2.0\""),
        None => format!("<rss version=\"2.0\"{}>", &tag[1]),
    });
    named.into_owned()
}

/// Takes out what XML forbids (XML 1.0 §2.2), and makes references of what looks like one.
fn mend(text: &str) -> (Cow<'_, str>, Vec<String>) {
    let mut notes = Vec::new();
    let text = if text.contains(is_forbidden) {
        notes.push(CONTROL.to_owned());
        Cow::Owned(text.chars().filter(|c| !is_forbidden(*c)).collect::<String>())
    } else {
        Cow::Borrowed(text)
    };
    let (mut bare, mut forbidden) = (false, false);
    let mend = |found: &Captures<'_>| {
        if !found[0].starts_with('&') {
            return found[0].to_owned();
        }
        let number = |group: usize, radix| found.get(group).map(|digits| u32::from_str_radix(digits.as_str(), radix));
        match (number(1, 10).or_else(|| number(2, 16)), found.get(3).map(|name| name.as_str())) {
            (Some(number), _) => match number.ok().and_then(char::from_u32).filter(|c| !is_forbidden(*c)) {
                Some(_) => found[0].to_owned(),
                None => {
                    forbidden = true;
                    String::new()
                }
            },
            (None, Some("amp" | "lt" | "gt" | "quot" | "apos")) => found[0].to_owned(),
            (None, Some(name)) => resolve_html5_entity(name).map_or_else(
                || {
                    bare = true;
                    format!("&amp;{name};")
                },
                str::to_owned,
            ),
            (None, None) => {
                bare = true;
                "&amp;".to_owned()
            }
        }
    };
    let mended = match REFERENCE.replace_all(&text, mend) {
        Cow::Owned(mended) => Cow::Owned(mended),
        Cow::Borrowed(_) => text,
    };
    if bare {
        notes.push("`&` stood in it unescaped, and was read as the character".to_owned());
    }
    if forbidden && notes.iter().all(|note| note != CONTROL) {
        notes.push(CONTROL.to_owned());
    }
    (mended, notes)
}

fn is_forbidden(c: char) -> bool {
    matches!(c, '\0'..='\u{8}' | '\u{b}' | '\u{c}' | '\u{e}'..='\u{1f}' | '\u{fffe}' | '\u{ffff}')
}

/// Makes text of the markup that stands in an element for text.
fn wrap_markup(item: &str) -> Cow<'_, str> {
    let mut wrapped = false;
    let result = WORDY.replace_all(item, |found: &Captures<'_>| {
        let mut groups = found.iter().skip(1).flatten().map(|group| group.as_str());
        let (open, inner, close) =
            (groups.next().unwrap_or_default(), groups.next().unwrap_or_default(), groups.next().unwrap_or_default());
        let is_markup = inner.contains('<') && !inner.contains("<![CDATA[") && !open.ends_with("/>");
        let is_meant = open.contains("xhtml") || open.contains("+xml") || open.contains("/xml");
        if !is_markup || is_meant {
            return found[0].to_owned();
        }
        wrapped = true;
        format!("{open}<![CDATA[{inner}]]>{close}")
    });
    if wrapped { result } else { Cow::Borrowed(item) }
}
