//! Reading one brief, with every fault in it.

use std::path::PathBuf;

use diaporos_core::diagnostic::{Code, Diagnostic, Report};
use diaporos_core::expr::KnownFields;
use diaporos_core::lane::TypeRef;
use diaporos_core::model::{Field, FieldKind};
use diaporos_core::settings::{InnerText, Item, Section};
use diaporos_core::translate::{Form, Keep, Preset, Protected, UnitFormat};
use diaporos_core::value::{LanguageTag, SystemName, Value};
use diaporos_systems::Profile;
use diaporos_systems::settings::duration;
use indexmap::IndexMap;

use super::links::links;
use super::timed::timed;
use super::{Back, Brief, BriefField, Carrier, Outdated};
use crate::config::ends::{Around, Names};
use crate::config::expression::Expressions;

pub(super) struct BriefReader<'a> {
    pub(super) around: &'a Around<'a>,
    pub(super) report: &'a mut Report,
}

impl BriefReader<'_> {
    pub(super) fn brief(&mut self, name: &str, table: &mut Section<'_>) -> Option<Brief> {
        let of = table.text("type", self.report);
        let (of, model) = {
            let mut names = Names { around: self.around, report: self.report };
            let of = of.and_then(|item| names.end(&item).map(|end| (end, item)));
            let model = of.as_ref().and_then(|(end, item)| names.source_model(end, item));
            (of.map(|(end, _)| end), model)
        };
        let known = of.as_ref().zip(model.as_ref()).map(|(end, model)| KnownFields { model, kind: &end.kind });
        let of_type = known.and_then(|known| known.model.get(known.kind));
        let fields = self.fields(table, of_type);
        let from = table.text("from", self.report).and_then(|item| self.language(&item));
        let into = self.into(table, from.as_ref());
        let mut expressions = Expressions::over(known, self.around.library);
        let when = table.text("when", self.report).map(|item| expressions.condition(&item, self.report));
        let references = self.references(table, &mut expressions);
        let slots = expressions.slots;
        let back = table.word("back", &Back::WORDS, self.report);
        let outdated = table.word("outdated", &Outdated::WORDS, self.report);
        let format = self.format(table, fields.as_ref());
        let notes = table.text_or_texts("notes", self.report);
        let due = duration(table, "due", self.report);
        let protected = self.protected(table);
        let links = links(table, self.report);
        let near = self.near(table);
        let machine = self.machine(name, table, (into.as_deref().unwrap_or_default(), format));
        let rules = self.rules(table, from.as_ref(), (None, into.as_deref().unwrap_or_default()));
        let by_language = rules
            .as_ref()
            .and_then(|rules| self.by_language(table, from.as_ref(), (rules, into.as_deref().unwrap_or_default())));
        let times = timed(table, self.report);
        if let (Some(of), Some(Back::Source | Back::Both)) = (&of, back) {
            self.check_back(of, table);
        }
        Some(Brief {
            name: name.to_owned(),
            of: of?,
            fields: fields?,
            from: from?,
            into: into?,
            when: when.map_or(Some(None), |read| read.map(Some))?,
            slots,
            machine: machine?,
            back: back?,
            outdated: outdated?,
            format: format?,
            notes: notes.iter().map(|item| item.value.as_str().to_owned()).collect(),
            references,
            due,
            protected: protected?,
            links: links?,
            near: near?,
            by_language: by_language?,
            usual: rules?,
            times: times?,
        })
    }

    /// The format of files. A sheet knows a text by its words alone, and would mix up plural forms.
    fn format(&mut self, table: &mut Section<'_>, fields: Option<&IndexMap<String, BriefField>>) -> Option<UnitFormat> {
        let format = table.word("format", &UnitFormat::WORDS, self.report);
        let has_messages = fields.is_some_and(|fields| fields.values().any(|field| field.form == Form::Message));
        if format == Some(UnitFormat::Sheet) && has_messages {
            let message = "a sheet of CSV cannot tell the plural forms of messages apart";
            let span = table.place(&["format"]).unwrap_or_else(|| table.span());
            let finding = Diagnostic::error(Code::BadValue, span, message);
            self.report.add(finding.help("choose `xliff-2.1`, `xliff-1.2` or `po`"));
        }
        format
    }

    fn fields(
        &mut self,
        table: &mut Section<'_>,
        of_type: Option<&diaporos_core::model::EntryType>,
    ) -> Option<IndexMap<String, BriefField>> {
        let read = table.texts("fields", self.report);
        let names = read.clone().unwrap_or_default();
        let mut limits = self.by_field(table, "limits", read.as_deref());
        let mut field_notes = self.by_field(table, "field_notes", read.as_deref());
        let messages = self.messages(table, &names);
        let mut fields = IndexMap::new();
        let mut sound = true;
        for name in &names {
            let read = self.field(name, of_type).map(|(form, limit)| match form {
                Form::Plain if messages.contains(&name.value) => (Form::Message, None),
                form => (form, limit),
            });
            sound &= read.is_some();
            let Some((form, known_limit)) = read else { continue };
            let limit = limits.swap_remove(&name.value).and_then(|item| match item.value {
                Value::Integer(limit @ 1..) if form == Form::Plain => usize::try_from(limit).ok(),
                Value::Integer(1..) => {
                    let message = format!("a limit is for plain text, and `{}` is rich text or a message", name.value);
                    self.report.add(Diagnostic::error(Code::BadValue, item.span, message));
                    None
                }
                _ => {
                    self.report.add(Diagnostic::error(Code::BadValue, item.span, "a limit is a number of characters"));
                    None
                }
            });
            let note = field_notes.swap_remove(&name.value).and_then(|item| match item.value {
                Value::Text(text) => Some(text),
                _ => {
                    self.report.add(Diagnostic::error(Code::WrongType, item.span, "a note is a text"));
                    None
                }
            });
            fields.insert(name.value.clone(), BriefField { form, limit: limit.or(known_limit), note });
        }
        (sound && !fields.is_empty()).then_some(fields)
    }

    /// The fields whose texts are messages.
    fn messages(&mut self, table: &mut Section<'_>, names: &[Item<String>]) -> Vec<String> {
        let Some(messages) = table.texts("messages", self.report) else { return Vec::new() };
        for name in messages.iter().filter(|name| names.iter().all(|known| known.value != name.value)) {
            let message = format!("`{}` is not among the brief's fields", name.value);
            let finding = Diagnostic::error(Code::UnknownField, name.span.clone(), message);
            self.report.add(finding.suggest(&name.value, names.iter().map(|known| known.value.as_str())));
        }
        messages.into_iter().map(|name| name.value).collect()
    }

    /// A table by the brief's own fields.
    fn by_field(
        &mut self,
        table: &mut Section<'_>,
        key: &'static str,
        names: Option<&[Item<String>]>,
    ) -> IndexMap<String, Item<Value>> {
        let mut found = IndexMap::new();
        let Some(mut section) = table.section(key, self.report) else { return found };
        let own = section.names();
        // Without fields, which was said, nothing is known of them.
        let Some(names) = names else { return found };
        for name in own {
            if !names.iter().any(|known| known.value == name.value) {
                let message = format!("`{}` is not among the brief's fields", name.value);
                let finding = Diagnostic::error(Code::UnknownField, name.span, message);
                self.report.add(finding.suggest(&name.value, names.iter().map(|known| known.value.as_str())));
                continue;
            }
            found.extend(section.named_value(&name.value).map(|value| (name.value, value)));
        }
        found
    }

    /// A field must be declared as text, one value per language.
    fn field(
        &mut self,
        name: &Item<String>,
        of_type: Option<&diaporos_core::model::EntryType>,
    ) -> Option<(Form, Option<usize>)> {
        let of_type = of_type?;
        let wrong = |message: String| Diagnostic::error(Code::Lane, name.span.clone(), message);
        let Some(field) = of_type.fields.get(&name.value) else {
            let message = format!("the type has no field `{}`", name.value);
            let finding = Diagnostic::error(Code::UnknownField, name.span.clone(), message);
            self.report.add(finding.suggest(&name.value, of_type.fields.keys().map(String::as_str)));
            return None;
        };
        let form = match field.kind {
            FieldKind::Text => Form::Plain,
            FieldKind::Html => Form::Html,
            FieldKind::Markdown => Form::Markdown,
            _ => {
                let message = format!("`{}` cannot be translated: it is {}", name.value, described(field));
                let help =
                    "only text, html and markdown are; where it is one of these, declare it so: `kind = \"text\"`";
                self.report.add(wrong(message).help(help));
                return None;
            }
        };
        if field.many || !field.localised {
            let why = if field.many { "it is a list" } else { "it has no place for other languages" };
            let message = format!("`{}` cannot be translated: {why}", name.value);
            self.report.add(
                wrong(message).help("declare it with `localised = true` where the system has a value per language"),
            );
            return None;
        }
        Some((form, field.max_length.filter(|_| form == Form::Plain)))
    }

    fn language(&mut self, item: &Item<InnerText>) -> Option<LanguageTag> {
        self.tag(item.value.as_str(), item.span.clone())
    }

    fn tag(&mut self, text: &str, span: diaporos_core::diagnostic::Span) -> Option<LanguageTag> {
        text.parse().map_err(|error| self.report.add(Diagnostic::error(Code::BadValue, span, format!("{error}")))).ok()
    }

    /// A language that the brief translates into.
    pub(super) fn among(
        &mut self,
        among: &[LanguageTag],
        text: &str,
        span: diaporos_core::diagnostic::Span,
    ) -> Option<LanguageTag> {
        let found = among.iter().find(|language| language.as_str() == text).cloned();
        if found.is_none() {
            let message = format!("`{text}` is not among the brief's languages");
            self.report.add(Diagnostic::error(Code::BadValue, span, message));
        }
        found
    }

    fn into(&mut self, table: &mut Section<'_>, from: Option<&LanguageTag>) -> Option<Vec<LanguageTag>> {
        let mut into = Vec::new();
        for item in table.texts("into", self.report)? {
            let tag = self.tag(&item.value, item.span.clone())?;
            if Some(&tag) == from || into.contains(&tag) {
                let why = if into.contains(&tag) { "stands there twice" } else { "is the language of the texts" };
                self.report.add(Diagnostic::error(Code::BadValue, item.span, format!("`{tag}` {why}")));
                return None;
            }
            into.push(tag);
        }
        (!into.is_empty()).then_some(into)
    }

    /// Who carries the texts: the usual carrier, where nothing is said.
    pub(super) fn carrier(
        &mut self,
        table: &mut Section<'_>,
        into: &[LanguageTag],
        usual: Option<&Carrier>,
    ) -> Option<Carrier> {
        let agency = table.text("agency", self.report);
        let folder = table.text("folder", self.report);
        let in_house = if table.describes("in_house") { table.value("in_house") } else { None };
        if let Some(item) = in_house {
            if item.value != Value::Boolean(true) || agency.is_some() || folder.is_some() || !table.has("machine") {
                let message = "`in_house = true` stands instead of `agency` and `folder`, beside a `machine`";
                self.report.add(Diagnostic::error(Code::BadValue, item.span, message));
                return None;
            }
            return Some(Carrier::InHouse);
        }
        match (agency, folder) {
            (Some(item), None) => self.agency(&item, into),
            (None, Some(item)) => Some(Carrier::Folder(PathBuf::from(item.value.as_str()))),
            (Some(_), Some(item)) => {
                self.report.add(Diagnostic::error(
                    Code::BadValue,
                    item.span,
                    "a brief has an `agency` or a `folder`, not both",
                ));
                None
            }
            (None, None) if usual.is_some() => usual.cloned(),
            (None, None) => {
                let finding = Diagnostic::error(
                    Code::MissingKey,
                    table.span(),
                    format!("`{}` does not say who translates", table.path()),
                );
                self.report.add(finding.help("name a system, `agency = \"agency\"`, or a folder that people carry files from and to, `folder = \"translations\"`"));
                None
            }
        }
    }

    /// An agency, which takes texts in these languages.
    fn agency(&mut self, item: &Item<InnerText>, into: &[LanguageTag]) -> Option<Carrier> {
        let name = item.value.as_str();
        let found = self.around.systems.iter().find(|(known, _)| known.as_str() == name);
        let Some((name, system)) = found else {
            let known = self.around.systems.keys().map(SystemName::as_str);
            let finding =
                Diagnostic::error(Code::UnknownName, item.span.clone(), format!("there is no system `{name}`"));
            self.report.add(finding.suggest(name, known));
            return None;
        };
        // What is wrong with a faulty system was said.
        let system = system.as_ref()?;
        if !system.profile().is_some_and(Profile::takes_batches) {
            let message = format!("the profile of `{name}` does not say how texts are sent for translation");
            let finding = Diagnostic::error(Code::Lane, item.span.clone(), message);
            self.report.add(finding.help("add a table `[translation]` to its profile, of a system of the kind rest"));
            return None;
        }
        let codes = system.languages();
        if let Some(error) = codes.and_then(|codes| into.iter().find_map(|tag| codes.code(tag).err())) {
            self.report.add(Diagnostic::error(Code::Lane, item.span.clone(), format!("`{name}`: {error}")));
            return None;
        }
        Some(Carrier::Agency(name.clone()))
    }

    fn protected(&mut self, table: &mut Section<'_>) -> Option<Protected> {
        let texts = |table: &mut Section<'_>, key, report: &mut Report| -> Vec<Item<String>> {
            table.texts(key, report).unwrap_or_default()
        };
        let names = texts(table, "keep", self.report);
        let patterns = texts(table, "keep_patterns", self.report);
        let attributes = texts(table, "attributes", self.report);
        let presets = match table.texts("placeholders", self.report) {
            None => None,
            Some(words) => Some(self.presets(&words)?),
        };
        let span = patterns.first().or(names.first()).map_or(table.span(), |item| item.span.clone());
        let all = |items: Vec<Item<String>>| items.into_iter().map(|item| item.value).collect::<Vec<_>>();
        let (names, patterns, attributes) = (all(names), all(patterns), all(attributes));
        let keep = Keep { presets: presets.as_deref(), names: &names, patterns: &patterns, attributes: &attributes };
        Protected::new(keep).map_err(|message| self.report.add(Diagnostic::error(Code::BadValue, span, message))).ok()
    }

    fn presets(&mut self, words: &[Item<String>]) -> Option<Vec<Preset>> {
        let mut presets = Vec::new();
        for word in words {
            let known = Preset::WORDS.iter().find(|(known, _)| *known == word.value);
            let Some((_, preset)) = known else {
                let message = format!("there are no placeholders called `{}`", word.value);
                let finding = Diagnostic::error(Code::BadValue, word.span.clone(), message);
                self.report.add(finding.suggest(&word.value, Preset::WORDS.iter().map(|(known, _)| *known)));
                return None;
            };
            presets.push(*preset);
        }
        Some(presets)
    }

    /// From which percentage on near matches are offered; none from 0 on.
    fn near(&mut self, table: &mut Section<'_>) -> Option<Option<u8>> {
        let least = table.count("near", self.report)?;
        match u8::try_from(least.value) {
            Ok(0) => Some(None),
            Ok(percent @ 50..=100) => Some(Some(percent)),
            _ => {
                table.refuse("near", least.span, "it is a percentage from 50 to 100, or 0 for none", self.report);
                None
            }
        }
    }

    /// What goes back to the source has to be written there.
    fn check_back(&mut self, of: &TypeRef, table: &Section<'_>) {
        let Some(system) = self.around.systems.get(&of.system).and_then(Option::as_ref) else { return };
        let writes = system.profile().is_some_and(|profile| profile.writes(&of.kind));
        if !writes && self.around.profiles_are_sound {
            let message = format!("the profile of `{}` does not say how to write `{}`", of.system, of.kind);
            let finding = Diagnostic::error(Code::Lane, table.span(), message);
            self.report.add(finding.help(
                "translations go back to the source as updates: add a table `write` to the type, or say `back = \"lanes\"`",
            ));
        }
    }
}

fn described(field: &Field) -> String {
    match field.kind.word() {
        "anything" => "not declared as text".to_owned(),
        word => format!("of the kind {word}"),
    }
}
