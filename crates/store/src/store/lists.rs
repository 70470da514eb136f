//! What people said of ordered lists, and what is on view where.

use super::database::params;
use diaporos_core::value::{Address, SystemName};
use jiff::Timestamp;

use super::row::{address_at, millis, moment};
use super::{Store, StoreError};

/// An entry that has a place of its own in a list.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Pin {
    /// The entry.
    pub address: Address,
    /// Its number.
    pub entry: i64,
    /// The place, from 1.
    pub place: u64,
    /// When it ends; never where nothing is said.
    pub until: Option<Timestamp>,
    /// Who said so.
    pub who: String,
    /// When.
    pub since: Timestamp,
}

impl Store {
    /// The entries that have places of their own in a list, by place.
    ///
    /// # Errors
    /// Where the store fails.
    pub fn pins(&self, list: &str) -> Result<Vec<Pin>, StoreError> {
        let mut query = self.connection.prepare_cached(
            "SELECT system, entry_type.name, source_id, entry.id, place, until, who, since FROM list_pin
             JOIN entry ON entry.id = list_pin.entry JOIN entry_type ON entry_type.id = entry.type
             WHERE list = ?1 ORDER BY place, since, entry.id",
        )?;
        let mut rows = query.query([list])?;
        let mut pins = Vec::new();
        while let Some(row) = rows.next()? {
            pins.push(Pin {
                address: address_at(row, 0)?,
                entry: row.get(3)?,
                place: row.get::<_, i64>(4)?.unsigned_abs(),
                until: row.get::<_, Option<i64>>(5)?.map(moment).transpose()?,
                who: row.get(6)?,
                since: moment(row.get(7)?)?,
            });
        }
        Ok(pins)
    }

    /// Keeps these as the entries that have places of their own in a list, and no others, in one commit.
    ///
    /// # Errors
    /// Where the store fails.
    pub fn keep_pins(&mut self, list: &str, pins: &[Pin]) -> Result<(), StoreError> {
        let transaction = self.fence.begin(&mut self.connection)?;
        transaction.execute("DELETE FROM list_pin WHERE list = ?1", [list])?;
        for pin in pins {
            let place = i64::try_from(pin.place).unwrap_or(i64::MAX);
            transaction
                .prepare_cached(
                    "INSERT INTO list_pin (list, entry, place, until, who, since) VALUES (?1, ?2, ?3, ?4, ?5, ?6)",
                )?
                .execute(params![list, pin.entry, place, pin.until.map(millis), pin.who, millis(pin.since)])?;
        }
        Ok(transaction.commit()?)
    }

    /// Whether a document of an entry is on view at a system, by any lane that leads there.
    ///
    /// # Errors
    /// Where the store fails.
    pub fn is_on_view_at(&self, system: &SystemName, entry: i64) -> Result<bool, StoreError> {
        let mut find = self.connection.prepare_cached(
            "SELECT EXISTS (SELECT 1 FROM counterpart JOIN lane ON lane.id = counterpart.lane
                 JOIN entry_type ON entry_type.id = lane.to_type
                 WHERE counterpart.entry = ?1 AND presence = 'present' AND entry_type.system = ?2)",
        )?;
        Ok(find.query_row(params![entry, system.as_str()], |row| row.get(0))?)
    }
}
