//! What went wrong at the other side.

use std::time::Duration;

use diaporos_core::value::SystemName;

/// A failure, with the system, the address asked, and the reason.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
#[error("{system}: {kind} ({url})")]
pub struct SystemError {
    /// Which system.
    pub system: SystemName,
    /// What was asked, without secrets.
    pub url: String,
    /// What happened.
    pub kind: ErrorKind,
}

/// What can go wrong.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum ErrorKind {
    /// No connection: nothing was sent.
    #[error("cannot be reached: {0}")]
    Unreachable(String),
    /// No answer in time; a write may have been done.
    #[error("no answer within {}", seconds(.0))]
    TimedOut(Duration),
    /// The connection broke before the answer was whole; a write may have been done.
    #[error("the connection broke before the answer was whole: {0}")]
    Broken(String),
    /// The credential was not accepted.
    #[error("the credential was refused ({status}{}); check the token, and what it may do", described(.message))]
    Unauthorised {
        /// 401, or 403, which may be about what was asked for alone.
        status: u16,
        /// What the body says, shortened.
        message: String,
    },
    /// The credential that is fetched first could not be had; nothing was sent.
    #[error("{0}")]
    NoToken(String),
    /// Gone for good.
    #[error("it is gone for good (410); take it out of the configuration")]
    GoneForGood,
    /// Nothing there.
    #[error("nothing is there (404)")]
    NotFound,
    /// The version differs from the one the request was based on, or something else there stands
    /// against it.
    #[error("it does not fit what is there now ({status}{})", described(.message))]
    Differs {
        /// 409 or 412.
        status: u16,
        /// What the body says, shortened.
        message: String,
    },
    /// Somebody else has it locked.
    #[error("it is locked there{}", described(.message))]
    Locked {
        /// Who and since when, as far as is known.
        message: String,
    },
    /// The other side asks to come back later; nothing was done.
    #[error("it asks to come back later (429{})", later(.after))]
    Throttled {
        /// How long it asks to wait.
        after: Option<Duration>,
    },
    /// The other side cannot answer now, and says when to come back; a write may have been done.
    #[error("it is not available, and asks to come back later (503, in {})", seconds(.after))]
    Unavailable {
        /// How long it asks to wait.
        after: Duration,
    },
    /// Another answer than success.
    #[error("it answered {status}{}", described(.message))]
    Status {
        /// The status.
        status: u16,
        /// What the body says, shortened.
        message: String,
    },
    /// More bytes than are taken.
    #[error("the answer is larger than {}; raise `max_bytes` if that is right", size(.limit))]
    TooLarge {
        /// The limit.
        limit: u64,
    },
    /// Redirects in a circle, too many, or to where credentials may not go.
    #[error("it redirects {0}")]
    Redirects(String),
    /// It cannot be done there; nothing was.
    #[error("{0}")]
    Refused(String),
    /// The body is not what was expected.
    #[error("{0}")]
    Content(String),
}

impl ErrorKind {
    /// Whether the request may have been carried out although no good answer came.
    #[must_use]
    pub fn leaves_doubt(&self) -> bool {
        match self {
            ErrorKind::TimedOut(_)
            | ErrorKind::Broken(_)
            | ErrorKind::TooLarge { .. }
            | ErrorKind::Content(_)
            | ErrorKind::Unavailable { .. } => true,
            ErrorKind::Status { status, .. } => *status >= 500,
            _ => false,
        }
    }

    /// Whether it will go the same way for every entry, so that trying the next is no use.
    #[must_use]
    pub fn is_of_the_whole_system(&self) -> bool {
        matches!(self, ErrorKind::Unauthorised { status: 401, .. } | ErrorKind::Unreachable(_) | ErrorKind::NoToken(_))
    }

    /// Whether the request did not leave this machine.
    #[must_use]
    pub fn sends_nothing(&self) -> bool {
        matches!(self, ErrorKind::Unreachable(_) | ErrorKind::NoToken(_))
    }

    /// Whether it may not be done with our credential: that document, or any.
    #[must_use]
    pub fn is_forbidden(&self) -> bool {
        matches!(self, ErrorKind::Unauthorised { status: 403, .. })
    }

    /// Whether it is about the system, and not about what was sent.
    #[must_use]
    pub fn is_the_systems_fault(&self) -> bool {
        match self {
            ErrorKind::TimedOut(_)
            | ErrorKind::Broken(_)
            | ErrorKind::Throttled { .. }
            | ErrorKind::Unavailable { .. } => true,
            ErrorKind::Status { status, .. } => *status >= 500,
            kind => kind.is_of_the_whole_system(),
        }
    }

    /// The answer's status, where there was an answer.
    #[must_use]
    pub fn status(&self) -> Option<u16> {
        match self {
            ErrorKind::Status { status, .. }
            | ErrorKind::Unauthorised { status, .. }
            | ErrorKind::Differs { status, .. } => Some(*status),
            ErrorKind::NotFound => Some(404),
            ErrorKind::GoneForGood => Some(410),
            ErrorKind::Locked { .. } => Some(423),
            ErrorKind::Throttled { .. } => Some(429),
            ErrorKind::Unavailable { .. } => Some(503),
            _ => None,
        }
    }

    /// How long the other side asks to wait before it is asked again (`Retry-After`).
    #[must_use]
    pub fn asks_to_wait(&self) -> Option<Duration> {
        match self {
            ErrorKind::Throttled { after } => *after,
            ErrorKind::Unavailable { after } => Some(*after),
            _ => None,
        }
    }

    /// Whether reading again may help.
    #[must_use]
    pub fn may_pass(&self) -> bool {
        match self {
            ErrorKind::Unreachable(_)
            | ErrorKind::TimedOut(_)
            | ErrorKind::Broken(_)
            | ErrorKind::Throttled { .. }
            | ErrorKind::Unavailable { .. } => true,
            ErrorKind::Status { status, .. } => *status >= 500,
            _ => false,
        }
    }
}

fn later(after: &Option<Duration>) -> String {
    after.map_or_else(String::new, |after| format!(", in {}", seconds(&after)))
}

fn size(bytes: &u64) -> String {
    if *bytes >= 1 << 20 { format!("{} MiB", bytes >> 20) } else { format!("{bytes} bytes") }
}

fn seconds(duration: &Duration) -> String {
    format!("{} s", duration.as_secs_f64())
}

fn described(message: &str) -> String {
    if message.is_empty() { String::new() } else { format!(": {message}") }
}
