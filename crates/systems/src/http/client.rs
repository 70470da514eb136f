//! Sending requests.

use std::time::Duration;

use diaporos_core::value::SystemName;
use futures::StreamExt;
use reqwest::header::{ACCEPT, CONTENT_TYPE, HeaderMap, HeaderName, HeaderValue};
use reqwest::redirect::Policy;

use super::answer::failure;
use super::{Answer, HeaderText, Method, Request};
use crate::{ErrorKind, SystemError};

/// What is asked of a system at most.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Limits {
    /// The most decoded bytes of one answer.
    pub max_bytes: u64,
    /// How long a connection may take.
    pub connect: Duration,
    /// How long a request with its answer may take.
    pub whole: Duration,
    /// How often a read, or a write that was surely not done, is tried again.
    pub retries: u32,
    /// How many redirects are followed.
    pub redirects: usize,
}

impl Default for Limits {
    fn default() -> Self {
        Limits {
            max_bytes: 32 * 1024 * 1024,
            connect: Duration::from_secs(10),
            whole: Duration::from_secs(60),
            retries: 2,
            redirects: 5,
        }
    }
}

/// The first pause before trying again; each further one is twice as long.
const FIRST_PAUSE: Duration = Duration::from_millis(200);
/// The longest pause, whatever `Retry-After` asks.
const LONGEST_PAUSE: Duration = Duration::from_secs(30);

/// Sends requests to one system.
#[derive(Debug, Clone)]
pub struct Client {
    system: SystemName,
    limits: Limits,
    reading: reqwest::Client,
    writing: reqwest::Client,
}

impl Client {
    /// A client for a system.
    ///
    /// # Errors
    /// Where TLS cannot be set up on this machine.
    pub fn new(system: SystemName, limits: Limits) -> Result<Self, SystemError> {
        // Fails only where a provider is installed already, which is as good.
        let _ = rustls::crypto::ring::default_provider().install_default();
        let build = |policy: Policy| {
            reqwest::Client::builder()
                .user_agent(concat!("diaporos/", env!("CARGO_PKG_VERSION")))
                .connect_timeout(limits.connect)
                .timeout(limits.whole)
                .redirect(policy)
                .build()
        };
        let made = build(redirects(limits.redirects)).and_then(|reading| Ok((reading, build(Policy::none())?)));
        match made {
            Ok((reading, writing)) => Ok(Client { system, limits, reading, writing }),
            Err(error) => {
                let kind = ErrorKind::Unreachable(format!("TLS cannot be set up: {}", causes(&error)));
                Err(SystemError { system, url: String::new(), kind })
            }
        }
    }

    /// The system's name.
    #[must_use]
    pub fn system(&self) -> &SystemName {
        &self.system
    }

    /// An error of this system at a request.
    #[must_use]
    pub fn error(&self, request: &Request, kind: ErrorKind) -> SystemError {
        SystemError { system: self.system.clone(), url: request.shown_url(), kind }
    }

    /// Sends a request that only reads, and again where that may help.
    ///
    /// # Errors
    /// Where no good answer came after all tries.
    pub async fn read(&self, request: &Request) -> Result<Answer, SystemError> {
        self.with_retries(&self.reading, request, ErrorKind::may_pass).await
    }

    /// Sends a request that writes. It is sent again only where it was surely not carried out: no
    /// connection was made, or the system asked to come back later.
    ///
    /// # Errors
    /// Where no good answer came.
    pub async fn write(&self, request: &Request) -> Result<Answer, SystemError> {
        let surely_not_done =
            |kind: &ErrorKind| matches!(kind, ErrorKind::Unreachable(_) | ErrorKind::Throttled { .. });
        self.with_retries(&self.writing, request, surely_not_done).await
    }

    async fn with_retries(
        &self,
        client: &reqwest::Client,
        request: &Request,
        again: impl Fn(&ErrorKind) -> bool,
    ) -> Result<Answer, SystemError> {
        let mut tried = 0;
        loop {
            match self.once(client, request).await {
                Err(kind) if tried < self.limits.retries && again(&kind) => {
                    let pause = pause(&kind, tried);
                    tracing::debug!(system = %self.system, url = request.shown_url(), %kind, ?pause, "trying again");
                    tokio::time::sleep(pause).await;
                    tried += 1;
                }
                result => return result.map_err(|kind| self.error(request, kind)),
            }
        }
    }

    async fn once(&self, client: &reqwest::Client, request: &Request) -> Result<Answer, ErrorKind> {
        let method = match request.method {
            Method::Get => reqwest::Method::GET,
            Method::Post => reqwest::Method::POST,
            Method::Put => reqwest::Method::PUT,
            Method::Patch => reqwest::Method::PATCH,
            Method::Delete => reqwest::Method::DELETE,
        };
        let mut sending = client.request(method, request.url.clone()).headers(headers(request)?);
        if let Some(body) = &request.body {
            sending = sending.header(CONTENT_TYPE, "application/json").body(body.to_string());
        }
        let response = sending.send().await.map_err(|error| self.transport(&error))?;
        let status = response.status().as_u16();
        let text = |name: &str| response.headers().get(name).and_then(|value| value.to_str().ok()).map(str::to_owned);
        let (etag, last_modified, retry_after) = (text("etag"), text("last-modified"), text("retry-after"));
        let body = self.body(response).await?;
        if (200..300).contains(&status) || status == 304 {
            return Ok(Answer { status, etag, last_modified, body });
        }
        let after = retry_after.and_then(|seconds| seconds.trim().parse().ok()).map(Duration::from_secs);
        Err(failure(status, &body, after))
    }

    async fn body(&self, response: reqwest::Response) -> Result<Vec<u8>, ErrorKind> {
        let limit = self.limits.max_bytes;
        if response.content_length().is_some_and(|length| length > limit) {
            return Err(ErrorKind::TooLarge { limit });
        }
        let mut body = Vec::new();
        let mut chunks = response.bytes_stream();
        while let Some(chunk) = chunks.next().await {
            let chunk = chunk.map_err(|error| self.transport(&error))?;
            if (body.len() + chunk.len()) as u64 > limit {
                return Err(ErrorKind::TooLarge { limit });
            }
            body.extend_from_slice(&chunk);
        }
        Ok(body)
    }

    fn transport(&self, error: &reqwest::Error) -> ErrorKind {
        if error.is_redirect() {
            ErrorKind::Redirects(causes(error))
        } else if error.is_connect() {
            ErrorKind::Unreachable(causes(error))
        } else if error.is_timeout() {
            ErrorKind::TimedOut(self.limits.whole)
        } else {
            ErrorKind::Broken(causes(error))
        }
    }
}

fn redirects(most: usize) -> Policy {
    Policy::custom(move |attempt| {
        let came_from = attempt.previous().last();
        if attempt.previous().len() > most {
            attempt.error(format!("more than {most} times; the addresses may lead in a circle"))
        } else if came_from.is_some_and(|from| from.scheme() == "https") && attempt.url().scheme() != "https" {
            attempt.error("from https to plain http")
        } else {
            attempt.follow()
        }
    })
}

fn headers(request: &Request) -> Result<HeaderMap, ErrorKind> {
    let mut headers = HeaderMap::new();
    headers.insert(
        ACCEPT,
        HeaderValue::from_static(
            "application/json, application/feed+json, application/atom+xml, application/rss+xml, */*;q=0.5",
        ),
    );
    for (name, value) in &request.headers {
        let (text, secret) = match value {
            HeaderText::Plain(text) => (text.clone(), false),
            HeaderText::Secret { before, secret } => (format!("{before}{}", secret.expose()), true),
        };
        let refused = || ErrorKind::Content(format!("the header `{name}` has a character that no header can have"));
        let mut value = HeaderValue::from_str(&text).map_err(|_| refused())?;
        value.set_sensitive(secret);
        headers.insert(HeaderName::from_static(name), value);
    }
    Ok(headers)
}

/// Twice as long each time, half of it by chance so that many clients do not come back together.
fn pause(kind: &ErrorKind, tried: u32) -> Duration {
    if let ErrorKind::Throttled { after: Some(after) } = kind {
        return (*after).min(LONGEST_PAUSE);
    }
    let longest = FIRST_PAUSE.saturating_mul(1 << tried.min(8)).min(LONGEST_PAUSE);
    longest.mul_f64(0.5 + fastrand::f64() / 2.0)
}

/// The innermost cause of a transport error, where the reason stands.
fn causes(error: &reqwest::Error) -> String {
    let mut cause: &dyn std::error::Error = error;
    while let Some(inner) = cause.source() {
        cause = inner;
    }
    cause.to_string()
}
