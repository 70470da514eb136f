//! The lanes of the configuration, held against both ends.

use std::path::{Path, PathBuf};

use diaporos_core::change::{MergePolicies, MergePolicy};
use diaporos_core::diagnostic::{Code, Diagnostic, Report};
use diaporos_core::expr::KnownFields;
use diaporos_core::lane::{FieldExpression, Lane, ReferencePolicy, Target, TypeRef};
use diaporos_core::plan::GonePolicy;
use diaporos_core::settings::{InnerText, Item, Section};
use diaporos_core::value::{LaneName, LanguageTag, SystemName, TypeName};
use diaporos_systems::LanguageCodes;
use indexmap::IndexMap;

use super::ConfiguredLane;
use super::ends::{Around, Names};
use super::expression::Expressions;
use super::lane_checks::Read;
use super::path::within;
use super::rules::{PROTECT, REQUIRE, rules};
use super::systems::SystemKind;

/// What becomes of what is not simply to be written.
struct Policies {
    gone: GonePolicy,
    references: ReferencePolicy,
    changed_there: MergePolicies,
}

/// Reads the lanes.
pub(super) fn lanes(
    file: &mut Section<'_>,
    around: &Around<'_>,
    report: &mut Report,
) -> IndexMap<LaneName, ConfiguredLane> {
    let mut lanes: IndexMap<LaneName, ConfiguredLane> = IndexMap::new();
    let Some(mut section) = file.section("lanes", report) else { return lanes };
    for name in section.names() {
        let lane = match LaneName::new(name.value.clone()) {
            Ok(lane) => lane,
            Err(error) => {
                let message = format!("`{}` cannot name a lane: {error}", name.value);
                report.add(Diagnostic::error(Code::BadValue, name.span, message));
                continue;
            }
        };
        let Some(mut table) = section.named_section(&name.value, report) else { continue };
        let configured = Names { around, report }.lane(lane.clone(), &mut table);
        table.finish(report);
        lanes.extend(configured.map(|configured| (lane, configured)));
    }
    let ends: Vec<(LaneName, SystemName)> =
        lanes.iter().map(|(name, lane)| (name.clone(), lane.lane.to.system.clone())).collect();
    for lane in lanes.values_mut() {
        let same = ends.iter().filter(|(_, to)| *to == lane.lane.to.system);
        lane.siblings = same.map(|(name, _)| name.clone()).collect();
    }
    lanes
}

/// The expressions by field, where all could be read.
fn whole(fields: Read) -> Option<IndexMap<String, FieldExpression>> {
    fields.into_iter().map(|(name, (_, parsed))| Some((name, parsed?))).collect()
}

impl Names<'_> {
    fn lane(&mut self, name: LaneName, table: &mut Section<'_>) -> Option<ConfiguredLane> {
        let from = table.required_text("from", self.report);
        let from = from.and_then(|item| self.end(&item).map(|end| (end, item)));
        let to = table.required_text("to", self.report);
        let to = to.and_then(|item| self.end(&item).map(|end| (end, item)));
        let source = from.as_ref().and_then(|(end, item)| self.source_model(end, item));
        let target = to.as_ref().and_then(|(end, item)| self.target(end, item));
        let known = from.as_ref().zip(source.as_ref()).map(|((end, _), model)| KnownFields { model, kind: &end.kind });
        let mut expressions = Expressions::over(known, self.around.library);
        let when = table.text("when", self.report).map(|item| expressions.condition(&item, self.report));
        let policies = self.policies(table);
        let key = table.text("match", self.report);
        let language = table.text("language", self.report).and_then(|item| self.language(&item));
        let template = table.text("template", self.report).and_then(|item| self.template(&item));
        let require = rules(table, &REQUIRE, &mut expressions, self.report);
        let protect = rules(table, &PROTECT, &mut expressions, self.report);
        let (defaults, mut names) = match table.section("defaults", self.report) {
            Some(mut section) => self.expressions(&mut section, &mut expressions),
            None => Default::default(),
        };
        let Some(mut section) = table.section("fields", self.report) else {
            if !table.has("fields") {
                table.missing("fields", self.report);
            }
            return None;
        };
        let (fields, mapped) = self.expressions(&mut section, &mut expressions);
        names.extend(mapped);
        if let Some(target) = &target {
            self.check_fields(target, &names, &section);
            self.check_values(target, &fields, &defaults);
        }
        if let (Some((to, _)), Some(target)) = (&to, &target) {
            self.check_key(to, key.as_ref(), &names, table);
            self.check_gone(to, policies.as_ref().map(|policies| policies.gone), target, table);
        }
        let (policies, slots) = (policies?, expressions.slots);
        let lane = Lane {
            name,
            from: from?.0,
            to: to?.0,
            key: key.map(|item| item.value.as_str().to_owned()),
            language,
            when: when.map_or(Some(None), |parsed| parsed.map(Some))?,
            require: require?,
            protect: protect?,
            gone: policies.gone,
            changed_there: policies.changed_there,
            references: policies.references,
            fields: whole(fields)?,
            defaults: whole(defaults)?,
            slots,
            library: self.around.library.clone(),
        };
        let target = target?;
        let definition = lane.definition(&target, self.around.now);
        let source = source.unwrap_or_default();
        Some(ConfiguredLane { lane, target, definition, siblings: Vec::new(), source, template, returns: None })
    }

    /// What becomes of entries that are gone, of fields that others changed, and of references.
    fn policies(&mut self, table: &mut Section<'_>) -> Option<Policies> {
        let gone = self.word(table, "gone", &GonePolicy::WORDS, "what can become of entries that are gone");
        let what = "what can become of references to entries that do not go";
        let references = self.word(table, "references", &ReferencePolicy::WORDS, what);
        let changed_there = self.changed_there(table);
        Some(Policies { gone: gone?, references: references?, changed_there: changed_there? })
    }

    /// Expressions by field, and the names of all, also of those that are no expressions.
    fn expressions(
        &mut self,
        section: &mut Section<'_>,
        expressions: &mut Expressions<'_>,
    ) -> (Read, Vec<Item<String>>) {
        let names = section.names();
        let mut read = Read::new();
        for name in &names {
            if let Some(item) = section.named_text(&name.value, self.report) {
                let expression = expressions.read(&item, self.report);
                read.insert(name.value.clone(), (item, expression));
            }
        }
        (read, names)
    }

    fn target(&mut self, end: &TypeRef, item: &Item<InnerText>) -> Option<Target> {
        let system = self.around.systems.get(&end.system)?.as_ref()?;
        let Some(profile) = system.profile().filter(|_| !matches!(system.kind, SystemKind::Graphql(_))) else {
            let finding =
                self.wrong(item, Code::Lane, format!("`{}` is only read; nothing can be sent there", end.system));
            self.report.add(finding);
            return None;
        };
        let target = profile.target(&end.kind);
        if target.is_none() {
            let known: Vec<_> =
                profile.type_names().filter(|kind| profile.writes(kind)).map(TypeName::as_str).collect();
            self.unknown_type(end, item, "written", &known);
        }
        let languages = system.languages().map(LanguageCodes::tags).unwrap_or_default();
        let kept = self.around.kept.get(end);
        target.map(|target| Target { languages, fields: target.fields.or_else(|| kept.cloned()), ..target })
    }

    fn language(&mut self, item: &Item<InnerText>) -> Option<LanguageTag> {
        let read = item.value.as_str().parse();
        read.map_err(|error| self.report.add(Diagnostic::error(Code::BadValue, item.span.clone(), format!("{error}"))))
            .ok()
    }

    /// A file within the hub's folder.
    fn template(&mut self, item: &Item<InnerText>) -> Option<PathBuf> {
        let path = Path::new(item.value.as_str());
        if within(self.around.folder, item.value.as_str()).is_ok_and(|path| path.is_file()) {
            return Some(path.to_owned());
        }
        let message = format!("there is no file `{}` in the hub's folder", path.display());
        self.report.add(Diagnostic::error(Code::MissingFile, item.span.clone(), message));
        None
    }

    /// `changed_there = "hold"`, or a table by field.
    fn changed_there(&mut self, table: &mut Section<'_>) -> Option<MergePolicies> {
        const WHAT: &str = "what can become of fields that were changed there";
        let otherwise = self.word(table, "changed_there", &MergePolicy::WORDS, WHAT)?;
        // A lane that is always right is so too where it finds something.
        let on_adopt = match table.text("on_adopt", self.report) {
            Some(item) => {
                self.one_of(&item, &MergePolicy::WORDS, "what can become of fields that were there before")?
            }
            None => otherwise,
        };
        let mut policies = MergePolicies { otherwise, on_adopt, ..MergePolicies::default() };
        let Some(mut section) = table.section("changed_there_fields", self.report) else { return Some(policies) };
        for name in section.names() {
            let item = section.named_text(&name.value, self.report)?;
            policies.fields.insert(name.value, self.one_of(&item, &MergePolicy::WORDS, WHAT)?);
        }
        section.finish(self.report);
        Some(policies)
    }
}
