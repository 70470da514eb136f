//! The machine that translates before people do.

use std::collections::BTreeMap;

use diaporos_core::change::{Fingerprint, fingerprint_texts};
use diaporos_core::diagnostic::{Code, Diagnostic};
use diaporos_core::model::{Field, FieldKind};
use diaporos_core::settings;
use diaporos_core::settings::forms::{LANGUAGE, NAMED_TEXTS, TEXT};
use diaporos_core::settings::{Form, Section, Table, words};
use diaporos_core::translate::{Inline, Tag, UnitFormat, for_machine};
use diaporos_core::value::{LanguageTag, SystemName, Value, to_json};
use diaporos_systems::service::{SERVICE_CALL, ServiceSettings, service_settings};
use serde_json::{Map, Value as Json};

use super::money::hundred_thousandths;
use super::read::BriefReader;

/// A machine that translates.
#[derive(Debug, Clone)]
pub struct Machine {
    /// What it is called in messages.
    pub system: SystemName,
    /// How it is asked.
    pub call: ServiceSettings,
    /// What it is sent, with places for the text and the languages.
    send: Json,
    /// In which form it takes texts.
    takes: Takes,
    /// How many texts it is sent in one request.
    pub together: usize,
    /// It is asked about texts that are less than so many percent like a known one.
    below: u8,
    /// Into these languages.
    into: Vec<LanguageTag>,
    /// What it calls languages, where that is not their tag.
    codes: BTreeMap<LanguageTag, String>,
    /// How often it may be asked on a day (UTC).
    pub a_day: Option<u64>,
    /// What a million characters cost, in hundred-thousandths of the currency.
    price: Option<(String, i64)>,
    /// Changes with whatever may change what it gives.
    definition: Fingerprint,
}

/// In which form a machine takes texts.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
enum Takes {
    /// As HTML, whose elements it leaves as they are.
    #[default]
    Html,
    /// As they are read; of texts with tags or placeholders it is not asked.
    Text,
}

impl Takes {
    const WORDS: [(&str, Takes); 2] = [("html", Takes::Html), ("text", Takes::Text)];
}

/// A text that a machine is asked about.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct MachineText {
    /// What it is sent.
    pub sent: String,
    /// By what its answer is known again.
    pub content: Fingerprint,
}

impl Machine {
    /// Whether it is asked about a text that is so many percent like one whose translation is known.
    #[must_use]
    pub fn is_for(&self, into: &LanguageTag, percent: Option<u8>) -> bool {
        (self.into.is_empty() || self.into.contains(into)) && percent.is_none_or(|percent| percent < self.below)
    }

    /// What it is sent for a text; nothing of one that it cannot take.
    #[must_use]
    pub fn text(
        &self,
        source: &Inline,
        tags: &[Tag],
        (from, into): (&LanguageTag, &LanguageTag),
    ) -> Option<MachineText> {
        let sent = match self.takes {
            Takes::Html => for_machine(source, tags),
            Takes::Text if tags.is_empty() => source.plain().into_owned(),
            Takes::Text => return None,
        };
        let definition = self.definition.to_string();
        let content = fingerprint_texts([definition.as_str(), self.code(from), self.code(into), &sent]);
        Some(MachineText { sent, content })
    }

    /// What it made of a text.
    ///
    /// # Errors
    /// Where that is no translation of it, in words.
    pub fn made_of(&self, given: &Value, source: &Inline, tags: &[Tag]) -> Result<Inline, String> {
        let text = given.as_text().ok_or("it is no text")?;
        match self.takes {
            Takes::Html => diaporos_core::translate::from_machine(text, source, tags),
            Takes::Text if text.trim().is_empty() => Err("it says nothing".to_owned()),
            Takes::Text => Ok(Inline::text(text)),
        }
    }

    /// The body, or the parameters, that ask about texts.
    #[must_use]
    pub fn question(&self, texts: &[&str], (from, into): (&LanguageTag, &LanguageTag)) -> Map<String, Json> {
        let filled = filled(&self.send, texts, &[("{from}", self.code(from)), ("{into}", self.code(into))]);
        match filled {
            Json::Object(members) => members,
            _ => Map::new(),
        }
    }

    /// What so many characters cost, in hundred-thousandths of the currency.
    #[must_use]
    pub fn price(&self, characters: u64) -> Option<(&str, i64)> {
        let (currency, million) = self.price.as_ref()?;
        let sum = i128::from(characters) * i128::from(*million) / 1_000_000;
        Some((currency, i64::try_from(sum).unwrap_or(i64::MAX)))
    }

    fn code<'a>(&'a self, language: &'a LanguageTag) -> &'a str {
        self.codes.get(language).map_or(language.as_str(), String::as_str)
    }
}

/// A template with its places filled: a text that is a place alone becomes what belongs there, also a list.
fn filled(template: &Json, texts: &[&str], codes: &[(&str, &str)]) -> Json {
    match template {
        Json::String(text) if text == TEXTS => texts.iter().map(|text| Json::from(*text)).collect(),
        Json::String(text) if text == TEXT_OF_ONE => Json::from(texts.first().copied().unwrap_or_default()),
        Json::String(text) => {
            let replaced = codes.iter().fold(text.clone(), |text, (place, code)| text.replace(place, code));
            Json::String(replaced)
        }
        Json::Array(items) => items.iter().map(|item| filled(item, texts, codes)).collect(),
        Json::Object(members) => {
            let member = |(name, value): (&String, &Json)| (name.clone(), filled(value, texts, codes));
            Json::Object(members.iter().map(member).collect())
        }
        other => other.clone(),
    }
}

const TEXTS: &str = "{texts}";
const TEXT_OF_ONE: &str = "{text}";

/// Whether a place stands in a template.
fn has_place(template: &Json, place: &str) -> bool {
    match template {
        Json::String(text) => text == place,
        Json::Array(items) => items.iter().any(|item| has_place(item, place)),
        Json::Object(members) => members.values().any(|value| has_place(value, place)),
        _ => false,
    }
}

pub(super) static MACHINE: Table = Table {
    name: "machine",
    one_of: &[],
    needs: &[("per_million", "currency"), ("currency", "per_million")],
    groups: &[
        settings![
            send: Form::Named(&Form::Anything), required, "what it is sent: the members of a JSON body, or parameters. A member that is `{texts}` is a list of texts, `{text}` a single one; `{from}` and `{into}` are the languages", "{ q = \"{texts}\", source = \"{from}\", target = \"{into}\", format = \"html\" }";
            takes: Form::Word { what: "a form in which texts are taken", of: || words(&Takes::WORDS) }, usual "html", "in which form it takes texts: HTML whose elements and attributes it leaves as they are, or `text`; about a text with tags or placeholders it is not asked then", "text";
            together: Form::Count(1), usual "25", "how many texts are sent in one request, where `send` has `{texts}`; at most 500", "50";
            below: Form::Count(1), usual "85", "it is asked about texts that are less than so many percent like one whose translation is known; at most 101", "75";
            into: Form::List(&LANGUAGE), none, "only into these of the brief's languages", "[\"fr\"]";
            codes: NAMED_TEXTS, none, "what it calls languages, where that is not their tag", "{ \"pt-BR\" = \"pt\" }";
            a_day: Form::Count(1), none, "how often it may be asked on a day (UTC)", "500";
            per_million: Form::Anything, none, "what a million characters that are sent cost", "20.00";
            currency: TEXT, none, "the currency of that (ISO 4217)", "EUR";
        ],
        SERVICE_CALL[0],
        SERVICE_CALL[1],
    ],
};

impl BriefReader<'_> {
    /// The machine that translates before people do.
    pub(super) fn machine(
        &mut self,
        brief: &str,
        table: &mut Section<'_>,
        (into, format): (&[LanguageTag], Option<UnitFormat>),
    ) -> Option<Option<Machine>> {
        let Some(mut section) = table.section("machine", self.report) else { return Some(None) };
        let read = self.machine_of(brief, &mut section, into);
        section.finish(self.report);
        if format == Some(UnitFormat::Sheet) {
            let message = "a sheet of CSV cannot tell what a machine made from what people wrote";
            let finding = Diagnostic::error(Code::BadValue, section.span(), message);
            self.report.add(finding.help("choose `xliff-2.1`, `xliff-1.2` or `po`"));
        }
        read.map(Some)
    }

    fn machine_of(&mut self, brief: &str, table: &mut Section<'_>, among: &[LanguageTag]) -> Option<Machine> {
        let sent = self.sent(table);
        let many = sent.as_ref().is_some_and(|send| has_place(send, TEXTS));
        let field = Field { kind: FieldKind::Text, many, ..Field::default() };
        let takes = table.word("takes", &Takes::WORDS, self.report);
        let together = table.count("together", self.report).map_or(1, |count| count.value.clamp(1, 500));
        let below = table.count("below", self.report).map_or(0, |count| count.value.min(101));
        let into = self.languages_of(table, among)?;
        let codes = self.codes(table, among)?;
        let a_day = table.count("a_day", self.report).map(|count| count.value);
        let price = self.price_of_a_million(table)?;
        let call = service_settings(table, self.around.folder, field, self.report)?;
        let (send, takes) = (sent?, takes?);
        let definition = fingerprint_texts([call.definition().as_str(), &send.to_string(), &format!("{takes:?}")]);
        Some(Machine {
            system: SystemName::new(format!("machine-{brief}")).ok()?,
            together: if many { usize::try_from(together).unwrap_or(1) } else { 1 },
            below: u8::try_from(below).unwrap_or(101),
            call,
            send,
            takes,
            into,
            codes,
            a_day,
            price,
            definition,
        })
    }

    fn sent(&mut self, table: &mut Section<'_>) -> Option<Json> {
        let item = table.value("send")?;
        let send = to_json(&item.value);
        if !send.is_object() || has_place(&send, TEXTS) == has_place(&send, TEXT_OF_ONE) {
            let finding = Diagnostic::error(Code::BadValue, item.span, "it has no place for the text, or both");
            self.report.add(finding.help("name a member `{texts}` for a list of texts, or `{text}` for a single one"));
            return None;
        }
        Some(send)
    }

    fn languages_of(&mut self, table: &mut Section<'_>, among: &[LanguageTag]) -> Option<Vec<LanguageTag>> {
        let Some(items) = table.texts("into", self.report) else { return Some(Vec::new()) };
        items.into_iter().map(|item| self.among(among, &item.value, item.span)).collect()
    }

    fn codes(&mut self, table: &mut Section<'_>, among: &[LanguageTag]) -> Option<BTreeMap<LanguageTag, String>> {
        let mut codes = BTreeMap::new();
        let Some(mut section) = table.section("codes", self.report) else { return Some(codes) };
        for name in section.names() {
            let code = section.named_text(&name.value, self.report)?;
            // The language of the texts may have a code of its own too.
            let language = match name.value.parse() {
                Ok(language) if !among.contains(&language) => language,
                _ => self.among(among, &name.value, name.span)?,
            };
            codes.insert(language, code.value.as_str().to_owned());
        }
        Some(codes)
    }

    fn price_of_a_million(&mut self, table: &mut Section<'_>) -> Option<Option<(String, i64)>> {
        let currency = table.string("currency", self.report);
        let Some(item) = table.value("per_million") else { return Some(None) };
        let text = item.value.scalar_text().unwrap_or_default().into_owned();
        let Some(price) = hundred_thousandths(&text) else {
            let finding = Diagnostic::error(Code::BadValue, item.span, format!("`{text}` is not a price"));
            self.report.add(finding.help("a price, as in `per_million = 20.00`"));
            return None;
        };
        Some(currency.map(|currency| (currency, price)))
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use serde_json::json;

    #[test]
    fn places_are_filled_wherever_they_stand() {
        let template = json!({ "q": ["{texts}"], "one": "{text}", "from": "{from}", "pair": "{from}-{into}", "n": 3 });
        let told = filled(&template, &["a {into}", "b"], &[("{from}", "en"), ("{into}", "fr")]);
        // What stands in a text is no place.
        let expected = json!({ "q": [["a {into}", "b"]], "one": "a {into}", "from": "en", "pair": "en-fr", "n": 3 });
        assert_eq!(told, expected);
    }
}
