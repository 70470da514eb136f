//! Services: HTTP calls that give something for what is sent: key phrases, a summary, a translation.

mod settings;

use std::collections::BTreeMap;

use diaporos_core::change::Fingerprint;
use diaporos_core::model::{Field, FieldKind, fit};
use diaporos_core::value::{Value, from_json};
use serde_json::{Map, Value as Json};
use url::Url;

use crate::http::{Body, Client, Method, set_query, shown_url};
use crate::{ErrorKind, SystemError};

pub use settings::{SERVICE_CALL, ServiceSettings, service_settings};

/// The services of a hub that can be asked, by name.
pub type Services = BTreeMap<String, Service>;

/// A service that can be asked.
#[derive(Debug)]
pub struct Service {
    client: Client,
    url: Url,
    settings: ServiceSettings,
}

impl Service {
    /// A service at an address.
    #[must_use]
    pub fn new(client: Client, url: Url, settings: ServiceSettings) -> Service {
        Service { client, url, settings }
    }

    /// How many requests are under way at once.
    #[must_use]
    pub fn max_in_flight(&self) -> usize {
        self.client.limits().concurrency.max(1)
    }

    /// After how many failures in a row it is asked no more.
    #[must_use]
    pub fn failure_limit(&self) -> u32 {
        self.client.limits().failures
    }

    /// An error of it, with its address.
    #[must_use]
    pub fn error(&self, kind: ErrorKind) -> SystemError {
        SystemError { system: self.client.system().clone(), url: shown_url(&self.url), kind }
    }

    /// What it gives for what is sent. The same `content` is the same question: a service that keeps what it was asked
    /// by is told so (`Idempotency-Key`), since an answer may be lost.
    ///
    /// # Errors
    /// Where it does not answer, or its answer does not show what the configuration says that it gives.
    pub async fn ask(&self, members: &Map<String, Json>, content: Fingerprint) -> Result<Value, SystemError> {
        let mut url = self.url.clone();
        let is_read = self.settings.method == Method::Get;
        if is_read {
            for (name, value) in members.iter().filter(|(_, value)| !value.is_null()) {
                let text = value.as_str().map_or_else(|| value.to_string(), str::to_owned);
                set_query(&mut url, name, &text);
            }
        }
        let mut request = self.client.request(self.settings.method, url).header("accept", "application/json");
        if !is_read {
            request = request.header("idempotency-key", content.to_string());
            request.body = Some(Body::json(Json::Object(members.clone())));
        }
        let answer = match is_read {
            true => self.client.read(&request).await,
            false => self.client.write(&request).await,
        };
        let place = |error: SystemError| SystemError { url: shown_url(&self.url), ..error };
        let wrong = |kind| place(self.client.error(&request, kind));
        let json = answer.map_err(place)?.json().map_err(wrong)?;
        self.given(&json).map_err(|message| wrong(ErrorKind::Content(message)))
    }

    fn given(&self, answer: &Json) -> Result<Value, String> {
        let ServiceSettings { at, field, .. } = &self.settings;
        at.is_a_listing(answer)?;
        let found = at.all(answer);
        let value = match (found.as_slice(), field.many) {
            ([Json::Array(_)], true) | ([_], false) => from_json(found[0]),
            ([], true) if at.as_str().contains("[*]") => Value::List(Vec::new()),
            ([], _) => return Err(format!("the answer is JSON, and nothing is at `{}`", at.as_str())),
            (items, true) => Value::List(items.iter().map(|item| from_json(item)).collect()),
            (items, false) => {
                return Err(format!("{} values are at `{}`, and one is wanted", items.len(), at.as_str()));
            }
        };
        let shaped = fit(field, &value).map_err(|_| {
            format!("what is at `{}` is {}, and {} is wanted", at.as_str(), value.kind_name(), told(field))
        });
        shaped.map(|()| value)
    }
}

/// What a service gives, in words.
fn told(field: &Field) -> String {
    let kind = if field.kind == FieldKind::Anything { "any value" } else { field.kind.word() };
    if field.many { format!("a list of {kind}") } else { kind.to_owned() }
}
