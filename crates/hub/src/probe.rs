//! Probe: does a system answer, with what credential, and what is there.

use std::time::Duration;

use diaporos_core::value::{SystemName, TypeName};
use diaporos_systems::http::{Answer, Client, Request, is_loopback};
use diaporos_systems::settings::{CredentialReference, Credentials, PartText};
use diaporos_systems::{Ask, Page, PageContent, Read, SystemError};
use jiff::Timestamp;
use url::Url;

use crate::Connector;
use crate::config::Config;

/// How long looking up a name, and connecting, may take.
const PATIENCE: Duration = Duration::from_secs(10);

/// How a finding is to be taken.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Verdict {
    /// As it should be.
    Good,
    /// Worth knowing.
    Note,
    /// To be mended, though it works.
    Warning,
    /// It does not work.
    Bad,
}

impl Verdict {
    /// The verdict's word.
    #[must_use]
    pub fn word(self) -> &'static str {
        match self {
            Verdict::Good => "good",
            Verdict::Note => "note",
            Verdict::Warning => "warning",
            Verdict::Bad => "bad",
        }
    }
}

/// One thing that was looked at.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct ProbeRow {
    /// What.
    pub what: String,
    /// How it is to be taken.
    pub verdict: Verdict,
    /// What was found.
    pub found: String,
}

/// What is said of a type whose updates cannot be guarded.
pub const UNGUARDED: &str = "updates are not guarded: its profile has no `if_match` and no `lock`; each document is read just before it is written, and an edit made in that moment is written over";

/// The types of a system that lanes write to, and whose updates cannot be guarded.
#[must_use]
pub fn unguarded(config: &Config, name: &SystemName) -> Vec<TypeName> {
    let Some(profile) = config.systems.get(name).and_then(|system| system.profile()) else { return Vec::new() };
    let own = config.lanes.values().map(|lane| &lane.lane.to).filter(|end| end.system == *name);
    let mut kinds: Vec<TypeName> =
        own.filter(|end| profile.guards_updates(&end.kind) == Some(false)).map(|end| end.kind.clone()).collect();
    kinds.sort();
    kinds.dedup();
    kinds
}

/// The proxy that requests to an address go by, as the environment names it: never to this machine.
fn proxy(config: &Config, connector: &Connector<'_>, name: &SystemName, url: &Url) -> Option<String> {
    let is_off = config.systems.get(name).is_some_and(|system| system.network.no_proxy);
    if is_off || is_loopback(url) {
        return None;
    }
    let own = if url.scheme() == "https" { ["HTTPS_PROXY", "https_proxy"] } else { ["HTTP_PROXY", "http_proxy"] };
    let names = own.into_iter().chain(["ALL_PROXY", "all_proxy"]);
    names.into_iter().find(|name| connector.is_set(name)).map(str::to_owned)
}

/// Looks at a system from the network up; nothing is changed there or in the store.
pub async fn probe(config: &Config, connector: &Connector<'_>, name: &SystemName, now: Timestamp) -> Vec<ProbeRow> {
    let mut probe = Probe { config, connector, name, rows: Vec::new(), now };
    probe.warnings();
    match connector.reader(name) {
        Err(error) => probe.row("set up", Verdict::Bad, error.to_string()),
        Ok(reader) if reader.types().is_empty() => probe.destination(connector, reader.as_ref()).await,
        Ok(reader) => probe.source(reader.as_ref()).await,
    }
    probe.rows
}

struct Probe<'a> {
    config: &'a Config,
    connector: &'a Connector<'a>,
    name: &'a SystemName,
    rows: Vec<ProbeRow>,
    now: Timestamp,
}

impl Probe<'_> {
    fn row(&mut self, what: impl Into<String>, verdict: Verdict, found: impl Into<String>) {
        self.rows.push(ProbeRow { what: what.into(), verdict, found: found.into() });
    }

    async fn source(&mut self, reader: &dyn Read) {
        let requests = reader.first_requests();
        let mut places: Vec<&Url> = Vec::new();
        for request in &requests {
            if !places.iter().any(|known| known.origin() == request.url.origin()) {
                places.push(&request.url);
            }
        }
        for place in places {
            if !self.reach(place).await {
                return;
            }
        }
        if let (Some(client), Some(request)) = (reader.client(), requests.first()) {
            self.plain_http(request);
            if !self.answer(client, request).await {
                return;
            }
        }
        for kind in reader.types() {
            // Of documents that are read apart, each may be well or not.
            let documents = reader.documents().into_iter().map(|document| (document.called, document.cursor));
            let mut starts: Vec<(String, Option<String>)> = documents.collect();
            if starts.is_empty() {
                starts.push((format!("type {kind}"), None));
            }
            for (what, cursor) in starts {
                let ask = Ask { kind: &kind, cursor: cursor.as_deref(), since: None, now: self.now, moved: None };
                match reader.page(ask, None).await {
                    Err(error) => self.row(what, Verdict::Bad, error.to_string()),
                    Ok(page) => {
                        let (verdict, said) = first_page(&page);
                        self.row(what, verdict, said);
                    }
                }
            }
        }
        if let Some(lives) = match reader.client() {
            Some(client) => client.credential_lives().await,
            None => None,
        } {
            self.row("token", Verdict::Note, format!("is renewed in {} s", lives.as_secs()));
        }
    }

    /// A system that is only written to: whether it answers at all. Nothing is asked with the
    /// credential for writing.
    async fn destination(&mut self, connector: &Connector<'_>, reader: &dyn Read) {
        match connector.address(self.name) {
            Err(error) => self.row("set up", Verdict::Bad, error.to_string()),
            Ok(None) => self.described(reader).await,
            Ok(Some(url)) => {
                self.insecure(&url, "write");
                if self.reach(&url).await {
                    let writer = connector.writer(self.name).map(drop);
                    match writer {
                        Ok(()) => {
                            self.row("credential", Verdict::Note, "is there; only a push can tell what it may do");
                        }
                        Err(error) => self.row("credential", Verdict::Bad, error.to_string()),
                    }
                }
            }
        }
    }

    /// What a destination without an address over HTTP says of itself.
    async fn described(&mut self, reader: &dyn Read) {
        match reader.described().await {
            Err(error) => self.row("types", Verdict::Bad, error.to_string()),
            Ok(Some(model)) => {
                for (kind, known) in model.types {
                    self.row(
                        format!("type {kind}"),
                        Verdict::Good,
                        format!("is there, with {} fields", known.fields.len()),
                    );
                }
            }
            Ok(None) => {
                let profile = self.config.systems.get(self.name).and_then(|system| system.profile());
                let writes = profile.is_some_and(|profile| profile.type_names().any(|kind| profile.writes(kind)));
                let (verdict, found) = match writes {
                    true => (Verdict::Note, "are only written; only a push can tell whether that works"),
                    false => (Verdict::Warning, "its profile describes nothing to read or write"),
                };
                self.row("types", verdict, found);
            }
        }
    }

    /// DNS and TCP, told apart.
    async fn reach(&mut self, url: &Url) -> bool {
        let (Some(host), Some(port)) = (url.host_str(), url.port_or_known_default()) else {
            self.row("address", Verdict::Bad, format!("`{url}` has no host"));
            return false;
        };
        let host = host.trim_matches(['[', ']']).to_owned();
        let looked_up = tokio::time::timeout(PATIENCE, tokio::net::lookup_host((host.clone(), port))).await;
        let address = match looked_up {
            Err(_) => {
                self.row("DNS", Verdict::Bad, format!("no answer for {host} within {} s", PATIENCE.as_secs()));
                return false;
            }
            Ok(Err(error)) => {
                self.row("DNS", Verdict::Bad, format!("{host} has no address: {error}"));
                return false;
            }
            Ok(Ok(mut addresses)) => match addresses.next() {
                Some(address) => address,
                None => {
                    self.row("DNS", Verdict::Bad, format!("{host} has no address"));
                    return false;
                }
            },
        };
        self.row("DNS", Verdict::Good, format!("{host} is {}", address.ip()));
        if let Some(variable) = proxy(self.config, self.connector, self.name, url) {
            let found = format!("{variable} is set: requests go by that proxy; `proxy = false` switches it off");
            self.row("proxy", Verdict::Note, found);
        }
        match tokio::time::timeout(PATIENCE, tokio::net::TcpStream::connect(address)).await {
            Ok(Ok(_)) => {
                self.row("TCP", Verdict::Good, format!("{address} accepts connections"));
                true
            }
            Ok(Err(error)) => {
                self.row("TCP", Verdict::Bad, format!("{address}: {error}"));
                false
            }
            Err(_) => {
                self.row("TCP", Verdict::Bad, format!("{address}: no connection within {} s", PATIENCE.as_secs()));
                false
            }
        }
    }

    /// TLS, HTTP and the credential, told apart; and what the headers tell.
    async fn answer(&mut self, client: &Client, request: &Request) -> bool {
        let secure = request.url.scheme() == "https";
        match client.read(request).await {
            Ok(answer) => {
                if secure {
                    self.row("TLS", Verdict::Good, "the certificate is good");
                }
                self.row("HTTP", Verdict::Good, format!("answers {}", answer.status));
                if let Some(credential) = client.credential() {
                    self.row("credential", Verdict::Good, format!("accepted: {credential}"));
                }
                self.headers(&answer);
                true
            }
            Err(SystemError { kind, .. }) => {
                let what = match &kind {
                    diaporos_systems::ErrorKind::Unreachable(_) if secure => "TLS",
                    diaporos_systems::ErrorKind::Unauthorised { .. } | diaporos_systems::ErrorKind::NoToken(_) => {
                        "credential"
                    }
                    _ => "HTTP",
                };
                self.row(what, Verdict::Bad, kind.to_string());
                false
            }
        }
    }

    fn headers(&mut self, answer: &Answer) {
        let date = answer.header("date").and_then(|text| jiff::fmt::rfc2822::parse(text).ok());
        if let Some(date) = date {
            let divergences = self.now.duration_since(date.timestamp()).as_secs();
            let verdict = if divergences.abs() > 60 { Verdict::Warning } else { Verdict::Good };
            let found = match divergences {
                -2..=2 => "the same as ours".to_owned(),
                ahead if ahead < 0 => format!("{} s ahead of ours", -ahead),
                behind => format!("{behind} s behind ours"),
            };
            self.row("clock", verdict, found);
        }
        let limits = answer.headers.iter().filter(|(name, _)| {
            name.starts_with("ratelimit") || name.starts_with("x-ratelimit") || name.starts_with("x-rate-limit")
        });
        let limits: Vec<String> = limits.map(|(name, value)| format!("{name}: {value}")).collect();
        if !limits.is_empty() {
            self.row("rate limit", Verdict::Note, limits.join("; "));
        }
    }

    fn plain_http(&mut self, request: &Request) {
        if request.has_secret() {
            self.insecure(&request.url, "read");
        }
    }

    fn insecure(&mut self, url: &Url, credential: &str) {
        if url.scheme() == "http" && !is_loopback(url) {
            let found = format!(
                "the credential `{credential}` would cross plain http to {}",
                url.host_str().unwrap_or_default()
            );
            self.row("plain http", Verdict::Warning, found);
        }
    }

    /// What the configuration alone tells.
    fn warnings(&mut self) {
        let Some(system) = self.config.systems.get(self.name) else { return };
        for kind in unguarded(self.config, self.name) {
            self.row(format!("type {kind}"), Verdict::Note, UNGUARDED);
        }
        let Credentials { read, write } = system.credentials();
        if let (Some(read), Some(write)) = (read, write)
            && read == write
        {
            self.row("credentials", Verdict::Warning, "`read` and `write` are the same: what reads could write");
        }
        if let Some(CredentialReference::OAuth { scope: Some(scope), .. }) = read
            && scope.split_whitespace().any(|word| word.to_lowercase().contains("write"))
        {
            self.row(
                "credentials",
                Verdict::Warning,
                format!("`read` asks for the scope `{scope}`, which could write"),
            );
        }
        let written = self.config.lanes.values().any(|lane| lane.lane.to.system == *self.name);
        let ordered = self.config.briefs_of(self.name).next().is_some();
        if write.is_some() && !written && !ordered {
            self.row("credentials", Verdict::Warning, "`write` is there, and nothing is sent to this system");
        }
        let named = |credential: Option<&CredentialReference>| {
            matches!(credential, Some(CredentialReference::Basic { user: PartText::Plain(_), .. }))
        };
        if named(read) || named(write) {
            self.row(
                "credentials",
                Verdict::Note,
                "a user's name stands in the configuration; only its password is secret",
            );
        }
    }
}

/// What the first page of a listing shows, and whether anything is wrong with it.
fn first_page(page: &Page) -> (Verdict, String) {
    let PageContent::Entries { entries, problems, mark } = &page.content else {
        return (Verdict::Good, "0 entries".to_owned());
    };
    let total = mark.counts.total.map_or(String::new(), |total| format!(" of {total}"));
    let more = if page.next.is_some() { ", and there are more pages" } else { "" };
    let faulty =
        problems.first().map(|first| format!("; {} cannot be read: {} {}", problems.len(), first.item, first.message));
    let doubt = page.doubt.as_ref().map(|doubt| format!("; {doubt}"));
    let verdict = if faulty.is_some() || doubt.is_some() { Verdict::Warning } else { Verdict::Good };
    let said = [Some(format!("{}{total} entries{more}", entries.len())), faulty, doubt];
    (verdict, said.into_iter().flatten().collect())
}
