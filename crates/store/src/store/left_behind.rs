//! What lanes delivered that are no longer configured, and destinations that became others.

use super::database::{OptionalRow, Transaction, params};
use diaporos_core::lane::TypeRef;
use diaporos_core::value::{LaneName, SystemName, TypeName};
use jiff::Timestamp;

use super::row::millis;
use super::{Store, StoreError};

/// A lane that is no longer configured, and has documents at its destination.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct LeftLane {
    /// Its name.
    pub name: LaneName,
    /// Where its entries came from.
    pub from: TypeRef,
    /// Where they went.
    pub to: TypeRef,
    /// Documents on view there that no configured lane has.
    pub documents: u64,
}

fn end(system: String, kind: String) -> Result<TypeRef, StoreError> {
    Ok(TypeRef {
        system: SystemName::new(system).map_err(StoreError::content)?,
        kind: TypeName::new(kind).map_err(StoreError::content)?,
    })
}

impl Store {
    /// The lanes that are not among the configured ones and left documents behind.
    ///
    /// # Errors
    /// Where the store fails.
    pub fn left_behind(&self, configured: &[&LaneName]) -> Result<Vec<LeftLane>, StoreError> {
        let names: Vec<&str> = configured.iter().map(|name| name.as_str()).collect();
        // Most hubs have no other lanes, and count nothing.
        let mut query = self.connection.prepare_cached(
            "SELECT lane.name, source.system, source.name, target.system, target.name,
                 (SELECT count(*) FROM counterpart WHERE counterpart.lane = lane.id AND presence = 'present'
                      AND NOT EXISTS (SELECT 1 FROM counterpart AS other JOIN lane AS others ON others.id = other.lane
                          WHERE other.id = counterpart.id AND others.to_type = lane.to_type
                              AND others.name IN (SELECT value FROM json_each(?1))))
             FROM lane JOIN entry_type AS source ON source.id = lane.from_type
             JOIN entry_type AS target ON target.id = lane.to_type
             WHERE lane.name NOT IN (SELECT value FROM json_each(?1)) ORDER BY lane.name",
        )?;
        let mut rows = query.query([serde_json::to_string(&names).unwrap_or_default()])?;
        let mut found = Vec::new();
        while let Some(row) = rows.next()? {
            let documents = row.get::<_, i64>(5)?.unsigned_abs();
            if documents > 0 {
                let name = LaneName::new(row.get::<_, String>(0)?).map_err(StoreError::content)?;
                let (from, to) = (end(row.get(1)?, row.get(2)?)?, end(row.get(3)?, row.get(4)?)?);
                found.push(LeftLane { name, from, to, documents });
            }
        }
        Ok(found)
    }

    /// Hands what a lane delivered, and what a person said of its entries, to another with the same
    /// ends. What the other has of an entry itself stays. Gives how many documents were handed over;
    /// none where one of the lanes is unknown or their ends differ.
    ///
    /// # Errors
    /// Where the store fails; nothing is changed then.
    pub fn hand_over(&mut self, from: &LaneName, to: &LaneName, now: Timestamp) -> Result<Option<u64>, StoreError> {
        let transaction = self.fence.begin(&mut self.connection)?;
        let (Some(old), Some(new)) = (lane_at(&transaction, from)?, lane_at(&transaction, to)?) else {
            return Ok(None);
        };
        if (old.1, old.2) != (new.1, new.2) || old.0 == new.0 {
            return Ok(None);
        }
        let lanes = params![old.0, new.0];
        let moved = transaction.execute(&turned("counterpart", "entry, language"), lanes)?;
        transaction.execute("DELETE FROM counterpart WHERE lane = ?1", [old.0])?;
        transaction.execute(&turned("taken_off", "entry"), lanes)?;
        transaction.execute(&turned("undone", "entry"), lanes)?;
        transaction.execute("UPDATE open_intent SET lane = ?2 WHERE lane = ?1", lanes)?;
        transaction.execute("UPDATE intent SET lane = ?2 WHERE lane = ?1", lanes)?;
        forget(&transaction, old.0)?;
        transaction.execute(
            "UPDATE delivery SET standing = 'owed', reason = NULL, message = NULL, since = ?2, touched = touched + 1 WHERE lane = ?1",
            params![new.0, millis(now)],
        )?;
        transaction.commit()?;
        Ok(Some(moved as u64))
    }

    /// Gives a lane another name; false where it is unknown, or another has that name already.
    ///
    /// # Errors
    /// Where the store fails.
    pub fn rename_lane(&mut self, from: &LaneName, to: &LaneName) -> Result<bool, StoreError> {
        let transaction = self.fence.begin(&mut self.connection)?;
        if lane_at(&transaction, from)?.is_none() || lane_at(&transaction, to)?.is_some() {
            return Ok(false);
        }
        transaction.execute("UPDATE lane SET name = ?2 WHERE name = ?1", params![from.as_str(), to.as_str()])?;
        transaction.commit()?;
        Ok(true)
    }

    /// Forgets what a lane delivered: its documents stay as they are. Gives how many there were; none
    /// where the lane is unknown.
    ///
    /// # Errors
    /// Where the store fails; nothing is changed then.
    pub fn forget_lane(&mut self, lane: &LaneName) -> Result<Option<u64>, StoreError> {
        let transaction = self.fence.begin(&mut self.connection)?;
        let Some((id, ..)) = lane_at(&transaction, lane)? else { return Ok(None) };
        let documents = transaction.execute("DELETE FROM counterpart WHERE lane = ?1", [id])?;
        forget(&transaction, id)?;
        transaction.commit()?;
        Ok(Some(documents as u64))
    }

    /// Forgets all that was delivered to a system, which is another now: everything is owed to it. Gives
    /// how many documents were forgotten.
    ///
    /// # Errors
    /// Where the store fails; nothing is changed then.
    pub fn forget_destination(&mut self, system: &SystemName, place: &str, now: Timestamp) -> Result<u64, StoreError> {
        let transaction = self.fence.begin(&mut self.connection)?;
        let lanes =
            "lane IN (SELECT lane.id FROM lane JOIN entry_type ON entry_type.id = lane.to_type WHERE system = ?1)";
        let name = system.as_str();
        let documents = transaction.execute(&format!("DELETE FROM counterpart WHERE {lanes}"), [name])?;
        transaction.execute(&format!("DELETE FROM open_intent WHERE {lanes}"), [name])?;
        transaction.execute("DELETE FROM asset WHERE system = ?1", [name])?;
        transaction.execute(
            &format!("UPDATE delivery SET standing = 'owed', reason = NULL, message = NULL, since = ?2, touched = touched + 1 WHERE {lanes}"),
            params![name, millis(now)],
        )?;
        transaction.execute(
            "INSERT INTO destination VALUES (?1, ?2) ON CONFLICT (system) DO UPDATE SET place = ?2",
            params![name, place],
        )?;
        transaction.commit()?;
        Ok(documents as u64)
    }
}

/// A lane's number and ends.
fn lane_at(transaction: &Transaction<'_>, lane: &LaneName) -> Result<Option<(i64, i64, i64)>, StoreError> {
    let row =
        transaction.query_row("SELECT id, from_type, to_type FROM lane WHERE name = ?1", [lane.as_str()], |row| {
            Ok((row.get(0)?, row.get(1)?, row.get(2)?))
        });
    Ok(row.optional()?)
}

/// Forgets where entries stood on a lane; the ledger keeps its name.
fn forget(transaction: &Transaction<'_>, lane: i64) -> Result<(), StoreError> {
    for table in ["delivery", "reading", "taken_off", "open_intent"] {
        transaction.execute(&format!("DELETE FROM {table} WHERE lane = ?1"), [lane])?;
    }
    Ok(())
}

/// Rows of a lane become those of another, but for what the other has of the same keys.
fn turned(table: &str, keys: &str) -> String {
    format!(
        "UPDATE {table} SET lane = ?2 WHERE lane = ?1 AND ({keys}) NOT IN (SELECT {keys} FROM {table} AS there WHERE there.lane = ?2)"
    )
}
