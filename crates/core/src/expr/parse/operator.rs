//! Operators, from the loosest to the tightest.

use super::path::{language, path};
use super::token::Kind;
use super::{Input, Parsed, SyntaxError, nested, peek, take};
use crate::expr::ast::{Expression, Node, Operator};
use winnow::error::ErrMode;

/// Everything but pipes.
pub(super) fn operators(input: &mut Input<'_>) -> Parsed<Expression> {
    let one = |wanted: Kind, operator| move |kind: &Kind| (*kind == wanted).then_some(operator);
    left_to_right(input, one(Kind::Or, Operator::Or), |input| left_to_right(input, one(Kind::And, Operator::And), not))
}

fn not(input: &mut Input<'_>) -> Parsed<Expression> {
    let Some(token) = take(input, |kind| *kind == Kind::Not) else {
        return comparison(input);
    };
    let inner = nested(input, not)?;
    Ok(Expression { span: token.span.start..inner.span.end, node: Node::Not(Box::new(inner)) })
}

fn comparison(input: &mut Input<'_>) -> Parsed<Expression> {
    let left = sum(input)?;
    let Some(operator) = compare(input) else {
        return Ok(left);
    };
    let right = sum(input)?;
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

fn sum(input: &mut Input<'_>) -> Parsed<Expression> {
    let operator = |kind: &Kind| if let Kind::Sum(operator) = kind { Some(*operator) } else { None };
    left_to_right(input, operator, product)
}

fn product(input: &mut Input<'_>) -> Parsed<Expression> {
    let operator = |kind: &Kind| if let Kind::Product(operator) = kind { Some(*operator) } else { None };
    left_to_right(input, operator, otherwise)
}

/// `a@fr ?? @en` repeats what the left side asks a language of.
fn otherwise(input: &mut Input<'_>) -> Parsed<Expression> {
    let mut left = path(input)?;
    while take(input, |kind| *kind == Kind::Otherwise).is_some() {
        let right = match (take(input, |kind| matches!(kind, Kind::Language(_))), language_base(&left)) {
            (Some(token), Some(base)) => {
                let node = Node::Language(Box::new(base.clone()), language(token)?);
                Expression { node, span: token.span.clone() }
            }
            (Some(token), None) => {
                let error = SyntaxError::new(token.span.clone(), "a language on its own follows another one");
                return Err(ErrMode::Cut(
                    error.help("write what it is asked of: `title@fr ?? title@en`, or `title@fr ?? @en`"),
                ));
            }
            (None, _) => path(input)?,
        };
        left = binary(left, Operator::Otherwise, right);
    }
    Ok(left)
}

/// What the last operand of a chain asks a language of.
fn language_base(chain: &Expression) -> Option<&Expression> {
    match &chain.node {
        Node::Language(base, _) => Some(base),
        Node::Binary(_, Operator::Otherwise, right) => language_base(right),
        _ => None,
    }
}

fn left_to_right(
    input: &mut Input<'_>,
    operator: impl Fn(&Kind) -> Option<Operator>,
    operand: impl Fn(&mut Input<'_>) -> Parsed<Expression>,
) -> Parsed<Expression> {
    let mut left = operand(input)?;
    while let Some(token) = take(input, |kind| operator(kind).is_some()) {
        let Some(operator) = operator(&token.kind) else { break };
        let right = operand(input)?;
        left = binary(left, operator, right);
    }
    Ok(left)
}

fn binary(left: Expression, operator: Operator, right: Expression) -> Expression {
    Expression { span: left.span.start..right.span.end, node: Node::Binary(Box::new(left), operator, Box::new(right)) }
}
