//! How a document is locked, and let go of.

use diaporos_core::diagnostic::Report;
use diaporos_core::settings;
use diaporos_core::settings::forms::TEXT;
use diaporos_core::settings::{Form, Section, Table};

use super::Call;
use super::call::CALL;
use super::operation_call::OPERATION;
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

/// How a token goes back with a write.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(crate) enum LockShown {
    /// In this header.
    Header(String),
    /// As the variable `$lock`.
    Variable,
}

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
    /// Where the answer to `take` has a token, and how it goes back.
    pub(crate) token: Option<(Query, LockShown)>,
}

/// How a document is locked by operations while it is written.
pub(super) static LOCK_OPERATIONS: Table = Table::new(
    "lock by operations",
    &[settings![
        take: Form::Table(&OPERATION), required, "takes the lock before a document is changed", "{ query = \"lock.graphql\" }";
        release: Form::Table(&OPERATION), required, "gives it back, whatever came of the change", "{ query = \"unlock.graphql\" }";
        look: Form::Table(&OPERATION), none, "shows who has it", "{ query = \"lock-of.graphql\" }";
        holder: JSON_PATH, none, "where that says who", "$.data.lock.holder";
        since: JSON_PATH, none, "where that says since when", "$.data.lock.since";
        us: TEXT, none, "what the holder is when it is this hub: such a lock was left by a run that died, and is given back first", "the hub";
        renew: Form::Table(&OPERATION), none, "makes it last while a write takes long", "{ query = \"lock.graphql\" }";
        renew_seconds: Form::Count(1), usual "20", "how many seconds pass until that is done again", "60";
        token: JSON_PATH, none, "where the answer to `take` has a token, which operations are told that declare `$lock`", "$.data.lockPage.token";
    ]],
);

impl LockCalls {
    /// Its calls, each with whether it only reads.
    pub(super) fn calls_mut(&mut self) -> impl Iterator<Item = (&mut Call, bool)> {
        let look = self.look.iter_mut().map(|call| (call, true));
        let renew = self.renew.iter_mut().map(|(call, _)| (call, false));
        [&mut self.take, &mut self.release].into_iter().map(|call| (call, false)).chain(look).chain(renew)
    }

    /// Its calls.
    pub(super) fn calls(&self) -> impl Iterator<Item = &Call> {
        [&self.take, &self.release].into_iter().chain(&self.look).chain(self.renew.iter().map(|(call, _)| call))
    }

    /// Reads how a document is locked by operations.
    pub(super) fn of_operations(section: &mut Section<'_>, report: &mut Report) -> Option<LockCalls> {
        let calls = ["take", "release", "look", "renew"].map(|key| Call::operation(section, key, report));
        LockCalls::with_calls(calls, LockShown::Variable, section, report)
    }

    pub(super) fn from_section(section: &mut Section<'_>, report: &mut Report) -> Option<LockCalls> {
        let mut one = |key| Call::from_key(section, key, &["id"], report);
        let [take, release, renew] = ["take", "release", "renew"].map(&mut one);
        let look = Call::reading(section, "look", &["id"], report);
        // A token has a header beside it, which the table demands.
        let header = section.string("token_header", report).unwrap_or_default();
        LockCalls::with_calls([take, release, look, renew], LockShown::Header(header), section, report)
    }

    /// What is said beside the calls to take, release, look and renew.
    fn with_calls(
        [take, release, look, renew]: [Option<Call>; 4],
        shown: LockShown,
        section: &mut Section<'_>,
        report: &mut Report,
    ) -> Option<LockCalls> {
        let every = section.count("renew_seconds", report).map_or(0, |count| count.value);
        let holder = Query::from_key(section, "holder", report);
        let since = Query::from_key(section, "since", report);
        let us = section.string("us", report);
        let token = Query::from_key(section, "token", report);
        Some(LockCalls {
            take: take?,
            release: release?,
            look,
            renew: renew.map(|call| (call, std::time::Duration::from_secs(every))),
            holder,
            since,
            us,
            token: token.map(|at| (at, shown)),
        })
    }
}
