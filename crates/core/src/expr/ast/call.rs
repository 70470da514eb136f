//! A function at the right of a pipe.

use super::Expression;
use crate::diagnostic::Span;

/// `shorten 160`: what follows a `|`.
#[derive(Debug, Clone, PartialEq)]
pub struct Call {
    /// The function's name as written.
    pub function: String,
    /// Where the name stands.
    pub span: Span,
    /// What follows the name.
    pub arguments: Vec<Expression>,
}
