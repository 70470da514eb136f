//! From the configuration to systems that can be read or written: here secrets and variables are
//! looked up, and nowhere else.

use std::path::{Path, PathBuf};
use std::sync::Arc;

use diaporos_core::value::SystemName;
use diaporos_systems::agency::Agency;
use diaporos_systems::asked::{Access, Asker};
use diaporos_systems::blank::learn_address;
use diaporos_systems::hook::Hook;
use diaporos_systems::http::{
    Client, ClientCredentials, Credential, HeaderText, Limits, LogIn, Network, Part, Signing, Together, is_loopback,
    join_url, shown_url,
};
use diaporos_systems::service::{Service, ServiceSettings, Services};
use diaporos_systems::settings::path::read_within;
use diaporos_systems::settings::{CredentialReference, NetworkConfig, PartText, PlaceText};
use diaporos_systems::told::{MailRecipient, PostRecipient, Reached, Recipient};
use diaporos_systems::websub::Subscriber;
use diaporos_systems::{DocumentPlace, Read, Secret, SecretReference, Setup, Write};
use jiff::Timestamp;
use url::Url;

use crate::config::{Config, ConfiguredLane, HookConfig, Machine, SystemConfig, TellConfig, TellWay};
use crate::identity::identity;
use crate::pacing::StorePacing;

pub use diaporos_systems::ConnectError;

/// Connects to systems. Variables are looked up where the caller says.
pub struct Connector<'a> {
    config: &'a Config,
    variable: &'a (dyn Fn(&str) -> Option<String> + Sync),
    /// What is asked of systems together with other machines, where the store is on a server.
    together: Option<Arc<dyn Together>>,
}

impl<'a> Connector<'a> {
    /// A connector for a configuration.
    #[must_use]
    pub fn new(config: &'a Config, variable: &'a (dyn Fn(&str) -> Option<String> + Sync)) -> Self {
        // Where the place cannot be told, whatever opens the store says so.
        let place = config.store.url.as_ref().and_then(|_| config.store_place(variable).ok());
        let together = place.map(|place| Arc::new(StorePacing::at(place)) as Arc<dyn Together>);
        Connector { config, variable, together }
    }

    pub(crate) fn system(&self, name: &SystemName) -> Result<&'a SystemConfig, ConnectError> {
        self.config.systems.get(name).ok_or_else(|| ConnectError::Unknown(name.clone()))
    }

    fn with<'b>(&'b self, name: &'b SystemName) -> Result<(&'b SystemConfig, OneSetup<'b>), ConnectError> {
        let system = self.system(name)?;
        let SystemConfig { limits, network, .. } = system;
        Ok((system, OneSetup { connector: self, name, limits, network }))
    }

    /// The system, to be read with its credential for reading.
    ///
    /// # Errors
    /// Where it cannot be set up.
    pub fn reader(&self, name: &SystemName) -> Result<Box<dyn Read>, ConnectError> {
        let (system, setup) = self.with(name)?;
        system.reader(&setup)
    }

    /// The system, to be written with its credential for writing. The one for reading is not used.
    ///
    /// # Errors
    /// Where it cannot be set up.
    pub fn writer(&self, name: &SystemName) -> Result<Box<dyn Write>, ConnectError> {
        let (system, setup) = self.with(name)?;
        system.writer(&setup)
    }

    /// What asks the system by hand, with one of its credentials; none where it is not reached at one address over
    /// HTTP.
    ///
    /// # Errors
    /// Where it cannot be set up.
    pub fn asker(&self, name: &SystemName, access: Access) -> Result<Option<Asker>, ConnectError> {
        let (system, setup) = self.with(name)?;
        system.asker(&setup, access)
    }

    /// The agency, to which texts are sent with the credential for writing, and which is asked with the
    /// one for reading where it has one.
    ///
    /// # Errors
    /// Where it cannot be set up.
    pub fn agency(&self, name: &SystemName) -> Result<Agency, ConnectError> {
        let (system, setup) = self.with(name)?;
        system.agency(&setup)
    }

    /// The services that lanes use, with what they are shown.
    ///
    /// # Errors
    /// Where an address or a secret cannot be had.
    pub fn services<'l>(&self, lanes: impl Iterator<Item = &'l ConfiguredLane>) -> Result<Services, ConnectError> {
        let mut services = Services::new();
        for service in lanes.flat_map(|lane| &lane.services) {
            if !services.contains_key(&service.name) {
                services.insert(service.name.clone(), self.service(&service.system, &service.call)?);
            }
        }
        Ok(services)
    }

    /// The machine that translates, with what it is shown.
    ///
    /// # Errors
    /// Where its address or its secret cannot be had.
    pub(crate) fn machine(&self, machine: &Machine) -> Result<Service, ConnectError> {
        self.service(&machine.system, &machine.call)
    }

    fn service(&self, name: &SystemName, call: &ServiceSettings) -> Result<Service, ConnectError> {
        let setup = OneSetup { connector: self, name, limits: &call.limits, network: &call.network };
        let setup: &dyn Setup = &setup;
        let url = setup.address(&call.url)?;
        let credential = setup.credential(&url, call.credential.as_ref())?;
        let client = Client::new(name.clone(), setup.limits()?, credential)?;
        Ok(Service::new(client, url, call.clone()))
    }

    /// The token that those must show who look at the hub's pages; none where none is set.
    ///
    /// # Errors
    /// Where it cannot be had.
    pub(crate) fn token(&self) -> Result<Option<Secret>, ConnectError> {
        let serve = SystemName::new("serve").map_err(|error| ConnectError::Identity(error.to_string()))?;
        self.config.serving.token.as_ref().map(|reference| self.secret(&serve, reference)).transpose()
    }

    /// Somebody who is told, with what it is shown.
    ///
    /// # Errors
    /// Where its address or a secret cannot be had.
    pub fn recipient(&self, name: &SystemName, tell: &TellConfig) -> Result<Recipient, ConnectError> {
        let (place, schemes) = match &tell.way {
            TellWay::Post { to, .. } => (to, ["http", "https"]),
            TellWay::Mail { server, .. } => (server, ["smtp", "smtps"]),
        };
        let (text, shown) = match place {
            PlaceText::Plain(text) => (text.clone(), text.clone()),
            PlaceText::Variable(variable) => (self.look_up(name, variable)?, format!("env:{variable}")),
        };
        let url = Url::parse(&text).ok().filter(|url| schemes.contains(&url.scheme()) && url.has_host());
        let url = url.ok_or_else(|| ConnectError::Address { system: name.clone(), text: shown })?;
        // An address that is kept outside may hold a secret in its path.
        learn_address(&url, matches!(place, PlaceText::Variable(_)));
        let read = |path: &PathBuf| std::fs::read(path).map_err(|error| secret_file(name, path, &error));
        let at = Reached { ca_bundle: tell.ca_bundle.as_ref().map(read).transpose()?, url };
        Ok(match &tell.way {
            TellWay::Post { token, key, .. } => {
                let secret = |reference: &Option<SecretReference>| {
                    reference.as_ref().map(|reference| self.secret(name, reference)).transpose()
                };
                let (token, key) = (secret(token)?, secret(key)?);
                if token.is_some() && at.url.scheme() == "http" && !is_loopback(&at.url) {
                    return Err(ConnectError::PlainHttp(name.clone()));
                }
                Recipient::Post(Box::new(PostRecipient::new(name.clone(), at, token, key)?))
            }
            TellWay::Mail { mails, login, .. } => {
                let login = match login {
                    Some((user, password)) => Some((user.clone(), self.secret(name, password)?)),
                    None => None,
                };
                Recipient::Mail(Box::new(MailRecipient::new(name.clone(), &at, mails.clone(), login)?))
            }
        })
    }

    /// The feeds of a system to whose hubs it is subscribed.
    ///
    /// # Errors
    /// Where it cannot be set up.
    pub(crate) fn subscriber(&self, name: &SystemName) -> Result<Subscriber, ConnectError> {
        let (system, setup) = self.with(name)?;
        system.subscriber(&setup)
    }

    /// The address at which others reach what listens; none where none is set.
    ///
    /// # Errors
    /// Where it cannot be had, or is none.
    pub(crate) fn public(&self) -> Result<Option<Url>, ConnectError> {
        let serve = SystemName::new("serve").map_err(|error| ConnectError::Identity(error.to_string()))?;
        let text = match &self.config.serving.public {
            None => return Ok(None),
            Some(PlaceText::Plain(text)) => text.clone(),
            Some(PlaceText::Variable(variable)) => self.look_up(&serve, variable)?,
        };
        let url = Url::parse(&text).ok().filter(|url| matches!(url.scheme(), "http" | "https") && url.has_host());
        url.map(Some).ok_or(ConnectError::Address { system: serve, text })
    }

    /// When the first of a system's credentials ends, as the configuration or a token says it; none where
    /// neither does.
    #[must_use]
    pub fn credentials_end(&self, name: &SystemName) -> Option<Timestamp> {
        let system = self.config.systems.get(name)?;
        let known = system.credentials();
        let tokens = [known.read, known.write].into_iter().flatten().filter_map(|reference| match reference {
            CredentialReference::Bearer(token) => self.secret(name, token).ok()?.ends(),
            _ => None,
        });
        tokens.chain(system.credentials_end).min()
    }

    /// A hook, with its secrets.
    ///
    /// # Errors
    /// Where a secret cannot be had.
    pub fn hook(&self, hook: &HookConfig) -> Result<Hook, ConnectError> {
        let secrets = hook.settings.secrets.iter().map(|reference| self.secret(&hook.system, reference));
        Ok(Hook::new(hook.settings.clone(), secrets.collect::<Result<_, _>>()?))
    }

    /// Where a system is, where it is one that has an address.
    ///
    /// # Errors
    /// Where the address cannot be used.
    pub fn address(&self, name: &SystemName) -> Result<Option<Url>, ConnectError> {
        let (system, setup) = self.with(name)?;
        let setup: &dyn Setup = &setup;
        system.http().map(|http| setup.address(&http.url)).transpose()
    }

    /// The feeds of a system on the web, each with its label or name and its address; none of a
    /// system of another kind.
    ///
    /// # Errors
    /// Where an address cannot be used.
    pub fn feeds(&self, name: &SystemName) -> Result<Option<Vec<(String, String)>>, ConnectError> {
        let (system, setup) = self.with(name)?;
        let Some(feeds) = system.feeds() else { return Ok(None) };
        let setup: &dyn Setup = &setup;
        let mut listed = Vec::new();
        for (title, place) in feeds {
            if let DocumentPlace::Web(url) = setup.document(place)? {
                listed.push((title, shown_url(&url)));
            }
        }
        Ok(Some(listed))
    }

    /// Whether a variable of the environment holds anything.
    pub(crate) fn is_set(&self, variable: &str) -> bool {
        (self.variable)(variable).is_some_and(|value| !value.is_empty())
    }

    fn look_up(&self, system: &SystemName, variable: &str) -> Result<String, ConnectError> {
        let missing = || ConnectError::Variable { system: system.clone(), variable: variable.to_owned() };
        (self.variable)(variable).filter(|value| !value.is_empty()).ok_or_else(missing)
    }

    fn secret(&self, system: &SystemName, reference: &SecretReference) -> Result<Secret, ConnectError> {
        let value = match reference {
            SecretReference::Variable(name) => self.look_up(system, name)?,
            SecretReference::File(path) => {
                let failed = |error| secret_file(system, path, &error);
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
}

fn secret_file(system: &SystemName, path: &Path, error: &std::io::Error) -> ConnectError {
    ConnectError::SecretFile { system: system.clone(), file: path.display().to_string(), reason: error.to_string() }
}

/// One system with what it is set up with.
struct OneSetup<'a> {
    connector: &'a Connector<'a>,
    name: &'a SystemName,
    limits: &'a Limits,
    network: &'a NetworkConfig,
}

impl Setup for OneSetup<'_> {
    fn name(&self) -> &SystemName {
        self.name
    }

    fn folder(&self) -> &Path {
        &self.connector.config.folder
    }

    fn variable(&self, name: &str) -> Result<String, ConnectError> {
        self.connector.look_up(self.name, name)
    }

    fn lock_owner(&self) -> Result<String, ConnectError> {
        let own = identity(self.folder()).map_err(|error| ConnectError::Identity(error.to_string()))?;
        Ok(format!("diaporos hub {own}"))
    }

    fn limits(&self) -> Result<Limits, ConnectError> {
        let (connector, name) = (self.connector, self.name);
        let network = self.network;
        let read = |path: &PathBuf| std::fs::read(path).map_err(|error| secret_file(name, path, &error));
        let ca_bundle = network.ca_bundle.as_ref().map(read).transpose()?;
        let certificate = network.client_certificate.as_ref();
        let client_certificate = certificate.map(|reference| connector.secret(name, reference)).transpose()?;
        let header = |(header, part): &(String, PartText)| {
            let text = match connector.part(name, part)? {
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
            attachments: Some(connector.config.own_folder().join("attachments")),
        };
        let together = connector.together.clone();
        Ok(Limits { network, together, ..self.limits.clone() })
    }

    fn credential(
        &self,
        base: &Url,
        reference: Option<&CredentialReference>,
    ) -> Result<Option<Credential>, ConnectError> {
        let Some(reference) = reference else { return Ok(None) };
        let (connector, system) = (self.connector, self.name);
        let may_cross = self.network.plain_http;
        let stays = |url: &Url| may_cross || url.scheme() != "http" || is_loopback(url);
        if !stays(base) {
            return Err(ConnectError::PlainHttp(system.clone()));
        }
        Ok(Some(match reference {
            CredentialReference::Bearer(token) => Credential::Bearer(connector.secret(system, token)?),
            CredentialReference::Basic { user, password } => {
                Credential::Basic { user: connector.part(system, user)?, password: connector.secret(system, password)? }
            }
            CredentialReference::Header { name, value } => {
                Credential::Header { name: name.clone(), value: connector.secret(system, value)? }
            }
            CredentialReference::Query { name, value } => {
                Credential::Query { name: name.clone(), value: connector.secret(system, value)? }
            }
            CredentialReference::Sign { key, id, recipe } => Credential::Sign(Box::new(Signing {
                key: connector.secret(system, key)?,
                id: id.as_ref().map(|id| connector.part(system, id)).transpose()?,
                recipe: recipe.as_ref().clone(),
            })),
            CredentialReference::With(first, further) => {
                let (first, further) = (self.credential(base, Some(first))?, self.credential(base, Some(further))?);
                let (Some(first), Some(further)) = (first, further) else { return Ok(None) };
                Credential::With(Box::new(first), Box::new(further))
            }
            CredentialReference::OAuth { token, id, secret, scope, audience, in_body, refresh } => {
                Credential::ClientCredentials(ClientCredentials {
                    token: Some((self as &dyn Setup).address(token)?)
                        .filter(stays)
                        .ok_or_else(|| ConnectError::PlainHttp(system.clone()))?,
                    id: connector.part(system, id)?,
                    secret: connector.secret(system, secret)?,
                    scope: scope.clone(),
                    audience: audience.clone(),
                    in_body: *in_body,
                    refresh: refresh.as_ref().map(|refresh| connector.secret(system, refresh)).transpose()?,
                })
            }
            CredentialReference::Session { login, fields } => {
                let address = |_| ConnectError::Address { system: system.clone(), text: login.clone() };
                let url = join_url(base, login).map_err(address)?;
                let part = |(name, part): &(String, PartText)| Ok((name.clone(), connector.part(system, part)?));
                let fields = fields.iter().map(part).collect::<Result<_, ConnectError>>()?;
                Credential::Session(LogIn { url, fields })
            }
        }))
    }
}
