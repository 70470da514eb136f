//! Slates: entries that are launched or withdrawn together.

use super::database::{OptionalRow, Row, params};
use diaporos_core::value::{Address, LaneName};
use jiff::Timestamp;

use super::row::{address_at, millis, moment};
use super::{Store, StoreError};

/// What becomes of the entries of a slate.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum SlateAction {
    /// They go on view.
    Launch,
    /// They are taken off view.
    Withdraw,
}

impl SlateAction {
    const WORDS: [(&'static str, SlateAction); 2] =
        [("launch", SlateAction::Launch), ("withdraw", SlateAction::Withdraw)];

    /// Its word.
    #[must_use]
    pub fn word(self) -> &'static str {
        Self::WORDS.iter().find(|(_, action)| *action == self).map_or("", |(word, _)| word)
    }
}

/// Where a slate stands.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum SlateStanding {
    /// It is put together.
    Open,
    /// Its launch began: its entries are being saved unseen.
    Saving,
    /// All of it is saved, and is being put on view.
    Showing,
    /// It was launched.
    Launched,
    /// Nothing comes of it any more.
    Cancelled,
}

impl SlateStanding {
    const WORDS: [(&'static str, SlateStanding); 5] = [
        ("open", SlateStanding::Open),
        ("saving", SlateStanding::Saving),
        ("showing", SlateStanding::Showing),
        ("launched", SlateStanding::Launched),
        ("cancelled", SlateStanding::Cancelled),
    ];

    /// Whether its launch is still to come, or under way.
    #[must_use]
    pub fn is_pending(self) -> bool {
        self == SlateStanding::Open || self.is_under_way()
    }

    /// Whether its launch began and did not end.
    #[must_use]
    pub fn is_under_way(self) -> bool {
        matches!(self, SlateStanding::Saving | SlateStanding::Showing)
    }

    /// Its word.
    #[must_use]
    pub fn word(self) -> &'static str {
        Self::WORDS.iter().find(|(_, standing)| *standing == self).map_or("", |(word, _)| word)
    }
}

/// A slate.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Slate {
    /// Its name.
    pub name: String,
    /// What becomes of its entries.
    pub does: SlateAction,
    /// The lanes that it is for; all that take its entries where none is named.
    pub lanes: Vec<LaneName>,
    /// Whether ordinary pushes leave its entries alone till it is launched.
    pub keeps_back: bool,
    /// Where it stands.
    pub standing: SlateStanding,
    /// When it was made.
    pub made: Timestamp,
    /// Who made it.
    pub who: String,
    /// When it is launched by itself.
    pub launch_at: Option<Timestamp>,
    /// When it was launched.
    pub launched: Option<Timestamp>,
    /// The run that launched it.
    pub run: Option<i64>,
}

/// An entry of a slate.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct SlateEntry {
    /// The entry.
    pub address: Address,
    /// Its number.
    pub entry: i64,
    /// The version that was there when it was added.
    pub version: u64,
    /// The version that is there now.
    pub now: u64,
}

/// The slate that keeps an entry back.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct KeptBack {
    /// Its name.
    pub slate: String,
    /// When it is launched by itself.
    pub until: Option<Timestamp>,
    /// Whether its launch began and did not end.
    pub is_under_way: bool,
}

fn of_word<T: Copy>(words: &[(&str, T)], word: &str) -> Result<T, StoreError> {
    let found = words.iter().find(|(known, _)| *known == word).map(|(_, of)| *of);
    found.ok_or_else(|| StoreError::Content(format!("of a slate, `{word}`")))
}

const COLUMNS: &str = "SELECT name, does, lanes, keeps_back, standing, made, who, launch_at, launched, run FROM slate";

fn slate(row: Row<'_>) -> Result<Slate, StoreError> {
    let lanes: Vec<String> = serde_json::from_str(&row.get::<_, String>(2)?).map_err(StoreError::content)?;
    let maybe = |at: Option<i64>| at.map(moment).transpose();
    Ok(Slate {
        name: row.get(0)?,
        does: of_word(&SlateAction::WORDS, &row.get::<_, String>(1)?)?,
        lanes: lanes.into_iter().map(LaneName::new).collect::<Result<_, _>>().map_err(StoreError::content)?,
        keeps_back: row.get(3)?,
        standing: of_word(&SlateStanding::WORDS, &row.get::<_, String>(4)?)?,
        made: moment(row.get(5)?)?,
        who: row.get(6)?,
        launch_at: maybe(row.get(7)?)?,
        launched: maybe(row.get(8)?)?,
        run: row.get(9)?,
    })
}

impl Store {
    /// Every slate, the newest first.
    ///
    /// # Errors
    /// Where the store fails.
    pub fn slates(&self) -> Result<Vec<Slate>, StoreError> {
        let mut query = self.connection.prepare_cached(&format!("{COLUMNS} ORDER BY id DESC"))?;
        let mut rows = query.query(params![])?;
        let mut found = Vec::new();
        while let Some(row) = rows.next()? {
            found.push(slate(row)?);
        }
        Ok(found)
    }

    /// The slate of that name.
    ///
    /// # Errors
    /// Where the store fails.
    pub fn slate(&self, name: &str) -> Result<Option<Slate>, StoreError> {
        let mut query = self.connection.prepare_cached(&format!("{COLUMNS} WHERE name = ?1"))?;
        let mut rows = query.query([name])?;
        rows.next()?.map(slate).transpose()
    }

    /// Keeps a slate in the place of the one of its name. What ordinary pushes leave alone by it is owed a look.
    ///
    /// # Errors
    /// Where the store fails.
    pub fn keep_slate(&mut self, slate: &Slate, now: Timestamp) -> Result<(), StoreError> {
        let lanes: Vec<&str> = slate.lanes.iter().map(LaneName::as_str).collect();
        let lanes = serde_json::to_string(&lanes).map_err(StoreError::content)?;
        let transaction = self.fence.begin(&mut self.connection)?;
        transaction.execute(
            "INSERT INTO slate (name, does, lanes, keeps_back, standing, made, who, launch_at, launched, run)
             VALUES (?1, ?2, ?3, ?4, ?5, ?6, ?7, ?8, ?9, ?10)
             ON CONFLICT (name) DO UPDATE SET does = ?2, lanes = ?3, keeps_back = ?4, standing = ?5, launch_at = ?8,
                 launched = ?9, run = ?10",
            params![
                slate.name,
                slate.does.word(),
                lanes,
                slate.keeps_back,
                slate.standing.word(),
                millis(slate.made),
                slate.who,
                slate.launch_at.map(millis),
                slate.launched.map(millis),
                slate.run
            ],
        )?;
        if let Some(run) = slate.run {
            transaction.execute(
                "INSERT INTO slate_run SELECT id, CAST(?2 AS BIGINT) FROM slate WHERE name = ?1 ON CONFLICT DO NOTHING",
                params![slate.name, run],
            )?;
        }
        transaction.execute(
            "UPDATE delivery SET standing = 'owed', reason = NULL, message = NULL, since = ?2, touched = touched + 1
             WHERE standing = 'held' AND reason = 'kept-back'
                 AND entry IN (SELECT entry FROM slate_entry JOIN slate ON slate.id = slate WHERE name = ?1)",
            params![slate.name, millis(now)],
        )?;
        Ok(transaction.commit()?)
    }

    /// The entries of a slate.
    ///
    /// # Errors
    /// Where the store fails.
    pub fn slate_entries(&self, name: &str) -> Result<Vec<SlateEntry>, StoreError> {
        let mut query = self.connection.prepare_cached(
            "SELECT system, entry_type.name, source_id, entry.id, slate_entry.version, entry.version
             FROM slate_entry JOIN slate ON slate.id = slate JOIN entry ON entry.id = slate_entry.entry
             JOIN entry_type ON entry_type.id = entry.type WHERE slate.name = ?1 ORDER BY added, system, entry_type.name, source_id",
        )?;
        let mut rows = query.query([name])?;
        let mut found = Vec::new();
        while let Some(row) = rows.next()? {
            found.push(SlateEntry {
                address: address_at(row, 0)?,
                entry: row.get(3)?,
                version: row.get::<_, i64>(4)?.unsigned_abs(),
                now: row.get::<_, i64>(5)?.unsigned_abs(),
            });
        }
        Ok(found)
    }

    /// Adds entries to a slate, as they are now; those that are in it are noted anew. What waits for nothing else
    /// is owed a look.
    ///
    /// # Errors
    /// Where the store fails.
    pub fn add_to_slate(&mut self, name: &str, entries: &[i64], now: Timestamp) -> Result<(), StoreError> {
        let transaction = self.fence.begin(&mut self.connection)?;
        for entry in entries {
            transaction
                .prepare_cached(
                    "INSERT INTO slate_entry
                     SELECT slate.id, entry.id, entry.version, CAST(?3 AS BIGINT) FROM slate, entry WHERE slate.name = ?1 AND entry.id = ?2
                     ON CONFLICT (slate, entry) DO UPDATE SET version = excluded.version, added = excluded.added",
                )?
                .execute(params![name, entry, millis(now)])?;
        }
        Ok(transaction.commit()?)
    }

    /// Takes entries out of a slate; gives how many were in it.
    ///
    /// # Errors
    /// Where the store fails.
    pub fn drop_from_slate(&mut self, name: &str, entries: &[i64], now: Timestamp) -> Result<u64, StoreError> {
        let transaction = self.fence.begin(&mut self.connection)?;
        let mut dropped = 0;
        for entry in entries {
            dropped += transaction
                .prepare_cached(
                    "DELETE FROM slate_entry WHERE slate = (SELECT id FROM slate WHERE name = ?1) AND entry = ?2",
                )?
                .execute(params![name, entry])? as u64;
            transaction
                .prepare_cached(
                    "UPDATE delivery SET standing = 'owed', reason = NULL, message = NULL, since = ?2, touched = touched + 1
                     WHERE standing = 'held' AND reason = 'kept-back' AND entry = ?1",
                )?
                .execute(params![entry, millis(now)])?;
        }
        transaction.commit()?;
        Ok(dropped)
    }

    /// The slate that keeps an entry back from ordinary pushes of a lane.
    ///
    /// # Errors
    /// Where the store fails.
    pub fn kept_back(&self, lane: &LaneName, entry: i64) -> Result<Option<KeptBack>, StoreError> {
        let mut query = self.connection.prepare_cached(
            "SELECT name, launch_at, standing <> 'open' FROM slate_entry JOIN slate ON slate.id = slate
             WHERE entry = ?1 AND (keeps_back <> 0 AND standing = 'open' OR standing IN ('saving', 'showing'))
                 AND (lanes = '[]' OR EXISTS (SELECT 1 FROM json_each(lanes) WHERE value = ?2))
             ORDER BY standing = 'open', launch_at LIMIT 1",
        )?;
        let found = query.query_row(params![entry, lane.as_str()], |row| {
            Ok((row.get::<_, String>(0)?, row.get::<_, Option<i64>>(1)?, row.get(2)?))
        });
        let Some((slate, until, is_under_way)) = found.optional()? else { return Ok(None) };
        Ok(Some(KeptBack { slate, until: until.map(moment).transpose()?, is_under_way }))
    }

    /// The runs in which a slate was launched, in order.
    ///
    /// # Errors
    /// Where the store fails.
    pub fn slate_runs(&self, name: &str) -> Result<Vec<i64>, StoreError> {
        let mut query = self.connection.prepare_cached(
            "SELECT slate_run.run FROM slate_run JOIN slate ON slate.id = slate WHERE name = ?1 ORDER BY 1",
        )?;
        Ok(query.query_all([name], |row| row.get(0))?)
    }
}
