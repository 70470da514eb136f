//! From a message to an entry. MIME is read as leniently as it is written; the bytes themselves are what a message is
//! known by, since its own identifier can be missing, given twice, or forged.

use std::path::Path;

use diaporos_core::change::fingerprint_record;
use diaporos_core::intake::Incoming;
use diaporos_core::model::{EntryType, Field, FieldKind, Model};
use diaporos_core::value::{EntryId, Record, State, TypeName, Value};
use indexmap::IndexMap;
use jiff::Timestamp;
use mail_parser::{Addr, Address, Message, MessageParser, MimeHeaders};
use sha2::{Digest, Sha256};

use crate::blank::blank_content;

/// Raised when messages come to be read otherwise.
pub(super) const SCHEME: &str = "mail 1";
/// The longest message that is kept as it was received.
const KEPT_WHOLE: usize = 256 * 1024;
/// The most attachments of a message.
const MOST_ATTACHMENTS: usize = 200;

/// A message, read.
pub(super) struct Read {
    pub(super) entry: Incoming,
    /// Who it says it is from.
    pub(super) sender: Option<String>,
    attachments: Vec<(String, Vec<u8>)>,
}

impl Read {
    /// Keeps its attachments in a folder, each by what is in it.
    ///
    /// # Errors
    /// Where one cannot be written.
    pub(super) fn keep_attachments(&self, folder: &Path) -> std::io::Result<()> {
        if self.attachments.is_empty() {
            return Ok(());
        }
        std::fs::create_dir_all(folder)?;
        for (hash, bytes) in &self.attachments {
            let file = folder.join(hash);
            if file.exists() {
                continue;
            }
            let mut beside = tempfile::NamedTempFile::new_in(folder)?;
            std::io::Write::write_all(&mut beside, bytes)?;
            beside.as_file().sync_all()?;
            crate::files::publish(beside, &file)?;
        }
        Ok(())
    }
}

/// Reads a message.
///
/// # Errors
/// Says why it is none.
pub(super) fn read(raw: Vec<u8>) -> Result<Read, String> {
    // Known by what was received, before anything is blanked in it.
    let id = hexadecimal(&Sha256::digest(&raw)[..16]);
    let raw = blank_content(raw);
    let message = MessageParser::default().parse(&raw).filter(|message| !message.headers().is_empty());
    let message = message.ok_or("is no message: it has no headers")?;
    let mut fields = Record::default();
    let mut set = |name: &str, value: Value| {
        if !value.is_blank() {
            fields.insert(name.to_owned(), value);
        }
    };
    let text = |text: &str| Value::Text(printable(text));
    set("subject", message.subject().map(text).unwrap_or_default());
    let from = message.from().and_then(Address::first);
    set("from", from.map(person).unwrap_or_default());
    set("to", people(message.to()));
    set("cc", people(message.cc()));
    set("sent", sent(&message).map(|moment| Value::Text(moment.to_string())).unwrap_or_default());
    set("message_id", message.message_id().map(text).unwrap_or_default());
    set("in_reply_to", message.in_reply_to().as_text().map(text).unwrap_or_default());
    // A message of HTML alone has no text of its own, and one of text no HTML.
    let own = |is_html: bool| {
        let parts = if is_html { &message.html_body } else { &message.text_body };
        parts.iter().any(|part| message.part(*part).is_some_and(|part| part.is_text_html() == is_html))
    };
    set("text", message.body_text(0).filter(|_| own(false)).map(|body| text(&body)).unwrap_or_default());
    set("html", message.body_html(0).filter(|_| own(true)).map(|body| text(&body)).unwrap_or_default());
    let (mut attachments, mut listed) = (Vec::new(), Vec::new());
    for part in message.attachments().take(MOST_ATTACHMENTS) {
        let bytes = part.contents();
        let hash = hexadecimal(&Sha256::digest(bytes));
        let name = file_name(part.attachment_name().unwrap_or("attachment"));
        let media = part.content_type().map(|media| match media.subtype() {
            Some(subtype) => format!("{}/{subtype}", media.ctype()),
            None => media.ctype().to_owned(),
        });
        let mut about = Record::default();
        about.insert("url".to_owned(), format!("attachment:{hash}/{name}").as_str().into());
        about.insert("name".to_owned(), name.as_str().into());
        about.insert("media".to_owned(), media.map_or(Value::Null, |media| text(&media.to_ascii_lowercase())));
        about.insert("size".to_owned(), Value::Integer(i64::try_from(bytes.len()).unwrap_or(i64::MAX)));
        listed.push(Value::Record(about));
        attachments.push((hash, bytes.to_vec()));
    }
    set("attachments", Value::List(listed));
    let sender = from.and_then(|from| from.address()).map(str::to_owned);
    let kept = String::from_utf8(raw.clone()).ok().filter(|raw| raw.len() <= KEPT_WHOLE);
    let notes = match &kept {
        Some(_) => Vec::new(),
        None => vec![format!("its {} bytes are not kept as they were received", raw.len())],
    };
    let id = EntryId::new(id).map_err(|error| error.to_string())?;
    let (part, revision, fingerprint) = (None, None, fingerprint_record(&fields));
    let entry = Incoming { id, part, state: State::Live, revision, fields, fingerprint, raw: kept, notes };
    Ok(Read { entry, sender, attachments })
}

/// When it says that it was sent.
fn sent(message: &Message<'_>) -> Option<Timestamp> {
    Timestamp::from_second(message.date()?.to_timestamp()).ok()
}

fn person(addr: &Addr<'_>) -> Value {
    let mut person = Record::default();
    person.insert("name".to_owned(), addr.name().map_or(Value::Null, |name| printable(name).as_str().into()));
    person
        .insert("address".to_owned(), addr.address().map_or(Value::Null, |address| printable(address).as_str().into()));
    Value::Record(person)
}

fn people(address: Option<&Address<'_>>) -> Value {
    Value::List(address.into_iter().flat_map(Address::iter).map(person).collect())
}

/// A text without the characters that nobody sees, but for line ends.
fn printable(text: &str) -> String {
    text.replace("\r\n", "\n").chars().filter(|c| !c.is_control() || matches!(c, '\n' | '\t')).collect()
}

/// A file's name, as the last step of an address.
fn file_name(text: &str) -> String {
    let plain = |c: char| if c.is_alphanumeric() || matches!(c, '.' | '-' | '_') { c } else { '-' };
    let name: String = text.chars().map(plain).take(100).collect();
    let name = name.trim_matches(['.', '-']).to_owned();
    if name.is_empty() { "attachment".to_owned() } else { name }
}

fn hexadecimal(bytes: &[u8]) -> String {
    bytes.iter().map(|byte| format!("{byte:02x}")).collect()
}

/// What messages have.
pub(super) fn model<'a>(kinds: impl Iterator<Item = &'a TypeName>) -> Model {
    Model { types: kinds.map(|kind| (kind.clone(), EntryType { fields: fields() })).collect() }
}

fn fields() -> IndexMap<String, Field> {
    let field = |kind: FieldKind, many| Field { kind, many, ..Field::default() };
    let fields = [
        ("subject", field(FieldKind::Text, false)),
        ("from", field(FieldKind::Record, false)),
        ("to", field(FieldKind::Record, true)),
        ("cc", field(FieldKind::Record, true)),
        ("sent", field(FieldKind::Instant, false)),
        ("text", field(FieldKind::Text, false)),
        ("html", field(FieldKind::Html, false)),
        ("attachments", field(FieldKind::Asset, true)),
        ("message_id", field(FieldKind::Text, false)),
        ("in_reply_to", field(FieldKind::Text, false)),
    ];
    fields.into_iter().map(|(name, field)| (name.to_owned(), field)).collect()
}

#[cfg(test)]
mod tests {
    use super::*;

    fn fields(raw: &str) -> Record {
        read(raw.replace('\n', "\r\n").into_bytes()).unwrap().entry.fields
    }

    #[test]
    fn a_message_with_its_wrongs() {
        let raw = "From: =?iso-8859-1?Q?Mair_F=E9nwick?= <mair@ostrel.example>\nTo: desk@ostrel.example, \"A, B\" <ab@ostrel.example>\nSubject: =?utf-8?B?RmVybnM=?= in\n June\nDate: Fri, 1 May 2026 09:30:00 +0100\nMessage-ID: <a@b>\nContent-Type: multipart/mixed; boundary=x\n\n--x\nContent-Type: multipart/alternative; boundary=y\n\n--y\nContent-Type: text/plain; charset=windows-1252\nContent-Transfer-Encoding: quoted-printable\n\nFerns=85 =93here=94\n--y\nContent-Type: text/html\n\n<p>Ferns</p>\n--y--\n--x\nContent-Type: image/png; name=\"../a b.png\"\nContent-Transfer-Encoding: base64\n\niVBORw0KGgo=\n--x--\n";
        let fields = fields(raw);
        assert_eq!(fields["subject"], "Ferns in June".into());
        let Value::Record(from) = &fields["from"] else { panic!("{:?}", fields["from"]) };
        assert_eq!((&from["name"], &from["address"]), (&"Mair Fénwick".into(), &"mair@ostrel.example".into()));
        assert_eq!(fields["sent"], "2026-05-01T08:30:00Z".into());
        assert_eq!(fields["text"].as_text().unwrap().trim(), "Ferns… “here”");
        assert_eq!(fields["html"].as_text().unwrap().trim(), "<p>Ferns</p>");
        let Value::List(attachments) = &fields["attachments"] else { panic!() };
        let Value::Record(file) = &attachments[0] else { panic!() };
        assert_eq!(
            (&file["name"], &file["media"], &file["size"]),
            (&"a-b.png".into(), &"image/png".into(), &Value::Integer(8))
        );
        assert!(file["url"].as_text().unwrap().starts_with("attachment:"));
    }

    #[test]
    fn a_message_is_known_by_its_bytes_whatever_it_says_of_itself() {
        let id = |raw: &str| read(raw.as_bytes().to_vec()).unwrap().entry.id;
        let first = "Message-ID: <a@b>\r\nSubject: A\r\n\r\nOne";
        assert_eq!(id(first), id(first));
        assert_ne!(id(first), id("Message-ID: <a@b>\r\nSubject: A\r\n\r\nTwo"), "an identifier is no proof");
        assert!(read(Vec::new()).is_err());
        assert!(read(b"\r\n\r\n".to_vec()).is_err());
    }
}
