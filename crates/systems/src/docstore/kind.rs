//! Kind `docstore`: what the configuration and profiles say of it.

use diaporos_core::diagnostic::Report;
use diaporos_core::settings;
use diaporos_core::settings::{Form, Section, Table};

use super::{DocstoreReader, docstore_writer};

use crate::http_system::{HttpSettings, READ_OVER_HTTP, WRITE_OVER_HTTP};
use crate::kind::{Kind, System};
use crate::profile::{ListingForm, ProfileRules, READ_CHANGES, WRITE_DOCUMENTS, WritingForm, type_settings};
use crate::settings::{DESCRIBED, HubFiles, OF_ALL};
use crate::setup::{ConnectError, Setup};
use crate::{Read, Write};

/// What profiles of the kind say.
static PROFILE: ProfileRules = ProfileRules {
    settings: &FILE,
    listing: ListingForm::Changes,
    writing: WritingForm::Documents,
    properties: false,
    services: false,
};

static SYSTEM: Table = Table::new(
    "system of kind docstore",
    &[OF_ALL[0], OF_ALL[1], OF_ALL[2], OF_ALL[3], OF_ALL[4], DESCRIBED, READ_OVER_HTTP, WRITE_OVER_HTTP],
);
static TYPE: Table = Table::new(
    "type of kind docstore",
    &[type_settings!(READ_CHANGES, "{ where = { type = \"page\" } }", WRITE_DOCUMENTS, "{ place = \"page:{key}\" }")],
);
static FILE: Table = Table::new(
    "profile of kind docstore",
    &[settings![
        types: Form::Named(&Form::Table(&TYPE)), required, "the types by name", "{ page = { read = { where = { type = \"page\" } } } }";
    ]],
);

/// A document database.
#[derive(Debug)]
pub struct Docstore;

impl Kind for Docstore {
    fn word(&self) -> &'static str {
        "docstore"
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
        Some(Box::new(DocstoreSystem { http: http? }))
    }
}

#[derive(Debug)]
struct DocstoreSystem {
    http: HttpSettings,
}

impl System for DocstoreSystem {
    fn http(&self) -> Option<&HttpSettings> {
        Some(&self.http)
    }

    fn reader(&self, setup: &dyn Setup) -> Result<Box<dyn Read>, ConnectError> {
        Ok(Box::new(DocstoreReader::new(self.http.for_reading(setup)?)?))
    }

    fn writer(&self, setup: &dyn Setup) -> Result<Box<dyn Write>, ConnectError> {
        Ok(docstore_writer(self.http.for_writing(setup)?)?)
    }
}
