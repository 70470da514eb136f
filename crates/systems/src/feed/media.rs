//! What there is to see or hear in an item (Media RSS 1.5.1), with what is said of it.

use std::collections::BTreeSet;

use diaporos_core::value::{Record, Value};

use super::node::Node;
use super::references::Mended;
use super::texts::line;

/// What is said of something to see or hear. What an item or a group says holds of all within that do
/// not say otherwise.
#[derive(Debug, Clone, Default)]
pub(super) struct Said {
    title: Option<String>,
    description: Option<String>,
    credits: Vec<String>,
    copyright: Option<String>,
    player: Option<String>,
    thumbnail: Option<String>,
}

impl Said {
    /// Takes what one element says.
    pub(super) fn take(&mut self, node: &Node<'_>, mended: &mut BTreeSet<Mended>) {
        let keep = |place: &mut Option<String>, text: Option<String>| {
            if place.is_none() {
                *place = text;
            }
        };
        let address = || node.attribute("url").map(|url| node.absolute(url));
        match node.name.to_ascii_lowercase().as_str() {
            "title" => keep(&mut self.title, line(node, mended)),
            "description" | "text" => keep(&mut self.description, line(node, mended)),
            "credit" => self.credits.extend(line(node, mended)),
            "copyright" => keep(&mut self.copyright, line(node, mended)),
            "player" => keep(&mut self.player, address()),
            "thumbnail" => keep(&mut self.thumbnail, address().or_else(|| line(node, mended))),
            _ => {}
        }
    }

    fn or(mut self, around: &Said) -> Said {
        let or = |own: Option<String>, around: &Option<String>| own.or_else(|| around.clone());
        if self.credits.is_empty() {
            self.credits.clone_from(&around.credits);
        }
        Said {
            title: or(self.title, &around.title),
            description: or(self.description, &around.description),
            credits: self.credits,
            copyright: or(self.copyright, &around.copyright),
            player: or(self.player, &around.player),
            thumbnail: or(self.thumbnail, &around.thumbnail),
        }
    }

    fn write(self, record: &mut Record) {
        let mut set = |name: &str, text: Option<String>| {
            record.extend(text.map(|text| (name.to_owned(), Value::Text(text))));
        };
        set("title", self.title);
        set("description", self.description);
        set("copyright", self.copyright);
        set("player", self.player);
        set("thumbnail", self.thumbnail);
        if !self.credits.is_empty() {
            let credits = self.credits.into_iter().map(Value::Text).collect();
            record.insert("credits".to_owned(), Value::List(credits));
        }
    }
}

/// Something to see or hear, before it is known what is said of all of an item's.
#[derive(Debug, Clone, Default)]
pub(super) struct Piece {
    record: Record,
    said: Said,
}

/// Attributes of `media:content`, the fields that they go to, and whether they are numbers.
const ATTRIBUTES: [(&str, &str, bool); 12] = [
    ("url", "url", false),
    ("type", "type", false),
    ("medium", "medium", false),
    ("fileSize", "size", true),
    ("width", "width", true),
    ("height", "height", true),
    ("duration", "duration", true),
    ("bitrate", "bitrate", true),
    ("lang", "language", false),
    ("expression", "expression", false),
    ("isDefault", "default", false),
    ("channels", "channels", true),
];

/// What a `media:content` or a `media:group` holds, several forms of the same thing among them.
pub(super) fn pieces(node: &Node<'_>, mended: &mut BTreeSet<Mended>) -> Vec<Piece> {
    let is_content = node.name.eq_ignore_ascii_case("content");
    let mut said = Said::default();
    let mut within = Vec::new();
    for child in &node.children {
        if ["content", "group"].iter().any(|name| child.name.eq_ignore_ascii_case(name)) {
            within.extend(pieces(child, mended));
        } else {
            said.take(child, mended);
        }
    }
    let mut record = Record::default();
    if is_content {
        for (name, field, is_number) in ATTRIBUTES {
            let Some(text) = node.attribute(name) else { continue };
            let value = match field {
                "url" => Value::Text(node.absolute(text)),
                "default" => Value::Boolean(text.eq_ignore_ascii_case("true")),
                "duration" => seconds(text).map_or(Value::Null, Value::Integer),
                _ if is_number => number(text).map_or(Value::Null, Value::Integer),
                _ => Value::Text(text.to_owned()),
            };
            if !value.is_null() {
                record.insert(field.to_owned(), value);
            }
        }
    }
    for piece in &mut within {
        let own = std::mem::take(&mut piece.said);
        piece.said = own.or(&said);
    }
    if !record.is_empty() || is_content && within.is_empty() && (said.player.is_some() || said.thumbnail.is_some()) {
        within.insert(0, Piece { record, said });
    } else if within.is_empty() && (said.player.is_some() || said.thumbnail.is_some()) {
        within.push(Piece { record, said });
    }
    within
}

impl Piece {
    /// The piece as a record, with what the item says of all of them.
    pub(super) fn record(self, around: &Said) -> Value {
        let mut record = self.record;
        self.said.or(around).write(&mut record);
        Value::Record(record)
    }

    /// Its address, media type and size, as a file that goes with the item.
    pub(super) fn file(&self) -> Option<Value> {
        let url = self.record.get("url")?.clone();
        let mut file = Record::from_iter([("url".to_owned(), url)]);
        file.extend(self.record.get("type").map(|kind| ("type".to_owned(), kind.clone())));
        file.extend(self.record.get("size").map(|size| ("length".to_owned(), size.clone())));
        Some(Value::Record(file))
    }

    /// What it is first of all, as it says or by its media type.
    pub(super) fn medium(&self) -> Option<&str> {
        let text = |name: &str| self.record.get(name).and_then(Value::as_text);
        text("medium").or_else(|| text("type")?.split('/').next())
    }
}

/// A file that goes with an item, as a record.
pub(super) fn file(url: String, kind: Option<&str>, length: Option<i64>) -> Value {
    let mut file = Record::from_iter([("url".to_owned(), Value::Text(url))]);
    file.extend(kind.map(|kind| ("type".to_owned(), Value::from(kind))));
    file.extend(length.map(|length| ("length".to_owned(), Value::Integer(length))));
    Value::Record(file)
}

/// A picture with its size, as a record.
pub(super) fn picture(node: &Node<'_>) -> Option<Value> {
    let url = node.attribute("url").or_else(|| node.attribute("href")).or_else(|| node.words())?;
    let mut picture = Record::from_iter([("url".to_owned(), Value::Text(node.absolute(url)))]);
    for name in ["width", "height"] {
        picture.extend(node.attribute(name).and_then(number).map(|size| (name.to_owned(), Value::Integer(size))));
    }
    Some(Value::Record(picture))
}

/// A whole number, whatever stands after it.
pub(super) fn number(text: &str) -> Option<i64> {
    let digits = text.trim().split(|c: char| !c.is_ascii_digit()).next().unwrap_or_default();
    digits.parse().ok()
}

/// A length of time in seconds: `3723`, `3723.4`, `1:02:03`, `62:03`.
pub(super) fn seconds(text: &str) -> Option<i64> {
    let mut total = 0_i64;
    for part in text.trim().split(':') {
        let whole = part.trim().split('.').next().unwrap_or_default();
        let part: i64 = whole.parse().ok().filter(|part| *part >= 0)?;
        total = total.checked_mul(60)?.checked_add(part)?;
    }
    Some(total)
}

/// A point as `latitude longitude`, in degrees.
pub(super) fn point(text: &str) -> Option<(f64, f64)> {
    let mut parts = text.split(|c: char| c.is_whitespace() || c == ',').filter(|part| !part.is_empty());
    let (latitude, longitude) = (parts.next()?.parse().ok()?, parts.next()?.parse().ok()?);
    let on_earth = f64::abs(latitude) <= 90.0 && f64::abs(longitude) <= 180.0;
    (on_earth && parts.next().is_none()).then_some((latitude, longitude))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn numbers_as_they_are_written() {
        assert_eq!(
            ["3723", "3723.4", "1:02:03", "62:03", "x", "1:-2", ""].map(seconds),
            [Some(3723), Some(3723), Some(3723), Some(3723), None, None, None]
        );
        assert_eq!(["12", " 12 kB", "x"].map(number), [Some(12), Some(12), None]);
        assert_eq!(point("51.8, -3.2"), Some((51.8, -3.2)));
        assert_eq!(["51.8", "91 0", "1 2 3", "a b"].map(point), [None; 4]);
    }
}
