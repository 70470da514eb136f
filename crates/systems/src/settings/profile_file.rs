//! What a system's table says of the files and languages that describe it.

use std::collections::BTreeMap;
use std::path::Path;

use diaporos_core::diagnostic::{Code, Diagnostic, Report, Source};
use diaporos_core::settings;
use diaporos_core::settings::forms::{FILE, LANGUAGE};
use diaporos_core::settings::{Form, Section, Setting};

use indexmap::IndexMap;

use super::path::read_within;
use crate::languages::LanguageCodes;
use crate::profile::{Profile, ProfileRules, read_profile};

/// What describes a system.
pub(crate) const DESCRIBED: &[Setting] = settings![
    profile: FILE, required, "the file that describes its types, and how they are read and written", "profiles/example.toml";
    languages: Form::Named(&LANGUAGE), none, "its language codes with the tags (BCP 47) that they stand for; without it the codes are the tags", "{ eng = \"en\", fra = \"fr\" }";
];

/// The files of a hub that its systems name, and what was found wrong in them.
#[derive(Debug)]
pub struct HubFiles<'a> {
    /// The hub's folder.
    pub folder: &'a Path,
    /// A report for each file.
    pub reports: &'a mut Vec<Report>,
}

impl HubFiles<'_> {
    /// The text of a file in the hub's folder.
    ///
    /// # Errors
    /// Where its path leads out of the folder, or it cannot be read.
    pub(crate) fn text(&self, name: &str) -> Result<String, std::io::Error> {
        read_within(self.folder, name)
    }
}

/// Reads the queries that a profile names, by the names of their files.
pub(crate) fn queries(
    profile: &Profile,
    table: &Section<'_>,
    files: &HubFiles<'_>,
    report: &mut Report,
) -> IndexMap<String, String> {
    let mut queries = IndexMap::new();
    for name in profile.query_files() {
        match files.text(name) {
            Ok(text) => drop(queries.insert(name.to_owned(), text)),
            Err(error) => {
                let message = format!("the query file {name} cannot be read: {error}");
                let finding = Diagnostic::error(Code::MissingFile, table.span(), message);
                report.add(finding.help("its name in the profile is relative to the hub's folder"));
            }
        }
    }
    queries
}

/// Reads the profile that a system's table names.
pub(crate) fn profile(
    table: &mut Section<'_>,
    rules: &ProfileRules,
    files: &mut HubFiles<'_>,
    report: &mut Report,
) -> Option<Profile> {
    let item = table.text("profile", report)?;
    let name = item.value.as_str();
    match files.text(name) {
        Err(error) => {
            let finding =
                Diagnostic::error(Code::MissingFile, item.span.clone(), format!("the profile cannot be read: {error}"));
            report.add(finding.label("this file, relative to the hub's folder"));
            None
        }
        Ok(text) => {
            let (profile, findings) = read_profile(Source { name: name.to_owned(), text }, rules);
            // Two systems may share a profile; its faults are told once.
            if !files.reports.contains(&findings) {
                files.reports.push(findings);
            }
            profile
        }
    }
}

/// Reads the table of a system's language codes.
pub(crate) fn languages(table: &mut Section<'_>, report: &mut Report) -> LanguageCodes {
    let Some(mut section) = table.section("languages", report) else { return LanguageCodes::default() };
    let mut codes = BTreeMap::new();
    for name in section.names() {
        let Some(item) = section.named_text(&name.value, report) else { continue };
        match item.value.as_str().parse() {
            Ok(tag) => {
                codes.insert(name.value, tag);
            }
            Err(error) => {
                report.add(
                    Diagnostic::error(Code::BadValue, item.span, format!("{error}")).help("for example `eng = \"en\"`"),
                );
            }
        }
    }
    LanguageCodes::new(codes)
}
