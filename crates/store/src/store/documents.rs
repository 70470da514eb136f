//! What documents that are read apart said of how they want to be asked.

use super::database::{OptionalRow, params};
use diaporos_core::intake::DocumentStanding;
use jiff::Timestamp;

use super::row::{millis, moment};
use super::{SourceType, Store, StoreError};

impl Store {
    /// What a document said.
    ///
    /// # Errors
    /// Where the store fails.
    pub fn document_standing(&self, of: SourceType<'_>, place: &str) -> Result<DocumentStanding, StoreError> {
        let (system, kind) = of;
        let mut find = self.connection.prepare_cached(
            "SELECT moved, not_before, ended FROM document JOIN entry_type ON entry_type.id = document.type
             WHERE system = ?1 AND name = ?2 AND place = ?3",
        )?;
        let row = find.query_row(params![system.as_str(), kind.as_str(), place], |row| {
            Ok((row.get(0)?, row.get::<_, Option<i64>>(1)?, row.get::<_, Option<i64>>(2)?))
        });
        let Some((moved, not_before, ended)) = row.optional()? else { return Ok(DocumentStanding::default()) };
        let (not_before, ended) = (not_before.map(moment).transpose()?, ended.map(moment).transpose()?);
        Ok(DocumentStanding { moved, not_before, ended })
    }

    /// Keeps what a document said; nothing where it said nothing.
    ///
    /// # Errors
    /// Where the store fails.
    pub fn keep_document_standing(
        &mut self,
        of: SourceType<'_>,
        place: &str,
        standing: &DocumentStanding,
    ) -> Result<(), StoreError> {
        let transaction = self.fence.begin(&mut self.connection)?;
        let number = Self::type_number(&transaction, of.0, of.1)?;
        if *standing == DocumentStanding::default() {
            transaction.execute("DELETE FROM document WHERE type = ?1 AND place = ?2", params![number, place])?;
        } else {
            let at = |moment: Option<Timestamp>| moment.map(millis);
            transaction.execute(
                "INSERT INTO document VALUES (?1, ?2, ?3, ?4, ?5)
                     ON CONFLICT (type, place) DO UPDATE SET moved = ?3, not_before = ?4, ended = ?5",
                params![number, place, standing.moved, at(standing.not_before), at(standing.ended)],
            )?;
        }
        Ok(transaction.commit()?)
    }
}
