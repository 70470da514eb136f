//! Literals, names, lists, parentheses, and the steps that lead into them.

use super::token::{Kind, Token};
use super::{Input, Parsed, SyntaxError, expression, must, nested, peek, take};
use crate::expr::ast::{Expression, Node};
use crate::value::{LanguageTag, Value};
use winnow::error::ErrMode;
use winnow::stream::Stream;

/// Whether a value can begin with this token.
pub(super) fn starts_value(kind: &Kind) -> bool {
    matches!(
        kind,
        Kind::Name(_)
            | Kind::Text(_)
            | Kind::Integer(_)
            | Kind::Number(_)
            | Kind::True
            | Kind::False
            | Kind::Null
            | Kind::Not
            | Kind::Open
            | Kind::OpenList
            | Kind::OpenItem
            | Kind::OpenRecord
    )
}

/// A primary and its steps: `curator.name`, `tags[0]`, `heading@en`.
pub(super) fn path(input: &mut Input<'_>) -> Parsed<Expression> {
    let mut base = primary(input)?;
    loop {
        let start = base.span.start;
        if take(input, |kind| *kind == Kind::Dot).is_some() {
            let Some(token) = take(input, |kind| matches!(kind, Kind::Name(_))) else {
                return Err(ErrMode::Cut(SyntaxError::unexpected(peek(input), "a field's name after `.`")));
            };
            if let Kind::Name(name) = &token.kind {
                base = Expression { span: start..token.span.end, node: Node::Member(Box::new(base), name.clone()) };
            }
        } else if take(input, |kind| *kind == Kind::OpenItem).is_some() {
            let Some(token) = take(input, |kind| matches!(kind, Kind::Integer(_))) else {
                return Err(ErrMode::Cut(SyntaxError::unexpected(
                    peek(input),
                    "a whole number, the item's place from 0",
                )));
            };
            let close = must(input, &Kind::CloseSquare, "`]`")?;
            if let Kind::Integer(place) = token.kind {
                base = Expression { span: start..close.span.end, node: Node::Item(Box::new(base), place) };
            }
        } else if let Some(token) = take(input, |kind| matches!(kind, Kind::Language(_))) {
            let tag = language(token)?;
            base = Expression { span: start..token.span.end, node: Node::Language(Box::new(base), tag) };
        } else {
            return Ok(base);
        }
    }
}

/// The tag of a language token.
pub(super) fn language(token: &Token) -> Parsed<LanguageTag> {
    let text = if let Kind::Language(text) = &token.kind { text.as_str() } else { "" };
    text.parse().map_err(|error| {
        let error = SyntaxError::new(token.span.clone(), format!("{error}"));
        ErrMode::Cut(error.help("a language is written as in `@en`, `@cy`, `@fr-CA`"))
    })
}

fn primary(input: &mut Input<'_>) -> Parsed<Expression> {
    let token = peek(input);
    if !starts_value(&token.kind) || token.kind == Kind::Not {
        return Err(ErrMode::Cut(SyntaxError::unexpected(token, "a value")));
    }
    input.input.next_token();
    let literal = |value| Node::Literal(value);
    let node = match &token.kind {
        Kind::Null => literal(Value::Null),
        Kind::True => literal(Value::Boolean(true)),
        Kind::False => literal(Value::Boolean(false)),
        Kind::Integer(whole) => literal(Value::Integer(*whole)),
        Kind::Number(number) => literal(Value::Number(*number)),
        Kind::Text(text) => literal(Value::Text(text.clone())),
        Kind::Name(name) => Node::Name(name.clone()),
        Kind::Open => {
            let inner = expression(input)?;
            let close = must(input, &Kind::Close, "`)`")?;
            return Ok(Expression { span: token.span.start..close.span.end, ..inner });
        }
        Kind::OpenRecord => return record(input, token.span.start),
        _ => return list(input, token.span.start),
    };
    Ok(Expression { node, span: token.span.clone() })
}

fn list(input: &mut Input<'_>, start: usize) -> Parsed<Expression> {
    nested(input, |input| {
        let mut items = Vec::new();
        while peek(input).kind != Kind::CloseSquare {
            items.push(expression(input)?);
            if take(input, |kind| *kind == Kind::Comma).is_none() {
                break;
            }
        }
        let close = must(input, &Kind::CloseSquare, "`,` or `]`")?;
        Ok(Expression { node: Node::List(items), span: start..close.span.end })
    })
}

fn record(input: &mut Input<'_>, start: usize) -> Parsed<Expression> {
    nested(input, |input| {
        let mut members: Vec<(String, Expression)> = Vec::new();
        while peek(input).kind != Kind::CloseRecord {
            let Some(token) = take(input, |kind| matches!(kind, Kind::Name(_) | Kind::Text(_))) else {
                return Err(ErrMode::Cut(SyntaxError::unexpected(peek(input), "a name, as in `{ url: image }`")));
            };
            let (Kind::Name(name) | Kind::Text(name)) = &token.kind else { break };
            if members.iter().any(|(known, _)| known == name) {
                return Err(ErrMode::Cut(SyntaxError::new(token.span.clone(), format!("`{name}` is given twice"))));
            }
            let value = match (take(input, |kind| *kind == Kind::Colon), &token.kind) {
                (None, Kind::Name(name)) => Expression { node: Node::Name(name.clone()), span: token.span.clone() },
                (None, _) => return Err(ErrMode::Cut(SyntaxError::unexpected(peek(input), "`:` and a value"))),
                (Some(_), _) => expression(input)?,
            };
            members.push((name.clone(), value));
            if take(input, |kind| *kind == Kind::Comma).is_none() {
                break;
            }
        }
        let close = must(input, &Kind::CloseRecord, "`,` or `}`")?;
        Ok(Expression { node: Node::Record(members), span: start..close.span.end })
    })
}
