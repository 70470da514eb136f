//! What a hub did over a span of time: what came in and went out, how fast, what was held and why, what others
//! changed, what was translated.

mod days;
mod latency;
mod plots;
mod write;

use diaporos_store::{OccurrenceCount, Origin, Span, Store, StoreError, TranslatedCount, UnitCount, UnitStanding};
use jiff::Timestamp;
use jiff::tz::TimeZone;
use serde::Serialize;

use crate::batch::price;
use crate::config::Config;
use crate::identity::identity;

use days::{Days, by_day};
use latency::Latencies;
pub use latency::Latency;
pub use write::{ReportForm, WriteError, write};

/// Reasons and fields that are listed at most.
const LISTED: usize = 30;

/// What a hub did over a span of time.
#[derive(Debug, Clone, PartialEq, Serialize)]
pub struct Report {
    /// The hub's folder, by its last name.
    pub hub: String,
    /// The identity of the hub.
    pub identity: String,
    /// The first moment of the span.
    pub from: Timestamp,
    /// The moment after it.
    pub until: Timestamp,
    /// When the report was made.
    pub made: Timestamp,
    /// The time zone of its days.
    pub zone: String,
    /// Its days.
    pub days: Vec<String>,
    /// What came in, by system.
    pub systems: Vec<Flow>,
    /// What went out, by lane.
    pub lanes: Vec<Flow>,
    /// How long changes took from their source to each lane's destination.
    pub latency: Vec<Latency>,
    /// How many changes took how long.
    pub spread: Vec<Spread>,
    /// What did not go as planned, by lane and reason.
    pub troubles: Vec<Trouble>,
    /// The fields that entries were most held for.
    pub held_fields: Vec<FieldTrouble>,
    /// The fields that others most changed there.
    pub edited_fields: Vec<FieldTrouble>,
    /// What was translated.
    pub translated: Vec<Translated>,
    /// Alerts that opened.
    pub alerts: Vec<AlertLine>,
}

/// What came in of a system, or went out on a lane.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct Flow {
    /// The system or the lane.
    pub name: String,
    /// Sums over the span, each with its word.
    pub counts: Vec<FlowCount>,
}

/// How often something came or went.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct FlowCount {
    /// What.
    pub what: &'static str,
    /// How often.
    pub sum: u64,
    /// The same by day.
    pub by_day: Vec<u64>,
}

/// How many changes took about so long.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct Spread {
    /// How long, in words.
    pub within: &'static str,
    /// How many.
    pub changes: u64,
}

/// What did not go as planned.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct Trouble {
    /// The lane.
    pub lane: String,
    /// `held`, `failed` or `edited`.
    pub kind: String,
    /// Why.
    pub reason: String,
    /// How often.
    pub times: u64,
}

/// A field that entries were held for, or that others changed.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct FieldTrouble {
    /// The lane.
    pub lane: String,
    /// The field.
    pub field: String,
    /// How often.
    pub times: u64,
}

/// What was translated.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct Translated {
    /// The brief.
    pub brief: String,
    /// The language.
    pub language: String,
    /// Texts that were accepted.
    pub texts: u64,
    /// Their words.
    pub words: u64,
    /// What they cost by the brief's rates.
    pub price: Option<String>,
}

/// An alert.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct AlertLine {
    /// Its kind.
    pub kind: String,
    /// What it is about.
    pub subject: String,
    /// What was wrong.
    pub message: String,
    /// When it opened.
    pub opened: Timestamp,
    /// When it was over.
    pub closed: Option<Timestamp>,
}

const CAME_IN: [(&str, &str); 3] = [("new", "new"), ("changed", "changed"), ("gone", "gone")];
const WENT_OUT: [(&str, &str); 5] = [
    ("create", "created"),
    ("update", "updated"),
    ("withdraw", "withdrawn"),
    ("delete", "deleted"),
    ("failed", "not carried out"),
];

/// What a hub did over a span of time, whose days are those of a zone.
///
/// # Errors
/// Where the store fails.
pub fn report(
    config: &Config,
    store: &Store,
    span: Span,
    (zone, now): (&TimeZone, Timestamp),
) -> Result<Report, StoreError> {
    let days = Days::of(span, zone);
    let mut latencies = Latencies::default();
    store.passages(span, |passage| latencies.add(&passage))?;
    let identity = identity(&config.folder).map_err(|error| StoreError::Content(error.to_string()))?;
    let folder = std::fs::canonicalize(&config.folder).unwrap_or_else(|_| config.folder.clone());
    let fields = store.occurrences_by_field(span)?;
    let by_kind = |kinds: &[&str]| listed(fields.iter().filter(|one| kinds.contains(&one.kind.as_str())));
    let alerts = store.alerts(Some(span.from))?.into_iter();
    Ok(Report {
        hub: folder.file_name().map(|name| name.to_string_lossy().into_owned()).unwrap_or_default(),
        identity,
        from: span.from,
        until: span.until,
        made: now,
        zone: zone.iana_name().unwrap_or("local").to_owned(),
        systems: by_day(&days, &store.came_in(span)?, &CAME_IN),
        lanes: by_day(&days, &store.went_out(span)?, &WENT_OUT),
        days: days.names(),
        spread: latencies.spread(),
        latency: latencies.by_lane(),
        troubles: store.occurrences_by_reason(span)?.into_iter().map(trouble).collect(),
        held_fields: by_kind(&["held", "failed"]),
        edited_fields: by_kind(&["edited"]),
        translated: translated(config, store.translated(span)?),
        alerts: alerts
            .filter(|row| row.opened < span.until)
            .map(|row| AlertLine {
                kind: row.kind,
                subject: row.subject,
                message: row.message,
                opened: row.opened,
                closed: row.closed,
            })
            .collect(),
    })
}

fn trouble(count: OccurrenceCount) -> Trouble {
    let OccurrenceCount { lane, kind, of, times } = count;
    let reason = if kind == "edited" { "changed there by somebody else".to_owned() } else { of };
    Trouble { lane, kind, reason, times }
}

fn listed<'a>(counts: impl Iterator<Item = &'a OccurrenceCount>) -> Vec<FieldTrouble> {
    let row = |one: &OccurrenceCount| FieldTrouble { lane: one.lane.clone(), field: one.of.clone(), times: one.times };
    counts.take(LISTED).map(row).collect()
}

/// Texts by brief and language, with what they cost.
fn translated(config: &Config, counts: Vec<TranslatedCount>) -> Vec<Translated> {
    let mut rows: Vec<(String, String, Vec<UnitCount>)> = Vec::new();
    for TranslatedCount { brief, language, origin, band, units, words } in counts {
        let name = language.to_string();
        let count = UnitCount { language, origin, band, standing: UnitStanding::Accepted, units, words };
        match rows.iter_mut().find(|(known, tag, _)| *known == brief && *tag == name) {
            Some((_, _, counts)) => counts.push(count),
            None => rows.push((brief, name, vec![count])),
        }
    }
    rows.into_iter()
        .map(|(brief, language, counts)| {
            let of_brief = config.briefs.get(&brief);
            let rates =
                |into: &diaporos_core::value::LanguageTag| of_brief.and_then(|brief| brief.rules(into).rates.as_ref());
            let price = price(&rates, &counts, &std::collections::BTreeMap::new()).map(|price| price.to_string());
            // What stands in a batch twice is translated once.
            let sent = counts.iter().filter(|count| count.origin != Origin::Repeated);
            let words = sent.map(|count| count.words).sum();
            Translated { brief, language, texts: counts.iter().map(|count| count.units).sum(), words, price }
        })
        .collect()
}

#[cfg(test)]
mod tests;
