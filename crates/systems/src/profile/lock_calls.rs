//! How a document is locked, and let go of.

use diaporos_core::diagnostic::Report;
use diaporos_core::settings;
use diaporos_core::settings::forms::TEXT;
use diaporos_core::settings::{Form, Section, Table};

use super::Call;
use super::call::CALL;
use crate::query::{JSON_PATH, Query};

/// How a document is locked while it is written.
pub(super) static LOCK: Table = Table::new(
    "lock",
    &[settings![
        take: CALL, required, "takes the lock before a document is changed", "POST /api/pages/{id}/lock";
        release: CALL, required, "gives it back, whatever came of the change", "DELETE /api/pages/{id}/lock";
        look: CALL, none, "shows who has it", "GET /api/pages/{id}/lock";
        holder: JSON_PATH, none, "where that says who", "$.holder";
        since: JSON_PATH, none, "where that says since when", "$.since";
        us: TEXT, none, "what the holder is when it is this hub: such a lock was left by a run that died, and is given back first", "the hub";
        renew: CALL, none, "makes it last while a write takes long", "PUT /api/pages/{id}/lock";
        renew_seconds: Form::Count(1), usual "20", "how many seconds pass until that is done again", "60";
        token: JSON_PATH, none, "where the answer to `take` has a token", "$.token";
        token_header: TEXT, none, "the header that the token goes back in with the write", "X-Lock-Token";
    ]],
)
.needing(&[("token", "token_header")]);

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
        let look = Call::reading(section, "look", &["id"], report);
        let renew = one(section, "renew", report);
        let every = section.count("renew_seconds", report).map_or(0, |count| count.value);
        let holder = Query::from_key(section, "holder", report);
        let since = Query::from_key(section, "since", report);
        let us = section.string("us", report);
        let token = Query::from_key(section, "token", report);
        let header = section.string("token_header", report);
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
