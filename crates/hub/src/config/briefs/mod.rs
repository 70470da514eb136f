//! Briefs: which texts are translated, from which language into which, by whom, and how the result
//! is checked.

mod described;
mod links;
mod machine;
mod money;
mod rates;
mod read;
mod references;
mod rules;
mod timed;

use std::collections::BTreeMap;
use std::path::{Path, PathBuf};
use std::time::Duration;

use diaporos_core::diagnostic::{Code, Diagnostic, Report};
use diaporos_core::expr::Slots;
use diaporos_core::lane::{FieldExpression, TypeRef};
use diaporos_core::settings::Section;
use diaporos_core::translate::{Form, Links, Protected, TermRow, UnitFormat, terms_from_csv, terms_from_tbx};
use diaporos_core::value::{LanguageTag, SystemName};
use diaporos_systems::settings::path::within;
use indexmap::IndexMap;

use super::ends::Around;
pub(super) use described::BRIEF;
pub use machine::{Machine, MachineText};
pub(crate) use money::hundred_thousandths;
pub use rates::Rates;
use read::BriefReader;
pub use rules::BriefRules;
pub use timed::BriefTimes;

/// The most bytes of a glossary.
const LARGEST_GLOSSARY: u64 = 16 << 20;

/// What is translated, and how.
#[derive(Debug, Clone)]
pub struct Brief {
    /// Its name.
    pub name: String,
    /// The type whose texts are translated.
    pub of: TypeRef,
    /// The fields, in the order in which they are translated.
    pub fields: IndexMap<String, BriefField>,
    /// The language of the texts.
    pub from: LanguageTag,
    /// The languages they are translated into.
    pub into: Vec<LanguageTag>,
    /// Which entries. Without one, those that are live.
    pub when: Option<FieldExpression>,
    /// The source fields that the condition reads.
    pub slots: Slots,
    /// The machine that translates before they do.
    pub machine: Option<Machine>,
    /// Where translations go.
    pub back: Back,
    /// What becomes of a translation of a text that has changed since.
    pub outdated: Outdated,
    /// In which format files go out.
    pub format: UnitFormat,
    /// What translators should know of all texts.
    pub notes: Vec<String>,
    /// Where they see a text as it is read, by what is there.
    pub references: IndexMap<String, FieldExpression>,
    /// How long translators have.
    pub due: Option<Duration>,
    /// What must not change within texts.
    pub protected: Protected,
    /// Where links lead, by language.
    pub links: Links,
    /// From which percentage on near matches are offered; none are where there is none.
    pub near: Option<u8>,
    /// How translations are judged, and what they cost, where a language has no rules of its own.
    pub usual: BriefRules,
    /// The same, of languages that have rules of their own.
    pub by_language: BTreeMap<LanguageTag, BriefRules>,
    /// What `serve` does for it by itself.
    pub times: BriefTimes,
}

impl Brief {
    /// The languages, those together that one carrier has.
    #[must_use]
    pub fn by_carrier<'a>(&self, languages: &'a [LanguageTag]) -> Vec<Vec<&'a LanguageTag>> {
        let mut groups: Vec<Vec<&LanguageTag>> = Vec::new();
        for language in languages {
            let carrier = &self.rules(language).carrier;
            let of_carrier = |group: &&mut Vec<&LanguageTag>| {
                group.first().is_some_and(|first| self.rules(first).carrier == *carrier)
            };
            match groups.iter_mut().find(of_carrier) {
                Some(group) => group.push(language),
                None => groups.push(vec![language]),
            }
        }
        groups
    }

    /// The carrier of languages that go together; of the first, where the configuration has parted them since.
    #[must_use]
    pub fn carrier_of(&self, languages: &[LanguageTag]) -> &Carrier {
        languages.first().map_or(&self.usual.carrier, |first| &self.rules(first).carrier)
    }

    /// Whether an agency translates into one of its languages.
    #[must_use]
    pub fn is_carried_by(&self, agency: &SystemName) -> bool {
        self.into.iter().any(|into| self.rules(into).carrier == Carrier::Agency(agency.clone()))
    }

    /// How translations into a language are judged, and what they cost.
    #[must_use]
    pub fn rules(&self, into: &LanguageTag) -> &BriefRules {
        self.by_language.get(into).unwrap_or(&self.usual)
    }
}

/// A field that is translated.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct BriefField {
    /// In which form its texts are.
    pub form: Form,
    /// The most characters that a translation may have.
    pub limit: Option<usize>,
    /// What translators should know of it.
    pub note: Option<String>,
}

/// Who carries texts to translators.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Carrier {
    /// An agency that is reached through its API.
    Agency(SystemName),
    /// People, from and to a folder.
    Folder(PathBuf),
    /// Nobody: people of the house review what the machine makes.
    InHouse,
}

/// Where accepted translations go.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub enum Back {
    /// Lanes read them as values of their entries.
    #[default]
    Lanes,
    /// The system that the texts came from; lanes read them when it gives them back.
    Source,
    /// Both.
    Both,
}

impl Back {
    /// Every way with its word.
    pub const WORDS: [(&str, Back); 3] = [("lanes", Back::Lanes), ("source", Back::Source), ("both", Back::Both)];
}

/// What becomes of a sound translation of a text that has changed since it was sent.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub enum Outdated {
    /// It is held; the changed text goes out with the next batch.
    #[default]
    Hold,
    /// It is taken, and counts as out of date.
    Take,
}

impl Outdated {
    /// Every policy with its word.
    pub const WORDS: [(&str, Outdated); 2] = [("hold", Outdated::Hold), ("take", Outdated::Take)];
}

/// Reads the briefs.
pub(super) fn briefs(file: &mut Section<'_>, around: &Around<'_>, report: &mut Report) -> IndexMap<String, Brief> {
    let mut briefs = IndexMap::new();
    let Some(mut section) = file.section("briefs", report) else { return briefs };
    for name in section.names() {
        if !is_name(&name.value) {
            let message = format!("`{}` cannot name a brief: use small letters, digits and `-`", name.value);
            report.add(Diagnostic::error(Code::BadValue, name.span, message));
            continue;
        }
        let Some(mut table) = section.named_section(&name.value, report) else { continue };
        let mut reader = BriefReader { around, report };
        let brief = reader.brief(&name.value, &mut table);
        table.finish(report);
        briefs.extend(brief.map(|brief| (name.value, brief)));
    }
    briefs
}

/// A brief's name is part of file names and of ids in XML.
fn is_name(name: &str) -> bool {
    let plain = |byte: u8| matches!(byte, b'a'..=b'z' | b'0'..=b'9' | b'-');
    name.len() <= 60 && name.starts_with(|c: char| c.is_ascii_lowercase()) && name.bytes().all(plain)
}

fn read_glossary(folder: &Path, name: &str, from: Option<&LanguageTag>) -> Result<Vec<TermRow>, String> {
    let path = within(folder, name).map_err(|fault| format!("it {fault}"))?;
    let size = std::fs::metadata(&path).map_err(|error| error.to_string())?.len();
    if size > LARGEST_GLOSSARY {
        return Err(format!("it has {size} bytes; at most {LARGEST_GLOSSARY} are read"));
    }
    let text = std::fs::read_to_string(&path).map_err(|error| error.to_string())?;
    match (name.to_lowercase().ends_with(".tbx"), from) {
        (true, Some(from)) => terms_from_tbx(&text, from),
        // Without a language of the texts, which was said to be missing, there are no terms.
        (true, None) => Ok(Vec::new()),
        (false, _) => terms_from_csv(&text),
    }
}
