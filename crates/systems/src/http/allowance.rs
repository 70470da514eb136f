//! What an answer says is left to be asked: the fields `RateLimit`, `RateLimit-Remaining` and `RateLimit-Reset` of the
//! IETF's drafts ("RateLimit header fields for HTTP"), and those with an `X-` that came before them.

use std::time::Duration;

use jiff::Timestamp;

/// Numbers from here on are moments since 1970, in seconds; from the other on in milliseconds.
const MOMENT: f64 = 1e9;
const MOMENT_IN_MILLIS: f64 = 1e12;

/// For how long nothing more is to be asked, where an answer says that nothing is left. A moment is held against the
/// clock of whoever names it: the answer's own `Date`.
pub(super) fn nothing_left_for(headers: &[(String, String)]) -> Option<Duration> {
    let header = |name: &str| headers.iter().find(|(known, _)| known == name).map(|(_, value)| value.trim());
    let date = header("date").and_then(|text| jiff::fmt::rfc2822::parse(text).ok()).map(|zoned| zoned.timestamp());
    if let Some(policies) = header("ratelimit") {
        return policies.split(',').filter_map(|policy| empty_policy(policy, policies)).max();
    }
    ["ratelimit-", "x-ratelimit-", "x-rate-limit-"].iter().find_map(|family| {
        let of = |name: &str| header(&format!("{family}{name}"))?.split([',', ';']).next()?.trim().parse::<f64>().ok();
        // Some that have no limit say that it is none.
        if of("remaining")? >= 1.0 || of("limit") == Some(0.0) {
            return None;
        }
        wait(of("reset")?, date)
    })
}

/// `"default";r=0;t=12`, or a part of the older `limit=10, remaining=0, reset=12`.
fn empty_policy(policy: &str, whole: &str) -> Option<Duration> {
    let of = |text: &str, wanted: [&str; 2]| {
        text.split([';', ','])
            .filter_map(|part| part.split_once('='))
            .find_map(|(name, value)| wanted.contains(&name.trim()).then(|| value.trim().parse::<f64>().ok()).flatten())
    };
    let is_old = whole.contains("remaining=");
    let text = if is_old { whole } else { policy };
    if of(text, ["r", "remaining"])? >= 1.0 {
        return None;
    }
    wait(of(text, ["t", "reset"])?, None)
}

fn wait(reset: f64, date: Option<Timestamp>) -> Option<Duration> {
    if !reset.is_finite() || reset <= 0.0 {
        return None;
    }
    if reset < MOMENT {
        return Duration::try_from_secs_f64(reset).ok();
    }
    let seconds = if reset >= MOMENT_IN_MILLIS { reset / 1e3 } else { reset };
    let left = seconds - date?.as_second() as f64;
    if left <= 0.0 { None } else { Duration::try_from_secs_f64(left).ok() }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_is_left() {
        let date = ("date", "Fri, 01 May 2026 09:30:00 GMT");
        let then = "1777627830";
        for (headers, expected) in [
            (vec![("ratelimit", "\"default\";r=0;t=12")], Some(12)),
            (vec![("ratelimit", "\"default\";r=5;t=12")], None),
            (vec![("ratelimit", "\"burst\";r=0;t=2, \"day\";r=0;t=60, \"hour\";r=9;t=900")], Some(60)),
            (vec![("ratelimit", "limit=10, remaining=0, reset=7")], Some(7)),
            (vec![("ratelimit", "limit=10, remaining=3, reset=7")], None),
            (vec![("ratelimit-remaining", "0"), ("ratelimit-reset", "9")], Some(9)),
            (vec![("ratelimit-remaining", "1"), ("ratelimit-reset", "9")], None),
            (vec![("x-ratelimit-remaining", "0"), ("x-ratelimit-reset", then), date], Some(30)),
            (vec![("x-ratelimit-remaining", "0"), ("x-ratelimit-reset", "1777627830000"), date], Some(30)),
            // Without its clock nobody can tell how long that is; and what has passed is no wait.
            (vec![("x-ratelimit-remaining", "0"), ("x-ratelimit-reset", then)], None),
            (vec![("x-rate-limit-remaining", "0"), ("x-rate-limit-reset", "1777620000"), date], None),
            (vec![("x-ratelimit-remaining", "0")], None),
            (vec![("x-ratelimit-limit", "0"), ("x-ratelimit-remaining", "0"), ("x-ratelimit-reset", "9")], None),
            (vec![("x-ratelimit-remaining", "none"), ("x-ratelimit-reset", "soon")], None),
            (vec![("ratelimit", "")], None),
            (vec![("ratelimit-remaining", "0"), ("ratelimit-reset", "-3")], None),
            (vec![("ratelimit-remaining", "0"), ("ratelimit-reset", "NaN")], None),
        ] {
            let headers: Vec<(String, String)> =
                headers.iter().map(|(name, value)| ((*name).to_owned(), (*value).to_owned())).collect();
            assert_eq!(nothing_left_for(&headers).map(|wait| wait.as_secs()), expected, "{headers:?}");
        }
    }
}
