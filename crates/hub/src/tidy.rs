//! Taking out what is no longer needed, as the configuration has it.

use diaporos_core::lane::TypeRef;
use diaporos_store::{Store, StoreError, Tidying};
use jiff::{SignedDuration, Timestamp};

use crate::config::Config;

/// Rows that are taken out in one commit.
const STEP: u32 = 500;

/// What is taken out, and how many.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct TidyRow {
    /// Of which type; none of the ledger.
    pub of: Option<TypeRef>,
    /// What.
    pub what: &'static str,
    /// From before when.
    pub before: Timestamp,
    /// How many.
    pub rows: u64,
}

/// What an age means at a moment.
fn before(now: Timestamp, age: Option<SignedDuration>) -> Option<Timestamp> {
    now.checked_sub(age?).ok()
}

/// Whether it is done, or only counted.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum How<'a> {
    /// It is counted.
    Counted,
    /// It is done, by whom.
    Done(&'a str),
}

/// Counts what is no longer needed, or takes it out in small steps until `stop` says so.
///
/// # Errors
/// Where the store fails; what was taken out by then stays out.
pub fn tidy(
    config: &Config,
    store: &mut Store,
    how: How<'_>,
    now: Timestamp,
    stop: &dyn Fn() -> bool,
) -> Result<Vec<TidyRow>, StoreError> {
    let dry_run = how == How::Counted;
    let mut rows = Vec::new();
    // Rows of the ledger first: an entry that they tell of stays.
    if let Some(before) = before(now, config.keeping.ledger) {
        let count = match how {
            How::Counted => store.count_old_ledger(before)?,
            How::Done(who) => store.prune_ledger(before, who, now)?,
        };
        rows.push(TidyRow { of: None, what: "ledger", before, rows: count });
    }
    for (system, kind) in store.known_types()? {
        let end = TypeRef { system, kind };
        let (of, kept) = ((&end.system, &end.kind), config.keeping.of(&end));
        let mut add = |what: &'static str, before: Timestamp, count: u64| {
            rows.push(TidyRow { of: Some(end.clone()), what, before, rows: count });
        };
        if let Some(before) = before(now, kept.versions) {
            add("versions", before, in_steps(dry_run, stop, |step| store.tidy_versions(of, before, step))?);
        }
        if let Some(before) = before(now, kept.gone) {
            add("gone", before, in_steps(dry_run, stop, |step| store.tidy_entries(of, true, before, step))?);
        }
        if let Some(before) = before(now, kept.undelivered) {
            let count = in_steps(dry_run, stop, |step| store.tidy_entries(of, false, before, step))?;
            add("undelivered", before, count);
        }
    }
    Ok(rows)
}

/// Counts at once, or takes out step by step.
fn in_steps(
    dry_run: bool,
    stop: &dyn Fn() -> bool,
    mut step: impl FnMut(Tidying) -> Result<u64, StoreError>,
) -> Result<u64, StoreError> {
    if dry_run {
        return step(Tidying::Count);
    }
    let mut all = 0;
    while !stop() {
        let taken = step(Tidying::TakeOut(STEP))?;
        all += taken;
        if taken < u64::from(STEP) {
            break;
        }
    }
    Ok(all)
}
