//! Sending requests.

use std::sync::{Arc, OnceLock};
use std::time::Duration;

use diaporos_core::value::SystemName;
use futures::StreamExt;
use reqwest::header::{ACCEPT, CONTENT_TYPE, HeaderMap, HeaderName, HeaderValue};
use reqwest::redirect::Policy;
use secrecy::SecretString;
use url::Url;

use super::answer::{failure, retry_after};
use super::fetched::{Desk, exposed};
use super::network::{Network, OpenNetwork, Way, is_loopback, is_named, is_special};
use super::pace::Pace;
use super::redirect::redirected;
use super::request::{basic, set_query, shown_url, without_blanks};
use super::{Answer, Body, Credential, HeaderText, Method, Rate, Request};
use crate::blank::{blank, blank_content};
use crate::{ErrorKind, SystemError};

/// What is asked of a system at most.
#[derive(Debug, Clone)]
pub struct Limits {
    /// The most decoded bytes of one answer.
    pub max_bytes: u64,
    /// How long a connection may take.
    pub connect: Duration,
    /// How long it may take until an answer begins.
    pub first_byte: Duration,
    /// How long a request with its answer may take.
    pub whole: Duration,
    /// How often a read, or a write that was surely not done, is tried again.
    pub retries: u32,
    /// How many redirects are followed.
    pub redirects: usize,
    /// How fast it is asked.
    pub rate: Option<Rate>,
    /// How many requests are under way at once.
    pub concurrency: usize,
    /// After how many failures in a row that are the system's fault a push stops.
    pub failures: u32,
    /// How long it may take until a look-up sees what was written.
    pub settles_within: Duration,
    /// How it is reached.
    pub network: Network,
}

impl Default for Limits {
    fn default() -> Self {
        Limits {
            max_bytes: 32 * 1024 * 1024,
            connect: Duration::from_secs(10),
            first_byte: Duration::from_secs(30),
            whole: Duration::from_secs(60),
            retries: 2,
            redirects: 5,
            rate: None,
            concurrency: 8,
            failures: 20,
            settles_within: Duration::from_secs(5),
            network: Network::default(),
        }
    }
}

/// The first pause before trying again; each further one is twice as long.
const FIRST_PAUSE: Duration = Duration::from_millis(200);
/// The longest pause of our own choice.
const LONGEST_PAUSE: Duration = Duration::from_secs(30);
/// The longest that `Retry-After` may ask for and get; whoever asks for more is told of, and waited for by
/// the next run.
const LONGEST_ASKED: Duration = Duration::from_secs(120);

/// Sends requests to one system, with its credential.
#[derive(Debug, Clone)]
pub struct Client {
    system: SystemName,
    limits: Limits,
    credential: Option<Credential>,
    desk: Option<Desk>,
    pace: Pace,
    ways: Arc<Ways>,
}

/// A client for each way, made when the first request goes by it.
#[derive(Debug, Default)]
struct Ways {
    usual: OnceLock<reqwest::Client>,
    direct: OnceLock<reqwest::Client>,
    guarded: OnceLock<reqwest::Client>,
}

impl Ways {
    fn of(&self, way: Way) -> &OnceLock<reqwest::Client> {
        match way {
            Way::Usual => &self.usual,
            Way::Direct => &self.direct,
            Way::Guarded => &self.guarded,
        }
    }
}

impl Client {
    /// A client for a system.
    ///
    /// # Errors
    /// Where TLS cannot be set up on this machine.
    pub fn new(system: SystemName, limits: Limits, credential: Option<Credential>) -> Result<Self, SystemError> {
        // Fails only where a provider is installed already, which is as good.
        let _ = rustls::crypto::ring::default_provider().install_default();
        let desk = credential.as_ref().and_then(Desk::new);
        let pace = Pace::new(limits.rate, limits.concurrency);
        let client = Client { system, limits, credential, desk, pace, ways: Arc::default() };
        // What cannot be set up, a certificate that is none, is told before anything is asked.
        match client.way(Way::Direct) {
            Ok(_) => Ok(client),
            Err(kind) => Err(SystemError { system: client.system, url: String::new(), kind }),
        }
    }

    fn way(&self, way: Way) -> Result<reqwest::Client, ErrorKind> {
        let place = self.ways.of(way);
        if let Some(made) = place.get() {
            return Ok(made.clone());
        }
        let network = &self.limits.network;
        let failed =
            |error: &reqwest::Error| ErrorKind::Unreachable(format!("TLS cannot be set up: {}", causes(error)));
        let mut builder = reqwest::Client::builder()
            .user_agent(concat!("diaporos/", env!("CARGO_PKG_VERSION")))
            .connect_timeout(self.limits.connect)
            .timeout(self.limits.whole)
            .redirect(Policy::none());
        if way != Way::Usual || network.no_proxy {
            builder = builder.no_proxy();
        }
        if way == Way::Guarded {
            builder = builder.dns_resolver(Arc::new(OpenNetwork));
        } else {
            if let Some(pem) = &network.ca_bundle {
                for certificate in reqwest::Certificate::from_pem_bundle(pem).map_err(|error| failed(&error))? {
                    builder = builder.add_root_certificate(certificate);
                }
            }
            if let Some(pem) = &network.client_certificate {
                let identity = reqwest::Identity::from_pem(pem.expose().as_bytes()).map_err(|error| failed(&error))?;
                builder = builder.identity(identity);
            }
        }
        let made = builder.build().map_err(|error| failed(&error))?;
        Ok(place.get_or_init(|| made).clone())
    }

    /// A client for the place where a credential is fetched.
    pub(super) fn to_fetch(&self, url: &Url) -> Result<reqwest::Client, ErrorKind> {
        self.way(way_of(url, true)?)
    }

    /// The system's name.
    #[must_use]
    pub fn system(&self) -> &SystemName {
        &self.system
    }

    /// What is asked of the system at most.
    #[must_use]
    pub fn limits(&self) -> &Limits {
        &self.limits
    }

    /// A request with the system's credential.
    #[must_use]
    pub fn request(&self, method: Method, url: Url) -> Request {
        let request = Request::new(method, url).credential(self.credential.as_ref());
        self.with_own_headers(request)
    }

    /// The request with the headers that the system asks for of every one.
    fn with_own_headers(&self, mut request: Request) -> Request {
        request.headers.extend(self.limits.network.headers.iter().cloned());
        request
    }

    /// The credential, if any.
    #[must_use]
    pub fn credential(&self) -> Option<&Credential> {
        self.credential.as_ref()
    }

    /// How long a fetched credential still lives, where it says so.
    pub async fn credential_lives(&self) -> Option<Duration> {
        match &self.desk {
            Some(desk) => desk.remaining().await,
            None => None,
        }
    }

    /// An error of this system at a request.
    #[must_use]
    pub fn error(&self, request: &Request, kind: ErrorKind) -> SystemError {
        SystemError { system: self.system.clone(), url: request.shown_url(), kind }
    }

    /// Sends a request that only reads, follows redirects, and tries again where that may help.
    ///
    /// # Errors
    /// Where no good answer came after all tries.
    pub async fn read(&self, request: &Request) -> Result<Answer, SystemError> {
        self.read_by(request, None).await
    }

    /// The same for an address that content gave: it leads to no special network, but to hosts that are
    /// named.
    ///
    /// # Errors
    /// Where no good answer came after all tries, or it leads inside.
    pub async fn read_given(&self, request: &Request, named: &[String]) -> Result<Answer, SystemError> {
        self.read_by(request, Some(named)).await
    }

    async fn read_by(&self, request: &Request, given: Option<&[String]>) -> Result<Answer, SystemError> {
        let mut next = request.clone();
        let mut permanent = true;
        let mut moved = None;
        for _ in 0..=self.limits.redirects {
            let is_trusted = match given {
                Some(named) => is_named(named, &next.url),
                // Where a redirect leads, the other side says.
                None => next.url.host() == request.url.host() || is_named(&self.limits.network.hosts, &next.url),
            };
            let way = way_of(&next.url, is_trusted).map_err(|kind| self.error(&next, kind))?;
            let answer = self.with_retries(&next, way, ErrorKind::may_pass).await?;
            if !answer.is_redirect() {
                return Ok(Answer { moved, ..answer });
            }
            next = redirected(&next, answer.header("location")).map_err(|kind| self.error(request, kind))?;
            // Only where every step is for good is the new address one to keep.
            permanent &= matches!(answer.status, 301 | 308);
            moved = permanent.then(|| next.url.clone());
        }
        let most = self.limits.redirects;
        let message = format!("more than {most} times; the addresses may lead in a circle");
        Err(self.error(request, ErrorKind::Redirects(message)))
    }

    /// Sends a request that writes. It is sent again only where it was surely not carried out: no
    /// connection was made, or the system asked to come back later.
    ///
    /// # Errors
    /// Where no good answer came.
    pub async fn write(&self, request: &Request) -> Result<Answer, SystemError> {
        let surely_not_done =
            |kind: &ErrorKind| matches!(kind, ErrorKind::Unreachable(_) | ErrorKind::Throttled { .. });
        let way = way_of(&request.url, true).map_err(|kind| self.error(request, kind))?;
        let answer = self.with_retries(request, way, surely_not_done).await?;
        if answer.is_redirect() {
            let target = answer.header("location").and_then(|place| request.url.join(place).ok());
            let status = answer.status;
            let differs_by_slash = |target: &Url| {
                let (one, other) = (request.url.path(), target.path());
                one != other && one.trim_end_matches('/') == other.trim_end_matches('/')
            };
            let message = match target {
                Some(target) if differs_by_slash(&target) => {
                    let (has, path) = if target.path().ends_with('/') { ("with", "…/") } else { ("without", "…") };
                    format!(
                        "with {status} to the same path {has} a closing slash, and writes are not redirected; write the call {has} one (`{path}`) in the profile"
                    )
                }
                Some(target) => format!("with {status} to {}, and writes are not redirected", shown_url(&target)),
                None => format!("with {status}, and writes are not redirected"),
            };
            return Err(self.error(request, ErrorKind::Redirects(message)));
        }
        Ok(answer)
    }

    async fn with_retries(
        &self,
        request: &Request,
        way: Way,
        again: impl Fn(&ErrorKind) -> bool,
    ) -> Result<Answer, SystemError> {
        let mut tried = 0;
        loop {
            match self.with_credential(request, way).await {
                Err(kind) if tried < self.limits.retries && again(&kind) && may_wait(&kind) => {
                    let pause = pause(&kind, tried);
                    tracing::debug!(system = %self.system, url = request.shown_url(), %kind, ?pause, "trying again");
                    tokio::time::sleep(pause).await;
                    tried += 1;
                }
                result => return result.map_err(|kind| self.error(request, kind)),
            }
        }
    }

    /// Sends a request with what was fetched for it. Where that is not accepted (401), it is
    /// fetched once more; a refusal (403) is an answer.
    async fn with_credential(&self, request: &Request, way: Way) -> Result<Answer, ErrorKind> {
        let wanted = request.headers.iter().any(|(_, text)| matches!(text, HeaderText::Fetched { .. }));
        let Some(desk) = self.desk.as_ref().filter(|_| wanted) else {
            return self.once(request, way, None).await;
        };
        let (value, fetch) = desk.value(self, None).await?;
        match self.once(request, way, Some(&value)).await {
            Err(ErrorKind::Unauthorised { status: 401, .. }) => {
                let (value, _) = desk.value(self, Some(fetch)).await?;
                self.once(request, way, Some(&value)).await
            }
            answer => answer,
        }
    }

    async fn once(&self, request: &Request, way: Way, fetched: Option<&SecretString>) -> Result<Answer, ErrorKind> {
        let _place = self.pace.turn().await;
        let method = match request.method {
            Method::Get => reqwest::Method::GET,
            Method::Post => reqwest::Method::POST,
            Method::Put => reqwest::Method::PUT,
            Method::Patch => reqwest::Method::PATCH,
            Method::Delete => reqwest::Method::DELETE,
            Method::Head => reqwest::Method::HEAD,
            // RFC 4918's, which the HTTP library knows by name alone.
            other => reqwest::Method::from_bytes(other.word().as_bytes()).unwrap_or_default(),
        };
        let mut url = request.url.clone();
        without_blanks(&mut url);
        if let Some((name, secret)) = &request.secret_query {
            set_query(&mut url, name, secret.expose());
        }
        let mut sending = self.way(way)?.request(method, url).headers(headers(request, fetched)?);
        if let Some(body) = &request.body {
            let bytes = match body {
                Body::Json(json, _) => json.to_string().into_bytes(),
                Body::Bytes(bytes, _) => bytes.clone(),
            };
            sending = sending.header(CONTENT_TYPE, body.media()).body(bytes);
        }
        let begun = tokio::time::timeout(self.limits.first_byte, sending.send()).await;
        let response = match begun {
            Ok(response) => response.map_err(|error| self.transport(&error))?,
            Err(_) => return Err(ErrorKind::TimedOut(self.limits.first_byte)),
        };
        let status = response.status().as_u16();
        let pairs = response.headers().iter();
        let pairs = pairs
            .filter_map(|(name, value)| Some((name.as_str().to_owned(), blank(value.to_str().ok()?).into_owned())));
        let headers: Vec<(String, String)> = pairs.collect();
        // What an answer echoes goes no further, into no message, no store and no next address.
        let body = blank_content(self.body(response).await?);
        let answer = Answer { status, headers, body, moved: None };
        if (200..400).contains(&status) {
            return Ok(answer);
        }
        Err(failure(status, &answer.body, retry_after(&answer)))
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
        if error.is_connect() {
            ErrorKind::Unreachable(causes(error))
        } else if error.is_timeout() {
            ErrorKind::TimedOut(self.limits.whole)
        } else {
            ErrorKind::Broken(causes(error))
        }
    }
}

/// By which way an address is asked.
fn way_of(url: &Url, is_trusted: bool) -> Result<Way, ErrorKind> {
    match (is_trusted, is_loopback(url)) {
        (true, true) => Ok(Way::Direct),
        (true, false) => Ok(Way::Usual),
        (false, _) if is_special(url) => {
            let host = url.host_str().unwrap_or_default();
            Err(ErrorKind::Refused(format!("it leads to {host}, which is no address of the open network")))
        }
        (false, _) => Ok(Way::Guarded),
    }
}

fn headers(request: &Request, fetched: Option<&SecretString>) -> Result<HeaderMap, ErrorKind> {
    let mut headers = HeaderMap::new();
    headers.insert(
        ACCEPT,
        HeaderValue::from_static(
            "application/json, application/feed+json, application/atom+xml, application/rss+xml, */*;q=0.5",
        ),
    );
    for (name, value) in &request.headers {
        let text = match value {
            HeaderText::Plain(text) => text.clone(),
            HeaderText::Secret { before, secret } => format!("{before}{}", secret.expose()),
            HeaderText::Basic { user, password } => basic(user.expose(), password.expose()),
            HeaderText::Fetched { before } => format!("{before}{}", fetched.map(exposed).unwrap_or_default()),
        };
        let refused = || ErrorKind::Content(format!("the header `{name}` has a character that no header can have"));
        let header = HeaderName::try_from(name.as_str()).map_err(|_| refused())?;
        let mut text = HeaderValue::from_str(&text).map_err(|_| refused())?;
        text.set_sensitive(value.is_secret());
        headers.insert(header, text);
    }
    Ok(headers)
}

/// Whether it is worth waiting as long as the other side asks.
fn may_wait(kind: &ErrorKind) -> bool {
    !matches!(kind, ErrorKind::Throttled { after: Some(after) } if *after > LONGEST_ASKED)
}

/// Twice as long each time, half of it by chance so that many clients do not come back together.
fn pause(kind: &ErrorKind, tried: u32) -> Duration {
    if let ErrorKind::Throttled { after: Some(after) } = kind {
        return *after;
    }
    let longest = FIRST_PAUSE.saturating_mul(1 << tried.min(8)).min(LONGEST_PAUSE);
    longest.mul_f64(0.5 + fastrand::f64() / 2.0)
}

/// The innermost cause of a transport error, where the reason stands.
pub(super) fn causes(error: &reqwest::Error) -> String {
    let mut cause: &dyn std::error::Error = error;
    while let Some(inner) = cause.source() {
        cause = inner;
    }
    blank(&cause.to_string()).into_owned()
}
