//! Sending requests.

use std::sync::Arc;
use std::time::Duration;

use diaporos_core::value::SystemName;
use jiff::Timestamp;
use reqwest::header::{ACCEPT, CONTENT_TYPE, HeaderMap, HeaderName, HeaderValue};
use secrecy::SecretString;
use url::Url;

use super::answer::{failure, retry_after};
use super::exchange::{BodySink, Exchange, beside};
use super::limits::Limits;
use super::network::{Way, is_named};
use super::pace::Pace;
use super::redirect::redirected;
use super::request::{basic, set_query, shown_url, without_blanks};
use super::retry::{may_wait, pause};
use super::token_cache::{TokenCache, exposed};
use super::ways::{Ways, way_of};
use super::{Answer, AnswerForm, Credential, HeaderText, Method, Request};
use crate::{ErrorKind, SystemError};

/// What takes the body of a good answer, where it is not to be held whole.
type Sink<'a> = Option<&'a mut dyn BodySink>;

/// Sends requests to one system, with its credential.
#[derive(Debug, Clone)]
pub struct Client {
    system: SystemName,
    limits: Limits,
    credential: Option<Credential>,
    tokens: Option<TokenCache>,
    pace: Pace,
    ways: Arc<Ways>,
    form: AnswerForm,
}

impl Client {
    /// A client for a system.
    ///
    /// # Errors
    /// Where TLS cannot be set up on this machine.
    pub fn new(system: SystemName, limits: Limits, credential: Option<Credential>) -> Result<Self, SystemError> {
        // Fails only where a provider is installed already, which is as good.
        let _ = rustls::crypto::ring::default_provider().install_default();
        let tokens = credential.as_ref().and_then(TokenCache::new);
        let pace = limits.pace(&system);
        let ways = Arc::new(Ways::new(limits.clone()));
        let client = Client { system, ways, limits, credential, tokens, pace, form: AnswerForm::Json };
        // What cannot be set up, a certificate that is none, is told before anything is asked.
        match client.ways.client(Way::Direct) {
            Ok(_) => Ok(client),
            Err(kind) => Err(SystemError { system: client.system, url: String::new(), kind }),
        }
    }

    /// The same client for a system whose documents are in a form.
    #[must_use]
    pub fn for_form(self, form: AnswerForm) -> Client {
        Client { form, ..self }
    }

    /// The same client with another credential.
    #[must_use]
    pub fn for_credential(&self, credential: Option<Credential>) -> Client {
        Client { tokens: credential.as_ref().and_then(TokenCache::new), credential, ..self.clone() }
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

    /// The token that is fetched for requests, for what is no request over HTTP.
    ///
    /// # Errors
    /// Where it cannot be had.
    pub(crate) async fn fetched(&self) -> Result<String, ErrorKind> {
        match &self.tokens {
            Some(tokens) => Ok(exposed(&tokens.value(&self.ways, None).await?.0).to_owned()),
            None => Err(ErrorKind::Content("no token is fetched".to_owned())),
        }
    }

    /// The credential, if any.
    #[must_use]
    pub fn credential(&self) -> Option<&Credential> {
        self.credential.as_ref()
    }

    /// How long a fetched credential still lives, where it says so.
    pub async fn credential_lives(&self) -> Option<Duration> {
        match &self.tokens {
            Some(tokens) => tokens.remaining().await,
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
        self.read_by(request, None, &mut None).await
    }

    /// The same, with the body of a good answer given piece by piece to whoever takes it. Where the address
    /// is one that content gave, it leads to no special network, but to hosts that are named.
    ///
    /// # Errors
    /// Where no good answer came after all tries, or what takes the body fails.
    pub(crate) async fn read_into(
        &self,
        request: &Request,
        named: Option<&[String]>,
        sink: &mut dyn BodySink,
    ) -> Result<Answer, SystemError> {
        self.read_by(request, named, &mut Some(sink)).await
    }

    /// The same for an address that content gave: it leads to no special network, but to hosts that are
    /// named.
    ///
    /// # Errors
    /// Where no good answer came after all tries, or it leads inside.
    pub async fn read_given(&self, request: &Request, named: &[String]) -> Result<Answer, SystemError> {
        self.read_by(request, Some(named), &mut None).await
    }

    async fn read_by(
        &self,
        request: &Request,
        given: Option<&[String]>,
        sink: &mut Sink<'_>,
    ) -> Result<Answer, SystemError> {
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
            let answer = self.with_retries((&next, way), ErrorKind::may_pass, sink).await?;
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
        self.write_by(request, true).await
    }

    /// The same to an address that content gave: it leads to no special network, but to hosts that are named.
    ///
    /// # Errors
    /// Where no good answer came, or it leads inside.
    pub(crate) async fn write_given(&self, request: &Request, named: &[String]) -> Result<Answer, SystemError> {
        self.write_by(request, is_named(named, &request.url)).await
    }

    async fn write_by(&self, request: &Request, is_trusted: bool) -> Result<Answer, SystemError> {
        let surely_not_done =
            |kind: &ErrorKind| matches!(kind, ErrorKind::Unreachable(_) | ErrorKind::Throttled { .. });
        let way = way_of(&request.url, is_trusted).map_err(|kind| self.error(request, kind))?;
        let answer = self.with_retries((request, way), surely_not_done, &mut None).await?;
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

    /// Sends a request once, and gives whatever is answered: no status is an error, nothing is tried again, and no
    /// redirect is followed.
    ///
    /// # Errors
    /// Where no answer came.
    pub(crate) async fn ask(&self, request: &Request) -> Result<Answer, SystemError> {
        let asked = async {
            let way = way_of(&request.url, true)?;
            let wanted = request.headers.iter().any(|(_, text)| matches!(text, HeaderText::Fetched { .. }));
            let fetched = match self.tokens.as_ref().filter(|_| wanted) {
                Some(tokens) => Some(tokens.value(&self.ways, None).await?.0),
                None => None,
            };
            self.exchanged(request, way, fetched.as_ref(), &mut None).await
        };
        asked.await.map_err(|kind| self.error(request, kind))
    }

    async fn with_retries(
        &self,
        (request, way): (&Request, Way),
        again: impl Fn(&ErrorKind) -> bool,
        sink: &mut Sink<'_>,
    ) -> Result<Answer, SystemError> {
        let mut tried = 0;
        loop {
            match self.with_credential(request, way, sink).await {
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
    async fn with_credential(&self, request: &Request, way: Way, sink: &mut Sink<'_>) -> Result<Answer, ErrorKind> {
        let wanted = request.headers.iter().any(|(_, text)| matches!(text, HeaderText::Fetched { .. }));
        let Some(tokens) = self.tokens.as_ref().filter(|_| wanted) else {
            return self.once(request, way, None, sink).await;
        };
        let (value, fetch) = tokens.value(&self.ways, None).await?;
        match self.once(request, way, Some(&value), sink).await {
            Err(ErrorKind::Unauthorised { status: 401, .. }) => {}
            // Whose session ended is often shown where to log in, as if that were what was asked for.
            Ok(answer) if answer.is_html() && tokens.is_session() && request.method.reads() && sink.is_none() => {}
            answer => return answer,
        }
        let (value, _) = tokens.value(&self.ways, Some(fetch)).await?;
        self.once(request, way, Some(&value), sink).await
    }

    async fn once(
        &self,
        request: &Request,
        way: Way,
        fetched: Option<&SecretString>,
        sink: &mut Sink<'_>,
    ) -> Result<Answer, ErrorKind> {
        let answer = self.exchanged(request, way, fetched, sink).await?;
        if (200..400).contains(&answer.status) {
            return Ok(answer);
        }
        Err(failure(answer.status, &answer.body, retry_after(&answer)))
    }

    /// Sends a request, and gives whatever is answered.
    async fn exchanged(
        &self,
        request: &Request,
        way: Way,
        fetched: Option<&SecretString>,
        sink: &mut Sink<'_>,
    ) -> Result<Answer, ErrorKind> {
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
        let mut sending = self.ways.client(way)?.request(method, url).headers(headers(request, fetched)?);
        if let Some(body) = &request.body {
            let (bytes, media) = body.bytes();
            sending = sending.header(CONTENT_TYPE, media).body(bytes);
        }
        let exchange = Exchange::of(&self.limits, self.pace.clone());
        let answer = match sink {
            Some(sink) => exchange.given_on(sending, *sink).await,
            None => beside(exchange.held(sending)).await,
        };
        answer.map(|answer| Answer { form: self.form, ..answer })
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
    let mut put = |name: &str, text: &str, is_secret: bool| {
        let refused = || ErrorKind::Content(format!("the header `{name}` has a character that no header can have"));
        let header = HeaderName::try_from(name).map_err(|_| refused())?;
        let mut text = HeaderValue::from_str(text).map_err(|_| refused())?;
        text.set_sensitive(is_secret);
        headers.insert(header, text);
        Ok(())
    };
    for (name, value) in &request.headers {
        let text = match value {
            HeaderText::Signed(signing) => {
                let body = request.body.as_ref().map(|body| body.bytes().0).unwrap_or_default();
                let signed = (request.method.word(), &request.url, body.as_slice());
                for (name, text) in signing.headers(signed, Timestamp::now())? {
                    put(&name, &text, true)?;
                }
                continue;
            }
            HeaderText::Plain(text) => text.clone(),
            HeaderText::Secret { before, secret } => format!("{before}{}", secret.expose()),
            HeaderText::Basic { user, password } => basic(user.expose(), password.expose()),
            HeaderText::Fetched { before } => format!("{before}{}", fetched.map(exposed).unwrap_or_default()),
        };
        put(name, &text, value.is_secret())?;
    }
    Ok(headers)
}
