//! A pipe and the function after it.

use super::operator::operators;
use super::path::starts_value;
use super::token::Kind;
use super::{Input, Parsed, SyntaxError, peek, take};
use crate::expr::ast::Call;
use winnow::error::{ErrMode, ParserError};

/// `| shorten 160`, with where it ends. Arguments follow the name, parted by white space.
pub(super) fn piped(input: &mut Input<'_>) -> Parsed<(Call, usize)> {
    if take(input, |kind| *kind == Kind::Pipe).is_none() {
        return Err(ErrMode::Backtrack(SyntaxError::from_input(input)));
    }
    let Some(token) = take(input, |kind| matches!(kind, Kind::Name(_))) else {
        return Err(ErrMode::Cut(SyntaxError::unexpected(peek(input), "the name of a function after `|`")));
    };
    let Kind::Name(function) = &token.kind else {
        return Err(ErrMode::Backtrack(SyntaxError::from_input(input)));
    };
    let mut arguments = Vec::new();
    let mut end = token.span.end;
    while starts_value(&peek(input).kind) {
        let argument = operators(input)?;
        end = argument.span.end;
        arguments.push(argument);
    }
    Ok((Call { function: function.clone(), span: token.span.clone(), arguments }, end))
}
