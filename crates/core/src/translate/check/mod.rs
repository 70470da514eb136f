//! Checks on what comes back from a translator.

mod inflected;
mod numbers;
pub(super) mod script;
mod tags;
mod terms;
mod terms_written;

use std::collections::BTreeMap;
use std::sync::LazyLock;

use regex::Regex;

use super::{Inline, Piece, Tag};
use crate::value::LanguageTag;

pub use terms::{TermRow, Terms, terms_from_csv, terms_from_tbx};
pub use terms_written::{terms_to_csv, terms_to_tbx};

/// What a translation is held against.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub enum Check {
    /// It says something.
    Empty,
    /// Every tag is there, once, opened, closed and nested as tags can be.
    Tags,
    /// What must not change is there: names, codes, placeholders.
    Kept,
    /// The same numbers, whatever a language puts between digits.
    Numbers,
    /// No longer than it may be.
    Length,
    /// Not the source text again.
    Copy,
    /// The words that the glossary asks for, and none that it rules out.
    Terms,
    /// No space before or after it that the source has not, nor less.
    Space,
    /// Joined with the rest it is sound markup.
    Markup,
    /// In letters that the language is written in.
    Script,
    /// No markup written out, where the source has none.
    Plain,
}

impl Check {
    /// Every check with its word.
    pub const WORDS: [(&str, Check); 11] = [
        ("empty", Check::Empty),
        ("tags", Check::Tags),
        ("kept", Check::Kept),
        ("numbers", Check::Numbers),
        ("length", Check::Length),
        ("copy", Check::Copy),
        ("terms", Check::Terms),
        ("space", Check::Space),
        ("markup", Check::Markup),
        ("script", Check::Script),
        ("plain", Check::Plain),
    ];

    /// Its word.
    #[must_use]
    pub fn word(self) -> &'static str {
        Self::WORDS.iter().find(|(_, check)| *check == self).map_or("", |(word, _)| word)
    }

    /// Whether a text that fails it can be a value at all.
    #[must_use]
    pub fn can_be_waived(self) -> bool {
        !matches!(self, Check::Empty | Check::Tags | Check::Kept | Check::Markup)
    }
}

/// What becomes of a unit that fails a check.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub enum CheckPolicy {
    /// It goes back to the translator.
    #[default]
    Reject,
    /// It is taken, and told.
    Tell,
    /// The check is not made.
    Off,
}

impl CheckPolicy {
    /// Every policy with its word.
    pub const WORDS: [(&str, CheckPolicy); 3] =
        [("reject", CheckPolicy::Reject), ("tell", CheckPolicy::Tell), ("off", CheckPolicy::Off)];
}

/// What is wrong with a translation.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Defect {
    /// Which check it fails.
    pub check: Check,
    /// What exactly, for the translator.
    pub message: String,
}

/// By what translations into a language are checked.
#[derive(Debug, Clone)]
pub struct Checker<'a> {
    /// The language of the source.
    pub from: &'a LanguageTag,
    /// The language of the translation.
    pub into: &'a LanguageTag,
    /// The glossary.
    pub terms: &'a Terms,
    /// What becomes of what fails; where a check is not named, it is rejected, but for markup that is written
    /// out: that is told.
    pub policies: &'a BTreeMap<Check, CheckPolicy>,
}

impl Checker<'_> {
    /// What becomes of a unit that fails a check.
    #[must_use]
    pub fn policy(&self, check: Check) -> CheckPolicy {
        let usual = if check == Check::Plain { CheckPolicy::Tell } else { CheckPolicy::Reject };
        self.policies.get(&check).copied().unwrap_or(usual)
    }

    /// What is wrong with a translation by itself; whether it makes sound markup only the text
    /// around it knows.
    #[must_use]
    pub fn check(&self, source: &Inline, tags: &[Tag], limit: Option<usize>, target: &Inline) -> Vec<Defect> {
        if target.is_blank() && !source.is_blank() {
            return vec![Defect { check: Check::Empty, message: "it is empty".to_owned() }];
        }
        let mut defects = tags::check(source, tags, target);
        let mut add = |check: Check, found: Option<String>| {
            defects.extend(found.map(|message| Defect { check, message }));
        };
        add(Check::Numbers, numbers::check(&source.plain(), &target.plain()));
        add(Check::Length, length(tags, limit, target).or_else(|| out_of_proportion(source, target)));
        add(Check::Copy, copy(self.from, self.into, source, target));
        for message in self.terms.check(self.into, &source.plain(), &target.plain()) {
            add(Check::Terms, Some(message));
        }
        add(Check::Space, space(source, target));
        add(Check::Plain, markup(&source.plain(), &target.plain()));
        add(Check::Script, script::check(self.into, &source.plain(), &target.plain()));
        defects.retain(|defect| self.policy(defect.check) != CheckPolicy::Off);
        defects
    }
}

fn length(tags: &[Tag], limit: Option<usize>, target: &Inline) -> Option<String> {
    let limit = limit?;
    let shown = |piece: &Piece| match piece {
        Piece::Alone(number) => tags.get((*number as usize).checked_sub(1)?)?.shown.as_ref(),
        _ => None,
    };
    let kept: usize = target.pieces().iter().filter_map(shown).map(|text| text.chars().count()).sum();
    let length = target.plain().chars().count() + kept;
    (length > limit).then(|| format!("it has {length} characters; at most {limit} fit"))
}

/// No language takes a hundred times as many characters as another.
const PROPORTION: usize = 100;

fn out_of_proportion(source: &Inline, target: &Inline) -> Option<String> {
    let (from, to) = (source.plain().chars().count(), target.plain().chars().count());
    (to > PROPORTION * from.max(1)).then(|| format!("it has {to} characters, and its source {from}"))
}

/// One word may be the same in both languages; a phrase hardly is.
fn copy(from: &LanguageTag, into: &LanguageTag, source: &Inline, target: &Inline) -> Option<String> {
    let primary = |tag: &LanguageTag| tag.as_str().split('-').next().unwrap_or_default().to_owned();
    if primary(from) == primary(into) || super::words(source) < 2 {
        return None;
    }
    let folded = |text: &Inline| text.plain().split_whitespace().collect::<Vec<_>>().join(" ").to_lowercase();
    (folded(source) == folded(target)).then(|| "it is the source text again".to_owned())
}

/// Tags and references to characters of HTML.
#[expect(clippy::expect_used, reason = "the pattern is a constant that every test of checks compiles")]
static MARKUP: LazyLock<Regex> = LazyLock::new(|| {
    Regex::new("</?[A-Za-z][A-Za-z0-9]*(?:\\s[^<>]*)?/?>|&(?:[a-z]{2,8}|#[0-9]{2,6});").expect("a pattern")
});

/// Markup that was written out, which readers would see as it stands.
fn markup(source: &str, target: &str) -> Option<String> {
    let found = MARKUP.find_iter(target).find(|found| !source.contains(found.as_str()))?;
    Some(format!("`{}` stands in it as text, and will be seen so", found.as_str()))
}

fn space(source: &Inline, target: &Inline) -> Option<String> {
    let ends = |text: &Inline| {
        let text = text.coded();
        (text.starts_with(char::is_whitespace), text.ends_with(char::is_whitespace))
    };
    let (before, after) = (ends(source), ends(target));
    match (before.0 == after.0, before.1 == after.1) {
        (true, true) => None,
        (false, _) if after.0 => Some("it begins with a space, and the source does not".to_owned()),
        (false, _) => Some("the source begins with a space, and it does not".to_owned()),
        (_, false) if after.1 => Some("it ends with a space, and the source does not".to_owned()),
        (_, false) => Some("the source ends with a space, and it does not".to_owned()),
    }
}

#[cfg(test)]
mod tests;
