//! Money as it is written.

/// `0.14` as 14,000: money is counted, not rounded.
pub(crate) fn hundred_thousandths(text: &str) -> Option<i64> {
    let (whole, part) = text.split_once('.').unwrap_or((text, ""));
    let digits = |text: &str| text.bytes().all(|byte| byte.is_ascii_digit());
    if part.len() > 5 || whole.is_empty() || !digits(whole) || !digits(part) {
        return None;
    }
    whole.parse::<i64>().ok()?.checked_mul(100_000)?.checked_add(format!("{part:0<5}").parse().ok()?)
}

#[cfg(test)]
mod tests {
    use super::hundred_thousandths;

    #[test]
    fn prices_are_counted_not_rounded() {
        for (text, expected) in
            [("0.14", Some(14_000)), ("1", Some(100_000)), ("0.00001", Some(1)), ("12.5", Some(1_250_000))]
        {
            assert_eq!(hundred_thousandths(text), expected, "{text}");
        }
        for bad in ["", ".5", "-1", "0.000001", "1,5", "1e3", "0.1x", "99999999999999999999"] {
            assert_eq!(hundred_thousandths(bad), None, "{bad}");
        }
    }
}
