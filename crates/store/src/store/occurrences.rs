//! What did not go as planned: entries that came to be held or failed, and documents that somebody else changed.

use super::database::{Transaction, params};
use jiff::Timestamp;
use serde_json::json;

use super::happenings::happen;
use super::row::millis;
use super::verdict::{HandEdit, Verdict};
use super::{Standing, StoreError};

/// Notes what a verdict tells that did not go as planned, and was not known before.
pub(super) fn note_occurrences(
    transaction: &Transaction<'_>,
    lane: i64,
    verdict: &Verdict,
    now: Timestamp,
) -> Result<(), StoreError> {
    // What is owed still is looked at again, and found again.
    if verdict.standing == Standing::Owed {
        return Ok(());
    }
    for edit in &verdict.edited {
        note_edit(transaction, (lane, verdict.entry), edit, now)?;
    }
    if matches!(verdict.standing, Standing::Held | Standing::Failed) {
        let fields = serde_json::to_string(&verdict.fields).map_err(StoreError::content)?;
        transaction
            .prepare_cached(
                "INSERT INTO occurrence (at, lane, entry, language, kind, reason, fields)
                 SELECT CAST(?1 AS BIGINT), CAST(?2 AS BIGINT), CAST(?3 AS BIGINT), '', ?4, ?5, ?6 WHERE NOT EXISTS (
                     SELECT 1 FROM delivery WHERE lane = ?2 AND entry = ?3 AND standing = ?4 AND message IS NOT DISTINCT FROM ?7)",
            )?
            .execute(params![
                millis(now),
                lane,
                verdict.entry,
                verdict.standing.word(),
                verdict.reason.as_deref().unwrap_or_default(),
                fields,
                verdict.message
            ])?;
    }
    Ok(())
}

/// Notes that somebody else changed a document; once, where the entry is held for it till a person answers.
fn note_edit(
    transaction: &Transaction<'_>,
    (lane, entry): (i64, i64),
    edit: &HandEdit,
    now: Timestamp,
) -> Result<(), StoreError> {
    let fields = serde_json::to_string(&edit.fields).map_err(StoreError::content)?;
    let language = edit.language.as_ref().map_or("", |language| language.as_str());
    let noted = transaction
        .prepare_cached(
            "INSERT INTO occurrence (at, lane, entry, language, kind, reason, fields)
             SELECT CAST(?1 AS BIGINT), CAST(?2 AS BIGINT), CAST(?3 AS BIGINT), ?4, 'edited', '', ?5 WHERE NOT EXISTS (
                 SELECT 1 FROM delivery WHERE lane = ?2 AND entry = ?3 AND standing IN ('held', 'failed') AND ?5 = (
                     SELECT fields FROM occurrence WHERE lane = ?2 AND entry = ?3 AND language = ?4 AND kind = 'edited'
                     ORDER BY number DESC LIMIT 1))",
        )?
        .execute(params![millis(now), lane, entry, language, fields])?;
    if noted == 0 {
        return Ok(());
    }
    let (address, name): (String, String) = transaction
        .prepare_cached(
            "SELECT system || '/' || entry_type.name || '/' || source_id, (SELECT name FROM lane WHERE id = ?2)
             FROM entry JOIN entry_type ON entry_type.id = entry.type WHERE entry.id = ?1",
        )?
        .query_row([entry, lane], |row| Ok((row.get(0)?, row.get(1)?)))?;
    let language = edit.language.as_ref().map(|language| language.as_str());
    let detail = json!({ "lane": name, "language": language, "fields": edit.fields });
    happen(transaction, ("entry.edited-there", &address), &detail, now)
}
