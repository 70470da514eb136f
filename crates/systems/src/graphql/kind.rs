//! Kind `graphql`: what the configuration and profiles say of it.

use diaporos_core::diagnostic::{Code, Diagnostic, Report};
use diaporos_core::settings;
use diaporos_core::settings::{Form, Section, Table};
use indexmap::IndexMap;

use super::GraphqlReader;
use crate::http_system::{HttpSettings, READ_OVER_HTTP, WRITE_OVER_HTTP};
use crate::kind::{Kind, System};
use crate::profile::{ListingForm, ProfileRules, READ_QUERY, WRITE_BY_OPERATIONS, WritingForm, type_settings};
use crate::rest::RestWriter;
use crate::settings::{DESCRIBED, HubFiles, OF_ALL, queries};
use crate::setup::{ConnectError, Setup};
use crate::{Read, Write};

/// What profiles of GraphQL say.
static PROFILE: ProfileRules = ProfileRules {
    settings: &FILE,
    listing: ListingForm::Query,
    writing: WritingForm::Operations,
    properties: false,
    services: false,
};

static SYSTEM: Table = Table::new(
    "system of kind graphql",
    &[OF_ALL[0], OF_ALL[1], OF_ALL[2], OF_ALL[3], OF_ALL[4], DESCRIBED, READ_OVER_HTTP, WRITE_OVER_HTTP],
);
static TYPE: Table = Table::new(
    "type of kind graphql",
    &[type_settings!(
        READ_QUERY,
        "{ query = \"plants.graphql\", items = \"$.data.plants.nodes[*]\", id = \"$.id\" }",
        WRITE_BY_OPERATIONS,
        "{ read = { query = \"page.graphql\", document = \"$.data.page\" }, create = { query = \"create-page.graphql\", document = \"$.data.createPage.page\" }, update = { query = \"update-page.graphql\", document = \"$.data.updatePage.page\" }, id = \"$.id\" }"
    )],
);
static FILE: Table = Table::new(
    "profile of kind graphql",
    &[settings![
        types: Form::Named(&Form::Table(&TYPE)), required, "the types by name", "{ plant = { read = { query = \"plants.graphql\", items = \"$.data.plants.nodes[*]\", id = \"$.id\" } } }";
    ]],
);

/// GraphQL.
#[derive(Debug)]
pub struct Graphql;

impl Kind for Graphql {
    fn word(&self) -> &'static str {
        "graphql"
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
        let mut http = HttpSettings::read(table, &PROFILE, files, report)?;
        let queries = queries(&http.profile, table, files, report);
        for (name, why) in http.profile.take_operations(&queries) {
            report.add(Diagnostic::error(Code::BadValue, table.span(), format!("the operation in {name}: {why}")));
        }
        Some(Box::new(GraphqlSystem { http, queries }))
    }
}

/// A GraphQL system, with the text of each query file that its profile names.
#[derive(Debug)]
struct GraphqlSystem {
    http: HttpSettings,
    queries: IndexMap<String, String>,
}

impl System for GraphqlSystem {
    fn http(&self) -> Option<&HttpSettings> {
        Some(&self.http)
    }

    fn describes_itself(&self) -> bool {
        true
    }

    fn reader(&self, setup: &dyn Setup) -> Result<Box<dyn Read>, ConnectError> {
        Ok(Box::new(GraphqlReader::new(self.http.for_reading(setup)?, self.queries.clone())?))
    }

    fn writer(&self, setup: &dyn Setup) -> Result<Box<dyn Write>, ConnectError> {
        Ok(Box::new(RestWriter::new(self.http.for_writing(setup)?)?))
    }
}
