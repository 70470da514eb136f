//! What is to be known of a source text before it is sent: what of it is not sent, and what will make its
//! translation poor or dear.

use std::sync::LazyLock;

use regex::Regex;
use unicode_segmentation::UnicodeSegmentation;

use super::check::script;
use super::{Terms, TextStructure};
use crate::text::keywords::stop_word_share;
use crate::text::{Cut, shorten};
use crate::value::LanguageTag;

/// What is found in a source text.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub enum SourceFinding {
    /// A message that is broken: nothing of it is sent.
    Broken,
    /// Words that stay as they are: code, what is marked so, markup that is not read.
    Kept,
    /// What looks like a placeholder, and is sent as words.
    Placeholder,
    /// Words of another language, or in letters of none of it.
    Language,
    /// A sentence that few will read to its end.
    Long,
    /// A text that is longer than its own limit.
    Limit,
    /// Words that the house does not use.
    Terms,
}

impl SourceFinding {
    /// Every finding with its word.
    pub const WORDS: [(&str, SourceFinding); 7] = [
        ("broken", SourceFinding::Broken),
        ("kept", SourceFinding::Kept),
        ("placeholder", SourceFinding::Placeholder),
        ("language", SourceFinding::Language),
        ("long", SourceFinding::Long),
        ("limit", SourceFinding::Limit),
        ("terms", SourceFinding::Terms),
    ];

    /// Its word.
    #[must_use]
    pub fn word(self) -> &'static str {
        Self::WORDS.iter().find(|(_, finding)| *finding == self).map_or("", |(word, _)| word)
    }
}

/// The most words of a sentence that is still read with ease.
const LONGEST_SENTENCE: usize = 45;
/// So many words tell the language of a text.
const TELLING: usize = 8;
/// The most characters of a text that are shown.
const SHOWN: usize = 80;

/// What is left over of placeholders: braces, brackets, signs in pairs.
#[expect(clippy::expect_used, reason = "the pattern is a constant that every test of texts compiles")]
static LEFT_OVER: LazyLock<Regex> = LazyLock::new(|| {
    Regex::new(r"\{[^{}\n]*\}?|\}|\[\[[^\]\n]*\]\]|%[A-Z][A-Z0-9_]+%|\$[A-Za-z_][A-Za-z0-9_]*\$?|__[A-Z][A-Z0-9_]*__|@@[A-Za-z_]+@@")
        .expect("a pattern")
});

/// By what a source text is looked at.
#[derive(Debug, Clone, Copy)]
pub struct SourceCheck<'a> {
    /// The language of the text.
    pub from: &'a LanguageTag,
    /// The languages it is translated into.
    pub into: &'a [LanguageTag],
    /// The glossary; its rows for the language of the text say what the house avoids.
    pub terms: &'a Terms,
    /// The most characters that it may have.
    pub limit: Option<usize>,
}

impl SourceCheck<'_> {
    /// What is to be known of a text.
    #[must_use]
    pub fn of(&self, structure: &TextStructure) -> Vec<(SourceFinding, String)> {
        if let Some(fault) = structure.fault() {
            return vec![(SourceFinding::Broken, fault.to_owned())];
        }
        let mut found = Vec::new();
        for kept in structure.kept() {
            found.push((SourceFinding::Kept, shorten(&kept, SHOWN, Cut::Words)));
        }
        for block in structure.blocks().iter().filter(|block| !block.is_added) {
            let text = block.source.plain();
            let left_over = LEFT_OVER.find_iter(&text).map(|left| format!("`{}`", left.as_str()));
            found.extend(left_over.map(|left| (SourceFinding::Placeholder, format!("{left} is sent as words"))));
            found.extend(self.language(&text).map(|what| (SourceFinding::Language, what)));
            for sentence in text.unicode_sentences() {
                let words = sentence.unicode_words().count();
                if words > LONGEST_SENTENCE {
                    let shown = shorten(sentence.trim(), SHOWN, Cut::Words);
                    found.push((SourceFinding::Long, format!("a sentence of {words} words: {shown}")));
                }
            }
            let length = text.chars().count();
            if let Some(limit) = self.limit.filter(|limit| length > *limit) {
                let what = format!("it has {length} characters; its translation may have {limit}");
                found.push((SourceFinding::Limit, what));
            }
            let terms = self.terms.check(self.from, &text, &text);
            found.extend(terms.into_iter().map(|what| (SourceFinding::Terms, what)));
        }
        found
    }

    /// That a text is of another language, where its letters or its commonest words tell.
    fn language(&self, text: &str) -> Option<String> {
        if let Some(what) = script::check(self.from, "", text) {
            return Some(format!("{what}: {}", shorten(text, SHOWN, Cut::Words)));
        }
        let words: Vec<String> = text.unicode_words().map(str::to_lowercase).collect();
        if words.len() < TELLING {
            return None;
        }
        let own = stop_word_share(self.from.as_str(), &words)?;
        let other = self.into.iter().filter_map(|into| Some((into, stop_word_share(into.as_str(), &words)?)));
        let (into, share) = other.max_by(|(_, one), (_, other)| one.total_cmp(other))?;
        // Languages share words; one that has twice as many of its own there, and a fifth of all, is told.
        (share > 0.2 && share > 2.0 * own)
            .then(|| format!("it reads like {into}, not {}: {}", self.from, shorten(text, SHOWN, Cut::Words)))
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::translate::{Form, Protected, terms_from_csv};

    fn found(form: Form, text: &str) -> Vec<String> {
        let terms = "term,language,say,avoid\nmaidenhair,en,,maidenhair moss\n";
        let terms = Terms::new(terms_from_csv(terms).unwrap()).unwrap();
        let (from, into) = ("en".parse().unwrap(), ["fr".parse().unwrap(), "cy".parse().unwrap()]);
        let check = SourceCheck { from: &from, into: &into, terms: &terms, limit: Some(400) };
        let structure = TextStructure::of(form, text, &Protected::default());
        check.of(&structure).into_iter().map(|(finding, what)| format!("{}: {what}", finding.word())).collect()
    }

    #[test]
    fn a_sound_text_is_silent() {
        for text in [
            "The royal fern of {place} likes wet soil, 3 m from the path. See https://ostrel.example/{id}.",
            "Open",
            "La Mirada",
        ] {
            assert_eq!(found(Form::Plain, text), [""; 0], "{text}");
        }
        assert_eq!(found(Form::Html, "<p>A <b>fern</b> by the pond</p><hr><p>12.50</p>"), [""; 0]);
    }

    #[test]
    fn what_is_to_be_known_is_told() {
        for (form, text, expected) in [
            (Form::Message, "{n, plural, one {x}}", "broken: `{n, …}` has no `other`, at character 20"),
            (Form::Html, "<p>Fern</p><pre translate=\"no\">Osmunda regalis</pre>", "kept: Osmunda regalis"),
            (Form::Html, "<p>Say <code>fern init</code> now</p>", "kept: fern init"),
            (Form::Markdown, "Fern\n\n```\nlet fern = 1;\n```\n", "kept: ``` let fern = 1; ```"),
            (Form::Plain, "Hello { full name }", "placeholder: `{ full name }` is sent as words"),
            (Form::Plain, "Hello %FULL_NAME%", "placeholder: `%FULL_NAME%` is sent as words"),
            (Form::Plain, "Hello {name", "placeholder: `{name` is sent as words"),
            (
                Form::Plain,
                "Les fougères de ce jardin sont dans les murs de la serre avec des mousses",
                "language: it reads like fr, not en: Les fougères de ce jardin sont dans les murs de la serre avec des mousses",
            ),
            (Form::Plain, "Папоротник", "language: it is not in Latin letters: Папоротник"),
            (
                Form::Plain,
                "The maidenhair, also maidenhair moss",
                "terms: `maidenhair moss` is not to be said for `maidenhair`",
            ),
        ] {
            assert_eq!(found(form, text), [expected], "{text}");
        }
        let long = format!("The fern {} grows.", "and the moss ".repeat(20));
        assert!(found(Form::Plain, &long)[0].starts_with("long: a sentence of 63 words: The fern"));
        assert!(
            found(Form::Plain, &"fern ".repeat(90).replace("fern fern", "fern. Fern"))
                .iter()
                .any(|found| found == "limit: it has 494 characters; its translation may have 400")
        );
    }
}
