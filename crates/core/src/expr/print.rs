//! The house form of an expression: one line, one space around operators, no parentheses that are
//! not needed. What is printed reads as the same expression again.

use std::fmt::{self, Display, Formatter, Write};

use super::ast::{Expression, Node};
use super::parse::token::is_plain_name;
use crate::value::Value;

/// How tightly `not`, a path's base and a pipe's head must bind; see [`Operator::binding`].
const OPEN: u8 = 0;
const OPERAND: u8 = 1;
const NOT: u8 = 3;
const COMPARISON: u8 = 4;
const PATH: u8 = 8;
const PRIMARY: u8 = 9;

impl Display for Expression {
    fn fmt(&self, f: &mut Formatter<'_>) -> fmt::Result {
        match &self.node {
            Node::Literal(value) => literal(value, f),
            Node::List(items) => {
                f.write_char('[')?;
                separated(items.iter(), f, |item, f| item.fmt(f))?;
                f.write_char(']')
            }
            Node::Record(members) => {
                f.write_str("{ ")?;
                separated(members.iter(), f, |(name, value), f| member(name, value, f))?;
                f.write_str(" }")
            }
            Node::Name(name) => plain_name(name, f),
            Node::Member(base, name) => {
                step_base(base, f)?;
                f.write_char('.')?;
                plain_name(name, f)
            }
            Node::Item(base, place) => {
                step_base(base, f)?;
                write!(f, "[{place}]")
            }
            Node::Language(base, tag) => {
                step_base(base, f)?;
                write!(f, "@{tag}")
            }
            Node::Not(inner) => {
                f.write_str("not ")?;
                bound(inner, NOT, f)
            }
            Node::Binary(left, operator, right) => {
                let binding = operator.binding();
                bound(left, if binding == COMPARISON { binding + 1 } else { binding }, f)?;
                write!(f, " {} ", operator.symbol())?;
                bound(right, binding + 1, f)
            }
            Node::If(condition, yes, no) => write!(f, "if {condition} then {yes} else {no}"),
            Node::Let(name, value, body) => {
                f.write_str("let ")?;
                plain_name(name, f)?;
                write!(f, " = {value}; {body}")
            }
            Node::Pipe(input, call) => {
                match input.node {
                    Node::Pipe(..) => input.fmt(f)?,
                    _ => bound(input, OPERAND, f)?,
                }
                f.write_str(" | ")?;
                plain_name(&call.function, f)?;
                call.arguments.iter().try_for_each(|argument| {
                    f.write_char(' ')?;
                    bound(argument, OPERAND, f)
                })
            }
        }
    }
}

fn binding(expression: &Expression) -> u8 {
    match &expression.node {
        Node::If(..) | Node::Let(..) | Node::Pipe(..) => OPEN,
        Node::Binary(_, operator, _) => operator.binding(),
        Node::Not(_) => NOT,
        Node::Member(..) | Node::Item(..) | Node::Language(..) => PATH,
        Node::Literal(_) | Node::List(_) | Node::Record(_) | Node::Name(_) => PRIMARY,
    }
}

fn bound(expression: &Expression, least: u8, f: &mut Formatter<'_>) -> fmt::Result {
    if binding(expression) >= least { expression.fmt(f) } else { write!(f, "({expression})") }
}

/// What a step leads into. A step after a number or a text would be read as a part of it.
fn step_base(base: &Expression, f: &mut Formatter<'_>) -> fmt::Result {
    match base.node {
        Node::Literal(_) => write!(f, "({base})"),
        _ => bound(base, PATH, f),
    }
}

fn member(name: &str, value: &Expression, f: &mut Formatter<'_>) -> fmt::Result {
    if is_plain_name(name) {
        if matches!(&value.node, Node::Name(own) if own == name) {
            return f.write_str(name);
        }
        f.write_str(name)?;
    } else {
        text(name, f)?;
    }
    write!(f, ": {value}")
}

fn separated<T>(
    items: impl Iterator<Item = T>,
    f: &mut Formatter<'_>,
    write: impl Fn(T, &mut Formatter<'_>) -> fmt::Result,
) -> fmt::Result {
    for (place, item) in items.enumerate() {
        if place > 0 {
            f.write_str(", ")?;
        }
        write(item, f)?;
    }
    Ok(())
}

fn plain_name(name: &str, f: &mut Formatter<'_>) -> fmt::Result {
    if is_plain_name(name) { f.write_str(name) } else { write!(f, "`{name}`") }
}

fn literal(value: &Value, f: &mut Formatter<'_>) -> fmt::Result {
    match value {
        Value::Boolean(truth) => write!(f, "{truth}"),
        Value::Integer(whole) => write!(f, "{whole}"),
        Value::Number(number) => write!(f, "{number:?}"),
        Value::Text(words) => text(words, f),
        _ => f.write_str("null"),
    }
}

fn text(words: &str, f: &mut Formatter<'_>) -> fmt::Result {
    f.write_char('"')?;
    for c in words.chars() {
        match c {
            '"' | '\\' => write!(f, "\\{c}")?,
            '\n' => f.write_str("\\n")?,
            '\t' => f.write_str("\\t")?,
            c if c.is_control() => write!(f, "\\u{{{:x}}}", u32::from(c))?,
            c => f.write_char(c)?,
        }
    }
    f.write_char('"')
}
