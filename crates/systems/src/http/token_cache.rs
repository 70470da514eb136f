//! Credentials that are fetched: tokens (RFC 6749 §4.4) and cookies. Kept while they are good,
//! renewed early, and once more where one is refused.

use std::sync::Arc;
use std::time::Duration;

use cookie::Cookie;
use reqwest::header::{ACCEPT, AUTHORIZATION, CONTENT_TYPE, HeaderValue, SET_COOKIE};
use secrecy::{ExposeSecret, SecretString};
use serde_json::{Map, Value as Json};
use tokio::sync::Mutex;
use tokio::time::Instant;
use url::form_urlencoded::{Serializer, byte_serialize};

use super::request::basic;
use super::retry::causes;
use super::ways::Ways;
use super::{ClientCredentials, Credential, LogIn};
use crate::blank::{blank, learn};
use crate::{ErrorKind, Secret};

/// The most bytes of a token endpoint's answer.
const LONGEST: usize = 64 * 1024;

/// What was fetched, and until when it is good.
struct Good {
    value: SecretString,
    until: Option<Instant>,
    /// Which fetch it came from, so that of many requests that meet a refusal one renews it.
    fetch: u64,
}

/// Keeps one fetched credential for all requests of a system.
#[derive(Clone)]
pub(super) struct TokenCache {
    credential: Credential,
    good: Arc<Mutex<Option<Good>>>,
    /// The refresh token that came in the place of the one that was given.
    refresh: Arc<Mutex<Option<SecretString>>>,
}

impl std::fmt::Debug for TokenCache {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        write!(f, "TokenCache({})", self.credential)
    }
}

impl TokenCache {
    pub(super) fn new(credential: &Credential) -> Option<TokenCache> {
        credential.fetched().map(|fetched| TokenCache {
            credential: fetched.clone(),
            good: Arc::default(),
            refresh: Arc::default(),
        })
    }

    /// Whether it is a log-in, whose end may be told by a page of HTML.
    pub(super) fn is_session(&self) -> bool {
        matches!(self.credential, Credential::Session(_))
    }

    /// The credential, and the number of its fetch. One whose fetch was refused is fetched anew.
    pub(super) async fn value(&self, ways: &Ways, refused: Option<u64>) -> Result<(SecretString, u64), ErrorKind> {
        let mut good = self.good.lock().await;
        let now = Instant::now();
        if let Some(known) = good.as_ref()
            && known.until.is_none_or(|until| now < until)
            && refused.is_none_or(|refused| refused < known.fetch)
        {
            return Ok((known.value.clone(), known.fetch));
        }
        let fetch = good.as_ref().map_or(1, |known| known.fetch + 1);
        let (value, lives) = match &self.credential {
            Credential::ClientCredentials(own) => token(ways, own, &mut *self.refresh.lock().await).await?,
            Credential::Session(log_in) => (cookie(ways, log_in).await?, None),
            _ => return Err(ErrorKind::Content("this credential is not fetched".to_owned())),
        };
        learn(&value);
        let value = SecretString::from(value);
        *good = Some(Good { value: value.clone(), until: lives.map(|lives| now + early(lives)), fetch });
        Ok((value, fetch))
    }

    /// How long the credential that is kept still lives; none where it does not say.
    pub(super) async fn remaining(&self) -> Option<Duration> {
        let until = self.good.lock().await.as_ref().and_then(|good| good.until);
        until.map(|until| until.saturating_duration_since(Instant::now()))
    }
}

/// A token is renewed before it ends: a tenth of its life, at most a minute, earlier.
fn early(lives: Duration) -> Duration {
    lives - (lives / 10).min(Duration::from_secs(60))
}

/// Fetches a token. Identifier and secret are form-encoded before they are joined for Basic
/// (RFC 6749 §2.3.1).
async fn token(
    ways: &Ways,
    own: &ClientCredentials,
    renewed: &mut Option<SecretString>,
) -> Result<(String, Option<Duration>), ErrorKind> {
    let encoded = |text: &str| byte_serialize(text.as_bytes()).collect::<String>();
    let mut authorization =
        HeaderValue::try_from(basic(&encoded(own.id.expose()), &encoded(own.secret.expose()))).map_err(refused_text)?;
    authorization.set_sensitive(true);
    let refresh = renewed.as_ref().map(exposed).or(own.refresh.as_ref().map(Secret::expose));
    let in_body = |text| Some(text).filter(|_| own.in_body);
    // Made in one expression: the serializer cannot be held while we wait for an answer.
    let pairs = [
        ("grant_type", Some(if refresh.is_some() { "refresh_token" } else { "client_credentials" })),
        ("refresh_token", refresh),
        ("scope", own.scope.as_deref()),
        ("audience", own.audience.as_deref()),
        ("client_id", in_body(own.id.expose())),
        ("client_secret", in_body(own.secret.expose())),
    ];
    let form = Serializer::new(String::new())
        .extend_pairs(pairs.into_iter().filter_map(|(name, value)| Some((name, value?))))
        .finish();
    let mut sent = ways.to_fetch(&own.token)?.post(own.token.clone());
    if !own.in_body {
        sent = sent.header(AUTHORIZATION, authorization);
    }
    let sent =
        sent.header(CONTENT_TYPE, "application/x-www-form-urlencoded").header(ACCEPT, "application/json").body(form);
    let (status, _, body) = answer(sent, "the token endpoint").await?;
    let json: Json = serde_json::from_slice(&body).unwrap_or_default();
    if status != 200 {
        let why = json.get("error").and_then(Json::as_str).unwrap_or("no reason given");
        return Err(ErrorKind::NoToken(format!("the token endpoint answered {status}: {}", one_line(&blank(why)))));
    }
    let Some(token) = json.get("access_token").and_then(Json::as_str) else {
        return Err(ErrorKind::NoToken("the token endpoint's answer has no `access_token`".to_owned()));
    };
    // Where tokens are refreshed, the next refresh may need what came with this one.
    if let Some(next) = json.get("refresh_token").and_then(Json::as_str).filter(|_| own.refresh.is_some()) {
        learn(next);
        if Some(next) != own.refresh.as_ref().map(Secret::expose) {
            tracing::warn!(
                "the token endpoint gave another refresh token; the one that is configured may be good no more"
            );
        }
        *renewed = Some(SecretString::from(next));
    }
    let lives = json.get("expires_in").and_then(Json::as_u64).map(Duration::from_secs);
    Ok((token.to_owned(), lives))
}

/// Logs in, and keeps every cookie that the answer sets.
async fn cookie(ways: &Ways, log_in: &LogIn) -> Result<String, ErrorKind> {
    let body: Map<String, Json> =
        log_in.fields.iter().map(|(name, part)| (name.clone(), part.expose().into())).collect();
    let sent = ways
        .to_fetch(&log_in.url)?
        .post(log_in.url.clone())
        .header(CONTENT_TYPE, "application/json")
        .header(ACCEPT, "application/json")
        .body(Json::Object(body).to_string());
    let (status, cookies, _) = answer(sent, "the log-in").await?;
    if !(200..400).contains(&status) {
        return Err(ErrorKind::NoToken(format!("the log-in answered {status}")));
    }
    if cookies.is_empty() {
        return Err(ErrorKind::NoToken("the log-in set no cookie".to_owned()));
    }
    Ok(cookies.join("; "))
}

async fn answer(sent: reqwest::RequestBuilder, what: &str) -> Result<(u16, Vec<String>, Vec<u8>), ErrorKind> {
    let failed = |error: &reqwest::Error| ErrorKind::NoToken(format!("{what} cannot be reached: {}", causes(error)));
    let mut response = sent.send().await.map_err(|error| failed(&error))?;
    let status = response.status().as_u16();
    let set = response.headers().get_all(SET_COOKIE).iter().filter_map(|value| value.to_str().ok());
    // One that is taken away in the same answer is not sent (RFC 6265 §5.2.2).
    let lives = |cookie: &Cookie<'_>| cookie.max_age().is_none_or(|age| age.is_positive());
    let cookies = set.filter_map(|text| Cookie::parse(text).ok()).filter(lives);
    let cookies = cookies.map(|cookie| format!("{}={}", cookie.name(), cookie.value())).collect();
    let mut body = Vec::new();
    while let Some(chunk) = response.chunk().await.map_err(|error| failed(&error))? {
        if body.len() + chunk.len() > LONGEST {
            return Err(ErrorKind::NoToken(format!("{what} answers with more than {LONGEST} bytes")));
        }
        body.extend_from_slice(&chunk);
    }
    Ok((status, cookies, body))
}

fn refused_text(_: reqwest::header::InvalidHeaderValue) -> ErrorKind {
    ErrorKind::NoToken("the credential has a character that no header can have".to_owned())
}

fn one_line(text: &str) -> String {
    text.chars().filter(|c| !c.is_control()).take(200).collect()
}

/// The secret as a header takes it.
pub(super) fn exposed(value: &SecretString) -> &str {
    value.expose_secret()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_token_is_renewed_before_it_ends() {
        assert_eq!(early(Duration::from_secs(3_600)), Duration::from_secs(3_540));
        assert_eq!(early(Duration::from_secs(5)), Duration::from_millis(4_500));
    }
}
