//! Kind `webdav`: what the configuration and profiles say of it.

use diaporos_core::diagnostic::Report;
use diaporos_core::settings;
use diaporos_core::settings::forms::TEXT;
use diaporos_core::settings::{Form, Section, Table};

use super::{WebdavReader, webdav_writer};

use crate::http_system::{HttpSettings, READ_OVER_HTTP, WRITE_OVER_HTTP};
use crate::kind::{Kind, System};
use crate::profile::{ListingForm, PROPERTIES, ProfileRules, READ_FILES, WRITE_FILES, WritingForm, type_settings};
use crate::settings::{DESCRIBED, HubFiles, OF_ALL};
use crate::setup::{ConnectError, Setup};
use crate::{Read, Write};

/// What profiles of the kind say.
static PROFILE: ProfileRules = ProfileRules {
    settings: &FILE,
    listing: ListingForm::Files,
    writing: WritingForm::Files,
    properties: true,
    services: false,
};

static SYSTEM: Table = Table::new(
    "system of kind webdav",
    &[
        OF_ALL[0],
        OF_ALL[1],
        OF_ALL[2],
        OF_ALL[3],
        OF_ALL[4],
        DESCRIBED,
        READ_OVER_HTTP,
        WRITE_OVER_HTTP,
        settings![
            lock_owner: TEXT, none, "whose locks ours are, for others to read; what tells this hub from all others stands beside it", "Ostrel web team";
        ],
    ],
);
static TYPE: Table = Table::new(
    "type of kind webdav",
    &[
        type_settings!(READ_FILES, "{ files = \"pages/*.md\" }", WRITE_FILES, "{ place = \"pages/{key}.md\" }"),
        PROPERTIES,
    ],
);
static FILE: Table = Table::new(
    "profile of kind webdav",
    &[settings![
        types: Form::Named(&Form::Table(&TYPE)), required, "the types by name", "{ page = { read = { files = \"pages/*.md\" } } }";
    ]],
);

/// Files on a WebDAV server.
#[derive(Debug)]
pub struct Webdav;

impl Kind for Webdav {
    fn word(&self) -> &'static str {
        "webdav"
    }

    fn settings(&self) -> &'static Table {
        &SYSTEM
    }

    fn profile_rules(&self) -> Option<&'static ProfileRules> {
        Some(&PROFILE)
    }

    fn read_settings(
        &self,
        table: &mut Section<'_>,
        files: &mut HubFiles<'_>,
        report: &mut Report,
    ) -> Option<Box<dyn System>> {
        let http = HttpSettings::read(table, &PROFILE, files, report);
        let lock_owner = table.string("lock_owner", report);
        Some(Box::new(WebdavSystem { http: http?, lock_owner }))
    }
}

#[derive(Debug)]
struct WebdavSystem {
    http: HttpSettings,
    /// What others read of whose our locks are.
    lock_owner: Option<String>,
}

impl System for WebdavSystem {
    fn http(&self) -> Option<&HttpSettings> {
        Some(&self.http)
    }

    fn reader(&self, setup: &dyn Setup) -> Result<Box<dyn Read>, ConnectError> {
        Ok(Box::new(WebdavReader::new(self.http.for_reading(setup)?)?))
    }

    fn writer(&self, setup: &dyn Setup) -> Result<Box<dyn Write>, ConnectError> {
        let own = setup.lock_owner()?;
        let owner = self.lock_owner.as_ref().map_or_else(|| own.clone(), |name| format!("{name}, {own}"));
        Ok(webdav_writer(self.http.for_writing(setup)?, owner)?)
    }
}
