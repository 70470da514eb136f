//! What is due on a lane, and what became of it.

use std::collections::HashMap;

use super::database::{OptionalRow, Transaction, params};
use diaporos_core::plan::HoldReason;
use diaporos_core::value::{Address, LaneName, SystemName};
use indexmap::{IndexMap, IndexSet};
use jiff::Timestamp;
use rusqlite::types::Value;

use super::claimed::let_go;
use super::counterparts::{CounterpartRow, KnownBefore, keep_counterparts};
use super::happenings::happen_held;
use super::occurrences::note_occurrences;
use super::row::{millis, moment};
use super::slates::KeptBack;
use super::together::{add_rows, perhaps, text};
use super::undone::Undone;
use super::verdict::Verdict;
use super::{EntryRow, Standing, Store, StoreError, StoredEntry};

/// An entry that a push has to look at.
#[derive(Debug, Clone, PartialEq)]
pub struct Due {
    /// Its number, for the store alone.
    pub number: i64,
    /// The entry.
    pub entry: EntryRow,
    /// What is known of it at the destination.
    pub counterparts: Vec<CounterpartRow>,
    /// Whether a person keeps it off.
    pub taken_off: bool,
    /// How it is kept, where it is kept as it was before a run.
    pub undone: Option<Undone>,
    /// The slate that keeps it back.
    pub kept_back: Option<KeptBack>,
    /// Why it is held, where it is.
    pub held: Option<HoldReason>,
    /// How often something made it owed a look on the lane; told again with the verdict.
    pub touched: i64,
    /// Whether a request of it was begun whose end nobody noted.
    pub is_in_doubt: bool,
}

/// What is noted of an entry on a lane.
#[derive(Debug, Default)]
struct Noted {
    held: Option<HoldReason>,
    touched: i64,
    taken_off: bool,
    is_undone: bool,
    is_in_doubt: bool,
    is_on_a_slate: bool,
}

/// Where an entry stands on a lane.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct LaneStanding {
    /// The lane.
    pub lane: LaneName,
    /// Where it stands.
    pub standing: Standing,
    /// Why it is held or failed.
    pub reason: Option<String>,
    /// Since when.
    pub since: Timestamp,
}

/// Which entries are looked for.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum DueFilter {
    /// All that a push has to look at: what is owed, held or failed.
    All,
    /// What is owed alone.
    Owed,
    /// Everything that goes on the lane or is on view at its destination.
    There,
}

impl DueFilter {
    /// Which rows of `delivery`, in words that lead to their index.
    pub(super) fn condition(self) -> &'static str {
        match self {
            DueFilter::All => "standing IN ('owed', 'held', 'failed')",
            DueFilter::Owed => "standing IN ('owed', 'held', 'failed') AND standing = 'owed'",
            DueFilter::There => "standing IN ('owed', 'held', 'failed', 'delivered')",
        }
    }
}

impl Store {
    /// The next entries of a lane that a push has to look at, after the one of that number.
    ///
    /// # Errors
    /// Where the store fails.
    pub fn due(&self, lane: &LaneName, filter: DueFilter, after: i64, most: usize) -> Result<Vec<Due>, StoreError> {
        let _snapshot = self.connection.snapshot()?;
        let lane_number = self.lane_number(lane)?;
        let index = if filter == DueFilter::There { "" } else { "INDEXED BY delivery_due" };
        let which = filter.condition();
        let mut query = self.connection.prepare_cached(&format!(
            "SELECT entry FROM delivery {index} WHERE {which} AND lane = ?1 AND entry > ?2 ORDER BY entry LIMIT ?3",
        ))?;
        let most = i64::try_from(most).unwrap_or(i64::MAX);
        let entries: Vec<i64> = query.query_all(params![lane_number, after, most], |row| row.get(0))?;
        self.due_of(lane, &entries)
    }

    /// Entries by their numbers, in that order, as a push looks at them.
    ///
    /// # Errors
    /// Where the store fails.
    pub(super) fn due_of(&self, lane: &LaneName, entries: &[i64]) -> Result<Vec<Due>, StoreError> {
        let list = serde_json::to_string(entries).map_err(StoreError::content)?;
        let mut counterparts = self.counterparts_of(lane, &list)?;
        let mut standings = self.standings_of(lane, &list)?;
        let mut due = Vec::with_capacity(entries.len());
        for StoredEntry { number, row } in self.entries_of(&list)? {
            let known = standings.remove(&number).unwrap_or_default();
            due.push(Due {
                number,
                entry: row,
                counterparts: counterparts.remove(&number).unwrap_or_default(),
                taken_off: known.taken_off,
                undone: if known.is_undone { self.undone(lane, number)? } else { None },
                kept_back: if known.is_on_a_slate { self.kept_back(lane, number)? } else { None },
                held: known.held,
                touched: known.touched,
                is_in_doubt: known.is_in_doubt,
            });
        }
        Ok(due)
    }

    /// What is noted of entries on a lane, by their numbers.
    fn standings_of(&self, lane: &LaneName, list: &str) -> Result<HashMap<i64, Noted>, StoreError> {
        let of = |table: &str| {
            format!(
                "EXISTS (SELECT 1 FROM {table} AS other WHERE other.lane = delivery.lane AND other.entry = delivery.entry)"
            )
        };
        let mut query = self.connection.prepare_cached(&format!(
            "SELECT entry, reason, touched, {}, {}, {}, EXISTS (SELECT 1 FROM slate_entry WHERE slate_entry.entry = delivery.entry)
             FROM delivery WHERE lane = ?1 AND entry IN (SELECT CAST(value AS BIGINT) FROM json_each(?2))",
            of("taken_off"),
            of("undone"),
            of("open_intent"),
        ))?;
        let noted = query.query_all(params![self.lane_number(lane)?, list], |row| {
            let held = row.get::<_, Option<String>>(1)?.as_deref().and_then(HoldReason::from_word);
            let noted = Noted {
                held,
                touched: row.get(2)?,
                taken_off: row.get(3)?,
                is_undone: row.get(4)?,
                is_in_doubt: row.get(5)?,
                is_on_a_slate: row.get(6)?,
            };
            Ok((row.get(0)?, noted))
        })?;
        Ok(noted.into_iter().collect())
    }

    /// How many entries of a lane are on view at its destination.
    ///
    /// # Errors
    /// Where the store fails.
    pub fn entries_there(&self, lane: &LaneName) -> Result<u64, StoreError> {
        let count = self
            .connection
            .prepare_cached("SELECT count(DISTINCT entry) FROM counterpart WHERE lane = ?1 AND presence = 'present'")?
            .query_row([self.lane_number(lane)?], |row| row.get::<_, i64>(0))?;
        Ok(count.unsigned_abs())
    }

    /// One entry with what a push looks at.
    ///
    /// # Errors
    /// Where the store fails.
    pub fn look_at(&self, lane: &LaneName, address: &Address) -> Result<Option<Due>, StoreError> {
        // Others may change it meanwhile; what is told is of one moment.
        let _snapshot = self.connection.snapshot()?;
        self.as_it_is(lane, address)
    }

    /// The same of an entry by its number, with why it is held.
    ///
    /// # Errors
    /// Where the store fails.
    pub fn look_at_number(&self, lane: &LaneName, entry: i64) -> Result<Option<Due>, StoreError> {
        let _snapshot = self.connection.snapshot()?;
        Ok(self.due_of(lane, &[entry])?.pop())
    }

    fn as_it_is(&self, lane: &LaneName, address: &Address) -> Result<Option<Due>, StoreError> {
        let Some(number) = self.entry(address)?.map(|stored| stored.number) else { return Ok(None) };
        Ok(self.due_of(lane, &[number])?.pop().map(|due| Due { held: None, ..due }))
    }

    /// Where a destination was when it was last pushed to.
    ///
    /// # Errors
    /// Where the store fails.
    pub fn destination_place(&self, system: &SystemName) -> Result<Option<String>, StoreError> {
        let mut query = self.connection.prepare_cached("SELECT place FROM destination WHERE system = ?1")?;
        Ok(query.query_row([system.as_str()], |row| row.get(0)).optional()?)
    }

    /// Notes where a destination is.
    ///
    /// # Errors
    /// Where the store fails.
    pub fn keep_destination_place(&mut self, system: &SystemName, place: &str) -> Result<(), StoreError> {
        self.connection.execute(
            "INSERT INTO destination VALUES (?1, ?2) ON CONFLICT (system) DO UPDATE SET place = ?2",
            params![system.as_str(), place],
        )?;
        Ok(())
    }

    /// Writes where entries stand after they were looked at, in one commit. What was made owed a look again
    /// since it was looked at stays owed.
    ///
    /// # Errors
    /// Where the store fails; nothing is kept then.
    pub fn note(&mut self, lane: &LaneName, verdicts: &[Verdict], now: Timestamp) -> Result<(), StoreError> {
        if verdicts.is_empty() {
            return Ok(());
        }
        self.surely(|store| store.note_once(lane, verdicts, now))
    }

    fn note_once(&mut self, lane: &LaneName, verdicts: &[Verdict], now: Timestamp) -> Result<(), StoreError> {
        let lane = self.lane_number(lane)?;
        let transaction = self.fence.begin(&mut self.connection)?;
        let entries: Vec<i64> = verdicts.iter().map(|verdict| verdict.entry).collect();
        let known = KnownBefore::of(&transaction, lane, &entries)?;
        note_all(&transaction, &known, verdicts, now)?;
        let_go(&transaction, lane, &entries)?;
        Ok(transaction.commit()?)
    }

    /// How an entry stands on a lane.
    ///
    /// # Errors
    /// Where the store fails.
    pub fn standing(&self, lane: &LaneName, entry: i64) -> Result<Option<(Standing, Option<HoldReason>)>, StoreError> {
        let mut query = self.connection.prepare_cached(
            "SELECT standing, reason FROM delivery JOIN lane ON lane.id = delivery.lane WHERE name = ?1 AND entry = ?2",
        )?;
        let row = query.query_row(params![lane.as_str(), entry], |row| {
            Ok((row.get::<_, String>(0)?, row.get::<_, Option<String>>(1)?))
        });
        let Some((standing, reason)) = row.optional()? else { return Ok(None) };
        let standing =
            Standing::from_word(&standing).ok_or_else(|| StoreError::Content(format!("the standing `{standing}`")))?;
        Ok(Some((standing, reason.as_deref().and_then(HoldReason::from_word))))
    }

    /// Where an entry stands on every lane, with why it is held or failed, and since when.
    ///
    /// # Errors
    /// Where the store fails.
    pub fn standings(&self, address: &Address) -> Result<Vec<LaneStanding>, StoreError> {
        let mut query = self.connection.prepare_cached(
            "SELECT lane.name, standing, reason, since FROM entry JOIN delivery INDEXED BY delivery_entry ON delivery.entry = entry.id
             JOIN lane ON lane.id = delivery.lane
             WHERE entry.type = (SELECT id FROM entry_type WHERE system = ?1 AND name = ?2) AND source_id = ?3 ORDER BY lane.name",
        )?;
        let mut rows = query.query(params![address.system.as_str(), address.kind.as_str(), address.id.as_str()])?;
        let mut found = Vec::new();
        while let Some(row) = rows.next()? {
            let (name, word): (String, String) = (row.get(0)?, row.get(1)?);
            let standing =
                Standing::from_word(&word).ok_or_else(|| StoreError::Content(format!("the standing `{word}`")))?;
            let lane = LaneName::new(name).map_err(StoreError::content)?;
            found.push(LaneStanding { lane, standing, reason: row.get(2)?, since: moment(row.get(3)?)? });
        }
        Ok(found)
    }
}

const COLUMNS: [&str; 7] = ["lane", "entry", "standing", "reason", "message", "since", "touched"];

/// Notes where entries stand; what was made owed a look again since it was looked at stays owed.
pub(super) fn note_all(
    transaction: &Transaction<'_>,
    known: &KnownBefore,
    verdicts: &[Verdict],
    now: Timestamp,
) -> Result<(), StoreError> {
    let lane = known.lane();
    for verdict in verdicts {
        note_occurrences(transaction, lane, verdict, now)?;
        if verdict.standing == Standing::Held {
            happen_held(transaction, lane, verdict, now)?;
        }
    }
    let row = |verdict: &Verdict| {
        vec![
            lane.into(),
            verdict.entry.into(),
            text(verdict.standing.word()),
            perhaps(verdict.reason.clone()),
            perhaps(verdict.message.clone()),
            millis(now).into(),
            verdict.touched.into(),
        ]
    };
    // Of an entry that is told of twice the last counts.
    let last: IndexMap<i64, Vec<Value>> = verdicts.iter().map(|verdict| (verdict.entry, row(verdict))).collect();
    let rows: Vec<Vec<Value>> = last.into_values().collect();
    let then = "ON CONFLICT (lane, entry) DO UPDATE SET
        since = CASE WHEN delivery.standing = excluded.standing AND delivery.message IS NOT DISTINCT FROM excluded.message
            THEN delivery.since ELSE excluded.since END,
        standing = excluded.standing, reason = excluded.reason, message = excluded.message
        WHERE delivery.touched = excluded.touched";
    add_rows(transaction, ("delivery", &COLUMNS), &rows, then)?;
    let delivered = verdicts.iter().flat_map(|verdict| verdict.delivered.iter().map(|one| (verdict.entry, one)));
    keep_counterparts(transaction, known, delivered, now)?;
    let entries: Vec<i64> = verdicts.iter().map(|verdict| verdict.entry).collect();
    transaction
        .prepare_cached(
            "DELETE FROM reading WHERE lane = ?1 AND entry IN (SELECT CAST(value AS BIGINT) FROM json_each(?2))",
        )?
        .execute_soon(params![lane, serde_json::to_string(&entries).map_err(StoreError::content)?])?;
    let mut readings: IndexSet<(i64, &str, i64)> = IndexSet::new();
    for verdict in verdicts {
        for read in &verdict.reads {
            let kind = Store::type_number(transaction, &read.system, &read.kind)?;
            readings.insert((kind, read.id.as_str(), verdict.entry));
        }
    }
    let rows: Vec<Vec<Value>> =
        readings.into_iter().map(|(kind, id, entry)| vec![kind.into(), text(id), lane.into(), entry.into()]).collect();
    add_rows(transaction, ("reading", &["type", "source_id", "lane", "entry"]), &rows, "")
}
