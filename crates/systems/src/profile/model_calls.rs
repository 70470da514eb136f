//! How a system is asked for its own model, and told to extend it.

use std::collections::BTreeMap;

use diaporos_core::diagnostic::Report;
use diaporos_core::settings;
use diaporos_core::settings::forms::NAMED_TEXTS;
use diaporos_core::settings::{Section, Table};

use super::Call;
use super::call::CALL;
use crate::query::{JSON_PATH, Query};

/// How a system describes and extends its own model.
pub(crate) static MODEL_CALLS: Table = Table::new(
    "model of the system",
    &[settings![
        type: CALL, required, "shows the type `{type}`", "GET /api/types/{type}";
        fields: JSON_PATH, required, "where its fields are", "$.fields[*]";
        name: JSON_PATH, usual "$.name", "where a field's name is", "$.key";
        languages: CALL, none, "shows the languages", "GET /api/languages";
        codes: JSON_PATH, none, "where their codes are", "$.languages[*]";
        make_type: CALL, none, "makes a type", "POST /api/types";
        make_field: CALL, none, "makes a field of the type `{type}`", "POST /api/types/{type}/fields";
        make_language: CALL, none, "makes a language", "POST /api/languages";
        members: NAMED_TEXTS, none, "what it calls the members of a field (`name`, `kind`, `localised`, `many`, `required`) and of a language (`code`)", "{ kind = \"type\", localised = \"translated\" }";
        kinds: NAMED_TEXTS, none, "what it calls the kinds of fields", "{ html = \"rich\" }";
    ]],
)
.needing(&[("languages", "codes")]);

/// The calls about a system's own model.
#[derive(Debug, Clone)]
pub(crate) struct ModelCalls {
    /// Shows a type.
    pub(crate) show_type: Call,
    /// Where its fields are, and in one of them its name.
    pub(crate) fields: Query,
    pub(crate) name: Query,
    /// Shows the languages, and where their codes are.
    pub(crate) languages: Option<(Call, Query)>,
    /// Makes a type; the member that names it.
    pub(crate) make_type: Option<Call>,
    /// Makes a field.
    pub(crate) make_field: Option<Call>,
    /// Makes a language.
    pub(crate) make_language: Option<Call>,
    /// Members of what is made: `name`, `kind`, `localised`, `many`, `required`, `code`.
    pub(crate) members: BTreeMap<String, String>,
    /// The system's words for kinds of fields.
    pub(crate) kinds: BTreeMap<String, String>,
}

impl ModelCalls {
    pub(super) fn from_section(section: &mut Section<'_>, report: &mut Report) -> Option<ModelCalls> {
        let call = |section: &mut Section<'_>, key, allowed: &[&str], report: &mut Report| {
            Call::from_key(section, key, allowed, report)
        };
        let show_type = Call::reading(section, "type", &["type"], report);
        let fields = Query::from_key(section, "fields", report);
        let name = Query::from_key(section, "name", report);
        let languages = Call::reading(section, "languages", &[], report);
        let codes = Query::from_key(section, "codes", report);
        let make_type = call(section, "make_type", &[], report);
        let make_field = call(section, "make_field", &["type"], report);
        let make_language = call(section, "make_language", &[], report);
        Some(ModelCalls {
            show_type: show_type?,
            fields: fields?,
            name: name?,
            languages: languages.zip(codes),
            make_type,
            make_field,
            make_language,
            members: words(section, "members", report),
            kinds: words(section, "kinds", report),
        })
    }

    /// The name of a member of what is made; none where it is not sent.
    pub(crate) fn member<'a>(&'a self, what: &'a str) -> &'a str {
        self.members.get(what).map_or(what, String::as_str)
    }
}

fn words(section: &mut Section<'_>, key: &'static str, report: &mut Report) -> BTreeMap<String, String> {
    let Some(mut table) = section.section(key, report) else { return BTreeMap::new() };
    let mut words = BTreeMap::new();
    for name in table.names() {
        if let Some(item) = table.named_text(&name.value, report) {
            words.insert(name.value, item.value.as_str().to_owned());
        }
    }
    words
}
