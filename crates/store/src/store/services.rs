//! What services gave, and how often they were asked.

use diaporos_core::change::Fingerprint;
use diaporos_core::value::{Value, from_stored, stored_text};
use jiff::Timestamp;

use super::database::{OptionalRow, params};
use super::row::{millis, moment};
use super::{Store, StoreError};

/// The member under which a value is stored.
const VALUE: &str = "value";

impl Store {
    /// What a service gave for what it was sent, and when it was asked.
    ///
    /// # Errors
    /// Where the store fails.
    pub fn service_value(
        &self,
        service: &str,
        content: &Fingerprint,
    ) -> Result<Option<(Value, Timestamp)>, StoreError> {
        let mut query = self
            .connection
            .prepare_cached("SELECT value, asked FROM service_value WHERE service = ?1 AND content = ?2")?;
        let found = query.query_row(params![service, content.as_bytes()], |row| {
            Ok((row.get::<_, String>(0)?, row.get::<_, i64>(1)?))
        });
        let Some((text, asked)) = found.optional()? else { return Ok(None) };
        let wrong = |what: String| StoreError::Content(format!("what `{service}` gave cannot be read: {what}"));
        let json = serde_json::from_str(&text).map_err(|error| wrong(error.to_string()))?;
        match from_stored(json) {
            Ok(Value::Record(mut stored)) => Ok(Some((stored.swap_remove(VALUE).unwrap_or_default(), moment(asked)?))),
            Ok(_) => Err(wrong("it is no record".to_owned())),
            Err(error) => Err(wrong(error.to_string())),
        }
    }

    /// Keeps what a service gave.
    ///
    /// # Errors
    /// Where the store fails.
    pub fn keep_service_value(
        &mut self,
        (service, content): (&str, &Fingerprint),
        value: &Value,
        now: Timestamp,
    ) -> Result<(), StoreError> {
        let stored = std::iter::once((VALUE.to_owned(), value.clone())).collect();
        let transaction = self.fence.begin(&mut self.connection)?;
        transaction.execute(
            "INSERT INTO service_value VALUES (?1, ?2, ?3, ?4)
             ON CONFLICT (service, content) DO UPDATE SET value = excluded.value, asked = excluded.asked",
            params![service, content.as_bytes(), stored_text(&stored), millis(now)],
        )?;
        Ok(transaction.commit()?)
    }

    /// How often a service was asked on a day.
    ///
    /// # Errors
    /// Where the store fails.
    pub fn service_asked(&self, service: &str, day: &str) -> Result<u64, StoreError> {
        let mut query =
            self.connection.prepare_cached("SELECT asked FROM service_day WHERE service = ?1 AND day = ?2")?;
        let asked: Option<i64> = query.query_row(params![service, day], |row| row.get(0)).optional()?;
        Ok(u64::try_from(asked.unwrap_or(0)).unwrap_or(0))
    }

    /// Takes so many questions of those that a service may be asked on a day, before they are asked: one that is lost
    /// may have been paid for. Gives how many were left.
    ///
    /// # Errors
    /// Where the store fails; none are taken then.
    pub fn take_questions(
        &mut self,
        (service, day): (&str, &str),
        wanted: u64,
        most: Option<u64>,
    ) -> Result<u64, StoreError> {
        // Also where it is there already: what it says then stays so till this is over.
        let transaction = self.fence.begin(&mut self.connection)?;
        transaction.execute(
            "INSERT INTO service_day VALUES (?1, ?2, 0) ON CONFLICT (service, day) DO UPDATE SET asked = service_day.asked",
            params![service, day],
        )?;
        let asked: i64 = transaction.query_row(
            "SELECT asked FROM service_day WHERE service = ?1 AND day = ?2",
            params![service, day],
            |row| row.get(0),
        )?;
        let asked = u64::try_from(asked).unwrap_or(0);
        let taken = most.map_or(wanted, |most| wanted.min(most.saturating_sub(asked)));
        transaction.execute(
            "UPDATE service_day SET asked = asked + ?3 WHERE service = ?1 AND day = ?2",
            params![service, day, i64::try_from(taken).unwrap_or(i64::MAX)],
        )?;
        transaction.commit()?;
        Ok(taken)
    }
}
