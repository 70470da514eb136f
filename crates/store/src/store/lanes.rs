//! Lanes as the store knows them, and how many entries stand where.

use std::collections::BTreeMap;

use super::database::{OptionalRow, Row, Transaction, params};
use diaporos_core::change::Fingerprint;
use diaporos_core::lane::TypeRef;
use diaporos_core::value::{Address, LaneName};
use jiff::Timestamp;

use super::row::{address_at, millis, moment};
use super::{Standing, Store, StoreError};

/// A lane of the configuration.
#[derive(Debug, Clone, Copy)]
pub struct LaneRecord<'a> {
    /// Its name.
    pub name: &'a LaneName,
    /// Where entries come from.
    pub from: &'a TypeRef,
    /// Where they go.
    pub to: &'a TypeRef,
    /// The destination field by which documents are recognised.
    pub key: Option<&'a str>,
    /// Changes with every change of what it delivers.
    pub definition: Fingerprint,
}

/// How many entries of a lane stand where.
pub type Counts = BTreeMap<Standing, u64>;

/// An entry that is held or failed.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct HeldRow {
    /// The lane.
    pub lane: String,
    /// The entry.
    pub address: Address,
    /// Held or failed.
    pub standing: Standing,
    /// The kind of reason.
    pub reason: String,
    /// What exactly.
    pub message: String,
    /// Since when.
    pub since: Timestamp,
}

/// Gives a lane other ends. Once it has counterparts that is refused: their identifiers mean other
/// documents at another destination, and would be written over.
fn turn(
    transaction: &Transaction<'_>,
    lane: &LaneRecord<'_>,
    id: i64,
    (from, to): (i64, i64),
) -> Result<(), StoreError> {
    let bound: bool = transaction.query_row(
        "SELECT EXISTS (SELECT 1 FROM counterpart WHERE lane = ?1) OR EXISTS (SELECT 1 FROM open_intent WHERE lane = ?1)",
        [id],
        |row| row.get(0),
    )?;
    if bound {
        let name = |number: i64| {
            transaction.query_row("SELECT system || '/' || name FROM entry_type WHERE id = ?1", [number], |row| {
                row.get::<_, String>(0)
            })
        };
        return Err(StoreError::Lane {
            lane: lane.name.to_string(),
            was: format!("{} to {}", name(from)?, name(to)?),
            now: format!("{} to {}", lane.from, lane.to),
        });
    }
    transaction.execute("DELETE FROM delivery WHERE lane = ?1", [id])?;
    transaction.execute("DELETE FROM reading WHERE lane = ?1", [id])?;
    transaction.execute("DELETE FROM taken_off WHERE lane = ?1", [id])?;
    transaction.execute("DELETE FROM undone WHERE lane = ?1", [id])?;
    Ok(())
}

impl Store {
    /// Makes the store know the configuration's lanes. Every entry of a lane that is new, or that
    /// now delivers otherwise, is owed a look.
    ///
    /// # Errors
    /// Where the store fails, or a lane that has delivered is to have other ends.
    pub fn register_lanes(&mut self, lanes: &[LaneRecord<'_>], now: Timestamp) -> Result<(), StoreError> {
        let transaction = self.fence.begin(&mut self.connection)?;
        for lane in lanes {
            let from = Self::type_number(&transaction, &lane.from.system, &lane.from.kind)?;
            let to = Self::type_number(&transaction, &lane.to.system, &lane.to.kind)?;
            let known = transaction
                .query_row(
                    "SELECT definition, id, from_type, to_type FROM lane WHERE name = ?1",
                    [lane.name.as_str()],
                    |row| Ok((row.get::<_, Vec<u8>>(0)?, row.get(1)?, (row.get(2)?, row.get(3)?))),
                )
                .optional()?;
            if let Some((definition, id, ends)) = known {
                if definition == lane.definition.as_bytes() {
                    continue;
                }
                if ends != (from, to) {
                    turn(&transaction, lane, id, ends)?;
                }
            }
            let id: i64 = transaction.query_row(
                "INSERT INTO lane (name, from_type, to_type, definition, key_field) VALUES (?1, ?2, ?3, ?4, ?5)
                 ON CONFLICT (name) DO UPDATE SET from_type = ?2, to_type = ?3, definition = ?4, key_field = ?5
                 RETURNING id",
                params![lane.name.as_str(), from, to, lane.definition.as_bytes(), lane.key],
                |row| row.get(0),
            )?;
            if let Some(field) = lane.key {
                transaction.execute(
                    "UPDATE counterpart SET key = (SELECT value FROM json_each(fields) WHERE json_each.key = ?2)
                     WHERE lane = ?1 AND key IS DISTINCT FROM (SELECT value FROM json_each(fields) WHERE json_each.key = ?2)",
                    params![id, field],
                )?;
            }
            transaction.execute(
                "INSERT INTO delivery (lane, entry, standing, since) SELECT CAST(?1 AS BIGINT), id, 'owed', CAST(?3 AS BIGINT) FROM entry WHERE type = ?2
                 ON CONFLICT (lane, entry) DO UPDATE SET standing = 'owed', reason = NULL, message = NULL, since = excluded.since,
                     touched = delivery.touched + 1",
                params![id, from, millis(now)],
            )?;
        }
        Ok(transaction.commit()?)
    }

    /// How many requests of a lane were sent of which nobody knows what became.
    ///
    /// # Errors
    /// Where the store fails.
    pub fn count_in_doubt(&self, lane: &LaneName) -> Result<u64, StoreError> {
        let mut count = self.connection.prepare_cached(
            "SELECT count(*) FROM open_intent JOIN lane ON lane.id = open_intent.lane WHERE name = ?1",
        )?;
        Ok(count.query_row([lane.as_str()], |row| row.get::<_, i64>(0))?.unsigned_abs())
    }

    pub(super) fn lane_number(&self, name: &LaneName) -> Result<i64, StoreError> {
        let mut find = self.connection.prepare_cached("SELECT id FROM lane WHERE name = ?1")?;
        let found = find.query_row([name.as_str()], |row| row.get(0)).optional()?;
        found.ok_or_else(|| StoreError::Content(format!("nothing of the lane `{name}`")))
    }

    /// How many entries of a lane stand where; none where the store does not know the lane as it
    /// is now configured.
    ///
    /// # Errors
    /// Where the store fails.
    pub fn counts(&self, lane: LaneRecord<'_>) -> Result<Option<Counts>, StoreError> {
        let find =
            self.connection.query_row("SELECT id, definition FROM lane WHERE name = ?1", [lane.name.as_str()], |row| {
                Ok((row.get::<_, i64>(0)?, row.get::<_, Vec<u8>>(1)?))
            });
        let Some((id, definition)) = find.optional()? else { return Ok(None) };
        if definition != lane.definition.as_bytes() {
            return Ok(None);
        }
        let mut query =
            self.connection.prepare_cached("SELECT standing, entries FROM delivery_count WHERE lane = ?1")?;
        let mut rows = query.query([id])?;
        let mut counts = Counts::new();
        while let Some(row) = rows.next()? {
            let word: String = row.get(0)?;
            if let Some(standing) = Standing::from_word(&word) {
                counts.insert(standing, row.get::<_, i64>(1)?.unsigned_abs());
            }
        }
        Ok(Some(counts))
    }

    /// The first entries that are held or failed, at most so many.
    ///
    /// # Errors
    /// Where the store fails.
    pub fn held_first(&self, most: usize) -> Result<Vec<HeldRow>, StoreError> {
        let mut query = self.connection.prepare_cached(&format!("{HELD} LIMIT ?1"))?;
        let mut rows = query.query([i64::try_from(most).unwrap_or(i64::MAX)])?;
        let mut held = Vec::new();
        while let Some(row) = rows.next()? {
            held.push(held_row(row)?);
        }
        Ok(held)
    }

    /// Hands over every entry that is held or failed, by lane and address.
    ///
    /// # Errors
    /// Where the store or the receiver fails.
    pub fn held<E: From<StoreError>>(&self, mut each: impl FnMut(HeldRow) -> Result<(), E>) -> Result<(), E> {
        let ordered = format!("{HELD} ORDER BY lane.name, delivery.entry");
        let mut query = self.connection.prepare_cached(&ordered).map_err(StoreError::from)?;
        let mut rows = query.query(params![]).map_err(StoreError::from)?;
        while let Some(row) = rows.next().map_err(StoreError::from)? {
            each(held_row(row)?)?;
        }
        Ok(())
    }
}

/// Entries that are held or failed.
const HELD: &str = "SELECT lane.name, entry_type.system, entry_type.name, source_id, standing, reason, message, since
     FROM delivery INDEXED BY delivery_held CROSS JOIN lane ON lane.id = delivery.lane CROSS JOIN entry ON entry.id = delivery.entry
     CROSS JOIN entry_type ON entry_type.id = entry.type WHERE standing IN ('held', 'failed')";

fn held_row(row: Row<'_>) -> Result<HeldRow, StoreError> {
    let standing: String = row.get(4)?;
    Ok(HeldRow {
        lane: row.get(0)?,
        address: address_at(row, 1)?,
        standing: if standing == "held" { Standing::Held } else { Standing::Failed },
        reason: row.get::<_, Option<String>>(5)?.unwrap_or_default(),
        message: row.get::<_, Option<String>>(6)?.unwrap_or_default(),
        since: moment(row.get(7)?)?,
    })
}
