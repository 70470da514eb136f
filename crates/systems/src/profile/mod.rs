//! Profiles: files that describe a system's types, how they are read and how they are written.

mod asset_calls;
mod batch_call;
mod call;
mod document_listing;
mod elements;
mod field;
mod filled;
mod layout;
mod lock_calls;
mod look_up;
mod member_path;
mod model_calls;
mod operation_call;
mod paging;
mod path;
mod place_type;
mod properties;
mod read_items;
mod read_settings;
mod read_type;
mod row_listing;
mod row_target;
mod rules;
mod search_call;
mod since;
mod translation_calls;
mod write_type;

use diaporos_core::change::{Fingerprint, fingerprint_texts};
use diaporos_core::diagnostic::{Code, Diagnostic, Report, Source};
use diaporos_core::lane::Target;
use diaporos_core::model::{EntryType, Model};
use diaporos_core::settings::{Section, read_toml};
use diaporos_core::value::TypeName;
use indexmap::IndexMap;
use serde_json::Map;

use crate::ErrorKind;
use crate::http::AnswerForm;

pub(crate) use asset_calls::AssetCalls;
pub(crate) use batch_call::BatchCall;
pub(crate) use call::Call;
pub(crate) use document_listing::{DocumentListing, ListingQuery};
pub(crate) use elements::FORM;
use elements::FORMS;
pub(crate) use field::{FIELDS, ProfileField};
pub(crate) use filled::Filled;
pub(crate) use layout::Layout;
pub(crate) use lock_calls::{LockCalls, LockShown};
pub(crate) use look_up::{FOUND, LookUp};
pub(crate) use member_path::MemberPath;
pub(crate) use model_calls::{MODEL_CALLS, ModelCalls};
pub(crate) use operation_call::OperationCall;
pub(crate) use paging::{Next, PageSize, Paging, Style};
pub(crate) use place_type::{PlaceType, WRITE_DOCUMENTS, WRITE_FILES, WRITE_ROWS};
pub(crate) use properties::{PROPERTIES, Properties};
pub(crate) use read_settings::{READ_CHANGES, READ_FILES, READ_PAGES, READ_QUERY, READ_ROWS};
pub(crate) use read_type::{DetailQuery, Embedded, Id, ReadType};
pub(crate) use row_listing::{RowListing, RowsFrom};
pub(crate) use row_target::{ListTarget, RowTarget};
pub use rules::{ListingForm, ProfileRules, WritingForm};
pub(crate) use search_call::SearchCall;
pub(crate) use since::Since;
pub(crate) use translation_calls::{TRANSLATION_CALLS, TranslationCalls};
pub(crate) use write_type::{RevisionPlace, WRITE_BY_CALLS, WRITE_BY_OPERATIONS, WriteType};

/// The settings of a type: its fields, and how it is read and written.
macro_rules! type_settings {
    ($read:ident, $read_example:literal $(, $write:ident, $write_example:literal)?) => {
        settings![
            fields: $crate::profile::FIELDS, none, "its fields; without them it takes all that its items hold", "{ title = \"text\" }";
            read: Form::Table(&$read), none, "how its entries are listed and read", $read_example;
            $(write: Form::Table(&$write), none, "how its documents are written", $write_example;)?
        ]
    };
}
pub(crate) use type_settings;

/// How a REST system is read and written.
#[derive(Debug, Clone)]
pub struct Profile {
    pub(crate) types: IndexMap<TypeName, ProfileType>,
    pub(crate) model_calls: Option<ModelCalls>,
    /// How texts are sent for translation.
    pub(crate) translation: Option<TranslationCalls>,
    model: Model,
    fingerprint: Fingerprint,
    rules: ProfileRules,
    /// The form of the documents that the system takes and gives.
    form: AnswerForm,
}

/// How one type is read and written.
#[derive(Debug, Clone)]
pub(crate) struct ProfileType {
    pub(crate) fields: Option<IndexMap<String, ProfileField>>,
    pub(crate) read: Option<ReadType>,
    pub(crate) write: Option<WriteType>,
    pub(crate) places: Option<PlaceType>,
    /// Members that are properties of a file, and not in it.
    pub(crate) properties: Properties,
}

impl Profile {
    /// What the profile says of the types' fields. A type without a table of fields is not in it.
    #[must_use]
    pub fn model(&self) -> &Model {
        &self.model
    }

    /// The form of the documents that the system takes and gives.
    pub(crate) fn form(&self) -> AnswerForm {
        self.form
    }

    /// Changes with every change of the file.
    pub(crate) fn fingerprint(&self) -> Fingerprint {
        self.fingerprint
    }

    /// Whether the type is there and can be read.
    #[must_use]
    pub fn reads(&self, kind: &TypeName) -> bool {
        self.types.get(kind).is_some_and(|known| known.read.is_some())
    }

    /// The types that can be read.
    pub(crate) fn readable(&self) -> Vec<TypeName> {
        self.types.iter().filter(|(_, known)| known.read.is_some()).map(|(kind, _)| kind.clone()).collect()
    }

    /// How a type is read.
    pub(crate) fn read_type(&self, kind: &TypeName) -> Result<&ReadType, ErrorKind> {
        let read = self.types.get(kind).and_then(|known| known.read.as_ref());
        read.ok_or_else(|| ErrorKind::Content(format!("the profile does not say how to read `{kind}`")))
    }

    /// Whether the type is there and can be written.
    #[must_use]
    pub fn writes(&self, kind: &TypeName) -> bool {
        self.types.get(kind).is_some_and(|known| known.write.is_some() || known.places.is_some())
    }

    /// What a type takes as a destination; none where it cannot be written.
    #[must_use]
    pub fn target(&self, kind: &TypeName) -> Option<Target> {
        let calls = self.write_type(kind).map(|write| &write.languages);
        let documents = calls.or_else(|| self.places(kind).map(|places| &places.languages))?.documents();
        Some(Target { documents, fields: self.model.get(kind).cloned(), languages: Vec::new() })
    }

    /// Whether documents of the type can be found by a key.
    #[must_use]
    pub fn finds(&self, kind: &TypeName) -> bool {
        self.places(kind).is_some() || self.write_type(kind).is_some_and(|write| write.find.is_some())
    }

    /// Whether documents of the type can be taken off view.
    #[must_use]
    pub fn withdraws(&self, kind: &TypeName) -> bool {
        self.places(kind).is_some_and(|places| places.withdraw.is_some())
            || self.write_type(kind).is_some_and(|write| write.withdraw.is_some())
    }

    /// Whether documents of the type can be deleted.
    #[must_use]
    pub fn deletes(&self, kind: &TypeName) -> bool {
        self.places(kind).is_some() || self.write_type(kind).is_some_and(|write| write.delete.is_some())
    }

    /// How documents of a type are written at places of our choosing.
    pub(crate) fn places(&self, kind: &TypeName) -> Option<&PlaceType> {
        self.types.get(kind).and_then(|known| known.places.as_ref())
    }

    fn write_type(&self, kind: &TypeName) -> Option<&WriteType> {
        self.types.get(kind).and_then(|known| known.write.as_ref())
    }

    /// Whether an update is refused over a version that somebody else wrote since; none where the type is
    /// not written.
    #[must_use]
    pub fn guards_updates(&self, kind: &TypeName) -> Option<bool> {
        if self.places(kind).is_some() {
            return Some(true);
        }
        let write = self.write_type(kind)?;
        let in_batch = write.batch.as_ref().is_some_and(|batch| batch.revision.is_some());
        Some(write.if_match.is_some() || in_batch || write.tells_revision() || self.lock_calls(kind))
    }

    fn lock_calls(&self, kind: &TypeName) -> bool {
        self.write_type(kind).is_some_and(|write| write.lock.is_some())
    }

    /// Whether texts can be sent there for translation.
    #[must_use]
    pub fn takes_batches(&self) -> bool {
        self.translation.is_some()
    }

    /// Whether profiles of its kind say how anything is written.
    #[must_use]
    pub fn can_write(&self) -> bool {
        self.rules.writing != WritingForm::None
    }

    /// The types with columns per language.
    pub(crate) fn spread_types(&self) -> impl Iterator<Item = &TypeName> {
        let is_spread = |known: &ProfileType| {
            let read = known.read.as_ref().and_then(|read| read.rows.as_ref());
            let written = known.places.as_ref().and_then(|places| places.rows.as_ref());
            read.is_some_and(|rows| rows.language_suffix.is_some())
                || written.is_some_and(|rows| rows.language_suffix.is_some())
        };
        self.types.iter().filter(move |(_, known)| is_spread(known)).map(|(kind, _)| kind)
    }

    /// The members that documents of a type have, by their first names; none where the profile does not say them.
    pub(crate) fn written_members(&self, kind: &TypeName) -> Option<Vec<String>> {
        let known = self.types.get(kind)?;
        let (fields, places) = (known.fields.as_ref()?, known.places.as_ref()?);
        let of_fields = fields.keys().filter_map(|name| places.layout.place(name).first().map(str::to_owned));
        let fixed = places.members.keys().chain(places.withdraw.iter().flat_map(Map::keys)).cloned();
        let shown = places.withdrawn.iter().filter_map(|(at, _)| MemberPath::of(at)?.first().map(str::to_owned));
        let mut members: Vec<String> = of_fields.chain(fixed).chain(shown).collect();
        members.sort_unstable();
        members.dedup();
        Some(members)
    }

    /// The localised fields of a type.
    pub(crate) fn localised(&self, kind: &TypeName) -> Vec<String> {
        let fields = self.types.get(kind).and_then(|known| known.fields.as_ref());
        let localised = fields.into_iter().flatten().filter(|(_, field)| field.field.localised);
        localised.map(|(name, _)| name.clone()).collect()
    }

    /// The files that its types name, such as queries.
    pub fn query_files(&self) -> impl Iterator<Item = &str> {
        let reads = self.types.values().filter_map(|known| known.read.as_ref());
        let reads = reads.flat_map(|read| {
            let of_rows = read.rows.iter().filter_map(|rows| match &rows.from {
                RowsFrom::Query(name) => Some(name.as_str()),
                RowsFrom::Table(_) => None,
            });
            let listing = Some(read.list.as_str()).filter(|_| read.rows.is_none());
            let details = read.detail_query.iter().map(|detail| detail.file.as_str());
            let deleted = read.deleted.iter().map(|deleted| deleted.list.as_str());
            listing.into_iter().chain(of_rows).chain(deleted).chain(details)
        });
        let writes = self.types.values().filter_map(|known| known.write.as_ref());
        reads.chain(writes.flat_map(WriteType::operation_files))
    }

    /// Takes the texts of the operations that it writes by, each by its file's name. Gives the files that are wrong,
    /// and what is wrong with each.
    pub(crate) fn take_operations(&mut self, texts: &IndexMap<String, String>) -> Vec<(String, String)> {
        for known in self.types.values_mut() {
            if let (Some(read), Some(write)) = (&known.read, &mut known.write)
                && write.read.operation.is_some()
                && write.listed.is_none()
            {
                write.listed = Some(DocumentListing::of_read_query(read));
            }
        }
        let writes = self.types.values_mut().filter_map(|known| known.write.as_mut());
        writes.flat_map(|write| write.take_operations(texts)).collect()
    }

    /// The names of all types.
    pub fn type_names(&self) -> impl Iterator<Item = &TypeName> {
        self.types.keys()
    }
}

/// Reads a profile; whatever is wrong in it is in the report.
#[must_use]
pub fn read_profile(source: Source, rules: &ProfileRules) -> (Option<Profile>, Report) {
    let fingerprint = fingerprint_texts([source.text.as_str()]);
    let (types, report) = read_toml(source, rules.settings, |file, report| {
        let form = if rules.services { file.word("form", &FORMS, report)? } else { AnswerForm::Json };
        let translation =
            rules.services.then(|| whole_table(file, "translation", report, TranslationCalls::from_section)).flatten();
        let mut types = IndexMap::new();
        // An agency has texts to translate, and needs no types.
        if rules.services && !file.has("types") && !file.has("translation") {
            file.missing("types", report);
        }
        let mut section = file.section("types", report);
        for name in section.as_mut().map(Section::names).unwrap_or_default() {
            let Some(section) = &section else { break };
            let kind = match TypeName::new(name.value.clone()) {
                Ok(kind) => kind,
                Err(error) => {
                    let message = format!("`{}` cannot name a type: {error}", name.value);
                    report.add(Diagnostic::error(Code::BadValue, name.span, message));
                    continue;
                }
            };
            if let Some(mut section) = section.named_section(&name.value, report) {
                let mut of = profile_type(&mut section, rules, report);
                if form == AnswerForm::Xml {
                    of.take_elements(&section, report);
                }
                types.insert(kind, of);
                section.finish(report);
            }
        }
        let calls = rules.services.then(|| whole_table(file, "model", report, ModelCalls::from_section)).flatten();
        Some((types, calls, translation, form))
    });
    let profile = types.filter(|_| !report.has_errors()).map(|(types, model_calls, translation, form)| Profile {
        model: model(&types),
        types,
        model_calls,
        translation,
        fingerprint,
        rules: *rules,
        form,
    });
    (profile, report)
}

fn profile_type(section: &mut Section<'_>, rules: &ProfileRules, report: &mut Report) -> ProfileType {
    let fields = section.section("fields", report).map(|mut fields| field::fields(&mut fields, report));
    let read = whole_table(section, "read", report, |read, report| {
        let of = ReadType::from_section(read, rules.listing, report)?;
        if rules.listing == ListingForm::Pages {
            of.check_parameters(read, report);
        }
        Some(of)
    });
    let properties = if rules.properties { Properties::from_key(section, report) } else { Properties::default() };
    let (mut write, mut places) = (None, None);
    let layout = Layout::new(fields.as_ref(), read.as_ref());
    match rules.writing {
        // A table `write` is then an unknown key.
        WritingForm::None => {}
        form @ (WritingForm::Calls | WritingForm::Operations) => {
            write = whole_table(section, "write", report, |table, report| match form {
                WritingForm::Operations => WriteType::of_operations(table, layout, report),
                _ => WriteType::from_section(table, layout, report),
            });
        }
        form @ (WritingForm::Files | WritingForm::Documents | WritingForm::Rows) => {
            places = whole_table(section, "write", report, |table, report| {
                PlaceType::from_section(table, form, layout, report)
            });
        }
    }
    if !section.has("read") && !section.has("write") {
        let message = format!("`{}` says neither how to read nor how to write it", section.path());
        report.add(Diagnostic::error(Code::MissingKey, section.span(), message).help("add a table `read` or `write`"));
    }
    ProfileType { fields, read, write, places, properties }
}

/// Reads a table to its end, where there is one.
fn whole_table<T>(
    section: &mut Section<'_>,
    key: &'static str,
    report: &mut Report,
    read: impl FnOnce(&mut Section<'_>, &mut Report) -> Option<T>,
) -> Option<T> {
    let mut table = section.section(key, report)?;
    let value = read(&mut table, report);
    table.finish(report);
    value
}

fn model(types: &IndexMap<TypeName, ProfileType>) -> Model {
    let of = |fields: &IndexMap<String, ProfileField>| EntryType {
        fields: fields.iter().map(|(name, field)| (name.clone(), field.field.clone())).collect(),
    };
    let known = types.iter().filter_map(|(kind, of_type)| Some((kind.clone(), of(of_type.fields.as_ref()?))));
    Model { types: known.collect() }
}

#[cfg(test)]
mod tests;
