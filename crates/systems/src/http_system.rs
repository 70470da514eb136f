//! A system that is reached over HTTP and described by a profile.

use diaporos_core::value::SystemName;
use url::Url;

use crate::SystemError;
use crate::decode::LanguageCodes;
use crate::http::{Client, Credential, Limits};
use crate::profile::Profile;

/// What every reader and writer of such a system is made of.
#[derive(Debug, Clone)]
pub struct HttpSystem {
    /// Its name.
    pub name: SystemName,
    /// The address that its paths follow.
    pub url: Url,
    /// What describes it.
    pub profile: Profile,
    /// Its language codes.
    pub languages: LanguageCodes,
    /// The credential for reading, or for writing.
    pub credential: Option<Credential>,
    /// What is asked of it at most.
    pub limits: Limits,
}

impl HttpSystem {
    /// What sends its requests.
    pub(crate) fn client(&self) -> Result<Client, SystemError> {
        Client::new(self.name.clone(), self.limits.clone(), self.credential.clone())
    }
}
