//! Members of documents that are properties of a file, and not in it.

use diaporos_core::diagnostic::Report;
use diaporos_core::settings;
use diaporos_core::settings::forms::TEXT;
use diaporos_core::settings::{Form, Section, Setting, Table};

/// Members that are properties of a file.
pub(crate) const PROPERTIES: &[Setting] = settings![
    properties: Form::Table(&PROPERTIES_TABLE), none, "members that are properties of the file (RFC 4918 §4) and not in it, for reading and writing", "{ namespace = \"urn:ostrel\", names = [\"title\"] }";
];
static PROPERTIES_TABLE: Table = Table::new(
    "properties of files",
    &[settings![
        namespace: TEXT, required, "their namespace", "urn:ostrel";
        names: Form::OneOrMany(&TEXT), required, "their names", "[\"title\", \"status\"]";
    ]],
);

/// Members of documents that are WebDAV properties (RFC 4918 §4) of a namespace.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub(crate) struct Properties {
    /// Their namespace.
    pub(crate) namespace: String,
    /// Their names.
    pub(crate) names: Vec<String>,
}

impl Properties {
    /// Reads them, where there are any.
    pub(super) fn from_key(section: &mut Section<'_>, report: &mut Report) -> Properties {
        let mut properties = Properties::default();
        let Some(mut table) = section.section("properties", report) else { return properties };
        let namespace = table.text("namespace", report);
        properties.namespace = namespace.map(|item| item.value.as_str().to_owned()).unwrap_or_default();
        let names = table.text_or_texts("names", report);
        properties.names = names.iter().map(|item| item.value.as_str().to_owned()).collect();
        table.finish(report);
        properties
    }
}
