//! Kind `rest`: what the configuration and profiles say of it.

use diaporos_core::diagnostic::Report;
use diaporos_core::settings;
use diaporos_core::settings::{Form, Section, Table};

use super::{RestReader, RestWriter};
use crate::agency::Agency;
use crate::http_system::{HttpSettings, READ_OVER_HTTP, WRITE_OVER_HTTP};
use crate::kind::{Kind, System};
use crate::profile::{
    FORM, ListingForm, MODEL_CALLS, ProfileRules, READ_PAGES, TRANSLATION_CALLS, WRITE_BY_CALLS, WritingForm,
    type_settings,
};
use crate::settings::{DESCRIBED, HubFiles, OF_ALL};
use crate::setup::{ConnectError, Setup};
use crate::{Read, Write};

/// What profiles of the kind say.
static PROFILE: ProfileRules = ProfileRules {
    settings: &FILE,
    listing: ListingForm::Pages,
    writing: WritingForm::Calls,
    properties: false,
    services: true,
};

static SYSTEM: Table = Table::new(
    "system of kind rest",
    &[OF_ALL[0], OF_ALL[1], OF_ALL[2], OF_ALL[3], OF_ALL[4], DESCRIBED, READ_OVER_HTTP, WRITE_OVER_HTTP],
);
static TYPE: Table = Table::new(
    "type of kind rest",
    &[type_settings!(
        READ_PAGES,
        "{ list = \"/pages\", items = \"$.pages[*]\", id = \"$.id\" }",
        WRITE_BY_CALLS,
        "{ read = \"GET /pages/{id}\", create = \"POST /pages\", update = \"PATCH /pages/{id}\", id = \"$.id\" }"
    )],
);
static FILE: Table = Table::new(
    "profile of kind rest",
    &[
        FORM,
        settings![
            types: Form::Named(&Form::Table(&TYPE)), none, "the types by name; only an agency has none", "{ page = { read = { list = \"/pages\", items = \"$.pages[*]\", id = \"$.id\" } } }";
            model: Form::Table(&MODEL_CALLS), none, "how the system describes and extends its own model", "{ type = \"GET /types/{type}\", fields = \"$.fields[*]\" }";
            translation: Form::Table(&TRANSLATION_CALLS), none, "how it takes texts and gives translations", "{ upload = \"POST /files?name={key}\", file = \"$.id\", order = \"POST /orders\", id = \"$.id\", find = \"GET /orders?reference={key}\", found = \"$.orders[0]\", progress = \"GET /orders/{id}\", languages = \"$.languages[*]\", language = \"$.language\", percent = \"$.percent\", download = \"GET /orders/{id}/files/{language}\" }";
        ],
    ],
);

/// JSON over HTTP.
#[derive(Debug)]
pub struct Rest;

impl Kind for Rest {
    fn word(&self) -> &'static str {
        "rest"
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
        Some(Box::new(RestSystem { http: http? }))
    }
}

#[derive(Debug)]
struct RestSystem {
    http: HttpSettings,
}

impl System for RestSystem {
    fn http(&self) -> Option<&HttpSettings> {
        Some(&self.http)
    }

    fn reader(&self, setup: &dyn Setup) -> Result<Box<dyn Read>, ConnectError> {
        Ok(Box::new(RestReader::new(self.http.for_reading(setup)?)?))
    }

    fn writer(&self, setup: &dyn Setup) -> Result<Box<dyn Write>, ConnectError> {
        Ok(Box::new(RestWriter::new(self.http.for_writing(setup)?)?))
    }

    fn agency(&self, setup: &dyn Setup) -> Result<Agency, ConnectError> {
        let system = self.http.for_writing(setup)?;
        let reading = setup.credential(&system.url, self.http.read.as_ref())?;
        Ok(Agency::new(system, reading)?)
    }
}
