//! What cannot be read.

use crate::diagnostic::Span;

/// A place in an expression that cannot be read.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
#[error("{message}")]
pub struct SyntaxError {
    /// Where, in bytes of the expression.
    pub span: Span,
    /// What is wrong there.
    pub message: String,
    /// How to mend it.
    pub help: Option<String>,
}

impl SyntaxError {
    pub(super) fn new(span: Span, message: impl Into<String>) -> Self {
        SyntaxError { span, message: message.into(), help: None }
    }

    pub(super) fn help(mut self, help: impl Into<String>) -> Self {
        self.help = Some(help.into());
        self
    }
}
