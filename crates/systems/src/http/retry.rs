//! When a request is tried again, and why one failed.

use std::time::Duration;

use crate::ErrorKind;
use crate::blank::blank;

/// The first pause before trying again; each further one is twice as long.
const FIRST_PAUSE: Duration = Duration::from_millis(200);
/// The longest pause of our own choice.
const LONGEST_PAUSE: Duration = Duration::from_secs(30);
/// The longest that `Retry-After` may ask for and get; whoever asks for more is told of, and waited for by
/// the next run.
pub(super) const LONGEST_ASKED: Duration = Duration::from_secs(120);

/// Whether it is worth waiting as long as the other side asks.
pub(super) fn may_wait(kind: &ErrorKind) -> bool {
    kind.asks_to_wait().is_none_or(|after| after <= LONGEST_ASKED)
}

/// Twice as long each time, half of it by chance so that many clients do not come back together.
pub(super) fn pause(kind: &ErrorKind, tried: u32) -> Duration {
    if let Some(after) = kind.asks_to_wait() {
        return after;
    }
    let longest = FIRST_PAUSE.saturating_mul(1 << tried.min(8)).min(LONGEST_PAUSE);
    longest.mul_f64(0.5 + fastrand::f64() / 2.0)
}

/// The innermost cause of a transport error, where the reason stands.
pub(super) fn causes(error: &reqwest::Error) -> String {
    let mut cause: &dyn std::error::Error = error;
    while let Some(inner) = cause.source() {
        cause = inner;
    }
    blank(&cause.to_string()).into_owned()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn pauses_grow_and_are_kept_within_bounds() {
        let down = ErrorKind::Status { status: 503, message: String::new() };
        for tried in 0..40 {
            let longest = FIRST_PAUSE.saturating_mul(1 << tried.min(8)).min(LONGEST_PAUSE);
            for _ in 0..20 {
                let pause = pause(&down, tried);
                assert!(pause >= longest / 2 && pause <= longest, "{pause:?} of {longest:?}");
            }
        }
    }

    #[test]
    fn what_is_asked_for_is_kept_and_more_patience_than_a_run_has_is_not() {
        let asked = |seconds| ErrorKind::Throttled { after: Some(Duration::from_secs(seconds)) };
        assert_eq!(pause(&asked(90), 0), Duration::from_secs(90));
        assert!(may_wait(&asked(90)) && may_wait(&asked(120)) && !may_wait(&asked(121)));
        assert!(may_wait(&ErrorKind::Throttled { after: None }));
    }
}
