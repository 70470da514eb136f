//! What cannot be read.

use winnow::error::ParserError;

use super::Input;
use super::token::{Kind, Token};
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

    pub(super) fn unexpected(found: &Token, expected: &str) -> Self {
        let error = SyntaxError::new(found.span.clone(), format!("expected {expected}, found {}", found.kind));
        match &found.kind {
            Kind::SingleEqual => error.help("equality is written `==`"),
            Kind::Otherwise => {
                error.help("a pipe binds last: put parentheses around it, as in `(heading | trim) ?? \"none\"`")
            }
            Kind::Name(_) => error.help("a function comes after a pipe: `description | shorten 160`"),
            _ => error,
        }
    }
}

impl<'t> ParserError<Input<'t>> for SyntaxError {
    type Inner = Self;

    fn from_input(input: &Input<'t>) -> Self {
        SyntaxError::unexpected(super::peek(input), "something else")
    }

    fn into_inner(self) -> Result<Self::Inner, Self> {
        Ok(self)
    }
}
