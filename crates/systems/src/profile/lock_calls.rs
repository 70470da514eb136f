//! How a document is locked, and let go of.

use diaporos_core::diagnostic::Report;
use diaporos_core::settings::Section;

use super::{Call, Query};

/// How a document is locked while it is written.
#[derive(Debug, Clone)]
pub(crate) struct LockCalls {
    /// Takes the lock.
    pub(crate) take: Call,
    /// Gives it back.
    pub(crate) release: Call,
    /// Shows who has it.
    pub(crate) look: Option<Call>,
    /// Makes it last longer, and how often that is to be done.
    pub(crate) renew: Option<(Call, std::time::Duration)>,
    /// Where an answer says who has it.
    pub(crate) holder: Option<Query>,
    /// Where it says since when.
    pub(crate) since: Option<Query>,
    /// What the holder is when it is this hub.
    pub(crate) us: Option<String>,
    /// Where the answer to `take` has a token, and the header that it goes back in.
    pub(crate) token: Option<(Query, String)>,
}

impl LockCalls {
    pub(super) fn from_section(section: &mut Section<'_>, report: &mut Report) -> Option<LockCalls> {
        let one = |section: &mut Section<'_>, key, report: &mut Report| Call::from_key(section, key, &["id"], report);
        let take = one(section, "take", report);
        let release = one(section, "release", report);
        for key in ["take", "release"] {
            if !section.has(key) {
                section.missing(key, report);
            }
        }
        let look = Call::reading(section, "look", &["id"], report);
        let renew = one(section, "renew", report);
        let every = section.count("renew_seconds", 1, report).map_or(20, |count| count.value);
        let holder = Query::from_key(section, "holder", report);
        let since = Query::from_key(section, "since", report);
        let us = section.text("us", report).map(|item| item.value.as_str().to_owned());
        let token = Query::from_key(section, "token", report);
        let header = section.text("token_header", report).map(|item| item.value.as_str().to_owned());
        if token.is_some() && header.is_none() {
            section.missing("token_header", report);
        }
        Some(LockCalls {
            take: take?,
            release: release?,
            look,
            renew: renew.map(|call| (call, std::time::Duration::from_secs(every))),
            holder,
            since,
            us,
            token: token.zip(header),
        })
    }
}
