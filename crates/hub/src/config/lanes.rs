//! The lanes of the configuration, held against both ends.

use std::path::{Path, PathBuf};
use std::sync::Arc;

use diaporos_core::change::{MergePolicies, MergePolicy};
use diaporos_core::diagnostic::{Code, Diagnostic, Report};
use diaporos_core::expr::{KnownFields, Library, Slots, compile, parse};
use diaporos_core::lane::{
    Documents, FieldExpression, GonePolicy, Lane, LaneEnd, ReferencePolicy, Target, check_field,
};
use diaporos_core::model::Model;
use diaporos_core::settings::{InnerText, Item, Section};
use diaporos_core::value::{LaneName, LanguageTag, SystemName, TypeName};
use diaporos_systems::{LanguageCodes, feed};
use indexmap::IndexMap;
use jiff::Timestamp;

use super::expression::expression;
use super::path::within;
use super::rules::{PROTECT, REQUIRE, condition, rules};
use super::{Back, Brief, ConfiguredLane, KeptModels, SeenFields, SystemConfig, SystemKind, model_with_seen};

type Systems = IndexMap<SystemName, Option<SystemConfig>>;
type Read = IndexMap<String, (Item<InnerText>, Option<FieldExpression>)>;

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
        let mut reader = LaneReader { around, report };
        let configured = reader.lane(lane.clone(), &mut table);
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

/// Adds the lane on which a brief's translations go back to where their texts came from.
pub(super) fn add_return(
    file: &Section<'_>,
    brief: &Brief,
    around: &Around<'_>,
    lanes: &mut IndexMap<LaneName, ConfiguredLane>,
    report: &mut Report,
) {
    let span = file.place(&["briefs", &brief.name]).unwrap_or_default();
    let mut wrong = |message: String, help: &str| {
        report.add(Diagnostic::error(Code::Lane, span.clone(), message).help(help));
    };
    let profile = around.systems.get(&brief.of.system).and_then(Option::as_ref).and_then(SystemConfig::profile);
    if brief.back == Back::Lanes {
        return;
    }
    // Without a way to write it, which was said, there is no lane.
    let (Some(profile), Ok(name)) = (profile, LaneName::new(format!("{}-back", brief.name))) else { return };
    let Some(target) = profile.target(&brief.of.kind) else { return };
    if target.documents != Documents::One {
        let message = format!(
            "`{}` has a document per language, and translations go back into the one that they are of",
            brief.of
        );
        wrong(message, "say `back = \"lanes\"`, and map a lane to the other languages");
        return;
    }
    if lanes.contains_key(&name) {
        let message =
            format!("`{name}` is the lane on which the brief's translations go back, and there is one of that name");
        wrong(message, "give the lane another name");
        return;
    }
    let mut slots = Slots::default();
    let model = profile.model();
    let mut field = |name: &String| {
        let tree = parse(name).or_else(|_| parse(&format!("`{name}`"))).ok()?;
        let known = KnownFields { model, kind: &brief.of.kind };
        let (program, _) = compile(&tree, Some(known), around.library, &mut slots);
        Some((name.clone(), FieldExpression { text: name.clone(), tree, program: program? }))
    };
    let Some(fields) = brief.fields.keys().map(&mut field).collect::<Option<IndexMap<_, _>>>() else { return };
    let lane = Lane {
        name: name.clone(),
        from: brief.of.clone(),
        to: brief.of.clone(),
        key: None,
        language: None,
        when: None,
        require: Vec::new(),
        protect: Vec::new(),
        gone: GonePolicy::Keep,
        changed_there: MergePolicies::default(),
        references: ReferencePolicy::default(),
        fields,
        defaults: IndexMap::new(),
        slots,
        library: around.library.clone(),
    };
    let definition = lane.definition(&target, around.now);
    let siblings = vec![name.clone()];
    let configured = ConfiguredLane {
        lane,
        target,
        definition,
        siblings,
        source: model.clone(),
        template: None,
        returns: Some(brief.into.clone()),
    };
    lanes.insert(name, configured);
}

pub(super) struct LaneReader<'a> {
    pub(super) around: &'a Around<'a>,
    pub(super) report: &'a mut Report,
}

impl LaneReader<'_> {
    fn lane(&mut self, name: LaneName, table: &mut Section<'_>) -> Option<ConfiguredLane> {
        let from = table.required_text("from", self.report);
        let from = from.and_then(|item| self.end(&item).map(|end| (end, item)));
        let to = table.required_text("to", self.report);
        let to = to.and_then(|item| self.end(&item).map(|end| (end, item)));
        let source = from.as_ref().and_then(|(end, item)| self.source_model(end, item));
        let target = to.as_ref().and_then(|(end, item)| self.target(end, item));
        let known = from.as_ref().zip(source.as_ref()).map(|((end, _), model)| KnownFields { model, kind: &end.kind });
        let mut slots = Slots::default();
        let library = self.around.library;
        let when = table.text("when", self.report);
        let when = when.map(|item| condition(&item, known, library, &mut slots, self.report));
        let gone = self.word(table, "gone", &GonePolicy::WORDS, "what can become of entries that are gone");
        let references = self.word(
            table,
            "references",
            &ReferencePolicy::WORDS,
            "what can become of references to entries that do not go",
        );
        let changed_there = self.changed_there(table);
        let key = table.text("match", self.report);
        let language = table.text("language", self.report).and_then(|item| self.language(&item));
        let template = table.text("template", self.report).and_then(|item| self.template(&item));
        let require = rules(table, &REQUIRE, known, library, &mut slots, self.report);
        let protect = rules(table, &PROTECT, known, library, &mut slots, self.report);
        let mut defaults = IndexMap::new();
        let mut names = Vec::new();
        if let Some(mut section) = table.section("defaults", self.report) {
            for field in section.names() {
                if let Some(item) = section.named_text(&field.value, self.report) {
                    let expression = expression(&item, known, library, &mut slots, self.report);
                    defaults.insert(field.value.clone(), (item, expression));
                }
                names.push(field);
            }
        }
        let Some(mut section) = table.section("fields", self.report) else {
            if !table.has("fields") {
                table.missing("fields", self.report);
            }
            return None;
        };
        let mut fields = IndexMap::new();
        for field in section.names() {
            if let Some(item) = section.named_text(&field.value, self.report) {
                let expression = expression(&item, known, library, &mut slots, self.report);
                fields.insert(field.value.clone(), (item, expression));
            }
            names.push(field);
        }
        if let Some(target) = &target {
            self.check_fields(target, &names, &section);
            self.check_values(target, &fields, &defaults);
        }
        if let (Some((to, _)), Some(target)) = (&to, &target) {
            self.check_key(to, key.as_ref(), &names, table);
            self.check_gone(to, gone, target, table);
        }
        let whole = |fields: IndexMap<String, (Item<InnerText>, Option<FieldExpression>)>| {
            fields.into_iter().map(|(name, (_, parsed))| Some((name, parsed?))).collect::<Option<IndexMap<_, _>>>()
        };
        let when = when.map_or(Some(None), |parsed| parsed.map(Some));
        let key = key.map(|item| item.value.as_str().to_owned());
        let lane = Lane {
            name,
            from: from?.0,
            to: to?.0,
            key,
            language,
            when: when?,
            require: require?,
            protect: protect?,
            gone: gone?,
            changed_there: changed_there?,
            references: references?,
            fields: whole(fields)?,
            defaults: whole(defaults)?,
            slots,
            library: library.clone(),
        };
        let target = target?;
        let definition = lane.definition(&target, self.around.now);
        let siblings = Vec::new();
        Some(ConfiguredLane {
            lane,
            target,
            definition,
            siblings,
            source: source.unwrap_or_default(),
            template,
            returns: None,
        })
    }

    /// What each expression gives must be what the destination's field takes.
    fn check_values(&mut self, target: &Target, fields: &Read, defaults: &Read) {
        let Some(known) = &target.fields else { return };
        let default_of = |name: &str| defaults.get(name).and_then(|(_, default)| default.as_ref());
        for (name, (item, expression)) in fields {
            let (Some(expression), Some(field)) = (expression, known.fields.get(name)) else { continue };
            for finding in check_field(name, expression, default_of(name), field, target) {
                self.report.add(finding.within(|span| item.value.in_file(span)));
            }
        }
        for (name, (item, expression)) in defaults {
            let (Some(expression), Some(field)) = (expression, known.fields.get(name)) else { continue };
            // A field of its own is checked together with its default.
            let found = check_field(name, expression, None, field, target);
            for finding in found.into_iter().filter(|finding| finding.is_error() || !fields.contains_key(name)) {
                self.report.add(finding.within(|span| item.value.in_file(span)));
            }
        }
    }

    fn wrong(&mut self, item: &Item<InnerText>, code: Code, message: impl Into<String>) -> Diagnostic {
        Diagnostic::error(code, item.span.clone(), message)
    }

    /// `system/type`, of a system that there is.
    pub(super) fn end(&mut self, item: &Item<InnerText>) -> Option<LaneEnd> {
        let text = item.value.as_str();
        let parts = text.split_once('/').map(|(system, kind)| (SystemName::new(system), TypeName::new(kind)));
        let Some((Ok(system), Ok(kind))) = parts else {
            let finding = self.wrong(item, Code::BadValue, format!("`{text}` is not a type in a system"));
            self.report.add(finding.help("write `system/type`, as in `catalogue/plant-profile`"));
            return None;
        };
        if !self.around.systems.contains_key(&system) {
            let finding = self.wrong(item, Code::UnknownName, format!("there is no system `{system}`"));
            self.report.add(finding.suggest(system.as_str(), self.around.systems.keys().map(SystemName::as_str)));
            return None;
        }
        Some(LaneEnd { system, kind })
    }

    fn unknown_type(&mut self, end: &LaneEnd, item: &Item<InnerText>, what: &str, known: &[&str]) {
        let finding = self.wrong(
            item,
            Code::UnknownName,
            format!("`{}` has no type `{}` that can be {what}", end.system, end.kind),
        );
        self.report.add(finding.suggest(end.kind.as_str(), known.iter().copied()));
    }

    pub(super) fn source_model(&mut self, end: &LaneEnd, item: &Item<InnerText>) -> Option<Model> {
        let system = self.around.systems.get(&end.system)?.as_ref()?;
        match system.profile() {
            None if end.kind.as_str() != feed::TYPE => {
                self.unknown_type(end, item, "read", &[feed::TYPE]);
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

    fn target(&mut self, end: &LaneEnd, item: &Item<InnerText>) -> Option<Target> {
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

    /// One word of several; the usual one where there is none.
    pub(super) fn word<T: Copy + Default, const N: usize>(
        &mut self,
        table: &mut Section<'_>,
        key: &'static str,
        words: &[(&str, T); N],
        what: &str,
    ) -> Option<T> {
        let Some(item) = table.text(key, self.report) else { return Some(T::default()) };
        self.one_of(&item, words, what)
    }

    fn one_of<T: Copy, const N: usize>(
        &mut self,
        item: &Item<InnerText>,
        words: &[(&str, T); N],
        what: &str,
    ) -> Option<T> {
        let word = item.value.as_str();
        let found = words.iter().find(|(known, _)| *known == word).map(|(_, value)| *value);
        if found.is_none() {
            let finding = Diagnostic::error(Code::BadValue, item.span.clone(), format!("`{word}` is not {what}"));
            self.report.add(finding.suggest(word, words.iter().map(|(word, _)| *word)));
        }
        found
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

    /// Every mapped field must be one that the destination has, and every required one mapped.
    fn check_fields(&mut self, target: &Target, names: &[Item<String>], section: &Section<'_>) {
        let Some(known) = &target.fields else { return };
        for name in names.iter().filter(|name| !known.fields.contains_key(&name.value)) {
            let message = format!("the destination has no field `{}`", name.value);
            let finding = Diagnostic::error(Code::UnknownField, name.span.clone(), message);
            self.report.add(finding.suggest(&name.value, known.fields.keys().map(String::as_str)));
        }
        for (required, _) in known.fields.iter().filter(|(_, field)| field.required) {
            if !names.iter().any(|name| name.value == *required) {
                let message =
                    format!("the destination requires `{required}`, and `{}` does not map it", section.path());
                self.report.add(
                    Diagnostic::error(Code::Lane, section.span(), message).label(format!("add `{required} = …` here")),
                );
            }
        }
    }

    /// Without a key a document that exists there is doubled, and a lost answer cannot be settled.
    fn check_key(&mut self, to: &LaneEnd, key: Option<&Item<InnerText>>, names: &[Item<String>], table: &Section<'_>) {
        let finds = self.profile(&to.system).is_some_and(|rest| rest.finds(&to.kind));
        match key {
            None => {
                let finding =
                    Diagnostic::error(Code::Lane, table.span(), format!("`{}` needs the key `match`", table.path()));
                self.report.add(finding.label("which destination field tells documents apart?").help(
                    "for example `match = \"slug\"`: a document that exists there is adopted and not doubled, and a lost answer is settled by it",
                ));
            }
            Some(item) if !names.iter().any(|name| name.value == item.value.as_str()) => {
                let field = item.value.as_str();
                let finding = Diagnostic::error(
                    Code::UnknownField,
                    item.span.clone(),
                    format!("`match` names `{field}`, which the lane does not map"),
                );
                self.report.add(finding.suggest(field, names.iter().map(|name| name.value.as_str())));
            }
            Some(item) if !finds && self.around.profiles_are_sound => {
                let message = format!("the profile of `{}` cannot find a `{}` by its key", to.system, to.kind);
                self.report.add(
                    Diagnostic::error(Code::Lane, item.span.clone(), message)
                        .help("add `find` and `found` to its `write` table"),
                );
            }
            Some(_) => {}
        }
    }

    fn profile(&self, system: &SystemName) -> Option<&diaporos_systems::Profile> {
        self.around.systems.get(system)?.as_ref()?.profile()
    }

    fn check_gone(&mut self, to: &LaneEnd, gone: Option<GonePolicy>, target: &Target, table: &Section<'_>) {
        let Some(profile) = self.profile(&to.system) else { return };
        let lacks = match gone {
            Some(GonePolicy::Withdraw) if !profile.withdraws(&to.kind) => "withdraw",
            Some(GonePolicy::Delete) if !profile.deletes(&to.kind) => "delete",
            _ if target.documents == Documents::PerLanguage
                && !profile.withdraws(&to.kind)
                && !profile.deletes(&to.kind) =>
            {
                "withdraw"
            }
            _ => return,
        };
        let message = format!(
            "`{}` should {lacks} what is gone, and the profile of `{}` does not say how",
            table.path(),
            to.system
        );
        let finding = Diagnostic::error(Code::Lane, table.span(), message);
        self.report
            .add(finding.help(format!("add `{lacks}` to the profile's `write` table, or say `gone = \"keep\"`")));
    }
}
