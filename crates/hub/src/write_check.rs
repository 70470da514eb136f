//! How a destination keeps what it was sent: some of the documents that were delivered, read back and
//! held against what we wrote, field by field. Nothing is written.

use diaporos_core::change::{Divergence, alike};
use diaporos_core::value::{EntryId, SystemName, Value, to_json};
use diaporos_store::{Store, StoreError};
use diaporos_systems::Write;

use crate::config::Config;
use crate::probe::{ProbeRow, Verdict};

/// Documents of each lane that are read back.
const SAMPLE: u32 = 5;

/// Reads back what the lanes to a system delivered there, and says of each field how it is kept.
///
/// # Errors
/// Where the store fails.
pub async fn write_check(
    config: &Config,
    store: &Store,
    writer: &dyn Write,
    system: &SystemName,
) -> Result<Vec<ProbeRow>, StoreError> {
    let mut rows = Vec::new();
    for lane in config.lanes.values().filter(|lane| lane.lane.to.system == *system) {
        let what = format!("lane {}", lane.lane.name);
        let mut row = |verdict, found| rows.push(ProbeRow { what: what.clone(), verdict, found });
        for (field, entries, address) in store.forms_of_their_own(&lane.lane.name)? {
            let found = format!("`{field}` is kept in a form of its own in {entries} documents, as of {address}");
            row(Verdict::Note, found);
        }
        let delivered = store.some_delivered(&lane.lane.name, SAMPLE)?;
        if delivered.is_empty() {
            row(Verdict::Note, "delivered nothing yet; push one entry, and check again".to_owned());
        }
        let (mut as_written, mut weak) = (0, false);
        for known in delivered.into_iter().map(|row| row.counterpart) {
            match writer.read(&lane.lane.to.kind, &known.id).await {
                Err(error) => row(Verdict::Bad, format!("`{}` cannot be read back: {error}", known.id)),
                Ok(None) => row(Verdict::Warning, format!("`{}` is not there any more", known.id)),
                Ok(Some(there)) => {
                    weak |= there.revision.is_some() && !writer.guards(&lane.lane.to.kind, there.revision.as_ref());
                    let differing: Vec<(&String, &Value, &Value)> = known
                        .fields
                        .iter()
                        .filter_map(|(name, sent)| {
                            let kept = there.fields.get(name).unwrap_or(&Value::Null);
                            let is_known = known
                                .divergences
                                .get(name)
                                .map(Divergence::value)
                                .is_some_and(|value| alike(value, kept));
                            (!alike(sent, kept) && !is_known).then_some((name, sent, kept))
                        })
                        .collect();
                    as_written += u32::from(differing.is_empty());
                    for (name, sent, kept) in differing {
                        row(Verdict::Warning, told(&known.id, name, sent, kept));
                    }
                }
            }
        }
        let is_declared = config.systems.get(system).and_then(|known| known.profile());
        if weak && is_declared.and_then(|profile| profile.guards_updates(&lane.lane.to.kind)) == Some(true) {
            let found =
                "gives weak tags (RFC 9110 §8.8.1), which guard no write: what is there is compared just before each";
            row(Verdict::Note, found.to_owned());
        }
        if as_written > 0 {
            row(Verdict::Good, format!("{as_written} documents are kept as they were written, or as is known"));
        }
    }
    Ok(rows)
}

fn told(id: &EntryId, field: &str, sent: &Value, kept: &Value) -> String {
    let short = |value: &Value| to_json(value).to_string().chars().take(60).collect::<String>();
    format!("`{id}`: {field} was sent as {} and is {}", short(sent), short(kept))
}
