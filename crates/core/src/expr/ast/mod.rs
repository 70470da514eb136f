//! The syntax tree, every node with its place in the text.

mod call;
mod operator;

pub use call::Call;
pub use operator::Operator;

use crate::diagnostic::Span;
use crate::value::{LanguageTag, Value};

/// A node with its place.
#[derive(Debug, Clone, PartialEq)]
pub struct Expression {
    /// What it is.
    pub node: Node,
    /// Where it stands, in bytes of the expression's text.
    pub span: Span,
}

/// What a node can be.
#[derive(Debug, Clone, PartialEq)]
pub enum Node {
    /// `null`, `true`, `12`, `1.5`, `"text"`.
    Literal(Value),
    /// `[a, b]`.
    List(Vec<Expression>),
    /// `{ url: image, alt: caption }`.
    Record(Vec<(String, Expression)>),
    /// A field of the entry, or one of the names every entry has.
    Name(String),
    /// `curator.name`: a member of a record, or a field of the entry that a reference leads to.
    Member(Box<Expression>, String),
    /// `tags[0]`: an item of a list, from its end where negative.
    Item(Box<Expression>, i64),
    /// `heading@en`: one language of a localised value.
    Language(Box<Expression>, LanguageTag),
    /// `not a`.
    Not(Box<Expression>),
    /// `a == b`, `a ?? b` and their like.
    Binary(Box<Expression>, Operator, Box<Expression>),
    /// `if a then b else c`.
    If(Box<Expression>, Box<Expression>, Box<Expression>),
    /// `let name = a; b`.
    Let(String, Box<Expression>, Box<Expression>),
    /// `a | shorten 160`.
    Pipe(Box<Expression>, Call),
}

impl Expression {
    /// The nodes right below this one, from left to right.
    #[must_use]
    pub fn children(&self) -> Vec<&Expression> {
        match &self.node {
            Node::Literal(_) | Node::Name(_) => Vec::new(),
            Node::List(items) => items.iter().collect(),
            Node::Record(members) => members.iter().map(|(_, value)| value).collect(),
            Node::Member(base, _) | Node::Item(base, _) | Node::Language(base, _) | Node::Not(base) => vec![base],
            Node::Binary(left, _, right) => vec![left, right],
            Node::If(condition, yes, no) => vec![condition, yes, no],
            Node::Let(_, value, body) => vec![value, body],
            Node::Pipe(input, call) => std::iter::once(&**input).chain(&call.arguments).collect(),
        }
    }
}
