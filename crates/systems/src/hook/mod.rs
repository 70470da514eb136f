//! Hooks: calls from outside that say that an entry changed. What they say is a hint, and verified before it is
//! read.

mod settings;

use diaporos_core::hook::{Received, Refused, verify};
use diaporos_core::value::{EntryId, TypeName};
use jiff::SignedDuration;
use serde_json::Value as Json;

use crate::Secret;
use crate::query::scalar_text;
use settings::{EventId, HookType};
pub use settings::{HOOK, HookSettings, hook};

/// A hook with its secrets.
pub struct Hook {
    settings: HookSettings,
    secrets: Vec<Secret>,
}

/// What a call says.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct HookCall {
    /// The id that its sender gave it.
    pub id: Option<String>,
    /// What happened, in the sender's word.
    pub event: Option<String>,
    /// The entries that it names.
    pub names: Named,
}

/// The entries that a call names.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Named {
    /// These.
    Entries(Vec<(TypeName, EntryId)>),
    /// None; everything of the system may have changed.
    Everything,
    /// What happened concerns nobody here.
    Nothing,
}

/// Why a call is not taken.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum HookError {
    /// It does not show from whom it is.
    #[error(transparent)]
    Refused(#[from] Refused),
    /// It is from whom it says, and makes no sense.
    #[error("{0}")]
    Content(String),
}

/// The most entries that one call may name.
const MOST_NAMED: usize = 1_000;
/// The longest id or word of a sender that is kept, in bytes.
const LONGEST: usize = 256;

/// Whether the value of `Authorization` is a token, as a bearer or as the password of any user.
#[must_use]
pub fn bears(value: &str, token: &Secret) -> bool {
    diaporos_core::hook::bears(value, token.expose())
}

impl Hook {
    /// A hook.
    #[must_use]
    pub fn new(settings: HookSettings, secrets: Vec<Secret>) -> Hook {
        Hook { settings, secrets }
    }

    /// What is said of it.
    #[must_use]
    pub fn settings(&self) -> &HookSettings {
        &self.settings
    }

    /// Verifies a call, and reads what it says.
    ///
    /// # Errors
    /// Where it is not from whom it should be, or makes no sense.
    pub fn read(&self, received: Received<'_>) -> Result<HookCall, HookError> {
        let secrets: Vec<&str> = self.secrets.iter().map(Secret::expose).collect();
        let within = SignedDuration::try_from(self.settings.within).unwrap_or(SignedDuration::MAX);
        let own_id = verify(&self.settings.scheme, &secrets, received, within)?;
        let body = self.body(received.body)?;
        let id = match &self.settings.event_id {
            Some(EventId::Header(name)) => (received.header)(name).map(str::to_owned),
            Some(EventId::At(query)) => query.first(&body).and_then(scalar_text),
            None => own_id,
        };
        let id = id.filter(|id| !id.is_empty());
        if id.as_ref().is_some_and(|id| id.len() > LONGEST) {
            return Err(HookError::Content(format!("its id is longer than {LONGEST} bytes")));
        }
        let event = self.settings.event.as_ref().and_then(|query| query.first(&body)).and_then(scalar_text);
        let event = event.map(|word| word.chars().take(LONGEST / 4).collect::<String>());
        let is_ours = |only: &[String]| only.is_empty() || event.as_ref().is_some_and(|event| only.contains(event));
        let names = if is_ours(&self.settings.only) { self.named(&body)? } else { Named::Nothing };
        Ok(HookCall { id, event, names })
    }

    /// The body, where anything of it is read.
    fn body(&self, bytes: &[u8]) -> Result<Json, HookError> {
        let settings = &self.settings;
        let is_read = settings.id.is_some()
            || settings.event.is_some()
            || matches!(settings.kind, HookType::At(..))
            || matches!(settings.event_id, Some(EventId::At(_)));
        if !is_read {
            return Ok(Json::Null);
        }
        serde_json::from_slice(bytes).map_err(|error| HookError::Content(format!("its body is no JSON: {error}")))
    }

    fn named(&self, body: &Json) -> Result<Named, HookError> {
        let Some(id) = &self.settings.id else { return Ok(Named::Everything) };
        let wrong = |what: String| HookError::Content(what);
        let kind = match &self.settings.kind {
            HookType::Unsaid => return Ok(Named::Everything),
            HookType::Fixed(kind) => kind.clone(),
            HookType::At(query, types) => {
                let word = query.first(body).and_then(scalar_text);
                let word = word.ok_or_else(|| wrong(format!("it names no type at `{}`", query.as_str())))?;
                let kind = types.get(&word).cloned().unwrap_or(word);
                TypeName::new(kind).map_err(|error| wrong(format!("its type cannot be one: {error}")))?
            }
        };
        let found = id.all(body);
        if found.is_empty() {
            return Err(wrong(format!("it names no entry at `{}`", id.as_str())));
        }
        if found.len() > MOST_NAMED {
            return Ok(Named::Everything);
        }
        let read = |json: &Json| {
            let text = scalar_text(json).ok_or_else(|| wrong(format!("what stands at `{}` is no id", id.as_str())))?;
            let id = EntryId::new(text).map_err(|error| wrong(format!("its id cannot be one: {error}")))?;
            Ok((kind.clone(), id))
        };
        Ok(Named::Entries(found.into_iter().map(read).collect::<Result<_, HookError>>()?))
    }
}

#[cfg(test)]
mod tests;
