//! The systems of the configuration.

use std::collections::BTreeMap;
use std::path::Path;

use diaporos_core::diagnostic::{Code, Diagnostic, Report, Source};
use diaporos_core::model::Model;
use diaporos_core::settings::Section;
use diaporos_core::value::SystemName;
use diaporos_systems::http::{Limits, is_loopback};
use diaporos_systems::{LanguageCodes, Profile, ProfileKind, read_profile};
use diaporos_systems::{feed, ninjs};
use indexmap::IndexMap;

use super::credential::{self, CredentialReference};
use super::feeds::{self, FeedConfig};
use super::path::read_within;
use super::reference::{PlaceText, place};
use super::{NetworkConfig, limits, network};

/// A system of the configuration.
#[derive(Debug, Clone)]
pub struct SystemConfig {
    /// What kind it is, with what that kind needs.
    pub kind: SystemKind,
    /// What is asked of it at most.
    pub limits: Limits,
    /// How it is reached.
    pub network: NetworkConfig,
}

impl SystemConfig {
    /// Whether the system can be asked for its types and their fields.
    #[must_use]
    pub fn describes_itself(&self) -> bool {
        matches!(self.kind, SystemKind::Graphql(_))
    }

    /// Its profile, where it has one.
    #[must_use]
    pub fn profile(&self) -> Option<&Profile> {
        match &self.kind {
            SystemKind::Feed(_) | SystemKind::Ninjs(_) => None,
            SystemKind::Rest(rest) | SystemKind::Webdav(rest) | SystemKind::Docstore(rest) => Some(&rest.profile),
            SystemKind::Files(files) => Some(&files.profile),
            SystemKind::Graphql(graphql) => Some(&graphql.profile),
        }
    }

    /// What is known of the fields of its types.
    #[must_use]
    pub fn model(&self) -> &Model {
        match (&self.kind, self.profile()) {
            (_, Some(profile)) => profile.model(),
            (SystemKind::Ninjs(_), None) => ninjs::model(),
            (_, None) => feed::model(),
        }
    }

    /// Its languages, where it has a table of them.
    #[must_use]
    pub fn languages(&self) -> Option<&LanguageCodes> {
        match &self.kind {
            SystemKind::Feed(_) | SystemKind::Ninjs(_) => None,
            SystemKind::Rest(rest) | SystemKind::Webdav(rest) | SystemKind::Docstore(rest) => Some(&rest.languages),
            SystemKind::Files(files) => Some(&files.languages),
            SystemKind::Graphql(graphql) => Some(&graphql.languages),
        }
    }

    /// Reports a credential that would cross plain http to another machine.
    fn in_clear(&self, table: &Section<'_>, report: &mut Report) {
        let (place, has_credential) = match &self.kind {
            SystemKind::Rest(rest) | SystemKind::Webdav(rest) | SystemKind::Docstore(rest) => {
                (Some(&rest.url), rest.read.is_some() || rest.write.is_some())
            }
            SystemKind::Graphql(graphql) => (Some(&graphql.url), graphql.read.is_some()),
            SystemKind::Ninjs(ninjs) => (ninjs.documents.first().map(|(_, place)| place), ninjs.read.is_some()),
            SystemKind::Feed(_) | SystemKind::Files(_) => return,
        };
        let Some(PlaceText::Plain(text)) = place else { return };
        let crosses = url::Url::parse(text).is_ok_and(|url| url.scheme() == "http" && !is_loopback(&url));
        if crosses && has_credential && !self.network.plain_http {
            let span = table.place(&["url"]).unwrap_or_else(|| table.span());
            let finding =
                Diagnostic::error(Code::PlainHttp, span, "a credential would cross plain http to another machine");
            report.add(finding.help("use https; where the network between is safe, say `plain_http = true`"));
        }
    }

    /// Whether there is anything to pull.
    #[must_use]
    pub fn can_be_read(&self) -> bool {
        match self.profile() {
            None => true,
            Some(profile) => profile.type_names().any(|kind| profile.reads(kind)),
        }
    }
}

/// The kinds of systems.
#[derive(Debug, Clone)]
pub enum SystemKind {
    /// Feeds, each under a name.
    Feed(Vec<FeedConfig>),
    /// JSON over HTTP.
    Rest(Box<RestSystem>),
    /// A folder of files.
    Files(Box<FilesSystem>),
    /// GraphQL.
    Graphql(Box<GraphqlSystem>),
    /// News items as documents.
    Ninjs(Box<NinjsSystem>),
    /// Files on a WebDAV server.
    Webdav(Box<RestSystem>),
    /// A document database.
    Docstore(Box<RestSystem>),
}

const KINDS: [&str; 7] = ["feed", "rest", "files", "graphql", "ninjs", "webdav", "docstore"];

/// What documents of news items need.
#[derive(Debug, Clone)]
pub struct NinjsSystem {
    /// The documents, each under a name.
    pub documents: Vec<(String, PlaceText)>,
    /// The credential for reading.
    pub read: Option<CredentialReference>,
}

/// What a system with a profile needs that is reached over HTTP.
#[derive(Debug, Clone)]
pub struct RestSystem {
    /// Where it is.
    pub url: PlaceText,
    /// How it is read and written.
    pub profile: Profile,
    /// Its language codes.
    pub languages: LanguageCodes,
    /// The credential for reading.
    pub read: Option<CredentialReference>,
    /// The credential for writing.
    pub write: Option<CredentialReference>,
    /// What others read of whose our locks are, where the kind has locks of its own.
    pub lock_owner: Option<String>,
}

/// What a folder of files needs.
#[derive(Debug, Clone)]
pub struct FilesSystem {
    /// Where it is.
    pub folder: PlaceText,
    /// How its files are read.
    pub profile: Profile,
    /// Its language codes.
    pub languages: LanguageCodes,
}

/// What a GraphQL system needs.
#[derive(Debug, Clone)]
pub struct GraphqlSystem {
    /// Where it is.
    pub url: PlaceText,
    /// How it is read.
    pub profile: Profile,
    /// The text of each query file that the profile names.
    pub queries: IndexMap<String, String>,
    /// Its language codes.
    pub languages: LanguageCodes,
    /// The credential for reading.
    pub read: Option<CredentialReference>,
}

/// Reads the systems. A faulty one is there without its configuration, so that lanes can tell a
/// faulty system from an unknown one.
pub(super) fn systems(
    file: &mut Section<'_>,
    folder: &Path,
    profile_reports: &mut Vec<Report>,
    report: &mut Report,
) -> IndexMap<SystemName, Option<SystemConfig>> {
    let mut systems = IndexMap::new();
    let Some(mut section) = file.section("systems", report) else { return systems };
    for name in section.names() {
        let system = match SystemName::new(name.value.clone()) {
            Ok(system) => system,
            Err(error) => {
                let message = format!("`{}` cannot name a system: {error}", name.value);
                report.add(Diagnostic::error(Code::BadValue, name.span, message));
                continue;
            }
        };
        let Some(mut table) = section.named_section(&name.value, report) else { continue };
        let config = one_system(&mut table, folder, profile_reports, report);
        systems.insert(system, config);
    }
    systems
}

fn one_system(
    table: &mut Section<'_>,
    folder: &Path,
    profile_reports: &mut Vec<Report>,
    report: &mut Report,
) -> Option<SystemConfig> {
    let kind = table.required_text("kind", report)?;
    let limits = limits::limits(table, report);
    let network = network::network(table, folder, report);
    let kind = match kind.value.as_str() {
        "feed" => feeds::feeds(table, report).map(SystemKind::Feed),
        "rest" => over_http(table, ProfileKind::Rest, folder, profile_reports, report).map(SystemKind::Rest),
        "webdav" => over_http(table, ProfileKind::Webdav, folder, profile_reports, report).map(SystemKind::Webdav),
        "docstore" => {
            over_http(table, ProfileKind::Docstore, folder, profile_reports, report).map(SystemKind::Docstore)
        }
        "files" => files(table, folder, profile_reports, report).map(|files| SystemKind::Files(Box::new(files))),
        "graphql" => {
            graphql(table, folder, profile_reports, report).map(|graphql| SystemKind::Graphql(Box::new(graphql)))
        }
        "ninjs" => ninjs(table, report).map(|ninjs| SystemKind::Ninjs(Box::new(ninjs))),
        other => {
            let finding = Diagnostic::error(Code::BadValue, kind.span, format!("`{other}` is not a kind of system"));
            report.add(finding.suggest(other, KINDS));
            return None;
        }
    };
    table.finish(report);
    let kind = kind?;
    let system = SystemConfig { kind, limits, network };
    system.in_clear(table, report);
    Some(system)
}

fn over_http(
    table: &mut Section<'_>,
    kind: ProfileKind,
    folder: &Path,
    reports: &mut Vec<Report>,
    report: &mut Report,
) -> Option<Box<RestSystem>> {
    let url = table.required_text("url", report).and_then(|item| place(&item, report));
    let profile = profile(table, kind, folder, reports, report);
    let languages = languages(table, report);
    let read = credential::credential(table, "read", report);
    let write = credential::credential(table, "write", report);
    let lock_owner = match kind {
        ProfileKind::Webdav => table.text("lock_owner", report).map(|item| item.value.as_str().to_owned()),
        _ => None,
    };
    Some(Box::new(RestSystem { url: url?, profile: profile?, languages, read, write, lock_owner }))
}

fn files(
    table: &mut Section<'_>,
    folder: &Path,
    reports: &mut Vec<Report>,
    report: &mut Report,
) -> Option<FilesSystem> {
    let place = table.required_text("folder", report).and_then(|item| place(&item, report));
    let profile = profile(table, ProfileKind::Files, folder, reports, report);
    let languages = languages(table, report);
    Some(FilesSystem { folder: place?, profile: profile?, languages })
}

fn graphql(
    table: &mut Section<'_>,
    folder: &Path,
    reports: &mut Vec<Report>,
    report: &mut Report,
) -> Option<GraphqlSystem> {
    let url = table.required_text("url", report).and_then(|item| place(&item, report));
    let profile = profile(table, ProfileKind::Graphql, folder, reports, report);
    let languages = languages(table, report);
    let read = credential::credential(table, "read", report);
    let (url, profile) = (url?, profile?);
    let mut queries = IndexMap::new();
    for name in profile.query_files() {
        match read_within(folder, name) {
            Ok(text) => {
                queries.insert(name.to_owned(), text);
            }
            Err(error) => {
                let message = format!("the query file {name} cannot be read: {error}");
                let finding = Diagnostic::error(Code::MissingFile, table.span(), message);
                report.add(finding.help("its name in the profile is relative to the hub's folder"));
            }
        }
    }
    Some(GraphqlSystem { url, profile, queries, languages, read })
}

fn ninjs(table: &mut Section<'_>, report: &mut Report) -> Option<NinjsSystem> {
    let read = credential::credential(table, "read", report);
    let Some(mut section) = table.section("documents", report) else {
        if !table.has("documents") {
            table.missing("documents", report);
        }
        return None;
    };
    let mut documents = Vec::new();
    for name in section.names() {
        let place = section.named_text(&name.value, report).and_then(|item| place(&item, report));
        documents.extend(place.map(|place| (name.value, place)));
    }
    Some(NinjsSystem { documents, read })
}

fn profile(
    table: &mut Section<'_>,
    kind: ProfileKind,
    folder: &Path,
    reports: &mut Vec<Report>,
    report: &mut Report,
) -> Option<Profile> {
    let item = table.required_text("profile", report)?;
    let name = item.value.as_str();
    match read_within(folder, name) {
        Err(error) => {
            let finding =
                Diagnostic::error(Code::MissingFile, item.span.clone(), format!("the profile cannot be read: {error}"));
            report.add(finding.label("this file, relative to the hub's folder"));
            None
        }
        Ok(text) => {
            let (profile, findings) = read_profile(Source { name: name.to_owned(), text }, kind);
            // Two systems may share a profile; its faults are told once.
            if !reports.contains(&findings) {
                reports.push(findings);
            }
            profile
        }
    }
}

fn languages(table: &mut Section<'_>, report: &mut Report) -> LanguageCodes {
    let Some(mut section) = table.section("languages", report) else { return LanguageCodes::default() };
    let mut codes = BTreeMap::new();
    for name in section.names() {
        let Some(item) = section.named_text(&name.value, report) else { continue };
        match item.value.as_str().parse() {
            Ok(tag) => {
                codes.insert(name.value, tag);
            }
            Err(error) => {
                report.add(
                    Diagnostic::error(Code::BadValue, item.span, format!("{error}")).help("for example `eng = \"en\"`"),
                );
            }
        }
    }
    LanguageCodes::new(codes)
}
