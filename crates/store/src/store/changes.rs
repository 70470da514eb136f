//! What changed at the sources: the versions of entries, the newest first.

use super::database::params;
use diaporos_core::value::{Address, Record, State};
use jiff::Timestamp;

use super::row::{address_at, millis, moment, state};
use super::{Store, StoreError};

/// Which changes are wanted.
#[derive(Debug, Clone, Default)]
pub struct ChangeFilter {
    /// Of this entry.
    pub address: Option<Address>,
    /// Of this system.
    pub system: Option<String>,
    /// Of this type of it.
    pub kind: Option<String>,
    /// Since then.
    pub since: Option<Timestamp>,
}

/// A version of an entry beside the one before.
#[derive(Debug, Clone, PartialEq)]
pub struct ChangeRow {
    /// The entry.
    pub address: Address,
    /// The version's number.
    pub number: u64,
    /// When it was taken in.
    pub at: Timestamp,
    /// Its state.
    pub state: State,
    /// Its fields.
    pub fields: Record,
    /// The state and fields of the version before; none of the first.
    pub before: Option<(State, Record)>,
}

impl Store {
    /// Hands over changes, the newest first, until the receiver has enough.
    ///
    /// # Errors
    /// Where the store or the receiver fails.
    pub fn changes<E: From<StoreError>>(
        &self,
        filter: &ChangeFilter,
        mut each: impl FnMut(ChangeRow) -> Result<std::ops::ControlFlow<()>, E>,
    ) -> Result<(), E> {
        // Of one entry its few versions are gone through, of all the newest by their time.
        let order = if filter.address.is_some() { "number DESC" } else { "at DESC, version.entry, number DESC" };
        let lead = if filter.address.is_some() {
            "entry JOIN entry_type ON entry_type.id = entry.type JOIN version ON version.entry = entry.id"
        } else {
            "version INDEXED BY version_at CROSS JOIN entry ON entry.id = version.entry CROSS JOIN entry_type ON entry_type.id = entry.type"
        };
        let sql = format!(
            "SELECT system, name, source_id, number, at, version.state, content, packing, version.entry FROM {lead}
             WHERE at >= ?1 AND (CAST(?2 AS TEXT) IS NULL OR system = ?2) AND (CAST(?3 AS TEXT) IS NULL OR name = ?3) AND (CAST(?4 AS TEXT) IS NULL OR source_id = ?4)
             ORDER BY {order}"
        );
        let (system, kind, id) = match &filter.address {
            Some(address) => {
                (Some(address.system.to_string()), Some(address.kind.to_string()), Some(address.id.as_str().to_owned()))
            }
            None => (filter.system.clone(), filter.kind.clone(), None),
        };
        let since = filter.since.map_or(i64::MIN, millis);
        let mut query = self.connection.prepare_cached(&sql).map_err(StoreError::from)?;
        let mut rows = query.query(params![since, system, kind, id]).map_err(StoreError::from)?;
        while let Some(row) = rows.next().map_err(StoreError::from)? {
            if each(self.change_row(row)?)?.is_break() {
                break;
            }
        }
        Ok(())
    }

    fn change_row(&self, row: super::database::Row<'_>) -> Result<ChangeRow, StoreError> {
        let number: i64 = row.get(3)?;
        let entry: i64 = row.get(8)?;
        let before = match number {
            ..=1 => None,
            number => {
                let state_before = self
                    .connection
                    .prepare_cached("SELECT state FROM version WHERE entry = ?1 AND number = ?2")?
                    .query_row(params![entry, number - 1], |row| row.get::<_, String>(0))?;
                let content = self.version(entry, number.unsigned_abs() - 1)?;
                content.map(|content| Ok::<_, StoreError>((state(&state_before)?, content.fields))).transpose()?
            }
        };
        Ok(ChangeRow {
            address: address_at(row, 0)?,
            number: number.unsigned_abs(),
            at: moment(row.get(4)?)?,
            state: state(&row.get::<_, String>(5)?)?,
            fields: self.content(row, 6)?.fields,
            before,
        })
    }
}
