//! Kind `sql`: what the configuration and profiles say of it.

use std::path::Path;

use diaporos_core::diagnostic::{Code, Diagnostic, Report};
use diaporos_core::settings;
use diaporos_core::settings::{Form, Section, Table};
use diaporos_postgres::Server;
use indexmap::IndexMap;
use secrecy::SecretString;
use url::Url;

use super::database::{Database, DatabasePlace};
use super::read::SqlReader;
use super::write::sql_writer;
use crate::asked::Access;
use crate::http::Credential;
use crate::kind::{Kind, System};
use crate::languages::LanguageCodes;
use crate::profile::{ListingForm, Profile, ProfileRules, READ_ROWS, WRITE_ROWS, WritingForm, type_settings};
use crate::settings::forms::PLACE;
use crate::settings::{
    BASIC, CredentialReference, Credentials, DESCRIBED, HubFiles, OF_ALL, PlaceText, basic, languages, place_of,
    profile, queries,
};
use crate::setup::{ConnectError, Setup};
use crate::{ErrorKind, Read, SystemError, Write};

/// What profiles of the kind say.
static PROFILE: ProfileRules = ProfileRules {
    settings: &FILE,
    listing: ListingForm::Rows,
    writing: WritingForm::Rows,
    properties: false,
    services: false,
};

static SYSTEM: Table = Table::new(
    "system of kind sql",
    &[
        OF_ALL[0],
        OF_ALL[1],
        OF_ALL[2],
        OF_ALL[3],
        OF_ALL[4],
        DESCRIBED,
        settings![
            url: PLACE, required, "the database: `postgres://host:5432/database`, without a role; or `sqlite:FILE`, relative to the hub's folder", "postgres://db.ostrel.example/garden";
            read: Form::Table(&BASIC), none, "the role for reading, the only one that `pull` has; nothing is ever written by it", "{ user = \"reader\", password = \"env:GARDEN_READ\" }";
            write: Form::Table(&BASIC), none, "the role for writing, the only one that `push` has", "{ user = \"writer\", password = \"env:GARDEN_WRITE\" }";
        ],
    ],
);
static TYPE: Table = Table::new(
    "type of kind sql",
    &[type_settings!(
        READ_ROWS,
        "{ table = \"plants\", key = \"id\" }",
        WRITE_ROWS,
        "{ table = \"pages\", key = \"slug\" }"
    )],
);
static FILE: Table = Table::new(
    "profile of kind sql",
    &[settings![
        types: Form::Named(&Form::Table(&TYPE)), required, "the types by name", "{ plant = { read = { table = \"plants\", key = \"id\" } } }";
    ]],
);

/// A database of tables.
#[derive(Debug)]
pub(crate) struct Sql;

impl Kind for Sql {
    fn word(&self) -> &'static str {
        "sql"
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
        let url = table.text("url", report).and_then(|item| place_of(&item, &["postgres", "postgresql"], report));
        let profile = profile(table, &PROFILE, files, report);
        let languages = languages(table, report);
        let (read, write) = (basic(table, "read", report), basic(table, "write", report));
        let (url, profile) = (url?, profile?);
        let queries = queries(&profile, table, files, report);
        for kind in profile.spread_types() {
            if languages.tags().is_empty() {
                let message = format!("`{kind}` has columns per language, and the system's codes are not known");
                let finding = Diagnostic::error(Code::MissingKey, table.span(), message);
                report.add(finding.help("name them: `languages = { en = \"en\", fr = \"fr\" }`"));
            }
        }
        Some(Box::new(SqlSystem { url, profile, languages, read, write, queries }))
    }
}

/// A database, as the configuration and a profile describe it.
#[derive(Debug)]
struct SqlSystem {
    url: PlaceText,
    profile: Profile,
    languages: LanguageCodes,
    read: Option<CredentialReference>,
    write: Option<CredentialReference>,
    /// The queries by the names of their files.
    queries: IndexMap<String, String>,
}

impl SqlSystem {
    fn database(&self, setup: &dyn Setup, access: Access) -> Result<Database, ConnectError> {
        let reference = match access {
            Access::Read => self.read.as_ref(),
            Access::Write => self.write.as_ref(),
        };
        let (text, limits) = (setup.text(&self.url)?, setup.limits()?);
        let wrong = |why: &str| {
            let kind = ErrorKind::Refused(why.to_owned());
            ConnectError::System(SystemError { system: setup.name().clone(), url: "its address".to_owned(), kind })
        };
        if let Some(file) = text.strip_prefix("sqlite:") {
            let path = setup.folder().join(Path::new(file));
            return Ok(Database::new(setup.name().clone(), DatabasePlace::File(path), limits, access));
        }
        if !text.starts_with("postgres://") && !text.starts_with("postgresql://") {
            return Err(wrong("a database is at `postgres://host:5432/database`, or in `sqlite:FILE`"));
        }
        let authorities = limits.network.ca_bundle.as_deref();
        let server = Server::at(&SecretString::from(text.as_str()), authorities).map_err(|why| wrong(&why))?;
        if server.names_a_role() {
            return Err(wrong(
                "the address names a role, which would read and write alike; name one for each: `read = { user = …, password = … }`",
            ));
        }
        // A credential is as safe on its way as by http or https.
        let way = if server.is_open() { "http://elsewhere.invalid" } else { "https://elsewhere.invalid" };
        let way = Url::parse(way).map_err(|_| wrong("it cannot be asked"))?;
        let server = match setup.credential(&way, reference)? {
            Some(Credential::Basic { user, password }) => {
                server.by(user.expose(), &SecretString::from(password.expose()))
            }
            _ => server,
        };
        let place = DatabasePlace::Server(Box::new(server.within(limits.connect)));
        Ok(Database::new(setup.name().clone(), place, limits, access))
    }
}

impl System for SqlSystem {
    fn profile(&self) -> Option<&Profile> {
        Some(&self.profile)
    }

    fn languages(&self) -> Option<&LanguageCodes> {
        Some(&self.languages)
    }

    fn places(&self) -> Vec<(String, &PlaceText)> {
        vec![("its address".to_owned(), &self.url)]
    }

    fn credentials(&self) -> Credentials<'_> {
        Credentials { read: self.read.as_ref(), write: self.write.as_ref() }
    }

    fn describes_itself(&self) -> bool {
        true
    }

    fn reader(&self, setup: &dyn Setup) -> Result<Box<dyn Read>, ConnectError> {
        let (profile, languages) = (self.profile.clone(), self.languages.clone());
        let database = self.database(setup, Access::Read)?;
        Ok(Box::new(SqlReader::new(database, profile, languages, self.queries.clone())))
    }

    fn writer(&self, setup: &dyn Setup) -> Result<Box<dyn Write>, ConnectError> {
        let database = self.database(setup, Access::Write)?;
        Ok(sql_writer(database, self.profile.clone(), self.languages.clone()))
    }
}
