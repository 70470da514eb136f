//! What is to be told, as it is sent: at least once, in order for each subject.

use super::database::params;
use jiff::Timestamp;

use super::row::{millis, moment};
use super::{Store, StoreError};

/// Something to be told.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct NewMessage {
    /// The happening.
    pub happening: i64,
    /// What happened.
    pub kind: String,
    /// To what; of one subject, one message is told after the other.
    pub subject: String,
    /// The media type of the body.
    pub media: String,
    /// Headers besides.
    pub headers: Vec<(String, String)>,
    /// The body.
    pub body: String,
}

/// A message that waits, was told, or was given up.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Message {
    /// Its number.
    pub number: i64,
    /// Who is told.
    pub tell: String,
    /// What is told.
    pub message: NewMessage,
    /// When it was made.
    pub made: Timestamp,
    /// How often it was tried.
    pub attempts: u32,
    /// What went wrong the last time.
    pub problem: Option<String>,
    /// Whether it was given up.
    pub given_up: bool,
}

/// What became of an attempt.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Attempt {
    /// It was taken.
    Told,
    /// It failed, and is tried again after a moment.
    Again(String, Timestamp),
    /// It failed, and is not tried again.
    GivenUp(String),
}

const COLUMNS: &str = "SELECT number, tell, happening, kind, subject, media, headers, body, made, attempts, problem, coalesce(outcome = 'given up', false) FROM outbox";

fn message(row: super::database::Row<'_>) -> Result<Message, StoreError> {
    let headers: String = row.get(6)?;
    Ok(Message {
        number: row.get(0)?,
        tell: row.get(1)?,
        message: NewMessage {
            happening: row.get(2)?,
            kind: row.get(3)?,
            subject: row.get(4)?,
            media: row.get(5)?,
            headers: serde_json::from_str(&headers).map_err(StoreError::content)?,
            body: row.get(7)?,
        },
        made: moment(row.get(8)?)?,
        attempts: row.get(9)?,
        problem: row.get(10)?,
        given_up: row.get(11)?,
    })
}

impl Store {
    /// Keeps what is to be told of the happenings up to one, which is decided with that.
    ///
    /// # Errors
    /// Where the store fails; nothing is kept then.
    pub fn put_out(
        &mut self,
        tell: &str,
        decided: i64,
        messages: &[NewMessage],
        now: Timestamp,
    ) -> Result<(), StoreError> {
        let transaction = self.fence.begin(&mut self.connection)?;
        for one in messages {
            let headers = serde_json::to_string(&one.headers).map_err(StoreError::content)?;
            transaction
                .prepare_cached(
                    "INSERT INTO outbox (tell, happening, kind, subject, media, headers, body, made, not_before)
                     VALUES (?1, ?2, ?3, ?4, ?5, ?6, ?7, ?8, ?8)",
                )?
                .execute(params![
                    tell,
                    one.happening,
                    one.kind,
                    one.subject,
                    one.media,
                    headers,
                    one.body,
                    millis(now)
                ])?;
        }
        transaction
            .execute("UPDATE tell SET position = ?2 WHERE name = ?1 AND position < ?2", params![tell, decided])?;
        Ok(transaction.commit()?)
    }

    /// Who has something to be told now, or to be decided about.
    ///
    /// # Errors
    /// Where the store fails.
    pub fn tells_due(&self, now: Timestamp) -> Result<Vec<String>, StoreError> {
        let mut query = self.connection.prepare_cached(
            "SELECT name FROM tell WHERE position < (SELECT max(number) FROM happening)
             UNION SELECT DISTINCT tell FROM outbox WHERE ended IS NULL AND not_before <= ?1",
        )?;
        Ok(query.query_all([millis(now)], |row| row.get(0))?)
    }

    /// The messages that are to be sent now: of each subject the first that waits.
    ///
    /// # Errors
    /// Where the store fails.
    pub fn messages_due(&self, tell: &str, now: Timestamp, most: usize) -> Result<Vec<Message>, StoreError> {
        let mut query = self.connection.prepare_cached(&format!(
            "{COLUMNS} WHERE tell = ?1 AND ended IS NULL AND not_before <= ?2 AND NOT EXISTS (
                 SELECT 1 FROM outbox AS before WHERE before.tell = outbox.tell AND before.subject = outbox.subject
                     AND before.number < outbox.number AND before.ended IS NULL)
             ORDER BY number LIMIT ?3"
        ))?;
        let mut rows = query.query(params![tell, millis(now), i64::try_from(most).unwrap_or(i64::MAX)])?;
        let mut due = Vec::new();
        while let Some(row) = rows.next()? {
            due.push(message(row)?);
        }
        Ok(due)
    }

    /// Notes what became of an attempt.
    ///
    /// # Errors
    /// Where the store fails.
    pub fn attempted(&mut self, number: i64, attempt: &Attempt, now: Timestamp) -> Result<(), StoreError> {
        let (problem, not_before, ended, outcome) = match attempt {
            Attempt::Told => (None, None, Some(now), Some("told")),
            Attempt::Again(problem, at) => (Some(problem), Some(at), None, None),
            Attempt::GivenUp(problem) => (Some(problem), None, Some(now), Some("given up")),
        };
        let transaction = self.fence.begin(&mut self.connection)?;
        transaction
            .prepare_cached(
                "UPDATE outbox SET attempts = attempts + 1, problem = ?2, not_before = coalesce(?3, not_before),
                     ended = ?4, outcome = ?5 WHERE number = ?1",
            )?
            .execute(params![number, problem, not_before.copied().map(millis), ended.map(millis), outcome])?;
        Ok(transaction.commit()?)
    }

    /// Messages that wait or were given up, the oldest first.
    ///
    /// # Errors
    /// Where the store fails.
    pub fn untold(&self) -> Result<Vec<Message>, StoreError> {
        let mut query = self
            .connection
            .prepare_cached(&format!("{COLUMNS} WHERE ended IS NULL OR outcome = 'given up' ORDER BY number"))?;
        let mut rows = query.query(params![])?;
        let mut found = Vec::new();
        while let Some(row) = rows.next()? {
            found.push(message(row)?);
        }
        Ok(found)
    }

    /// Has everything tried again that waits or was given up; of one who is told, or of all. Says how many.
    ///
    /// # Errors
    /// Where the store fails.
    pub fn tell_again(&mut self, tell: Option<&str>, now: Timestamp) -> Result<u64, StoreError> {
        let again = self.connection.execute(
            "UPDATE outbox SET not_before = ?2, made = ?2, ended = NULL, outcome = NULL
             WHERE (ended IS NULL OR outcome = 'given up') AND (CAST(?1 AS TEXT) IS NULL OR tell = ?1)",
            params![tell, millis(now)],
        )?;
        Ok(again as u64)
    }
}
