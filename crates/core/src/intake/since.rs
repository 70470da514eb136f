//! The newest change that a source has told of, and asking for what came after.

use std::time::Duration;

use jiff::{SignedDuration, Timestamp};

/// The later of two moments as a source writes them: RFC 3339, or a number that counts up. Texts
/// that are neither are compared as they are.
#[must_use]
pub fn later(one: Option<String>, other: String) -> String {
    match one {
        Some(one) if is_later(&one, &other) => one,
        _ => other,
    }
}

fn is_later(one: &str, other: &str) -> bool {
    if let (Ok(one), Ok(other)) = (one.parse::<Timestamp>(), other.parse::<Timestamp>()) {
        return one > other;
    }
    match (one.parse::<i64>(), other.parse::<i64>()) {
        (Ok(one), Ok(other)) => one > other,
        _ => one > other,
    }
}

/// The moment from which to ask: the newest less the overlap, in the form the source writes it. A
/// number is seconds since 1970, or milliseconds where it is too great for that.
#[must_use]
pub fn from_when(newest: &str, overlap: Duration) -> String {
    if let Ok(moment) = newest.parse::<Timestamp>() {
        let overlap = SignedDuration::try_from(overlap).unwrap_or(SignedDuration::ZERO);
        return moment.checked_sub(overlap).map_or_else(|_| newest.to_owned(), |earlier| earlier.to_string());
    }
    match newest.parse::<i64>() {
        Ok(number) => {
            let seconds = i64::try_from(overlap.as_secs()).unwrap_or(0);
            let less = if number > 100_000_000_000 { seconds.saturating_mul(1_000) } else { seconds };
            number.saturating_sub(less).to_string()
        }
        Err(_) => newest.to_owned(),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn moments_in_three_forms() {
        assert_eq!(
            later(Some("2026-05-01T10:00:00+02:00".into()), "2026-05-01T09:00:00Z".into()),
            "2026-05-01T09:00:00Z"
        );
        assert_eq!(later(Some("9".into()), "10".into()), "10");
        assert_eq!(later(None, "x".into()), "x");
        let overlap = Duration::from_secs(60);
        assert_eq!(from_when("2026-05-01T09:00:00Z", overlap), "2026-05-01T08:59:00Z");
        assert_eq!(from_when("1777626000", overlap), "1777625940");
        assert_eq!(from_when("1777626000000", overlap), "1777625940000");
        assert_eq!(from_when("v17", overlap), "v17");
    }
}
