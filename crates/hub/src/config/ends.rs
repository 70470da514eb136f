//! Names in the configuration that stand for what there is: a type in a system, a word of several.

use std::path::Path;
use std::sync::Arc;

use diaporos_core::diagnostic::{Code, Diagnostic, Report};
use diaporos_core::expr::Library;
use diaporos_core::lane::TypeRef;
use diaporos_core::model::Model;
use diaporos_core::settings::{InnerText, Item, Section};
use diaporos_core::value::{SystemName, TypeName};
use indexmap::IndexMap;
use jiff::Timestamp;

use super::models::KeptModels;
use super::own_model::{OWN, own_model};
use super::systems::SystemConfig;
use super::{SeenFields, model_with_seen};

/// The systems by name; a faulty one without its configuration.
pub(super) type Systems = IndexMap<SystemName, Option<SystemConfig>>;

/// The system of a name that is configured.
pub(super) fn known_system(systems: &Systems, item: &Item<InnerText>, report: &mut Report) -> Option<SystemName> {
    let name = item.value.as_str();
    let known = systems.keys().find(|known| known.as_str() == name);
    if known.is_none() {
        let message = format!("there is no system `{name}`");
        let finding = Diagnostic::error(Code::UnknownName, item.span.clone(), message);
        report.add(finding.suggest(name, systems.keys().map(SystemName::as_str)));
    }
    known.cloned()
}

/// Reads the tables within a table, each by its name; a faulty one is left out.
pub(super) fn named_tables<T>(
    section: &mut Section<'_>,
    key: &'static str,
    report: &mut Report,
    mut read: impl FnMut(&Item<String>, &mut Section<'_>, &mut Report) -> Option<T>,
) -> IndexMap<String, T> {
    let mut found = IndexMap::new();
    let Some(mut section) = section.section(key, report) else { return found };
    for name in section.names() {
        let Some(mut table) = section.named_section(&name.value, report) else { continue };
        let one = read(&name, &mut table, report);
        table.finish(report);
        found.extend(one.map(|one| (name.value, one)));
    }
    found
}

/// What lanes are held against.
pub(super) struct Around<'a> {
    pub(super) systems: &'a Systems,
    pub(super) seen: SeenFields<'a>,
    pub(super) library: &'a Arc<Library>,
    pub(super) kept: &'a KeptModels,
    pub(super) profiles_are_sound: bool,
    pub(super) folder: &'a Path,
    pub(super) now: Timestamp,
}

/// Reads names, and reports those that stand for nothing.
pub(super) struct Names<'a> {
    pub(super) around: &'a Around<'a>,
    pub(super) report: &'a mut Report,
}

impl Names<'_> {
    /// A fault of an item.
    pub(super) fn wrong(&mut self, item: &Item<InnerText>, code: Code, message: impl Into<String>) -> Diagnostic {
        Diagnostic::error(code, item.span.clone(), message)
    }

    /// `system/type`, of a system that there is.
    pub(super) fn end(&mut self, item: &Item<InnerText>) -> Option<TypeRef> {
        let text = item.value.as_str();
        let parts = text.split_once('/').map(|(system, kind)| (SystemName::new(system), TypeName::new(kind)));
        let Some((Ok(system), Ok(kind))) = parts else {
            let finding = self.wrong(item, Code::BadValue, format!("`{text}` is not a type in a system"));
            self.report.add(finding.help("write `system/type`, as in `catalogue/plant-profile`"));
            return None;
        };
        if !self.around.systems.contains_key(&system) && system.as_str() != OWN {
            let finding = self.wrong(item, Code::UnknownName, format!("there is no system `{system}`"));
            self.report.add(finding.suggest(system.as_str(), self.around.systems.keys().map(SystemName::as_str)));
            return None;
        }
        Some(TypeRef { system, kind })
    }

    pub(super) fn unknown_type(&mut self, end: &TypeRef, item: &Item<InnerText>, what: &str, known: &[&str]) {
        let finding = self.wrong(
            item,
            Code::UnknownName,
            format!("`{}` has no type `{}` that can be {what}", end.system, end.kind),
        );
        self.report.add(finding.suggest(end.kind.as_str(), known.iter().copied()));
    }

    /// What is known of the entries that come from an end.
    pub(super) fn source_model(&mut self, end: &TypeRef, item: &Item<InnerText>) -> Option<Model> {
        if end.system.as_str() == OWN {
            let model = own_model();
            if model.get(&end.kind).is_none() {
                let known: Vec<_> = model.types.keys().map(TypeName::as_str).collect();
                self.unknown_type(end, item, "read", &known);
                return None;
            }
            return Some(model.clone());
        }
        let system = self.around.systems.get(&end.system)?.as_ref()?;
        match system.profile() {
            None if system.model().get(&end.kind).is_none() => {
                let known: Vec<_> = system.model().types.keys().map(TypeName::as_str).collect();
                self.unknown_type(end, item, "read", &known);
                None
            }
            None => Some(system.model().clone()),
            Some(profile) if !profile.reads(&end.kind) => {
                let known: Vec<_> =
                    profile.type_names().filter(|kind| profile.reads(kind)).map(TypeName::as_str).collect();
                self.unknown_type(end, item, "read", &known);
                None
            }
            Some(profile) => {
                Some(model_with_seen(profile.model(), (&end.system, &end.kind), self.around.kept, self.around.seen))
            }
        }
    }

    /// The profile of a system, where it has one.
    pub(super) fn profile(&self, system: &SystemName) -> Option<&diaporos_systems::Profile> {
        self.around.systems.get(system)?.as_ref()?.profile()
    }
}
