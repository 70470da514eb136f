//! What is told of a happening. Pure, but for the entry that it is about.

use diaporos_core::expr::{Program, Sight, Subject, is_true};
use diaporos_core::value::{Address, EntryId, Record, State, SystemName, TypeName, Value, from_json, to_json};
use diaporos_store::{Happening, NewMessage, Store, StoreError};
use jiff::Timestamp;
use serde_json::{Map, Value as Json, json};

use crate::config::{Config, Shape, TellConfig, TellWay, Topic};

/// Why it cannot be said what is told.
#[derive(Debug, thiserror::Error)]
pub enum RenderError {
    /// The store failed.
    #[error(transparent)]
    Store(#[from] StoreError),
    /// An expression has no value.
    #[error("{0}")]
    Expression(String),
}

/// What happened, as expressions see it.
struct Seen {
    address: Address,
    state: State,
    fields: Record,
}

/// What is told of a happening; none where it is not.
///
/// # Errors
/// Where an expression has no value, or the store fails.
pub fn message_of(
    config: &Config,
    store: &Store,
    tell: &TellConfig,
    happening: &Happening,
    hub: &str,
) -> Result<Option<NewMessage>, RenderError> {
    if !tell.on.iter().any(|topic| topic.word() == happening.kind) {
        return Ok(None);
    }
    let seen = seen(store, happening)?;
    let evaluate = |program: &Program| -> Result<Value, RenderError> {
        let values = tell.slots.resolve(&seen.fields);
        let subject =
            Subject { address: &seen.address, state: seen.state, values: &values, now: happening.at, previous: None };
        let sight = Sight { subject, world: store, library: &config.library };
        program.evaluate(sight).map(|evaluated| evaluated.value).map_err(|error| match error.world {
            Some(error) => RenderError::Store(error.into()),
            None => RenderError::Expression(error.message),
        })
    };
    if let Some(when) = &tell.when {
        let value = evaluate(&when.program)?;
        if !is_true(&value).map_err(RenderError::Expression)? {
            return Ok(None);
        }
    }
    let mut members = Map::new();
    for (name, expression) in &tell.body {
        members.insert(name.clone(), to_json(&evaluate(&expression.program)?));
    }
    let data = if members.is_empty() { data_of(happening) } else { Json::Object(members) };
    let (headers, media, body) = match &tell.way {
        TellWay::Post { shape, .. } => shaped(*shape, happening, data, hub),
        TellWay::Mail { .. } => letter(happening, &data),
    };
    let (kind, subject) = (happening.kind.clone(), happening.subject.clone());
    Ok(Some(NewMessage { happening: happening.number, kind, subject, media: media.to_owned(), headers, body }))
}

/// What is known of a happening, and of the entry that it is about, as it is now.
fn seen(store: &Store, happening: &Happening) -> Result<Seen, StoreError> {
    let mut event = match from_json(&happening.detail) {
        Value::Record(members) => members,
        _ => Record::default(),
    };
    for (name, text) in
        [("kind", happening.kind.clone()), ("subject", happening.subject.clone()), ("at", happening.at.to_string())]
    {
        event.insert(name.to_owned(), Value::Text(text));
    }
    let address: Option<Address> = happening.subject.parse().ok().filter(|_| happening.kind.starts_with("entry."));
    let entry = address.as_ref().map(|address| store.entry(address)).transpose()?.flatten();
    let (mut fields, state) =
        entry.map_or_else(|| (Record::default(), State::Live), |entry| (entry.row.fields, entry.row.state));
    fields.insert("event".to_owned(), Value::Record(event));
    let address =
        address.or_else(nobody).ok_or_else(|| StoreError::Content("a happening without a subject".to_owned()))?;
    Ok(Seen { address, state, fields })
}

/// What an expression sees as the entry's address where it is about none.
fn nobody() -> Option<Address> {
    Some(Address {
        system: SystemName::new("hub").ok()?,
        kind: TypeName::new("event").ok()?,
        id: EntryId::new("-").ok()?,
    })
}

/// What is known of a happening, as data.
fn data_of(happening: &Happening) -> Json {
    let mut data = happening.detail.clone();
    if let Json::Object(members) = &mut data {
        members.insert("subject".to_owned(), happening.subject.clone().into());
        members.retain(|_, value| !value.is_null());
    }
    data
}

const JSON: &str = "application/json";

/// Headers, media type and body. The id is the same however often it is sent.
fn shaped(shape: Shape, happening: &Happening, data: Json, hub: &str) -> (Vec<(String, String)>, &'static str, String) {
    let kind = format!("diaporos.{}", happening.kind);
    let (id, source) = (happening.number.to_string(), format!("urn:diaporos:{hub}"));
    match shape {
        Shape::Json => (Vec::new(), JSON, data.to_string()),
        Shape::Event => {
            let event = json!({
                "specversion": "1.0", "id": id, "source": source, "type": kind, "subject": happening.subject,
                "time": happening.at.to_string(), "datacontenttype": JSON, "data": data,
            });
            (Vec::new(), "application/cloudevents+json", event.to_string())
        }
        Shape::EventBinary => {
            let headers = [
                ("ce-specversion", "1.0".to_owned()),
                ("ce-id", id),
                ("ce-source", source),
                ("ce-type", kind),
                ("ce-subject", in_header(&happening.subject)),
                ("ce-time", happening.at.to_string()),
            ];
            (headers.map(|(name, value)| (name.to_owned(), value)).into(), JSON, data.to_string())
        }
    }
}

/// The subject and the text of a mail, which says what is known where the configuration says nothing.
fn letter(happening: &Happening, data: &Json) -> (Vec<(String, String)>, &'static str, String) {
    let text = |value: &Json| value.as_str().map_or_else(|| value.to_string(), str::to_owned);
    let subject = data.get("subject").filter(|_| data.get("text").is_some()).map(text);
    let subject = subject.unwrap_or_else(|| format!("{}: {}", happening.kind, happening.subject));
    let known = || {
        let members = data.as_object().into_iter().flatten();
        let lines = members.map(|(name, value)| format!("{name}: {}\n", text(value)));
        let at = happening.at.strftime("%Y-%m-%d %H:%M UTC");
        format!("{} at {at}\n\n{}", happening.kind, lines.collect::<String>())
    };
    let body = data.get("text").map_or_else(known, text);
    (vec![("subject".to_owned(), subject)], "text/plain", body)
}

/// A text as it stands in a header (CloudEvents 1.0, HTTP binding, 3.1.3.2): what is not plain is percent-encoded.
fn in_header(text: &str) -> String {
    let mut encoded = String::new();
    for byte in text.bytes() {
        match byte {
            b'!'..=b'~' if byte != b'"' && byte != b'%' => encoded.push(char::from(byte)),
            _ => encoded.push_str(&format!("%{byte:02X}")),
        }
    }
    encoded
}

/// A made-up happening, to try whether somebody can be told.
#[must_use]
pub fn sample(topic: Topic, now: Timestamp) -> Happening {
    let (subject, detail) = match topic {
        Topic::RunChanged => ("run 1", json!({ "lanes": ["profiles"], "run": 1, "sample": true })),
        Topic::AlertOpened | Topic::AlertOpen | Topic::AlertClosed => {
            ("bulletins", json!({ "alert": "quiet", "message": "nothing came in for 6 hours", "sample": true }))
        }
        Topic::EditedThere => (
            "catalogue/plant-profile/sample",
            json!({ "lane": "profiles", "language": "en", "fields": ["teaser"], "sample": true }),
        ),
        Topic::BatchReturned | Topic::BatchRejected => (
            "plants-1",
            json!({ "brief": "plants", "language": "fr", "file": "plants-1, fr", "accepted": 12, "rejected": 1, "sample": true }),
        ),
        Topic::Held => (
            "catalogue/plant-profile/sample",
            json!({ "lane": "profiles", "reason": "unfit", "message": "heading is too long", "sample": true }),
        ),
        _ => (
            "catalogue/plant-profile/sample",
            json!({ "lane": "profiles", "destination": "visitor-site", "language": "en", "id_there": "1", "sample": true }),
        ),
    };
    Happening { number: 0, at: now, kind: topic.word().to_owned(), subject: subject.to_owned(), detail }
}

#[cfg(test)]
mod tests;
