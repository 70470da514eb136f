//! From the configuration to systems that can be read or written.

use std::path::{Path, PathBuf};

use diaporos_core::value::SystemName;
use diaporos_systems::blank::learn_address;
use diaporos_systems::docstore::{DocstoreReader, docstore_writer};
use diaporos_systems::feed::{FeedPlace, FeedSource, Feeds};
use diaporos_systems::files::{FilesReader, files_writer};
use diaporos_systems::graphql::GraphqlReader;
use diaporos_systems::http::{
    ClientCredentials, Credential, HeaderText, Limits, LogIn, Network, Part, is_loopback, join_url,
};
use diaporos_systems::ninjs::NinjsReader;
use diaporos_systems::rest::{Agency, RestReader, RestWriter};
use diaporos_systems::webdav::{WebdavReader, webdav_writer};
use diaporos_systems::{HttpSystem, LanguageCodes, Profile, Read, Secret, SecretReference, SystemError, Write};
use url::Url;

use crate::config::path::read_within;
use crate::config::{Config, CredentialReference, PartText, PlaceText, SystemConfig, SystemKind};
use crate::identity::identity;

/// Why a system cannot be used.
#[derive(Debug, thiserror::Error)]
pub enum ConnectError {
    /// The configuration has no such system.
    #[error("there is no system `{0}` in the configuration")]
    Unknown(SystemName),
    /// A variable is not set.
    #[error("{system}: the environment variable {variable} is not set")]
    Variable {
        /// Which system needs it.
        system: SystemName,
        /// Its name.
        variable: String,
    },
    /// A secret's file cannot be read.
    #[error("{system}: the secret in {file} cannot be read: {reason}")]
    SecretFile {
        /// Which system needs it.
        system: SystemName,
        /// The file.
        file: String,
        /// Why.
        reason: String,
    },
    /// An address is none.
    #[error("{system}: `{text}` is not an http or https address")]
    Address {
        /// Which system.
        system: SystemName,
        /// What stands there.
        text: String,
    },
    /// Content is sent to it, and it has no credential for writing or cannot be written.
    #[error("{0}: nothing can be written there; it is of a kind that is only read")]
    ReadOnly(SystemName),
    /// What tells this hub from others cannot be kept.
    #[error("the hub's identity in `.diaporos/` can be neither read nor written: {0}")]
    Identity(String),
    /// A credential would cross plain http to another machine.
    #[error(
        "{0}: a credential would cross plain http to another machine; use https, or say `plain_http = true` where the network between is safe"
    )]
    PlainHttp(SystemName),
    /// The system itself cannot be set up.
    #[error(transparent)]
    System(#[from] SystemError),
}

/// An address that is none: as it stands in the configuration, where a variable is named.
fn address_error(system: &SystemName, place: &PlaceText) -> ConnectError {
    let text = match place {
        PlaceText::Plain(text) => text.clone(),
        PlaceText::Variable(name) => format!("env:{name}"),
    };
    ConnectError::Address { system: system.clone(), text }
}

/// Connects to systems. Variables are looked up where the caller says.
pub struct Connector<'a> {
    config: &'a Config,
    variable: &'a (dyn Fn(&str) -> Option<String> + Sync),
}

impl<'a> Connector<'a> {
    /// A connector for a configuration.
    #[must_use]
    pub fn new(config: &'a Config, variable: &'a (dyn Fn(&str) -> Option<String> + Sync)) -> Self {
        Connector { config, variable }
    }

    pub(crate) fn system(&self, name: &SystemName) -> Result<&'a SystemConfig, ConnectError> {
        self.config.systems.get(name).ok_or_else(|| ConnectError::Unknown(name.clone()))
    }

    /// The system, to be read with its credential for reading.
    ///
    /// # Errors
    /// Where it cannot be set up.
    pub fn reader(&self, name: &SystemName) -> Result<Box<dyn Read>, ConnectError> {
        let system = self.system(name)?;
        match &system.kind {
            SystemKind::Feed(feeds) => {
                let sources = feeds.iter().filter(|feed| feed.on).map(|feed| {
                    let place = self.feed_place(name, &feed.place)?;
                    Ok(FeedSource { name: feed.name.clone(), place, wanted: feed.wanted.clone() })
                });
                let sources = sources.collect::<Result<_, ConnectError>>()?;
                Ok(Box::new(Feeds::new(name.clone(), sources, self.limits(name)?)?))
            }
            SystemKind::Ninjs(ninjs) => {
                let place = |(label, place): &(String, PlaceText)| Ok((label.clone(), self.feed_place(name, place)?));
                let documents = ninjs.documents.iter().map(place).collect::<Result<Vec<_>, ConnectError>>()?;
                let base = documents.iter().find_map(|(_, place)| match place {
                    FeedPlace::Web(url) => Some(url.clone()),
                    FeedPlace::File(_) => None,
                });
                let credential = match &base {
                    Some(base) => self.credential(name, base, ninjs.read.as_ref())?,
                    None => None,
                };
                Ok(Box::new(NinjsReader::new(name.clone(), documents, credential, self.limits(name)?)?))
            }
            SystemKind::Files(files) => {
                let folder = self.config.folder.join(self.place(name, &files.folder)?);
                let (profile, languages) = (files.profile.clone(), files.languages.clone());
                Ok(Box::new(FilesReader::new(name.clone(), folder, profile, languages, system.limits.max_bytes)))
            }
            SystemKind::Graphql(graphql) => {
                let described = (&graphql.profile, &graphql.languages);
                let over_http = self.over_http(name, &graphql.url, described, graphql.read.as_ref())?;
                Ok(Box::new(GraphqlReader::new(over_http, graphql.queries.clone())?))
            }
            SystemKind::Rest(rest) | SystemKind::Webdav(rest) | SystemKind::Docstore(rest) => {
                let over_http =
                    self.over_http(name, &rest.url, (&rest.profile, &rest.languages), rest.read.as_ref())?;
                Ok(match &system.kind {
                    SystemKind::Webdav(_) => Box::new(WebdavReader::new(over_http)?),
                    SystemKind::Docstore(_) => Box::new(DocstoreReader::new(over_http)?),
                    _ => Box::new(RestReader::new(over_http)?),
                })
            }
        }
    }

    /// What the readers and writers of a system on the web are made of.
    fn over_http(
        &self,
        name: &SystemName,
        url: &PlaceText,
        (profile, languages): (&Profile, &LanguageCodes),
        credential: Option<&CredentialReference>,
    ) -> Result<HttpSystem, ConnectError> {
        let url = self.web_address(name, url)?;
        let credential = self.credential(name, &url, credential)?;
        let limits = self.limits(name)?;
        let (profile, languages) = (profile.clone(), languages.clone());
        Ok(HttpSystem { name: name.clone(), url, profile, languages, credential, limits })
    }

    /// The feeds of a system on the web, each with its label or name and its address; none of a
    /// system of another kind.
    ///
    /// # Errors
    /// Where an address cannot be used.
    pub fn feeds(&self, name: &SystemName) -> Result<Option<Vec<(String, String)>>, ConnectError> {
        let SystemKind::Feed(feeds) = &self.system(name)?.kind else { return Ok(None) };
        let mut listed = Vec::new();
        for feed in feeds {
            if let FeedPlace::Web(url) = self.feed_place(name, &feed.place)? {
                let title = feed.wanted.label.clone().unwrap_or_else(|| feed.name.clone());
                listed.push((title, diaporos_systems::http::shown_url(&url)));
            }
        }
        Ok(Some(listed))
    }

    /// The system, to be written with its credential for writing. The one for reading is not used.
    ///
    /// # Errors
    /// Where it cannot be set up.
    pub fn writer(&self, name: &SystemName) -> Result<Box<dyn Write>, ConnectError> {
        let system = self.system(name)?;
        let (SystemKind::Rest(rest) | SystemKind::Webdav(rest) | SystemKind::Docstore(rest)) = &system.kind else {
            let SystemKind::Files(files) = &system.kind else { return Err(ConnectError::ReadOnly(name.clone())) };
            let folder = self.config.folder.join(self.place(name, &files.folder)?);
            let (profile, languages) = (files.profile.clone(), files.languages.clone());
            return Ok(files_writer(name.clone(), folder, profile, languages, self.limits(name)?));
        };
        let over_http = self.over_http(name, &rest.url, (&rest.profile, &rest.languages), rest.write.as_ref())?;
        Ok(match &system.kind {
            SystemKind::Webdav(_) => {
                let own = self.lock_owner()?;
                let owner = rest.lock_owner.as_ref().map_or_else(|| own.clone(), |name| format!("{name}, {own}"));
                webdav_writer(over_http, owner)?
            }
            SystemKind::Docstore(_) => docstore_writer(over_http)?,
            _ => Box::new(RestWriter::new(over_http)?),
        })
    }

    /// The agency, to which texts are sent with the credential for writing, and which is asked with the
    /// one for reading where it has one.
    ///
    /// # Errors
    /// Where it cannot be set up.
    pub fn agency(&self, name: &SystemName) -> Result<Agency, ConnectError> {
        let system = self.system(name)?;
        let SystemKind::Rest(rest) = &system.kind else { return Err(ConnectError::ReadOnly(name.clone())) };
        let over_http = self.over_http(name, &rest.url, (&rest.profile, &rest.languages), rest.write.as_ref())?;
        let reading = self.credential(name, &over_http.url, rest.read.as_ref())?;
        Ok(Agency::new(over_http, reading)?)
    }

    /// What others read of whose our locks are, so that no two hubs take each other's for their own.
    fn lock_owner(&self) -> Result<String, ConnectError> {
        let own = identity(&self.config.folder).map_err(|error| ConnectError::Identity(error.to_string()))?;
        Ok(format!("diaporos hub {own}"))
    }

    /// What is asked of a system at most, and how it is reached.
    fn limits(&self, name: &SystemName) -> Result<Limits, ConnectError> {
        let system = self.system(name)?;
        let network = &system.network;
        let failed = |path: &Path, error: std::io::Error| ConnectError::SecretFile {
            system: name.clone(),
            file: path.display().to_string(),
            reason: error.to_string(),
        };
        let read = |path: &PathBuf| std::fs::read(path).map_err(|error| failed(path, error));
        let ca_bundle = network.ca_bundle.as_ref().map(read).transpose()?;
        let certificate = network.client_certificate.as_ref();
        let client_certificate = certificate.map(|reference| self.secret(name, reference)).transpose()?;
        let header = |(header, part): &(String, PartText)| {
            let text = match self.part(name, part)? {
                Part::Plain(text) => HeaderText::Plain(text),
                Part::Secret(secret) => HeaderText::Secret { before: "", secret },
            };
            Ok((header.clone(), text))
        };
        let headers = network.headers.iter().map(header).collect::<Result<_, ConnectError>>()?;
        let network = Network {
            hosts: network.hosts.clone(),
            no_proxy: network.no_proxy,
            ca_bundle,
            client_certificate,
            headers,
            asset_hosts: network.asset_hosts.clone(),
            svg: network.svg,
        };
        Ok(Limits { network, ..system.limits.clone() })
    }

    /// Whether a variable of the environment holds anything.
    pub(crate) fn is_set(&self, variable: &str) -> bool {
        (self.variable)(variable).is_some_and(|value| !value.is_empty())
    }

    fn look_up(&self, system: &SystemName, variable: &str) -> Result<String, ConnectError> {
        let missing = || ConnectError::Variable { system: system.clone(), variable: variable.to_owned() };
        (self.variable)(variable).filter(|value| !value.is_empty()).ok_or_else(missing)
    }

    fn place(&self, system: &SystemName, place: &PlaceText) -> Result<String, ConnectError> {
        match place {
            PlaceText::Plain(text) => Ok(text.clone()),
            PlaceText::Variable(name) => self.look_up(system, name),
        }
    }

    pub(crate) fn web_address(&self, system: &SystemName, place: &PlaceText) -> Result<Url, ConnectError> {
        let text = self.place(system, place)?;
        let url = Url::parse(&text).ok().filter(|url| matches!(url.scheme(), "http" | "https") && url.has_host());
        let url = url.ok_or_else(|| address_error(system, place))?;
        learn_address(&url, matches!(place, PlaceText::Variable(_)));
        Ok(url)
    }

    /// A feed is at an http or https address, or in a file: `file:PATH`, or a path on its own.
    fn feed_place(&self, system: &SystemName, place: &PlaceText) -> Result<FeedPlace, ConnectError> {
        let text = self.place(system, place)?;
        if text.starts_with("http://") || text.starts_with("https://") {
            let url = Url::parse(&text).map_err(|_| address_error(system, place))?;
            learn_address(&url, matches!(place, PlaceText::Variable(_)));
            return Ok(FeedPlace::Web(url));
        }
        let path = text.strip_prefix("file://").or_else(|| text.strip_prefix("file:")).unwrap_or(&text);
        Ok(FeedPlace::File(self.config.folder.join(path)))
    }

    fn secret(&self, system: &SystemName, reference: &SecretReference) -> Result<Secret, ConnectError> {
        let value = match reference {
            SecretReference::Variable(name) => self.look_up(system, name)?,
            SecretReference::File(path) => {
                let failed = |error: std::io::Error| ConnectError::SecretFile {
                    system: system.clone(),
                    file: path.display().to_string(),
                    reason: error.to_string(),
                };
                let text = read_within(&self.config.folder, &path.to_string_lossy()).map_err(failed)?;
                text.trim_end_matches(['\n', '\r']).to_owned()
            }
        };
        Ok(Secret::new(reference.clone(), value))
    }

    fn part(&self, system: &SystemName, part: &PartText) -> Result<Part, ConnectError> {
        Ok(match part {
            PartText::Plain(text) => Part::Plain(text.clone()),
            PartText::Reference(reference) => Part::Secret(self.secret(system, reference)?),
        })
    }

    fn credential(
        &self,
        system: &SystemName,
        base: &Url,
        reference: Option<&CredentialReference>,
    ) -> Result<Option<Credential>, ConnectError> {
        let Some(reference) = reference else { return Ok(None) };
        let may_cross = self.system(system)?.network.plain_http;
        let stays = |url: &Url| may_cross || url.scheme() != "http" || is_loopback(url);
        if !stays(base) {
            return Err(ConnectError::PlainHttp(system.clone()));
        }
        Ok(Some(match reference {
            CredentialReference::Bearer(token) => Credential::Bearer(self.secret(system, token)?),
            CredentialReference::Basic { user, password } => {
                Credential::Basic { user: self.part(system, user)?, password: self.secret(system, password)? }
            }
            CredentialReference::Header { name, value } => {
                Credential::Header { name: name.clone(), value: self.secret(system, value)? }
            }
            CredentialReference::Query { name, value } => {
                Credential::Query { name: name.clone(), value: self.secret(system, value)? }
            }
            CredentialReference::OAuth { token, id, secret, scope } => {
                Credential::ClientCredentials(ClientCredentials {
                    token: Some(self.web_address(system, token)?)
                        .filter(stays)
                        .ok_or_else(|| ConnectError::PlainHttp(system.clone()))?,
                    id: self.part(system, id)?,
                    secret: self.secret(system, secret)?,
                    scope: scope.clone(),
                })
            }
            CredentialReference::Session { login, fields } => {
                let address = |_| ConnectError::Address { system: system.clone(), text: login.clone() };
                let url = join_url(base, login).map_err(address)?;
                let part = |(name, part): &(String, PartText)| Ok((name.clone(), self.part(system, part)?));
                let fields = fields.iter().map(part).collect::<Result<_, ConnectError>>()?;
                Credential::Session(LogIn { url, fields })
            }
        }))
    }
}
