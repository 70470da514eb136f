//! A part of a credential that need not be secret.

use crate::Secret;

/// A part of a credential that need not be secret.
#[derive(Debug, Clone)]
pub enum Part {
    /// As written in the configuration.
    Plain(String),
    /// By reference.
    Secret(Secret),
}

impl Part {
    pub(crate) fn expose(&self) -> &str {
        match self {
            Part::Plain(text) => text,
            Part::Secret(secret) => secret.expose(),
        }
    }
}
