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
    /// `a | shorten 160`.
    Pipe(Box<Expression>, Call),
}

impl Expression {
    /// The names at the root of every path in the expression, with their places.
    #[must_use]
    pub fn names(&self) -> Vec<(&str, &Span)> {
        let mut found = Vec::new();
        self.gather_names(&mut found);
        found
    }

    fn gather_names<'a>(&'a self, found: &mut Vec<(&'a str, &'a Span)>) {
        if let Node::Name(name) = &self.node {
            found.push((name, &self.span));
        }
        self.children().for_each(|child| child.gather_names(found));
    }

    /// The nodes right below this one, from left to right.
    pub fn children(&self) -> impl Iterator<Item = &Expression> {
        let (boxed, listed): (Vec<&Expression>, &[Expression]) = match &self.node {
            Node::Literal(_) | Node::Name(_) => (vec![], &[]),
            Node::List(items) => (vec![], items),
            Node::Member(base, _) | Node::Item(base, _) | Node::Language(base, _) | Node::Not(base) => {
                (vec![base], &[])
            }
            Node::Binary(left, _, right) => (vec![left, right], &[]),
            Node::Pipe(input, call) => (vec![input], &call.arguments),
        };
        boxed.into_iter().chain(listed)
    }
}
