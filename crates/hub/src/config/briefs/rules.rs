//! How translations are judged and what they cost: for all languages of a brief, and for one.

use std::collections::BTreeMap;

use diaporos_core::diagnostic::{Code, Diagnostic};
use diaporos_core::settings::{Section, one_of};
use diaporos_core::translate::{AcceptFrom, Check, CheckPolicy, Terms};
use diaporos_core::value::LanguageTag;

use super::Carrier;
use super::rates::{Rates, rates};
use super::read::BriefReader;
use super::read_glossary;

/// How translations are judged, what they cost, and who makes them.
#[derive(Debug, Clone)]
pub struct BriefRules {
    /// Who carries the texts.
    pub carrier: Carrier,
    /// From which stage on they are taken.
    pub accept_from: AcceptFrom,
    /// Whether a person accepts each before it counts.
    pub is_reviewed: bool,
    /// The glossary.
    pub terms: Terms,
    /// What becomes of what fails a check.
    pub checks: BTreeMap<Check, CheckPolicy>,
    /// What a word costs.
    pub rates: Option<Rates>,
}

impl BriefReader<'_> {
    /// The rules in a table; those that it does not name are the usual ones.
    pub(super) fn rules(
        &mut self,
        table: &mut Section<'_>,
        from: Option<&LanguageTag>,
        (usual, into): (Option<&BriefRules>, &[LanguageTag]),
    ) -> Option<BriefRules> {
        let carrier = self.carrier(table, into, usual.map(|usual| &usual.carrier));
        // What is not said for one language is as for all.
        let accept_from = table.word("accept_from", &AcceptFrom::WORDS, self.report);
        let accept_from = match usual {
            Some(usual) if !table.has("accept_from") => Some(usual.accept_from),
            _ => accept_from,
        };
        let is_reviewed = table.boolean("review", self.report);
        let is_reviewed = usual.filter(|_| !table.has("review")).map_or(is_reviewed, |usual| usual.is_reviewed);
        let terms = self.terms(table, from);
        let terms = usual.filter(|_| !table.has("glossary")).map_or(terms, |usual| Some(usual.terms.clone()));
        let checks = self.checks(table).map(|own| {
            let mut all = usual.map(|usual| usual.checks.clone()).unwrap_or_default();
            all.extend(own);
            all
        });
        let rates = rates(table, self.report);
        let rates = usual.filter(|_| !table.has("rates")).map_or(rates, |usual| Some(usual.rates.clone()));
        Some(BriefRules {
            carrier: carrier?,
            accept_from: accept_from?,
            is_reviewed,
            terms: terms?,
            checks: checks?,
            rates: rates?,
        })
    }

    /// The rules of languages that have some of their own.
    pub(super) fn by_language(
        &mut self,
        table: &mut Section<'_>,
        from: Option<&LanguageTag>,
        (usual, into): (&BriefRules, &[LanguageTag]),
    ) -> Option<BTreeMap<LanguageTag, BriefRules>> {
        let mut rules = BTreeMap::new();
        let Some(mut section) = table.section("by_language", self.report) else { return Some(rules) };
        for name in section.names() {
            let language = self.among(into, &name.value, name.span.clone())?;
            let mut own = section.named_section(&name.value, self.report)?;
            let read = self.rules(&mut own, from, (Some(usual), std::slice::from_ref(&language)))?;
            own.finish(self.report);
            let currency = |rules: &BriefRules| rules.rates.as_ref().map(|rates| rates.currency.clone());
            if currency(&read).is_some() && currency(usual).is_some() && currency(&read) != currency(usual) {
                let message = "the rates of all languages are of one currency: they are added up";
                self.report.add(Diagnostic::error(Code::BadValue, name.span, message));
                return None;
            }
            rules.insert(language, read);
        }
        Some(rules)
    }

    fn terms(&mut self, table: &mut Section<'_>, from: Option<&LanguageTag>) -> Option<Terms> {
        let Some(item) = table.text("glossary", self.report) else { return Some(Terms::default()) };
        let name = item.value.as_str();
        let read = read_glossary(self.around.folder, name, from);
        let ready = read.and_then(Terms::new);
        ready
            .map_err(|message| {
                let finding =
                    Diagnostic::error(Code::Table, item.span.clone(), format!("the glossary `{name}`: {message}"));
                self.report.add(
                    finding
                        .help("a glossary is CSV with the headings `term,language,say,avoid`, or TBX-Basic (`.tbx`)"),
                );
            })
            .ok()
    }

    fn checks(&mut self, table: &mut Section<'_>) -> Option<BTreeMap<Check, CheckPolicy>> {
        let mut checks = BTreeMap::new();
        let what = table.what("checks");
        let Some(mut section) = table.section("checks", self.report) else {
            return (!table.has("checks")).then_some(checks);
        };
        let mut sound = true;
        for name in section.names() {
            let Some((_, check)) = Check::WORDS.iter().find(|(word, _)| *word == name.value) else {
                let finding =
                    Diagnostic::error(Code::UnknownKey, name.span, format!("there is no check `{}`", name.value));
                self.report.add(finding.suggest(&name.value, Check::WORDS.map(|(word, _)| word)));
                sound = false;
                continue;
            };
            let Some(item) = section.named_text(&name.value, self.report) else {
                sound = false;
                continue;
            };
            match one_of(item.value.as_str(), item.span.clone(), &CheckPolicy::WORDS, what, self.report) {
                Some(policy) if policy == CheckPolicy::Reject || check.can_be_waived() => {
                    checks.insert(*check, policy);
                }
                Some(_) => {
                    let message = format!("the check `{}` cannot be waived: what fails it is no value", name.value);
                    self.report.add(Diagnostic::error(Code::BadValue, item.span, message));
                    sound = false;
                }
                None => sound = false,
            }
        }
        sound.then_some(checks)
    }
}
