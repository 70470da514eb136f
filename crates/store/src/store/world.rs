//! Other entries, as expressions look them up.

use diaporos_core::expr::{Referenced, World, WorldError};
use diaporos_core::value::{Address, LaneName, Localised, State, Value};

use super::{Store, StoreError};

impl World for Store {
    fn follow(&self, address: &Address) -> Result<Option<Referenced>, WorldError> {
        let entry = self.entry(address).map_err(|error| WorldError(error.to_string()))?;
        let there = entry.map(|entry| entry.row).filter(|row| row.state != State::Gone);
        Ok(there.map(|row| Referenced { state: row.state, fields: row.fields }))
    }

    /// Without a destination of its own a store knows what a named lane made of an entry.
    fn counterpart(&self, address: &Address, lane: Option<&LaneName>) -> Result<Value, WorldError> {
        let called = lane.map(|lane| self.called(address, |row| row == lane.as_str())).transpose();
        called.map(Option::unwrap_or_default).map_err(|error| WorldError(error.to_string()))
    }
}

impl Store {
    /// What an entry is called by those lanes: one identifier, or one per language; null where it is
    /// not there, or is taken off view.
    ///
    /// # Errors
    /// Where the store fails.
    pub fn called(&self, address: &Address, by: impl Fn(&str) -> bool) -> Result<Value, StoreError> {
        let Some(entry) = self.entry(address)? else { return Ok(Value::Null) };
        let rows = self.counterparts(entry.number)?;
        let rows = rows.iter().filter(|row| by(&row.lane) && row.counterpart.presence.is_there());
        let mut by_language = Localised::new();
        for row in rows {
            let id = Value::Text(row.counterpart.id.to_string());
            match &row.language {
                None => return Ok(id),
                Some(language) => drop(by_language.entry(language.clone()).or_insert(id)),
            }
        }
        Ok(if by_language.is_empty() { Value::Null } else { Value::Localised(by_language) })
    }
}
