//! What is said of a token that does not fit.

use winnow::error::ParserError;

use super::Input;
use super::error::SyntaxError;
use super::token::{Kind, Token};

impl SyntaxError {
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
