//! Whether a destination is where it was. Another one under the same name, staging and then production,
//! has other documents under the identifiers that we know.

use diaporos_systems::{SystemError, Write};

use super::{Push, PushError};

/// Documents that are looked for at the new place.
const SAMPLE: u32 = 5;

/// Compares the destination's place with the one that it had at the last push. Where it has another, some
/// documents that were delivered are looked for there: if most are as they were, it is the same that has
/// moved.
///
/// # Errors
/// Where it seems to be another, or cannot be asked.
pub(super) async fn check(push: &mut Push<'_>, dry_run: bool) -> Result<(), PushError> {
    let system = &push.lane.lane.to.system;
    let now = push.writer.place();
    let was = push.store.destination_place(system)?;
    if was.as_ref() == Some(&now) {
        return Ok(());
    }
    if let Some(was) = was {
        let delivered = push.store.some_delivered(&push.lane.lane.name, SAMPLE)?;
        let (asked, mut found) = (delivered.len() as u64, 0);
        for row in &delivered {
            found += u64::from(is_as_it_was(push.writer, push, &row.counterpart).await?);
        }
        if found * 2 < asked {
            return Err(PushError::Moved { system: system.clone(), was, now, asked, found });
        }
    }
    if !dry_run {
        push.store.keep_destination_place(system, &now)?;
    }
    Ok(())
}

async fn is_as_it_was(
    writer: &dyn Write,
    push: &Push<'_>,
    known: &diaporos_core::plan::Counterpart,
) -> Result<bool, SystemError> {
    match writer.read(&push.lane.lane.to.kind, &known.id).await {
        Ok(Some(now)) => Ok(now.holds(&known.there())),
        Ok(None) => Ok(false),
        Err(error) if error.kind.is_of_the_whole_system() => Err(error),
        Err(_) => Ok(false),
    }
}
