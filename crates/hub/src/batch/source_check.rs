//! Looking at texts before they are sent.

use diaporos_core::translate::{Form, SourceCheck, SourceFinding};

use super::BatchError;
use super::texts::{Texts, entries};
use crate::config::Brief;
use crate::look::Glance;

/// What is to be known of a text.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct SourceRow {
    /// The entry and the field: `catalogue/plant-profile/p-001#description`.
    pub text: String,
    /// What it is.
    pub finding: SourceFinding,
    /// What exactly.
    pub what: String,
}

/// Looks at every text of a brief, and hands over what is to be known. Says how many texts there are.
///
/// # Errors
/// Where the store fails, or a condition has no value.
pub fn check_sources(glance: Glance<'_>, brief: &Brief, mut each: impl FnMut(SourceRow)) -> Result<u64, BatchError> {
    let mut count = 0;
    entries(glance, brief, |entry| {
        let texts = Texts::new(glance.store, brief, entry);
        for (name, field, source) in texts.sources() {
            count += 1;
            let limit = field.limit.filter(|_| field.form == Form::Plain);
            let check = SourceCheck { from: &brief.from, into: &brief.into, terms: &brief.usual.terms, limit };
            for (finding, what) in check.of(&texts.shape(field, source)) {
                each(SourceRow { text: texts.place(name), finding, what });
            }
        }
        Ok(())
    })?;
    Ok(count)
}
