//! Looking: how lanes stand, and which entries there are.

use std::cmp::Ordering;

use diaporos_core::expr::{Library, Program, Sight, Slots, Subject, is_true};
use diaporos_core::plan::HoldReason;
use diaporos_core::text::moment::{instant, order};
use diaporos_core::text::shell_word;
use diaporos_core::value::{Address, State, SystemName, Value, to_json};
use diaporos_store::{Counts, EntryFilter, EntryRow, HeldRow, LaneRecord, Standing, Store, StoreError, WordSearch};

use crate::config::{Config, ConfiguredLane};

/// A lane as the store keeps it.
#[must_use]
pub fn lane_record(configured: &ConfiguredLane) -> LaneRecord<'_> {
    let lane = &configured.lane;
    LaneRecord {
        name: &lane.name,
        from: &lane.from,
        to: &lane.to,
        key: lane.key.as_deref(),
        definition: configured.definition,
    }
}

/// How the entries of a lane stand; no counts where the lane is new or delivers otherwise than
/// when it was last pushed, so that all its entries are owed a look.
#[must_use = "the counts are the answer"]
pub fn status<'a>(config: &'a Config, store: &Store) -> Result<Vec<(&'a ConfiguredLane, Option<Counts>)>, StoreError> {
    config.lanes.values().map(|lane| Ok((lane, store.counts(lane_record(lane))?))).collect()
}

/// Makes the store know the configured lanes, and who is told.
///
/// # Errors
/// Where the store fails.
pub fn register_lanes(config: &Config, store: &mut Store, now: jiff::Timestamp) -> Result<(), StoreError> {
    let records: Vec<LaneRecord<'_>> = config.lanes.values().map(lane_record).collect();
    store.register_lanes(&records, now)?;
    let tells: Vec<&str> = config.tells.keys().map(SystemName::as_str).collect();
    store.register_tells(&tells, now)
}

/// Which entries are wanted, and in what order.
#[derive(Debug, Clone, Default)]
pub struct EntryQuery {
    /// Of this system.
    pub system: Option<String>,
    /// Of this type.
    pub kind: Option<String>,
    /// In one of these states; all but those that are gone where empty.
    pub states: Vec<State>,
    /// With these words, in any language.
    pub text: Option<String>,
    /// For which this holds.
    pub holds: Option<Program>,
    /// By the value of this, the smallest or, with `true`, the greatest first; those without one last.
    pub sort: Option<(Program, bool)>,
    /// At most so many.
    pub most: Option<usize>,
    /// The fields that its expressions read.
    pub slots: Slots,
}

/// What expressions over entries may look at.
#[derive(Clone, Copy)]
pub struct Glance<'a> {
    /// Other entries.
    pub store: &'a Store,
    /// What the expressions of the hub share.
    pub library: &'a Library,
    /// What `now` is.
    pub now: jiff::Timestamp,
}

/// Why entries cannot be listed.
#[derive(Debug, thiserror::Error)]
pub enum LookError {
    /// The store failed.
    #[error(transparent)]
    Store(#[from] StoreError),
    /// An expression has no value for an entry.
    #[error("{address}: {message}")]
    Expression {
        /// The entry.
        address: Address,
        /// What went wrong.
        message: String,
    },
}

/// Lists no longer than this are first looked for with whole words.
const SHORT_LIST: usize = 1_000;

/// Hands over the wanted entries. Where they are sorted, only their keys are held at once. The last
/// of several words may be the start of one, unless enough entries have all of them whole.
///
/// # Errors
/// Where the store or the receiver fails, or an expression has no value.
pub fn entries<E: From<LookError>>(
    glance: Glance<'_>,
    query: &EntryQuery,
    mut each: impl FnMut(EntryRow) -> Result<(), E>,
) -> Result<(), E> {
    let search = |last_may_go_on| query.text.clone().map(|words| WordSearch { words, last_may_go_on });
    if let (Some(_), Some(most @ 1..=SHORT_LIST), None) = (&query.text, query.most, &query.sort) {
        let mut found = Vec::new();
        list(glance, query, search(false), |row| -> Result<(), E> {
            found.push(row);
            Ok(())
        })?;
        if found.len() == most {
            return found.into_iter().try_for_each(each);
        }
    }
    list(glance, query, search(true), &mut each)
}

fn list<E: From<LookError>>(
    glance: Glance<'_>,
    query: &EntryQuery,
    text: Option<WordSearch>,
    mut each: impl FnMut(EntryRow) -> Result<(), E>,
) -> Result<(), E> {
    use std::ops::ControlFlow::{Break, Continue};
    let states = match query.states.as_slice() {
        [] => State::WORDS.iter().map(|(_, state)| *state).filter(|state| *state != State::Gone).collect(),
        chosen => chosen.to_vec(),
    };
    let filter = EntryFilter { system: query.system.clone(), kind: query.kind.clone(), states, text };
    let mut left = query.most.unwrap_or(usize::MAX);
    let mut keys: Vec<(Value, i64)> = Vec::new();
    let passed = glance.store.entries(&filter, |entry| -> Result<_, Passed<E>> {
        if left == 0 {
            return Ok(Break(()));
        }
        if let Some(condition) = &query.holds {
            let value = value_for(condition, &query.slots, &entry.row, glance).map_err(|error| Passed(error.into()))?;
            let holds = is_true(&value).map_err(|message| {
                Passed(LookError::Expression { address: entry.row.address.clone(), message }.into())
            })?;
            if !holds {
                return Ok(Continue(()));
            }
        }
        if let Some((key, _)) = &query.sort {
            keys.push((
                value_for(key, &query.slots, &entry.row, glance).map_err(|error| Passed(error.into()))?,
                entry.number,
            ));
            return Ok(Continue(()));
        }
        left -= 1;
        each(entry.row).map_err(Passed)?;
        Ok(Continue(()))
    });
    passed.map_err(|Passed(error)| error)?;
    let Some((_, greatest_first)) = &query.sort else { return Ok(()) };
    keys.sort_by(|(a, _), (b, _)| in_order(a, b, *greatest_first));
    for (_, number) in keys.into_iter().take(left) {
        if let Some(entry) = glance.store.entry_numbered(number).map_err(LookError::from)? {
            each(entry.row)?;
        }
    }
    Ok(())
}

/// An error of the receiver on its way through the store.
struct Passed<E>(E);

impl<E: From<LookError>> From<StoreError> for Passed<E> {
    fn from(error: StoreError) -> Self {
        Passed(LookError::from(error).into())
    }
}

/// The value of an expression for an entry.
///
/// # Errors
/// Where it has none.
pub fn value_for(program: &Program, slots: &Slots, row: &EntryRow, glance: Glance<'_>) -> Result<Value, LookError> {
    let values = slots.resolve(&row.fields);
    let (address, state) = (&row.address, row.state);
    let subject = Subject { address, state, values: &values, now: glance.now, previous: None };
    program
        .evaluate(Sight { subject, world: glance.store, library: glance.library })
        .map(|evaluated| evaluated.value)
        .map_err(|error| match error.world {
            Some(error) => LookError::Store(error.into()),
            None => LookError::Expression { address: row.address.clone(), message: error.message },
        })
}

/// Nulls come last; values of different kinds are ordered by kind, so that the order is total.
pub(crate) fn in_order(a: &Value, b: &Value, greatest_first: bool) -> Ordering {
    let order = match (a.is_null(), b.is_null()) {
        (true, true) => return Ordering::Equal,
        (true, false) => return Ordering::Greater,
        (false, true) => return Ordering::Less,
        (false, false) => compare(a, b),
    };
    if greatest_first { order.reverse() } else { order }
}

#[expect(clippy::cast_precision_loss, reason = "a whole number is ordered among fractions as fractions are")]
fn compare(a: &Value, b: &Value) -> Ordering {
    match (a, b) {
        (Value::Integer(a), Value::Integer(b)) => a.cmp(b),
        (Value::Integer(a), Value::Number(b)) => (*a as f64).total_cmp(b),
        (Value::Number(a), Value::Integer(b)) => a.total_cmp(&(*b as f64)),
        (Value::Number(a), Value::Number(b)) => a.total_cmp(b),
        (Value::Text(a), Value::Text(b)) if instant(a).is_some() && instant(b).is_some() => order(a, b),
        (Value::Text(a), Value::Text(b)) => a.to_lowercase().cmp(&b.to_lowercase()).then_with(|| a.cmp(b)),
        (Value::Boolean(a), Value::Boolean(b)) => a.cmp(b),
        _ => a.kind_name().cmp(b.kind_name()).then_with(|| to_json(a).to_string().cmp(&to_json(b).to_string())),
    }
}

/// What to do, with the entry's own address in it.
#[must_use]
pub fn way_out(row: &HeldRow) -> String {
    let text = match (row.standing, HoldReason::from_word(&row.reason)) {
        (_, Some(reason)) => reason.way_out(),
        (Standing::Held, None) => "the next push tries again",
        (_, None) => "run `diaporos push` again when the destination is well; nothing is sent twice",
    };
    text.replace("`resolve", "`diaporos resolve").replace("ADDRESS", &shell_word(&row.address.to_string()))
}

/// A text that is longer is no title, in bytes.
const LONGEST_TITLE: usize = 120;

/// What an entry is called: its first field that sounds like a title, in the first language; else its first short text.
#[must_use]
pub fn title(fields: &diaporos_core::value::Record) -> Option<&str> {
    let named = ["title", "name", "common_name", "heading", "full_name", "headline", "label"];
    let mut named = named.iter().filter_map(|name| fields.get(*name));
    let is_short = |text: &&str| text.len() <= LONGEST_TITLE && !text.contains('\n');
    named.find_map(first_text).or_else(|| fields.values().filter_map(first_text).find(is_short))
}

fn first_text(value: &Value) -> Option<&str> {
    match value {
        Value::Text(text) => Some(text),
        Value::Localised(by_language) => {
            let english = by_language.iter().find(|(tag, _)| tag.as_str() == "en").map(|(_, inner)| inner);
            english.or_else(|| by_language.values().next()).and_then(first_text)
        }
        _ => None,
    }
}
