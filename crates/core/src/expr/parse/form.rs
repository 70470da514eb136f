//! `let` and `if`, which reach as far to the right as they can.

use winnow::error::ErrMode;

use super::token::Kind;
use super::{Input, Parsed, SyntaxError, expression, must, peek, take};
use crate::expr::ast::{Expression, Node};

/// A form, where one begins here.
pub(super) fn form(input: &mut Input<'_>) -> Parsed<Option<Expression>> {
    if let Some(start) = take(input, |kind| *kind == Kind::Let) {
        return local(input, start.span.start).map(Some);
    }
    if let Some(start) = take(input, |kind| *kind == Kind::If) {
        return choice(input, start.span.start).map(Some);
    }
    Ok(None)
}

fn local(input: &mut Input<'_>, start: usize) -> Parsed<Expression> {
    let name = take(input, |kind| matches!(kind, Kind::Name(_)));
    let Some(Kind::Name(name)) = name.map(|token| &token.kind) else {
        return Err(ErrMode::Cut(SyntaxError::unexpected(peek(input), "a name after `let`")));
    };
    must(input, &Kind::SingleEqual, "`=` and a value for the name")?;
    let value = expression(input)?;
    must(input, &Kind::Semicolon, "`;` and what the name is used in")?;
    let body = expression(input)?;
    Ok(Expression { span: start..body.span.end, node: Node::Let(name.clone(), Box::new(value), Box::new(body)) })
}

fn choice(input: &mut Input<'_>, start: usize) -> Parsed<Expression> {
    let condition = expression(input)?;
    must(input, &Kind::Then, "`then`")?;
    let yes = expression(input)?;
    if take(input, |kind| *kind == Kind::Else).is_none() {
        let error = SyntaxError::unexpected(peek(input), "`else`");
        return Err(ErrMode::Cut(error.help("every `if` says what else: `if a then b else null`")));
    }
    let no = expression(input)?;
    Ok(Expression { span: start..no.span.end, node: Node::If(Box::new(condition), Box::new(yes), Box::new(no)) })
}
