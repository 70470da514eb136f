//! How the configuration says a system is reached.

use std::path::{Path, PathBuf};

use diaporos_core::diagnostic::{Code, Diagnostic, Report};
use diaporos_core::settings;
use diaporos_core::settings::forms::FILE;
use diaporos_core::settings::{Form, InnerText, Item, Section, Setting, Table};

use super::forms::{HOST, PART, SECRET};
use super::path::{PathFault, within};
use super::reference::{PartText, part};
use crate::SecretReference;

/// How a system is reached.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct NetworkConfig {
    /// Other hosts that its answers may lead to.
    pub hosts: Vec<String>,
    /// Whether proxies of the environment are passed by.
    pub no_proxy: bool,
    /// Whether a credential may cross plain http.
    pub plain_http: bool,
    /// A file of certificates that are trusted beside the machine's.
    pub ca_bundle: Option<PathBuf>,
    /// Where a certificate of ours is kept, with its key.
    pub client_certificate: Option<SecretReference>,
    /// Headers of every request.
    pub headers: Vec<(String, PartText)>,
    /// Hosts that files of entries may be fetched from although they are special ones.
    pub asset_hosts: Vec<String>,
    /// Whether pictures that are documents (SVG) are delivered, cleaned.
    pub svg: bool,
}

/// How what is asked at one address is reached.
pub(crate) const REACHED: &[Setting] = settings![
    headers: Form::Named(&PART), none, "headers of every request", "{ x-site = \"3\", x-tenant = \"env:TENANT\" }";
    plain_http: Form::Boolean, usual "false", "whether the credential may cross plain http to another machine", "true";
    proxy: Form::Boolean, usual "true", "whether the proxies count that `HTTPS_PROXY`, `HTTP_PROXY` and `ALL_PROXY` name; requests to this machine go by none", "false";
    ca_bundle: FILE, none, "certificates (PEM) that are trusted beside the machine's", "certificates.pem";
    client_certificate: SECRET, none, "a certificate of ours with its key (PEM)", "file:hub.pem";
];
/// How a system is reached.
pub(super) const NETWORK: &[Setting] = settings![
    hosts: Form::OneOrMany(&HOST), none, "other hosts that its answers may lead to: next pages, redirects into special networks; the credential goes to none of them", "[\"media.ostrel.example\"]";
    assets: Form::Table(&ASSETS), none, "which files of entries are fetched", "{ svg = true }";
];

static ASSETS: Table = Table::new(
    "assets of a system",
    &[settings![
        hosts: Form::OneOrMany(&HOST), none, "hosts that files of entries may be fetched from although they are of a special network", "[\"127.0.0.1\"]";
        svg: Form::Boolean, usual "false", "whether SVG is delivered, cleaned", "true";
    ]],
);

/// Headers that the program sets itself.
const OURS: [&str; 8] = [
    "authorization",
    "cookie",
    "host",
    "content-length",
    "content-type",
    "if-match",
    "if-none-match",
    "transfer-encoding",
];

/// Reads how a system is reached.
pub fn network(table: &mut Section<'_>, folder: &Path, report: &mut Report) -> NetworkConfig {
    let hosts = hosts(table, report);
    let (mut asset_hosts, mut svg) = (Vec::new(), false);
    if let Some(mut assets) = table.section("assets", report) {
        asset_hosts = self::hosts(&mut assets, report);
        svg = assets.boolean("svg", report);
        assets.finish(report);
    }
    NetworkConfig { hosts, asset_hosts, svg, ..reached(table, folder, report) }
}

/// Reads how what is asked at one address is reached.
pub(crate) fn reached(table: &mut Section<'_>, folder: &Path, report: &mut Report) -> NetworkConfig {
    let no_proxy = !table.boolean("proxy", report);
    let plain_http = table.boolean("plain_http", report);
    let ca_bundle = table.text("ca_bundle", report).and_then(|item| {
        let found = within(folder, item.value.as_str()).and_then(|path| match path.is_file() {
            true => Ok(path),
            false => Err(PathFault::Missing),
        });
        found.map_err(|fault| report.add(fault.told(&item, "the certificates"))).ok()
    });
    let client_certificate = table.text("client_certificate", report).and_then(|item| {
        let read = SecretReference::read(item.value.as_str());
        if read.is_none() {
            let finding = Diagnostic::error(Code::ClearSecret, item.span, "a certificate's key is a secret");
            report.add(finding.label("hidden here").help("write `file:PATH` or `env:NAME`"));
        }
        read
    });
    let headers = headers(table, report);
    NetworkConfig { no_proxy, plain_http, ca_bundle, client_certificate, headers, ..NetworkConfig::default() }
}

fn hosts(table: &mut Section<'_>, report: &mut Report) -> Vec<String> {
    let mut hosts = Vec::new();
    for item in table.text_or_texts("hosts", report) {
        let text = item.value.as_str();
        if text.is_empty() || text.contains(['/', '*', '@', ' ']) {
            report.add(wrong(&item, "is not a host").help("a host's name alone, as `media.ostrel.example`"));
        } else {
            hosts.push(text.to_ascii_lowercase());
        }
    }
    hosts
}

fn headers(table: &mut Section<'_>, report: &mut Report) -> Vec<(String, PartText)> {
    let Some(mut section) = table.section("headers", report) else { return Vec::new() };
    let mut headers = Vec::new();
    for name in section.names() {
        let Some(item) = section.named_text(&name.value, report) else { continue };
        let known = name.value.to_ascii_lowercase();
        let is_token =
            !known.is_empty() && known.chars().all(|c| c.is_ascii_alphanumeric() || "!#$%&'*+-.^_`|~".contains(c));
        if !is_token || OURS.contains(&known.as_str()) {
            let message = format!("`{known}` is no header of the system's own");
            report.add(
                Diagnostic::error(Code::BadValue, name.span, message)
                    .help("credentials stand under `read` and `write`, and the rest is set by the program"),
            );
            continue;
        }
        headers.push((known, part(&item)));
    }
    headers
}

fn wrong(item: &Item<InnerText>, what: &str) -> Diagnostic {
    Diagnostic::error(Code::BadValue, item.span.clone(), format!("`{}` {what}", item.value.as_str()))
}
