//! Looking for the document that has an entry's key. What comes is held against the key that it was
//! asked by: a destination may not know the parameter, and answer with whatever it has.

use diaporos_core::lane::Lane;
use diaporos_core::plan::{Existing, FoundDocument};
use diaporos_core::value::{LanguageTag, TypeName};
use diaporos_systems::{ErrorKind, SystemError, Write};
use tokio::sync::OnceCell;

/// A key that no document has.
const NO_KEY: &str = "diaporos-no-document-has-this-key";
/// So many documents that do not show their key are read one by one.
const MOST_UNSHOWN: usize = 5;

/// The look-ups of one lane.
pub(crate) struct LookUps<'a> {
    writer: &'a dyn Write,
    kind: &'a TypeName,
    /// The lane's key field.
    field: Option<&'a str>,
    /// Whether the destination answers with documents whatever key it is asked by.
    ignores_key: OnceCell<bool>,
}

impl<'a> LookUps<'a> {
    pub(crate) fn new(writer: &'a dyn Write, lane: &'a Lane) -> Self {
        LookUps { writer, kind: &lane.to.kind, field: lane.key.as_deref(), ignores_key: OnceCell::new() }
    }

    /// What has the key, read whole by its identifier, so that it can be merged with and guarded.
    ///
    /// # Errors
    /// Where the answer cannot be had.
    pub(crate) async fn by_key(&self, key: &str, language: Option<&LanguageTag>) -> Result<FoundDocument, SystemError> {
        let found = self.writer.find(self.kind, key, language).await?;
        if self.writer.key_is_place(self.kind) {
            return Ok(match <[Existing; 1]>::try_from(found) {
                Ok([one]) => FoundDocument::One(Box::new(one)),
                Err(found) if found.is_empty() => FoundDocument::Nothing,
                Err(found) => FoundDocument::Several(found.len()),
            });
        }
        let has_key = |existing: &Existing| self.field.map_or(Some(true), |field| existing.has_key(field, key));
        let (mut ours, mut unshown, mut other) = (Vec::new(), Vec::new(), None);
        for existing in found {
            match has_key(&existing) {
                Some(true) => ours.push(existing),
                Some(false) => other = other.or(Some(existing.id)),
                None => unshown.push(existing),
            }
        }
        // Some searches show no more than identifiers.
        for existing in unshown.drain(..unshown.len().min(MOST_UNSHOWN)) {
            let whole = self.read(&existing).await?;
            match has_key(&whole) {
                Some(true) => ours.push(whole),
                _ => other = other.or(Some(whole.id)),
            }
        }
        if let Some(left) = unshown.pop() {
            return Ok(FoundDocument::OtherKeys(left.id));
        }
        match (ours.pop(), ours.len(), other) {
            (Some(one), 0, _) => {
                let whole = self.read(&one).await?;
                Ok(if has_key(&whole) == Some(false) {
                    FoundDocument::OtherKeys(whole.id)
                } else {
                    FoundDocument::One(Box::new(whole))
                })
            }
            (Some(_), more, _) => Ok(FoundDocument::Several(more + 1)),
            (None, _, None) => Ok(FoundDocument::Nothing),
            // A search that also gives what is like the key has found nothing.
            (None, _, Some(other)) => Ok(if self.ignores_key(language).await {
                FoundDocument::OtherKeys(other)
            } else {
                FoundDocument::Nothing
            }),
        }
    }

    async fn ignores_key(&self, language: Option<&LanguageTag>) -> bool {
        let ask = || async {
            let found = self.writer.find(self.kind, NO_KEY, language).await;
            // One that cannot even be asked so is not to be relied upon.
            found.map_or(true, |found| !found.is_empty())
        };
        *self.ignores_key.get_or_init(ask).await
    }

    async fn read(&self, found: &Existing) -> Result<Existing, SystemError> {
        let whole = self.writer.read(self.kind, &found.id).await?;
        whole.ok_or_else(|| {
            let why = format!("the look-up gives `{}`, and reading that says that it is not there", found.id);
            self.writer.failed(ErrorKind::Content(why))
        })
    }
}
