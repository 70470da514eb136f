//! What a batch costs, by its words and the brief's rates.

use std::collections::BTreeMap;

use diaporos_core::value::LanguageTag;
use diaporos_store::UnitCount;

use crate::config::Rates;

/// An amount of money.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Price {
    /// The currency (ISO 4217).
    pub currency: String,
    /// In hundredths.
    pub hundredths: i64,
}

impl Price {
    /// So many hundred-thousandths of a currency, half a hundredth up.
    #[must_use]
    pub fn rounded(currency: &str, hundred_thousandths: i64) -> Price {
        Price { currency: currency.to_owned(), hundredths: hundred_thousandths.saturating_add(500) / 1_000 }
    }
}

impl std::fmt::Display for Price {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.pad(&format!("{} {}.{:02}", self.currency, self.hundredths / 100, self.hundredths % 100))
    }
}

/// Texts that are not sent, for their translation is known: how many, and their words.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub struct Carried {
    /// Known for that very place.
    pub in_context: (u64, u64),
    /// Known from elsewhere.
    pub exact: (u64, u64),
}

impl Carried {
    /// All of them.
    #[must_use]
    pub fn all(&self) -> (u64, u64) {
        (self.in_context.0 + self.exact.0, self.in_context.1 + self.exact.1)
    }
}

/// What texts cost, by the rates of their languages; nothing of languages without: each language at least what a language costs, rounded once, and half a hundredth up.
#[must_use]
pub fn price<'a>(
    rates: &dyn Fn(&LanguageTag) -> Option<&'a Rates>,
    counts: impl IntoIterator<Item = &'a UnitCount>,
    carried: &BTreeMap<LanguageTag, Carried>,
) -> Option<Price> {
    let times = |words: u64, rate: i64| i64::try_from(words).unwrap_or(i64::MAX).saturating_mul(rate);
    let mut by_language: BTreeMap<&LanguageTag, i64> = BTreeMap::new();
    let mut currency = None;
    for count in counts {
        let Some(rates) = rates(&count.language) else { continue };
        currency.get_or_insert_with(|| rates.currency.clone());
        let sum = by_language.entry(&count.language).or_default();
        *sum = sum.saturating_add(times(count.words, rates.of(count.origin, count.band)));
    }
    for (language, carried) in carried {
        let Some(rates) = rates(language) else { continue };
        currency.get_or_insert_with(|| rates.currency.clone());
        let known = times(carried.in_context.1, rates.in_context).saturating_add(times(carried.exact.1, rates.exact));
        // A language of which nothing is sent is ordered nowhere.
        if let Some(sum) = by_language.get_mut(language) {
            *sum = sum.saturating_add(known);
        }
    }
    let least = |language| rates(language).map_or(0, |rates| rates.minimum);
    let sum = by_language.iter().map(|(language, sum)| *sum.max(&least(language))).fold(0, i64::saturating_add);
    Some(Price::rounded(&currency?, sum))
}

#[cfg(test)]
mod tests {
    use super::*;
    use diaporos_core::translate::Band;
    use diaporos_store::{Origin, UnitStanding};

    fn count(language: &str, (origin, band): (Origin, Band), words: u64) -> UnitCount {
        let language = language.parse().unwrap();
        UnitCount { language, origin, band, standing: UnitStanding::Out, units: 1, words }
    }

    #[test]
    fn money_is_rounded_once() {
        let rates = Rates { currency: "EUR".into(), new: 14_000, changed: Some(9_500), ..Rates::default() };
        let counts = [
            count("fr", (Origin::New, Band::New), 103),
            count("fr", (Origin::Changed, Band::From85), 7),
            count("fr", (Origin::Repeated, Band::New), 1_000),
        ];
        let price = |counts: &[UnitCount]| price(&|_| Some(&rates), counts, &BTreeMap::new());
        assert_eq!(price(&counts).unwrap().to_string(), "EUR 15.09");
        assert_eq!(price(&[]), None);
    }

    #[test]
    fn bands_what_is_known_and_the_least_of_a_language() {
        let rates = Rates {
            currency: "EUR".into(),
            new: 20_000,
            near_70: Some(12_000),
            near_95: Some(4_000),
            exact: 2_000,
            minimum: 2_500_000,
            ..Rates::default()
        };
        let counts = [
            count("fr", (Origin::New, Band::New), 100),
            count("fr", (Origin::New, Band::From70), 100),
            count("fr", (Origin::Changed, Band::From85), 100),
            count("fr", (Origin::Changed, Band::From95), 100),
            count("cy", (Origin::New, Band::New), 1),
        ];
        let known = Carried { in_context: (1, 50), exact: (1, 100) };
        let carried = BTreeMap::from([("fr".parse().unwrap(), known), ("de".parse().unwrap(), known)]);
        // 20 + 12 + 20 (no rate from 85 % on: as new) + 4 + 2 of what is known; Welsh at least 25.
        assert_eq!(price(&|_| Some(&rates), &counts, &carried).unwrap().to_string(), "EUR 83.00");
        let own = |language: &LanguageTag| (language.as_str() == "cy").then_some(&rates);
        assert_eq!(price(&own, &counts, &carried).unwrap().to_string(), "EUR 25.00");
    }
}
