//! What a batch costs, by its words and the brief's rates.

use diaporos_store::{Origin, UnitCount};

use crate::config::Rates;

/// An amount of money.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Price {
    /// The currency (ISO 4217).
    pub currency: String,
    /// In hundredths.
    pub hundredths: i64,
}

impl std::fmt::Display for Price {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.pad(&format!("{} {}.{:02}", self.currency, self.hundredths / 100, self.hundredths % 100))
    }
}

/// What texts cost, rounded once, and half a hundredth up.
#[must_use]
pub fn price<'a>(rates: &Rates, counts: impl IntoIterator<Item = &'a UnitCount>) -> Price {
    let sum: i64 = counts
        .into_iter()
        .map(|count| {
            let rate = match count.origin {
                Origin::New => rates.new,
                Origin::Changed => rates.changed,
                Origin::Repeated => rates.repeated,
            };
            i64::try_from(count.words).unwrap_or(i64::MAX).saturating_mul(rate)
        })
        .fold(0, i64::saturating_add);
    Price { currency: rates.currency.clone(), hundredths: sum.saturating_add(500) / 1_000 }
}

#[cfg(test)]
mod tests {
    use super::*;
    use diaporos_store::UnitStanding;

    #[test]
    fn money_is_rounded_once() {
        let rates = Rates { currency: "EUR".into(), new: 14_000, changed: 9_500, repeated: 0 };
        let count = |origin, words| UnitCount {
            language: "fr".parse().unwrap(),
            origin,
            standing: UnitStanding::Out,
            units: 1,
            words,
        };
        let counts = [count(Origin::New, 103), count(Origin::Changed, 7), count(Origin::Repeated, 1_000)];
        assert_eq!(price(&rates, &counts).to_string(), "EUR 15.09");
        assert_eq!(price(&rates, []).to_string(), "EUR 0.00");
    }
}
