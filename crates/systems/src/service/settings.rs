//! How the configuration says a service is asked.

use std::path::Path;

use diaporos_core::diagnostic::Report;
use diaporos_core::model::Field;
use diaporos_core::settings;
use diaporos_core::settings::forms::DURATION;
use diaporos_core::settings::{Form, Section, Setting, words};

use crate::http::{Limits, Method, Rate};
use crate::query::{JSON_PATH, Query};
use crate::settings::forms::{PLACE, RATE};
use crate::settings::{
    CREDENTIAL, CredentialReference, NetworkConfig, PlaceText, REACHED, credential, duration, place, reached,
    usual_limits,
};

/// How a service is asked, and what it gives.
#[derive(Debug, Clone)]
pub struct ServiceSettings {
    /// Its address.
    pub url: PlaceText,
    /// By which method.
    pub(crate) method: Method,
    /// What it is shown.
    pub credential: Option<CredentialReference>,
    /// Where its answer has what it gives.
    pub(crate) at: Query,
    /// What that is.
    pub field: Field,
    /// What is asked of it at most.
    pub limits: Limits,
    /// How it is reached.
    pub network: NetworkConfig,
}

impl ServiceSettings {
    /// All of it that may change what the service gives.
    #[must_use]
    pub fn definition(&self) -> String {
        format!("{} {:?} {} {}", self.method.word(), self.url, self.at.as_str(), self.field.signature())
    }
}

const METHODS: [(&str, Method); 2] = [("POST", Method::Post), ("GET", Method::Get)];

/// How a service is asked, and what it gives.
pub const SERVICE_CALL: [&[Setting]; 2] = [
    settings![
        url: PLACE, required, "the address that is asked", "https://phrases.ostrel.example/v1/phrases";
        method: Form::Word { what: "a method by which services are asked", of: || words(&METHODS) }, usual "POST", "how it is asked: by POST with a JSON body, or by GET with parameters", "GET";
        credential: Form::Table(&CREDENTIAL), none, "what it is shown", "{ bearer = \"env:PHRASES_TOKEN\" }";
        at: JSON_PATH, required, "where its answer has what it gives", "$.phrases[*].text";
        timeout: DURATION, usual "60s", "how long an answer may take", "20s";
        retries: Form::Count(0), usual "2", "how often it is asked again where it surely did nothing; at most 10", "0";
        rate: RATE, none, "how many requests are sent in a second, a minute or an hour", "60/min";
        concurrency: Form::Count(1), usual "4", "how many requests are under way at once; at most 64", "1";
        failures: Form::Count(1), usual "5", "after how many failures in a row it is asked no more by this run", "1";
    ],
    REACHED,
];

/// Reads how a service is asked that gives such a field.
pub fn service_settings(
    table: &mut Section<'_>,
    folder: &Path,
    field: Field,
    report: &mut Report,
) -> Option<ServiceSettings> {
    let url = table.text("url", report).and_then(|item| place(&item, report));
    let method = table.word("method", &METHODS, report);
    let credential = credential(table, "credential", report);
    let at = Query::from_key(table, "at", report);
    let limits = limits(table, report);
    let network = reached(table, folder, report);
    Some(ServiceSettings { url: url?, method: method?, credential, at: at?, field, limits, network })
}

fn limits(table: &mut Section<'_>, report: &mut Report) -> Limits {
    let usual = usual_limits();
    let whole = duration(table, "timeout", report).unwrap_or(usual.whole);
    let rate = table.text("rate", report).and_then(|item| {
        let rate = Rate::read(item.value.as_str());
        if rate.is_none() {
            table.refuse("rate", item.span, "this is not a rate", report);
        }
        rate
    });
    let mut count = |key| table.count(key, report).map_or(0, |count| count.value);
    Limits {
        retries: u32::try_from(count("retries").min(10)).unwrap_or(10),
        concurrency: usize::try_from(count("concurrency").clamp(1, 64)).unwrap_or(1),
        failures: u32::try_from(count("failures")).unwrap_or(u32::MAX),
        first_byte: usual.first_byte.min(whole),
        connect: usual.connect.min(whole),
        redirects: 0,
        whole,
        rate,
        ..usual
    }
}
