//! What a kind of system is: the word that names it, its settings, and how it is read and written.
//!
//! A kind is one folder beside this file and one line in [`crate::KINDS`].

use std::fmt::Debug;
use std::sync::LazyLock;

use diaporos_core::diagnostic::Report;
use diaporos_core::model::Model;
use diaporos_core::settings::{Section, Table};

use crate::agency::Agency;
use crate::asked::{Access, Asker};
use crate::http_system::HttpSettings;
use crate::languages::LanguageCodes;
use crate::profile::{Profile, ProfileRules};
use crate::settings::{Credentials, HubFiles, PlaceText};
use crate::setup::{ConnectError, Setup};
use crate::websub::Subscriber;
use crate::{Read, Write};

/// A kind of system.
pub trait Kind: Sync {
    /// The word that names it in the configuration: `kind = "rest"`.
    fn word(&self) -> &'static str;

    /// What its systems' tables in the configuration say.
    fn settings(&self) -> &'static Table;

    /// What its profiles say; none of a kind without profiles.
    fn profile_rules(&self) -> Option<&'static ProfileRules> {
        None
    }

    /// Reads the settings that are the kind's own from a system's table. What is wrong is in the report.
    fn read_settings(
        &self,
        table: &mut Section<'_>,
        files: &mut HubFiles<'_>,
        report: &mut Report,
    ) -> Option<Box<dyn System>>;
}

/// A system as the configuration describes it: what it is known to hold, and how it is set up.
pub trait System: Debug + Send + Sync {
    /// Its settings, where it is reached at one address over HTTP and described by a profile.
    fn http(&self) -> Option<&HttpSettings> {
        None
    }

    /// Its profile.
    fn profile(&self) -> Option<&Profile> {
        self.http().map(|http| &http.profile)
    }

    /// What is known of the fields of its types.
    fn model(&self) -> &Model {
        static NOTHING: LazyLock<Model> = LazyLock::new(Model::default);
        self.profile().map_or(&NOTHING, Profile::model)
    }

    /// Its language codes, where it has any.
    fn languages(&self) -> Option<&LanguageCodes> {
        self.http().map(|http| &http.languages)
    }

    /// Every place that it reaches, each with what it is: `its address`, `the feed tarnside`.
    fn places(&self) -> Vec<(String, &PlaceText)> {
        self.http().map(|http| ("its address".to_owned(), &http.url)).into_iter().collect()
    }

    /// Its credentials, by reference.
    fn credentials(&self) -> Credentials<'_> {
        self.http().map(HttpSettings::credentials).unwrap_or_default()
    }

    /// Its feeds, each with its label or name; none of a system of another kind.
    fn feeds(&self) -> Option<Vec<(String, &PlaceText)>> {
        None
    }

    /// Whether it can be asked for its types and their fields.
    fn describes_itself(&self) -> bool {
        false
    }

    /// Sets it up to be read, with its credential for reading.
    ///
    /// # Errors
    /// Where it cannot be set up.
    fn reader(&self, setup: &dyn Setup) -> Result<Box<dyn Read>, ConnectError>;

    /// Sets it up to be asked by hand, with one of its credentials; none where it is not reached at one address over
    /// HTTP.
    ///
    /// # Errors
    /// Where it cannot be set up.
    fn asker(&self, setup: &dyn Setup, access: Access) -> Result<Option<Asker>, ConnectError> {
        let Some(http) = self.http() else { return Ok(None) };
        let system = match access {
            Access::Read => http.for_reading(setup)?,
            Access::Write => http.for_writing(setup)?,
        };
        Ok(Some(Asker::new(system.client()?, system.url)))
    }

    /// Sets it up to be written, with its credential for writing. The one for reading is not used.
    ///
    /// # Errors
    /// Where it cannot be set up, or is of a kind that is only read.
    fn writer(&self, setup: &dyn Setup) -> Result<Box<dyn Write>, ConnectError> {
        Err(ConnectError::ReadOnly(setup.name().clone()))
    }

    /// The names of its feeds to whose hubs it is to be subscribed.
    fn subscribed(&self) -> Vec<&str> {
        Vec::new()
    }

    /// Sets it up to be subscribed to the hubs of its feeds.
    ///
    /// # Errors
    /// Where it cannot be set up.
    fn subscriber(&self, setup: &dyn Setup) -> Result<Subscriber, ConnectError> {
        let _ = setup;
        Ok(Subscriber::new(Vec::new()))
    }

    /// Sets it up as an agency: texts are sent with the credential for writing, and it is asked with the
    /// one for reading where it has one.
    ///
    /// # Errors
    /// Where it cannot be set up, or its kind takes no texts.
    fn agency(&self, setup: &dyn Setup) -> Result<Agency, ConnectError> {
        Err(ConnectError::ReadOnly(setup.name().clone()))
    }
}
