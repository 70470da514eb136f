//! Languages and their varieties: which is the same language in another place, and in which letters each is
//! written (likely subtags and aliases of Unicode CLDR, UTS #35 part 1).

use std::collections::BTreeSet;

use icu_locale::subtags::{Region, Script};
use icu_locale::{LanguageIdentifier, Locale, LocaleCanonicalizer, LocaleExpander};

use crate::value::LanguageTag;

// Neither is shared between threads; both are but views of what is compiled in.
thread_local! {
    static EXPANDER: LocaleExpander = const { LocaleExpander::new_extended() };
    static CANONICALIZER: LocaleCanonicalizer = const { LocaleCanonicalizer::new_extended() };
}

/// How near two languages are.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
pub enum Nearness {
    /// The same, however it is written: `iw` and `he`, `zh` and `zh-Hans-CN`.
    Same,
    /// One of them says nothing of a region: `en` and `en-GB`.
    Neutral,
    /// Others: `pt-PT` and `pt-BR`, `zh-Hans` and `zh-Hant`.
    Other,
}

/// How near two languages are, as tools write them: with `_` for `-`, and in any case.
#[must_use]
pub fn nearness(one: &str, other: &str) -> Nearness {
    if one.eq_ignore_ascii_case(other) {
        return Nearness::Same;
    }
    let (Some(one), Some(other)) = (identifier(one), identifier(other)) else { return Nearness::Other };
    let (whole, whole_other) = (maximized(&one), maximized(&other));
    if whole.language != whole_other.language || whole.script != whole_other.script || one.variants != other.variants {
        return Nearness::Other;
    }
    match (one.region, other.region) {
        (None, None) => Nearness::Same,
        (Some(region), Some(region_other)) if region == region_other => Nearness::Same,
        (Some(_), Some(_)) => Nearness::Other,
        (None, Some(_)) | (Some(_), None) => Nearness::Neutral,
    }
}

fn identifier(tag: &str) -> Option<LanguageIdentifier> {
    let mut locale = Locale::try_from_str(&tag.replace('_', "-")).ok()?;
    CANONICALIZER.with(|known| known.canonicalize(&mut locale));
    Some(locale.id)
}

fn maximized(language: &LanguageIdentifier) -> LanguageIdentifier {
    let mut whole = language.clone();
    EXPANDER.with(|known| known.maximize(&mut whole));
    whole
}

/// The scripts that a language is written in (ISO 15924): that of its tag, or of its region, or those of
/// all regions. None of a language that CLDR does not know.
#[must_use]
pub(super) fn scripts(language: &LanguageTag) -> BTreeSet<Script> {
    let Some(language) = identifier(language.as_str()) else { return BTreeSet::new() };
    if let Some(script) = language.script {
        return BTreeSet::from([script]);
    }
    if language.region.is_some() {
        return maximized(&language).script.into_iter().collect();
    }
    let letters = || b'A'..=b'Z';
    let regions = letters().flat_map(|one| letters().map(move |other| [one, other]));
    let there = regions.filter_map(|region| Region::try_from_utf8(&region).ok());
    let of = |region| maximized(&LanguageIdentifier { region, ..language.clone() }).script;
    there.map(Some).chain([None]).filter_map(of).collect()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn regions_and_letters_make_varieties() {
        for (one, other, expected) in [
            ("fr", "FR", Nearness::Same),
            ("en_GB", "en-GB", Nearness::Same),
            ("iw", "he", Nearness::Same),
            ("zh", "zh-Hans", Nearness::Same),
            ("zh-TW", "zh-Hant-TW", Nearness::Same),
            ("en", "en-US", Nearness::Neutral),
            ("zh-Hant", "zh-TW", Nearness::Neutral),
            ("pt", "pt-BR", Nearness::Neutral),
            ("pt-PT", "pt-BR", Nearness::Other),
            ("zh-Hans", "zh-Hant", Nearness::Other),
            ("zh-CN", "zh-TW", Nearness::Other),
            ("sr", "sr-Latn", Nearness::Other),
            ("ca", "ca-valencia", Nearness::Other),
            ("fr", "cy", Nearness::Other),
            ("english language", "en", Nearness::Other),
        ] {
            assert_eq!((nearness(one, other), nearness(other, one)), (expected, expected), "{one} {other}");
        }
    }

    #[test]
    fn a_language_may_have_several_scripts() {
        for (language, expected) in [
            ("am", "Ethi"),
            ("ky", "Arab Cyrl Latn"),
            ("tt", "Cyrl"),
            ("ml", "Mlym"),
            ("km", "Khmr"),
            ("my", "Mymr"),
            ("pa", "Arab Guru"),
            ("pa-PK", "Arab"),
            ("sr-Latn", "Latn"),
            ("ja", "Jpan"),
            ("zh", "Hans Hant"),
            ("cy", "Latn"),
            ("qqq", ""),
        ] {
            let found: Vec<String> = scripts(&language.parse().unwrap()).iter().map(ToString::to_string).collect();
            assert_eq!(found.join(" "), expected, "{language}");
        }
        let kurdish = scripts(&"ku".parse().unwrap());
        assert!(kurdish.iter().any(|script| script.as_str() == "Latn") && kurdish.len() > 1, "{kurdish:?}");
    }
}
