//! The lanes of the configuration, held against both ends.

use std::path::{Path, PathBuf};
use std::sync::Arc;

use diaporos_core::change::{MergePolicies, MergePolicy};
use diaporos_core::diagnostic::{Code, Diagnostic, Report};
use diaporos_core::expr::KnownFields;
use diaporos_core::lane::{FieldExpression, Lane, ReferencePolicy, Target, TypeRef};
use diaporos_core::model::Model;
use diaporos_core::plan::GonePolicy;
use diaporos_core::settings;
use diaporos_core::settings::forms::{EXPRESSION, FILE, LANGUAGE, NAMED_EXPRESSIONS, TEXT, TYPE};
use diaporos_core::settings::{Form, InnerText, Item, Section, Table, one_of, words};
use diaporos_core::value::{LaneName, LanguageTag, SystemName, TypeName};
use diaporos_systems::LanguageCodes;
use diaporos_systems::settings::TIMES;
use diaporos_systems::settings::path::within;
use indexmap::IndexMap;

use super::ConfiguredLane;
use super::ends::{Around, Names};
use super::expression::Expressions;
use super::lane_checks::Read;
use super::own_model::OWN;
use super::pushed::{PUSHED, pushed};
use super::rules::{PROTECT, REQUIRE, rules};
use super::services::{ServiceConfig, ServiceConfigs, of_type as services_of, with_services};
use super::words::{is_of_words, join_words, word_model};

/// A lane.
pub(super) static LANE: Table = Table::new(
    "lane",
    &[
        PUSHED,
        TIMES,
        settings![
            from: TYPE, required, "the source type; a lane that has delivered keeps it. `hub/NAME` takes the words that `ensure` names, and makes documents of them", "catalogue/plant-profile";
            to: TYPE, required, "the destination type; a lane that has delivered keeps it", "visitor-site/page";
            match: TEXT, none, "the destination field that tells documents apart: one that exists there is adopted, not doubled, and a lost answer is settled by it", "slug";
            when: EXPRESSION, none, "who goes; without it, entries whose state is `live`", "state == \"live\"";
            gone: Form::Word { what: "what can become of entries that are gone", of: || words(&GonePolicy::WORDS) }, usual "withdraw", "what becomes of those that no longer go", "delete";
            references: Form::Word { what: "what can become of references to entries that do not go", of: || words(&ReferencePolicy::WORDS) }, usual "leave-out", "what becomes of an entry that refers to one which does not go: it goes without, and says so, or is held", "hold";
            changed_there: MERGED, usual "hold", "what becomes of fields that somebody else changed at the destination: with `hold` theirs stays, and where ours changed too the entry is held", "ours";
            changed_there_fields: Form::Named(&MERGED), none, "the same, by field", "{ heading = \"ours\", teaser = \"theirs\" }";
            on_adopt: MERGED, none, "what becomes of fields of a document that was there before us and differs; as `changed_there` without it. What it lacks is filled in", "theirs";
            language: LANGUAGE, none, "the language of entries that have none, for a destination with a document per language", "en";
            template: FILE, none, "by what `preview --html` shows an entry as a page (Jinja syntax; `fields`, `language`, `address`, and `html`, the names of the fields that are HTML)", "page.html";
            fields: NAMED_EXPRESSIONS, required, "what each destination field is", "{ slug = 'entry.id | slug', heading = 'common_name' }";
            defaults: NAMED_EXPRESSIONS, none, "what a destination field is where its expression says nothing, in each language", "{ byline = '\"Ostrel Gardens\"' }";
            require: Form::Named(&Form::Table(&REQUIRED)), none, "rules by name: an entry that goes and does not keep one is held back", "{ latin = { that = 'latin_name != null', message = \"a profile is not shown without its Latin name\" } }";
            protect: Form::Named(&Form::Table(&PROTECTED)), none, "rules by name: what one holds for is never overwritten, withdrawn or deleted there", "{ front = { when = 'entry.id == \"p-001\"', why = \"the front page shows it\" } }";
        ],
    ],
);
const MERGED: Form =
    Form::Word { what: "what can become of fields that were changed there", of: || words(&MergePolicy::WORDS) };
static REQUIRED: Table = Table::new(
    "rule that must hold",
    &[settings![
        that: EXPRESSION, required, "what must hold", "latin_name != null";
        message: TEXT, required, "what is said where it does not", "a profile is not shown without its Latin name";
    ]],
);
static PROTECTED: Table = Table::new(
    "rule that protects",
    &[settings![
        when: EXPRESSION, required, "which entries it protects", "entry.id == \"p-001\"";
        why: TEXT, required, "what is said of what would have been done", "the front page shows it";
    ]],
);

/// What becomes of what is not simply to be written.
struct Policies {
    gone: GonePolicy,
    references: ReferencePolicy,
    changed_there: MergePolicies,
}

/// Reads the lanes.
pub(super) fn lanes(
    file: &mut Section<'_>,
    (around, services): (&Around<'_>, &ServiceConfigs),
    report: &mut Report,
) -> IndexMap<LaneName, ConfiguredLane> {
    let mut lanes: IndexMap<LaneName, ConfiguredLane> = IndexMap::new();
    let mut places = IndexMap::new();
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
        let configured = Names { around, report }.lane((lane.clone(), services), &mut table);
        table.finish(report);
        places.insert(lane.clone(), name.span);
        lanes.extend(configured.map(|configured| (lane, configured)));
    }
    let ends: Vec<(LaneName, SystemName)> =
        lanes.iter().map(|(name, lane)| (name.clone(), lane.lane.to.system.clone())).collect();
    for lane in lanes.values_mut() {
        let same = ends.iter().filter(|(_, to)| *to == lane.lane.to.system);
        lane.siblings = same.map(|(name, _)| name.clone()).collect();
    }
    join_words(&mut lanes, &places, report);
    lanes
}

/// The expressions by field, where all could be read.
fn whole(fields: Read) -> Option<IndexMap<String, FieldExpression>> {
    fields.into_iter().map(|(name, (_, parsed))| Some((name, parsed?))).collect()
}

impl Names<'_> {
    fn lane(
        &mut self,
        (name, services): (LaneName, &ServiceConfigs),
        table: &mut Section<'_>,
    ) -> Option<ConfiguredLane> {
        let (from, to) = (self.named_end("from", table), self.named_end("to", table));
        let own: Vec<_> = from.iter().flat_map(|(end, _)| services_of(services, end)).cloned().collect();
        let source = from.as_ref().and_then(|(end, item)| self.lane_source(end, item, &own));
        let target = to.as_ref().and_then(|(end, item)| self.target(end, item));
        let known = from.as_ref().zip(source.as_ref()).map(|((end, _), model)| KnownFields { model, kind: &end.kind });
        let mut expressions = Expressions::over(known, self.around.library);
        let when = table.text("when", self.report).map(|item| expressions.condition(&item, self.report));
        let policies = self.policies(table);
        let key = table.text("match", self.report);
        let language = table.text("language", self.report).and_then(|item| self.language(&item));
        let pushing = pushed(table, self.report);
        let template = table.text("template", self.report).and_then(|item| self.template(&item));
        let require = rules(table, &REQUIRE, &mut expressions, self.report);
        let protect = rules(table, &PROTECT, &mut expressions, self.report);
        let (defaults, mut names) = match table.section("defaults", self.report) {
            Some(mut section) => self.expressions(&mut section, &mut expressions),
            None => Default::default(),
        };
        let mut section = table.section("fields", self.report)?;
        let (fields, mapped) = self.expressions(&mut section, &mut expressions);
        names.extend(mapped);
        if let (Some((to, _)), Some(target)) = (&to, &target) {
            self.check_fields(target, &names, &section);
            self.check_values(target, &fields, &defaults);
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
        let mut configured = ConfiguredLane::of(lane, (target?, source.unwrap_or_default()), pushing?, self.around.now);
        configured.template = template;
        configured.join_services(own);
        Some(configured)
    }

    /// One end of the lane, and where it stands.
    fn named_end(&mut self, key: &'static str, table: &mut Section<'_>) -> Option<(TypeRef, Item<InnerText>)> {
        let item = table.text(key, self.report)?;
        self.end(&item).map(|end| (end, item))
    }

    /// What is known of the entries that come from an end, or of the words.
    fn lane_source(&mut self, end: &TypeRef, item: &Item<InnerText>, services: &[Arc<ServiceConfig>]) -> Option<Model> {
        let own = if is_of_words(end) { Some(word_model(&end.kind)) } else { self.source_model(end, item) };
        own.map(|model| with_services(model, &end.kind, services))
    }

    /// What becomes of entries that are gone, of fields that others changed, and of references.
    fn policies(&mut self, table: &mut Section<'_>) -> Option<Policies> {
        let gone = table.word("gone", &GonePolicy::WORDS, self.report);
        let references = table.word("references", &ReferencePolicy::WORDS, self.report);
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
        if end.system.as_str() == OWN {
            let message = "lists, outlines and words come from the hub itself; nothing can be sent there";
            let finding = self.wrong(item, Code::Lane, message);
            self.report.add(finding);
            return None;
        }
        let system = self.around.systems.get(&end.system)?.as_ref()?;
        let Some(profile) = system.profile().filter(|profile| profile.can_write()) else {
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
        let otherwise = table.word("changed_there", &MergePolicy::WORDS, self.report);
        // A lane that is always right is so too where it finds something.
        let on_adopt = match table.has("on_adopt") {
            true => table.word("on_adopt", &MergePolicy::WORDS, self.report),
            false => {
                table.text("on_adopt", self.report);
                otherwise
            }
        };
        let what = table.what("changed_there_fields");
        let by_field = table.section("changed_there_fields", self.report);
        let (otherwise, on_adopt) = (otherwise?, on_adopt?);
        let mut policies = MergePolicies { otherwise, on_adopt, ..MergePolicies::default() };
        let Some(mut section) = by_field else { return Some(policies) };
        for name in section.names() {
            let item = section.named_text(&name.value, self.report)?;
            let policy = one_of(item.value.as_str(), item.span, &MergePolicy::WORDS, what, self.report)?;
            policies.fields.insert(name.value, policy);
        }
        section.finish(self.report);
        Some(policies)
    }
}
