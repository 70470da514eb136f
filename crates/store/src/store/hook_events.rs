//! What came in from outside: hints that an entry changed, each kept until the entry was looked at.

use super::database::params;
use diaporos_core::value::{EntryId, SystemName, TypeName};
use jiff::Timestamp;

use super::row::{entry_id, millis, moment};
use super::{Store, StoreError};

/// A call from outside, as it is kept before it is answered.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct NewCall {
    /// The hook that it came by.
    pub hook: String,
    /// The id that its sender gave it; one that comes twice is one call.
    pub id: Option<String>,
    /// The system that it tells of.
    pub system: SystemName,
    /// The entries that it names; everything of the system may have changed where there are none.
    pub entries: Vec<(TypeName, EntryId)>,
    /// What happened, in its sender's word.
    pub word: Option<String>,
    /// When it came.
    pub received: Timestamp,
}

/// A hint that waits until its entry was looked at.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct WaitingEvent {
    /// Its number.
    pub number: i64,
    /// The system.
    pub system: SystemName,
    /// The entry; none where everything may have changed.
    pub entry: Option<(TypeName, EntryId)>,
    /// How often it was looked at already.
    pub looks: u32,
    /// When it came.
    pub received: Timestamp,
}

/// What becomes of hints after their entry was looked at.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum AfterLook {
    /// They are done with.
    Done(String),
    /// The entry is looked at once more, not before this moment.
    Again(Timestamp),
}

/// How many hints wait, and since when the oldest does.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub struct Waiting {
    /// How many.
    pub events: u64,
    /// When the oldest came.
    pub oldest: Option<Timestamp>,
}

impl Store {
    /// Keeps calls in one commit; for each, whether it is new.
    ///
    /// # Errors
    /// Where the store fails; nothing is kept then, and none may be answered with success.
    pub fn keep_calls(&mut self, calls: &[NewCall]) -> Result<Vec<bool>, StoreError> {
        let transaction = self.fence.begin(&mut self.connection)?;
        let mut is_new = Vec::with_capacity(calls.len());
        for call in calls {
            let is_known = match &call.id {
                None => false,
                Some(id) => transaction
                    .prepare_cached("SELECT EXISTS (SELECT 1 FROM hook_event WHERE hook = ?1 AND event = ?2)")?
                    .query_row([&call.hook, id], |row| row.get(0))?,
            };
            is_new.push(!is_known);
            if is_known {
                continue;
            }
            let mut keep = transaction.prepare_cached(
                "INSERT INTO hook_event (hook, event, system, type, source_id, word, received, not_before)
                 VALUES (?1, ?2, ?3, ?4, ?5, ?6, ?7, ?7)",
            )?;
            let named = call.entries.iter().map(|(kind, id)| (Some(kind.as_str()), Some(id.as_str())));
            let named: Vec<_> = if call.entries.is_empty() { vec![(None, None)] } else { named.collect() };
            for (kind, id) in named {
                let (system, received) = (call.system.as_str(), millis(call.received));
                keep.execute(params![call.hook, call.id, system, kind, id, call.word, received])?;
            }
        }
        transaction.commit()?;
        Ok(is_new)
    }

    /// When the next hint of a system is to be looked at; none where none waits.
    ///
    /// # Errors
    /// Where the store fails.
    pub fn next_look(&self, system: &SystemName) -> Result<Option<Timestamp>, StoreError> {
        let mut query = self.connection.prepare_cached(
            "SELECT min(not_before) FROM hook_event INDEXED BY hook_event_open WHERE done IS NULL AND system = ?1",
        )?;
        let next: Option<i64> = query.query_row([system.as_str()], |row| row.get(0))?;
        next.map(moment).transpose()
    }

    /// Has done with every hint of systems that are not among these.
    ///
    /// # Errors
    /// Where the store fails.
    pub fn done_with_others(&mut self, systems: &[&SystemName], now: Timestamp) -> Result<(), StoreError> {
        let known = serde_json::to_string(&systems.iter().map(|name| name.as_str()).collect::<Vec<_>>());
        let known = known.map_err(StoreError::content)?;
        self.connection.execute(
            "UPDATE hook_event SET done = ?2, outcome = 'its system is no longer configured'
             WHERE done IS NULL AND system NOT IN (SELECT value FROM json_each(?1))",
            params![known, millis(now)],
        )?;
        Ok(())
    }

    /// The hints of a system that are to be looked at now, the oldest first.
    ///
    /// # Errors
    /// Where the store fails.
    pub fn waiting_events(
        &self,
        system: &SystemName,
        now: Timestamp,
        most: usize,
    ) -> Result<Vec<WaitingEvent>, StoreError> {
        let mut query = self.connection.prepare_cached(
            "SELECT number, type, source_id, looks, received FROM hook_event INDEXED BY hook_event_open
             WHERE done IS NULL AND not_before <= ?2 AND system = ?1 ORDER BY not_before, number LIMIT ?3",
        )?;
        let mut rows = query.query(params![system.as_str(), millis(now), i64::try_from(most).unwrap_or(i64::MAX)])?;
        let mut waiting = Vec::new();
        while let Some(row) = rows.next()? {
            let entry = match (row.get::<_, Option<String>>(1)?, row.get::<_, Option<String>>(2)?) {
                (Some(kind), Some(id)) => Some((TypeName::new(kind).map_err(StoreError::content)?, entry_id(id)?)),
                _ => None,
            };
            waiting.push(WaitingEvent {
                number: row.get(0)?,
                system: system.clone(),
                entry,
                looks: row.get(3)?,
                received: moment(row.get(4)?)?,
            });
        }
        Ok(waiting)
    }

    /// Notes what becomes of hints.
    ///
    /// # Errors
    /// Where the store fails.
    pub fn looked(&mut self, looked: &[(Vec<i64>, AfterLook)], now: Timestamp) -> Result<(), StoreError> {
        let transaction = self.fence.begin(&mut self.connection)?;
        for (numbers, after) in looked {
            for number in numbers {
                match after {
                    AfterLook::Done(outcome) => transaction
                        .prepare_cached("UPDATE hook_event SET done = ?2, outcome = ?3 WHERE number = ?1")?
                        .execute(params![number, millis(now), outcome])?,
                    AfterLook::Again(at) => transaction
                        .prepare_cached("UPDATE hook_event SET looks = looks + 1, not_before = ?2 WHERE number = ?1")?
                        .execute(params![number, millis(*at)])?,
                };
            }
        }
        Ok(transaction.commit()?)
    }

    /// How many hints wait, of all systems.
    ///
    /// # Errors
    /// Where the store fails.
    pub fn waiting(&self) -> Result<Waiting, StoreError> {
        let mut query =
            self.connection.prepare_cached("SELECT count(*), min(received) FROM hook_event WHERE done IS NULL")?;
        let (events, oldest): (i64, Option<i64>) = query.query_row(params![], |row| Ok((row.get(0)?, row.get(1)?)))?;
        Ok(Waiting { events: events.unsigned_abs(), oldest: oldest.map(moment).transpose()? })
    }

    /// Forgets hints that were done with before a moment; says how many, at most a thousand.
    ///
    /// # Errors
    /// Where the store fails.
    pub fn forget_events(&mut self, before: Timestamp) -> Result<usize, StoreError> {
        let mut forget = self.connection.prepare_cached(
            "DELETE FROM hook_event WHERE number IN (SELECT number FROM hook_event WHERE done < ?1 LIMIT 1000)",
        )?;
        Ok(forget.execute([millis(before)])?)
    }
}
