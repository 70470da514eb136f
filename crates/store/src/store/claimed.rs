//! What is claimed of a lane's entries, as others meet it.

use super::StoreError;
use super::database::{Connection, params};

/// Lets go of entries of which it is noted what became.
pub(super) fn let_go(connection: &Connection, lane: i64, entries: &[i64]) -> Result<(), StoreError> {
    if connection.server().is_none() || entries.is_empty() {
        return Ok(());
    }
    let list = serde_json::to_string(entries).map_err(StoreError::content)?;
    for table in ["claim", "claimed_key"] {
        let go = format!(
            "DELETE FROM {table} WHERE lane = ?1 AND entry IN (SELECT CAST(value AS BIGINT) FROM json_each(?2))"
        );
        connection.prepare_cached(&go)?.execute_soon(params![lane, list])?;
    }
    Ok(())
}

/// Whether the entry of a request whose end is open is one that another process works on now.
pub(super) const BY_ANOTHER: &str = "EXISTS (SELECT 1 FROM claim JOIN lease ON lease.process = claim.process
     WHERE claim.lane = open_intent.lane AND claim.entry = open_intent.entry AND lease.ends > ?2 AND claim.process <> ?3)";
