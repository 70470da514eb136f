//! Operators, from the loosest to the tightest.

use super::path::path;
use super::token::Kind;
use super::{Input, Parsed, SyntaxError, nested, peek, take};
use crate::expr::ast::{Expression, Node, Operator};
use winnow::error::ErrMode;

/// Everything but pipes.
pub(super) fn operators(input: &mut Input<'_>) -> Parsed<Expression> {
    left_to_right(input, &Kind::Or, Operator::Or, |input| left_to_right(input, &Kind::And, Operator::And, not))
}

fn not(input: &mut Input<'_>) -> Parsed<Expression> {
    let Some(token) = take(input, |kind| *kind == Kind::Not) else {
        return comparison(input);
    };
    let inner = nested(input, not)?;
    Ok(Expression { span: token.span.start..inner.span.end, node: Node::Not(Box::new(inner)) })
}

fn comparison(input: &mut Input<'_>) -> Parsed<Expression> {
    let left = otherwise(input)?;
    let Some(operator) = compare(input) else {
        return Ok(left);
    };
    let right = otherwise(input)?;
    if let Kind::Compare(_) = &peek(input).kind {
        let message = "comparisons do not chain";
        return Err(ErrMode::Cut(
            SyntaxError::new(peek(input).span.clone(), message).help("join two with `and`: `a < b and b < c`"),
        ));
    }
    Ok(binary(left, operator, right))
}

fn compare(input: &mut Input<'_>) -> Option<Operator> {
    match take(input, |kind| matches!(kind, Kind::Compare(_)))?.kind {
        Kind::Compare(operator) => Some(operator),
        _ => None,
    }
}

fn otherwise(input: &mut Input<'_>) -> Parsed<Expression> {
    left_to_right(input, &Kind::Otherwise, Operator::Otherwise, path)
}

fn left_to_right(
    input: &mut Input<'_>,
    symbol: &Kind,
    operator: Operator,
    operand: impl Fn(&mut Input<'_>) -> Parsed<Expression>,
) -> Parsed<Expression> {
    let mut left = operand(input)?;
    while take(input, |kind| kind == symbol).is_some() {
        let right = operand(input)?;
        left = binary(left, operator, right);
    }
    Ok(left)
}

fn binary(left: Expression, operator: Operator, right: Expression) -> Expression {
    Expression { span: left.span.start..right.span.end, node: Node::Binary(Box::new(left), operator, Box::new(right)) }
}
