//! Calling a batch off.

use diaporos_store::{BatchRow, BatchStanding, Store};
use diaporos_systems::agency::Agency;
use jiff::Timestamp;

use super::BatchError;
use super::send::reference;

/// Calls a batch off, at the agency first where it is there, and takes its made-up translations out
/// again. What was accepted of it stays. Says whether anything was done.
///
/// # Errors
/// Where the agency does not let go of it; then it is waited for as before.
pub async fn cancel(
    store: &mut Store,
    agency: Option<&Agency>,
    batch: &mut BatchRow,
    now: Timestamp,
) -> Result<bool, BatchError> {
    if batch.standing == BatchStanding::Cancelled {
        return Ok(false);
    }
    if let Some(agency) = agency {
        let order = match (&batch.order_there, batch.standing) {
            (Some(order), _) => Some(order.clone()),
            (None, BatchStanding::Sending) => agency.find(&reference(batch)).await?,
            (None, _) => None,
        };
        if let Some(order) = order
            && !agency.cancel(&order).await?
        {
            return Err(BatchError::Standing(format!(
                "the profile does not say how `{order}` is called off there; call it off by hand, then cancel with --here"
            )));
        }
    }
    store.drop_pseudo(batch.number, now)?;
    batch.standing = BatchStanding::Cancelled;
    batch.ended = Some(now);
    store.note_batch(batch)?;
    Ok(true)
}
