//! Parts of pictures that editors chose themselves.

use super::database::{OptionalRow, params};
use diaporos_core::image::Area;
use jiff::Timestamp;

use super::row::{millis, moment};
use super::{Store, StoreError};

/// A part of a picture that an editor chose.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct EditorsCut {
    /// The part.
    pub area: Area,
    /// The SHA-256 of the picture that it was made of.
    pub hash: String,
    /// Who chose it.
    pub who: String,
    /// When.
    pub since: Timestamp,
}

/// The picture of an entry for a rendition.
#[derive(Debug, Clone, Copy)]
pub struct CutPlace<'a> {
    /// The entry's number.
    pub entry: i64,
    /// The picture's address.
    pub picture: &'a str,
    /// The rendition.
    pub rendition: &'a str,
}

impl Store {
    /// The part of a picture that an editor chose.
    ///
    /// # Errors
    /// Where the store fails.
    pub fn cut(&self, place: CutPlace<'_>) -> Result<Option<EditorsCut>, StoreError> {
        let mut query = self.connection.prepare_cached(
            "SELECT x, y, width, height, hash, who, since FROM cut WHERE entry = ?1 AND picture = ?2 AND rendition = ?3",
        )?;
        let found = query.query_row(params![place.entry, place.picture, place.rendition], |row| {
            let area = Area { x: row.get(0)?, y: row.get(1)?, width: row.get(2)?, height: row.get(3)? };
            Ok((area, row.get(4)?, row.get(5)?, row.get::<_, i64>(6)?))
        });
        let Some((area, hash, who, since)) = found.optional()? else { return Ok(None) };
        Ok(Some(EditorsCut { area, hash, who, since: moment(since)? }))
    }

    /// Keeps the part of a picture that an editor chose, or none; the entry is owed a look on every lane.
    ///
    /// # Errors
    /// Where the store fails.
    pub fn keep_cut(
        &mut self,
        place: CutPlace<'_>,
        cut: Option<&EditorsCut>,
        now: Timestamp,
    ) -> Result<(), StoreError> {
        let transaction = self.fence.begin(&mut self.connection)?;
        let CutPlace { entry, picture, rendition } = place;
        transaction.execute(
            "DELETE FROM cut WHERE entry = ?1 AND picture = ?2 AND rendition = ?3",
            params![entry, picture, rendition],
        )?;
        if let Some(EditorsCut { area, hash, who, since }) = cut {
            transaction.execute(
                "INSERT INTO cut VALUES (?1, ?2, ?3, ?4, ?5, ?6, ?7, ?8, ?9, ?10)",
                params![entry, picture, rendition, area.x, area.y, area.width, area.height, hash, who, millis(*since)],
            )?;
        }
        transaction.execute(
            "UPDATE delivery SET standing = 'owed', reason = NULL, message = NULL, since = CASE WHEN standing = 'owed' THEN since ELSE ?2 END, touched = touched + 1
             WHERE entry = ?1",
            params![entry, millis(now)],
        )?;
        Ok(transaction.commit()?)
    }
}
