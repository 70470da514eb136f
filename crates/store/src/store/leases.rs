//! Leases: the right of one process to pull a system or push a lane, with an owner and an end.

use std::ops::Deref;
use std::sync::{Mutex, MutexGuard, PoisonError};

use jiff::Timestamp;

use super::database::{Connection, OptionalRow, Transaction, params};
use super::lease::{LeaseRow, Leased};
use super::process::lives;
use super::row::{millis, moment};
use super::{DatabaseError, Process, Store, StoreError, StorePlace};

/// Who takes leases, and for what.
#[derive(Debug, Clone, Copy)]
pub struct Holder<'a> {
    /// The process.
    pub process: &'a Process,
    /// Who runs it.
    pub who: &'a str,
    /// What it does, as it is told to those who wait.
    pub doing: &'a str,
}

/// The leases of an open store. Every commit is held against them, so that a process which was taken for
/// dead, and only slept, writes nothing over what another did meanwhile.
#[derive(Debug, Default)]
pub(super) struct Fence(Vec<(String, String)>);

impl Fence {
    /// The lanes that are leased.
    pub(super) fn lanes(&self) -> Vec<String> {
        self.0.iter().filter_map(|(what, _)| what.strip_prefix("lane ")).map(str::to_owned).collect()
    }

    /// The process that holds a lease of that kind.
    pub(super) fn process_with(&self, is_it: impl Fn(&str) -> bool) -> Option<String> {
        self.0.iter().find(|(what, _)| is_it(what)).map(|(_, process)| process.clone())
    }

    /// Begins a change.
    pub(super) fn begin<'c>(&self, connection: &'c mut Connection) -> Result<Change<'c>, StoreError> {
        // The database has whoever finds it busy sleep for ever longer; here the next begins at once.
        let turn = TURN.lock().unwrap_or_else(PoisonError::into_inner);
        // What is read before it is written must not change in between.
        let transaction = connection.begin()?;
        for (what, process) in &self.0 {
            let is_ours: bool = transaction
                .prepare_cached("SELECT EXISTS (SELECT 1 FROM lease WHERE what = ?1 AND process = ?2)")?
                .query_row([what, process], |row| row.get(0))?;
            if !is_ours {
                return Err(StoreError::LeaseLost { what: what.clone() });
            }
        }
        Ok(Change { transaction, _turn: turn })
    }
}

/// Whose turn it is to change a store in this process.
static TURN: Mutex<()> = Mutex::new(());

/// A change of the store on its way, while no other begins in this process.
pub(super) struct Change<'c> {
    transaction: Transaction<'c>,
    _turn: MutexGuard<'static, ()>,
}

impl Change<'_> {
    /// Puts it on the disk.
    pub(super) fn commit(self) -> Result<(), DatabaseError> {
        self.transaction.commit()
    }
}

impl<'c> Deref for Change<'c> {
    type Target = Transaction<'c>;

    fn deref(&self) -> &Transaction<'c> {
        &self.transaction
    }
}

/// The time by which leases end, in milliseconds: a server's own, since the clocks of machines differ.
pub(super) fn lease_time(connection: &Connection, now: Timestamp) -> Result<i64, StoreError> {
    match connection {
        Connection::File(_) => Ok(millis(now)),
        Connection::Server(_) => {
            let time = "SELECT CAST(extract(epoch FROM clock_timestamp()) * 1000 AS BIGINT)";
            Ok(connection.query_row(time, params![], |row| row.get(0))?)
        }
    }
}

/// Who has a lease that did not end, in a process that lives.
fn holder_of(
    connection: &Connection,
    place: &StorePlace,
    what: &str,
    now: i64,
) -> Result<Option<LeaseRow>, StoreError> {
    let found = connection
        .prepare_cached("SELECT process, who, doing, since FROM lease WHERE what = ?1 AND ends > ?2")?
        .query_row(params![what, now], |row| {
            Ok((row.get::<_, String>(0)?, row.get(1)?, row.get(2)?, row.get::<_, i64>(3)?))
        })
        .optional()?;
    let Some((process, who, doing, since)) = found else { return Ok(None) };
    if !lives(place, &process) {
        return Ok(None);
    }
    Ok(Some(LeaseRow { what: what.to_owned(), who, doing, since: moment(since)? }))
}

impl Store {
    /// Takes leases until a moment, all or none. From then on this store changes nothing once one is lost.
    ///
    /// # Errors
    /// Where another process has one of them, or the store fails.
    pub fn take_leases(
        &mut self,
        wanted: &[Leased],
        holder: Holder<'_>,
        (now, until): (Timestamp, Timestamp),
    ) -> Result<(), StoreError> {
        self.surely(|store| store.take_leases_once(wanted, holder, (now, until)))
    }

    fn take_leases_once(
        &mut self,
        wanted: &[Leased],
        holder: Holder<'_>,
        (now, until): (Timestamp, Timestamp),
    ) -> Result<(), StoreError> {
        let transaction = self.fence.begin(&mut self.connection)?;
        let lasts = millis(until) - millis(now);
        let time = lease_time(&transaction, now)?;
        let mut taken = Vec::new();
        for what in wanted {
            let what = what.to_string();
            if let Some(other) = holder_of(&transaction, &self.place, &what, time)? {
                return Err(StoreError::Leased(Box::new(other)));
            }
            let process = holder.process.name();
            transaction
                .prepare_cached(
                    "INSERT INTO lease VALUES (?1, ?2, ?3, ?4, ?5, ?6) ON CONFLICT (what) DO UPDATE SET
                         process = ?2, who = ?3, doing = ?4, since = ?5, ends = ?6",
                )?
                .execute(params![what, process, holder.who, holder.doing, time, time + lasts])?;
            taken.push((what, process.to_owned()));
        }
        transaction.commit()?;
        self.fence.0.extend(taken);
        Ok(())
    }

    /// Moves the end of every lease of a process.
    ///
    /// # Errors
    /// Where the store fails.
    pub fn renew_leases(&self, process: &Process, (now, until): (Timestamp, Timestamp)) -> Result<(), StoreError> {
        let ends = lease_time(&self.connection, now)? + millis(until) - millis(now);
        let mut renew = self.connection.prepare_cached("UPDATE lease SET ends = ?2 WHERE process = ?1")?;
        renew.execute(params![process.name(), ends])?;
        Ok(())
    }

    /// Gives up every lease of this store.
    ///
    /// # Errors
    /// Where the store fails; the leases end by themselves then.
    pub fn give_up_leases(&mut self) -> Result<(), StoreError> {
        for (what, process) in std::mem::take(&mut self.fence.0) {
            // Nobody helps with a lane that nobody leads.
            if let Some(lane) = what.strip_prefix("lane ") {
                self.connection
                    .prepare_cached("DELETE FROM lease WHERE what = ?1 AND process = ?2")?
                    .execute([&format!("open {lane}"), &process])?;
            }
            self.connection
                .prepare_cached("DELETE FROM lease WHERE what = ?1 AND process = ?2")?
                .execute([what, process])?;
        }
        Ok(())
    }

    /// What processes that live do now, by what they do it to.
    ///
    /// # Errors
    /// Where the store fails.
    pub fn leases(&self, now: Timestamp) -> Result<Vec<LeaseRow>, StoreError> {
        let mut query = self.connection.prepare_cached("SELECT what FROM lease WHERE ends > ?1 ORDER BY what")?;
        let time = lease_time(&self.connection, now)?;
        let names: Vec<String> = query.query_all([time], |row| row.get(0))?;
        names.iter().filter_map(|what| holder_of(&self.connection, &self.place, what, time).transpose()).collect()
    }
}
