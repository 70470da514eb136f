//! What the configuration says of a hook: from whom calls come, how they show it, and what in them names an entry.

use std::collections::BTreeMap;
use std::time::Duration;

use diaporos_core::diagnostic::{Code, Diagnostic, Report};
use diaporos_core::hook::{Encoding, Scheme};
use diaporos_core::settings;
use diaporos_core::settings::forms::{DURATION, NAMED_TEXTS, TEXT, TEXTS};
use diaporos_core::settings::{Form, Section, Table, words};
use diaporos_core::value::TypeName;

use crate::SecretReference;
use crate::http::Rate;
use crate::query::{JSON_PATH, Query};
use crate::settings::forms::{RATE, SECRET};
use crate::settings::{duration, secret};

/// A hook of the configuration.
#[derive(Debug, Clone)]
pub struct HookSettings {
    /// How a call shows from whom it is.
    pub scheme: Scheme,
    /// Where the secrets are kept, of which any may fit.
    pub secrets: Vec<SecretReference>,
    /// How far the time that a call names may be from ours.
    pub within: Duration,
    /// Of which type the entries are.
    pub(super) kind: HookType,
    /// Where the body has the ids of the entries; everything of the system is meant without one.
    pub(super) id: Option<Query>,
    /// Where the body says what happened.
    pub(super) event: Option<Query>,
    /// What may have happened for an entry to be looked at; anything where empty.
    pub(super) only: Vec<String>,
    /// Where the call's own id is.
    pub(super) event_id: Option<EventId>,
    /// How many calls are taken in which time.
    pub rate: Option<Rate>,
    /// The most bytes of a body.
    pub max_bytes: usize,
}

/// Of which type the entries of a hook are.
#[derive(Debug, Clone)]
pub(super) enum HookType {
    /// It does not say; everything of the system is meant.
    Unsaid,
    /// Always of this.
    Fixed(TypeName),
    /// Of the one that the body names here, by another word perhaps.
    At(Query, BTreeMap<String, String>),
}

/// Where a call has an id of its own.
#[derive(Debug, Clone)]
pub(super) enum EventId {
    /// In a header.
    Header(String),
    /// In the body.
    At(Query),
}

/// How a call can show from whom it is.
#[derive(Debug, Clone, Copy)]
enum Word {
    StandardWebhooks,
    Hmac,
    Bearer,
    Basic,
}

const VERIFY: [(&str, Word); 4] = [
    ("standard-webhooks", Word::StandardWebhooks),
    ("hmac", Word::Hmac),
    ("bearer", Word::Bearer),
    ("basic", Word::Basic),
];
const ENCODINGS: [(&str, Encoding); 2] = [("hex", Encoding::Hex), ("base64", Encoding::Base64)];
/// What an id in a header begins with.
const IN_HEADER: &str = "header:";

/// A hook.
pub static HOOK: Table = Table {
    name: "hook",
    one_of: &[],
    needs: &[("types", "type")],
    groups: &[settings![
        system: TEXT, required, "the system whose entries it tells of", "catalogue";
        verify: Form::Word { what: "a way in which a call shows from whom it is", of: || words(&VERIFY) }, required, "how a call shows from whom it is: by Standard Webhooks, an HMAC-SHA-256 of the body in a header, a bearer token, or a name and password", "standard-webhooks";
        secrets: Form::OneOrMany(&SECRET), required, "where the secret is kept; several while one is changed for another. For `basic` it is `name:password`", "env:CATALOGUE_HOOK_SECRET";
        header: TEXT, none, "for `hmac`: the header with the signature", "X-Signature";
        encoding: Form::Word { what: "a way in which bytes are written", of: || words(&ENCODINGS) }, usual "hex", "for `hmac`: how the signature is written", "base64";
        prefix: TEXT, none, "for `hmac`: what stands before the signature", "sha256=";
        within: DURATION, usual "5m", "for `standard-webhooks`: how far the call's time may be from ours", "2m";
        of: TEXT, none, "the type of the entries, where it is always the same", "plant-profile";
        type: JSON_PATH, none, "where the body names the type", "$.entry.type";
        types: NAMED_TEXTS, none, "the type by the word that stands there, where it is another", "{ plant = \"plant-profile\" }";
        id: JSON_PATH, none, "where the body has the ids of the entries; without it, the whole system is pulled", "$.entry.id";
        event: JSON_PATH, none, "where the body says what happened", "$.event";
        only: TEXTS, none, "what may have happened for an entry to be looked at; anything without it", "[\"entry.published\", \"entry.withdrawn\"]";
        event_id: TEXT, none, "where the call's own id is, by which one that comes twice is known: a JSONPath, or `header:NAME`; `standard-webhooks` has one of its own", "header:X-Delivery";
        rate: RATE, usual "1200/min", "how many calls are taken; more are told to come again", "100/s";
        max_bytes: Form::Count(1), usual "1048576", "the most bytes of a call", "65536";
    ]],
};

/// Reads a hook, all but its system.
pub fn hook(table: &mut Section<'_>, report: &mut Report) -> Option<HookSettings> {
    let secrets = table.text_or_texts("secrets", report);
    if secrets.is_empty() && !table.has("secrets") {
        table.missing("secrets", report);
    }
    let count = secrets.len();
    let secrets: Vec<_> = secrets.iter().filter_map(|item| secret(item, report)).collect();
    let scheme = scheme(table, report);
    let within = duration(table, "within", report);
    let kind = kind(table, report);
    let id = Query::from_key(table, "id", report);
    let event = Query::from_key(table, "event", report);
    let only = table.texts("only", report).unwrap_or_default().into_iter().map(|item| item.value).collect();
    let event_id = event_id(table, report);
    let rate = table.text("rate", report).and_then(|item| {
        let rate = Rate::read(item.value.as_str());
        if rate.is_none() {
            table.refuse("rate", item.span, "this is not a rate", report);
        }
        rate
    });
    let max_bytes = table.count("max_bytes", report)?;
    let max_bytes = usize::try_from(max_bytes.value.min(LARGEST)).ok()?;
    if secrets.is_empty() || secrets.len() < count {
        return None;
    }
    let (scheme, within, kind, event_id) = (scheme?, within?, kind?, event_id?);
    Some(HookSettings { scheme, secrets, within, kind, id, event, only, event_id, rate, max_bytes })
}

/// The most that a body may be let have.
const LARGEST: u64 = 16 << 20;

fn scheme(table: &mut Section<'_>, report: &mut Report) -> Option<Scheme> {
    let word = table.word("verify", &VERIFY, report);
    let header = table.string("header", report);
    let encoding = table.word("encoding", &ENCODINGS, report);
    let prefix = table.string("prefix", report).unwrap_or_default();
    Some(match word? {
        Word::StandardWebhooks => Scheme::StandardWebhooks,
        Word::Bearer => Scheme::Bearer,
        Word::Basic => Scheme::Basic,
        Word::Hmac => {
            let Some(header) = header else {
                table.missing("header", report);
                return None;
            };
            Scheme::Hmac { header: header.to_ascii_lowercase(), encoding: encoding?, prefix }
        }
    })
}

fn kind(table: &mut Section<'_>, report: &mut Report) -> Option<HookType> {
    let fixed = table.text("of", report);
    let at = Query::from_key(table, "type", report);
    let types = table.section("types", report).map(|mut section| {
        let names = section.names();
        let text = |name: &str, report: &mut Report| section.named_text(name, report);
        let pairs = names.into_iter().filter_map(|name| {
            let kind = text(&name.value, report)?.value.as_str().to_owned();
            Some((name.value, kind))
        });
        pairs.collect::<BTreeMap<_, _>>()
    });
    match (fixed, at) {
        (Some(item), Some(_)) => {
            table.refuse("of", item.span, "a hook has `of` or `type`, not both", report);
            None
        }
        (Some(item), None) => match TypeName::new(item.value.as_str()) {
            Ok(kind) => Some(HookType::Fixed(kind)),
            Err(error) => {
                table.refuse("of", item.span, format!("this cannot name a type: {error}"), report);
                None
            }
        },
        (None, Some(query)) => Some(HookType::At(query, types.unwrap_or_default())),
        (None, None) if table.has("type") => None,
        (None, None) => Some(HookType::Unsaid),
    }
}

fn event_id(table: &mut Section<'_>, report: &mut Report) -> Option<Option<EventId>> {
    let Some(item) = table.text("event_id", report) else { return Some(None) };
    if let Some(name) = item.value.as_str().strip_prefix(IN_HEADER) {
        return Some(Some(EventId::Header(name.trim().to_ascii_lowercase())));
    }
    if !item.value.as_str().starts_with('$') {
        let finding = Diagnostic::error(Code::BadValue, item.span, "this is neither a JSONPath nor `header:NAME`");
        report.add(finding);
        return None;
    }
    Query::from_item(&item, report).map(|query| Some(EventId::At(query)))
}
