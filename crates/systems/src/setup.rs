//! What a system is set up with, and why that may fail. Secrets and variables are looked up by the
//! caller alone.

use std::path::{Path, PathBuf};

use diaporos_core::value::SystemName;
use url::Url;

use crate::SystemError;
use crate::blank::learn_address;
use crate::http::{Credential, Limits};
use crate::settings::{CredentialReference, PlaceText};

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

/// Where a document is read from.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum DocumentPlace {
    /// On the web.
    Web(Url),
    /// In a file.
    File(PathBuf),
}

/// What a system is set up with.
pub trait Setup {
    /// The system's name.
    fn name(&self) -> &SystemName;

    /// The hub's folder.
    fn folder(&self) -> &Path;

    /// The value of a variable of the environment.
    ///
    /// # Errors
    /// Where it is not set.
    fn variable(&self, name: &str) -> Result<String, ConnectError>;

    /// What is asked of the system at most, and how it is reached.
    ///
    /// # Errors
    /// Where a secret or a file that it names cannot be read.
    fn limits(&self) -> Result<Limits, ConnectError>;

    /// The credential that a reference leads to, for an address.
    ///
    /// # Errors
    /// Where a secret cannot be read, or would cross plain http to another machine.
    fn credential(
        &self,
        base: &Url,
        reference: Option<&CredentialReference>,
    ) -> Result<Option<Credential>, ConnectError>;

    /// What others read of whose our locks are, so that no two hubs take each other's for their own.
    ///
    /// # Errors
    /// Where what tells this hub from others cannot be kept.
    fn lock_owner(&self) -> Result<String, ConnectError>;
}

impl dyn Setup + '_ {
    /// The text of a place.
    ///
    /// # Errors
    /// Where it names a variable that is not set.
    pub fn text(&self, place: &PlaceText) -> Result<String, ConnectError> {
        match place {
            PlaceText::Plain(text) => Ok(text.clone()),
            PlaceText::Variable(name) => self.variable(name),
        }
    }

    /// The http or https address at a place.
    ///
    /// # Errors
    /// Where it is none.
    pub fn address(&self, place: &PlaceText) -> Result<Url, ConnectError> {
        let text = self.text(place)?;
        let url = Url::parse(&text).ok().filter(|url| matches!(url.scheme(), "http" | "https") && url.has_host());
        let url = url.ok_or_else(|| address_error(self.name(), place))?;
        learn_address(&url, matches!(place, PlaceText::Variable(_)));
        Ok(url)
    }

    /// A document is at an http or https address, or in a file: `file:PATH`, or a path on its own.
    ///
    /// # Errors
    /// Where it is an address, and none that can be used.
    pub fn document(&self, place: &PlaceText) -> Result<DocumentPlace, ConnectError> {
        let text = self.text(place)?;
        if text.starts_with("http://") || text.starts_with("https://") {
            let url = Url::parse(&text).map_err(|_| address_error(self.name(), place))?;
            learn_address(&url, matches!(place, PlaceText::Variable(_)));
            return Ok(DocumentPlace::Web(url));
        }
        let path = text.strip_prefix("file://").or_else(|| text.strip_prefix("file:")).unwrap_or(&text);
        Ok(DocumentPlace::File(self.folder().join(path)))
    }
}
