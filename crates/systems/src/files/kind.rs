//! Kind `files`: what the configuration and profiles say of it.

use std::path::PathBuf;

use diaporos_core::diagnostic::Report;
use diaporos_core::settings;
use diaporos_core::settings::{Form, Section, Table};

use super::{FilesReader, files_writer};
use crate::kind::{Kind, System};
use crate::languages::LanguageCodes;
use crate::profile::{ListingForm, Profile, ProfileRules, READ_FILES, WRITE_FILES, WritingForm, type_settings};
use crate::settings::forms::PLACE;
use crate::settings::{DESCRIBED, HubFiles, OF_ALL, PlaceText, languages, place, profile};
use crate::setup::{ConnectError, Setup};
use crate::{Read, Write};

/// What profiles of files say.
static PROFILE: ProfileRules = ProfileRules {
    settings: &FILE,
    listing: ListingForm::Files,
    writing: WritingForm::Files,
    properties: false,
    services: false,
};

static SYSTEM: Table = Table::new(
    "system of kind files",
    &[
        OF_ALL[0],
        OF_ALL[1],
        OF_ALL[2],
        OF_ALL[3],
        OF_ALL[4],
        DESCRIBED,
        settings![
            folder: PLACE, required, "the folder, relative to the hub's", "pages";
        ],
    ],
);
static TYPE: Table = Table::new(
    "type of kind files",
    &[type_settings!(READ_FILES, "{ files = \"pages/*.md\" }", WRITE_FILES, "{ place = \"pages/{key}.md\" }")],
);
static FILE: Table = Table::new(
    "profile of kind files",
    &[settings![
        types: Form::Named(&Form::Table(&TYPE)), required, "the types by name", "{ page = { read = { files = \"pages/*.md\" } } }";
    ]],
);

/// A folder of files.
#[derive(Debug)]
pub struct Files;

impl Kind for Files {
    fn word(&self) -> &'static str {
        "files"
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
        let folder = table.text("folder", report).and_then(|item| place(&item, report));
        let profile = profile(table, &PROFILE, files, report);
        let languages = languages(table, report);
        Some(Box::new(FilesSystem { folder: folder?, profile: profile?, languages }))
    }
}

/// A folder of files, as a profile describes them.
#[derive(Debug)]
struct FilesSystem {
    folder: PlaceText,
    profile: Profile,
    languages: LanguageCodes,
}

impl FilesSystem {
    fn folder(&self, setup: &dyn Setup) -> Result<PathBuf, ConnectError> {
        Ok(setup.folder().join(setup.text(&self.folder)?))
    }
}

impl System for FilesSystem {
    fn profile(&self) -> Option<&Profile> {
        Some(&self.profile)
    }

    fn languages(&self) -> Option<&LanguageCodes> {
        Some(&self.languages)
    }

    fn places(&self) -> Vec<(String, &PlaceText)> {
        vec![("its folder".to_owned(), &self.folder)]
    }

    fn reader(&self, setup: &dyn Setup) -> Result<Box<dyn Read>, ConnectError> {
        let (profile, languages, most) = (self.profile.clone(), self.languages.clone(), setup.limits()?.max_bytes);
        Ok(Box::new(FilesReader::new(setup.name().clone(), self.folder(setup)?, profile, languages, most)))
    }

    fn writer(&self, setup: &dyn Setup) -> Result<Box<dyn Write>, ConnectError> {
        let (profile, languages, limits) = (self.profile.clone(), self.languages.clone(), setup.limits()?);
        Ok(files_writer(setup.name().clone(), self.folder(setup)?, profile, languages, limits))
    }
}
