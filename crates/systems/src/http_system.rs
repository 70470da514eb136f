//! A system that is reached at one address over HTTP and described by a profile.

use diaporos_core::diagnostic::Report;
use diaporos_core::settings;
use diaporos_core::settings::{Form, Section, Setting};
use diaporos_core::value::SystemName;
use url::Url;

use crate::SystemError;
use crate::http::{Client, Credential, Limits};
use crate::languages::LanguageCodes;
use crate::profile::{Profile, ProfileRules, WritingForm};
use crate::settings::forms::PLACE;
use crate::settings::{
    CREDENTIAL, CredentialReference, Credentials, HubFiles, PlaceText, credential, languages, place, profile,
};
use crate::setup::{ConnectError, Setup};

/// How it is reached and read.
pub(crate) const READ_OVER_HTTP: &[Setting] = settings![
    url: PLACE, required, "the address that the profile's paths follow, or that queries are posted to; the folder; the database", "https://catalogue.ostrel.example/api";
    read: Form::Table(&CREDENTIAL), none, "the credential for reading, the only one that `pull` has", "{ bearer = \"env:CATALOGUE_READ_TOKEN\" }";
];
/// How it is written.
pub(crate) const WRITE_OVER_HTTP: &[Setting] = settings![
    write: Form::Table(&CREDENTIAL), none, "the credential for writing, the only one that `push` has", "{ bearer = \"env:CATALOGUE_WRITE_TOKEN\" }";
];

/// What the configuration says of such a system.
#[derive(Debug, Clone)]
pub struct HttpSettings {
    /// The address that its paths follow.
    pub url: PlaceText,
    /// How it is read and written.
    pub profile: Profile,
    /// Its language codes.
    pub languages: LanguageCodes,
    /// The credential for reading.
    pub read: Option<CredentialReference>,
    /// The credential for writing.
    pub write: Option<CredentialReference>,
}

impl HttpSettings {
    /// Reads them from a system's table.
    pub(crate) fn read(
        table: &mut Section<'_>,
        rules: &ProfileRules,
        files: &mut HubFiles<'_>,
        report: &mut Report,
    ) -> Option<HttpSettings> {
        let url = table.text("url", report).and_then(|item| place(&item, report));
        let profile = profile(table, rules, files, report);
        let languages = languages(table, report);
        let read = credential(table, "read", report);
        let write = match rules.writing {
            WritingForm::None => None,
            _ => credential(table, "write", report),
        };
        Some(HttpSettings { url: url?, profile: profile?, languages, read, write })
    }

    pub(crate) fn credentials(&self) -> Credentials<'_> {
        Credentials { read: self.read.as_ref(), write: self.write.as_ref() }
    }

    /// The system, with its credential for reading.
    pub(crate) fn for_reading(&self, setup: &dyn Setup) -> Result<HttpSystem, ConnectError> {
        self.system(setup, self.read.as_ref())
    }

    /// The system, with its credential for writing.
    pub(crate) fn for_writing(&self, setup: &dyn Setup) -> Result<HttpSystem, ConnectError> {
        self.system(setup, self.write.as_ref())
    }

    fn system(&self, setup: &dyn Setup, credential: Option<&CredentialReference>) -> Result<HttpSystem, ConnectError> {
        let url = setup.address(&self.url)?;
        let credential = setup.credential(&url, credential)?;
        let (profile, languages) = (self.profile.clone(), self.languages.clone());
        Ok(HttpSystem { name: setup.name().clone(), url, profile, languages, credential, limits: setup.limits()? })
    }
}

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
        let client = Client::new(self.name.clone(), self.limits.clone(), self.credential.clone())?;
        Ok(client.for_form(self.profile.form()))
    }
}
