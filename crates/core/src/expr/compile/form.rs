//! Lists, records, `let` and `if`.

use super::{Compiler, Scope};
use crate::expr::ast::Expression;
use crate::expr::program::{Node, Op};
use crate::expr::types::{Kinds, Type};

impl Compiler<'_> {
    pub(super) fn list(&mut self, items: &[Expression]) -> (Op, Type) {
        let (nodes, types): (Vec<Node>, Vec<Type>) = items.iter().map(|item| self.node(item)).unzip();
        (Op::List(nodes), Type::list(Type::of_all(types.into_iter())))
    }

    pub(super) fn record(&mut self, members: &[(String, Expression)]) -> (Op, Type) {
        let mut nodes = Vec::with_capacity(members.len());
        let mut types = indexmap::IndexMap::new();
        for (name, value) in members {
            let (node, gives) = self.node(value);
            nodes.push((name.clone(), node));
            types.insert(name.clone(), gives);
        }
        (Op::Record(nodes), Type::record(types))
    }

    /// A condition: true, false, or null, which counts as false.
    pub(super) fn condition(&mut self, tree: &Expression) -> (Node, Type) {
        let (node, gives) = self.node(tree);
        self.expect(&gives, Kinds::BOOLEAN, &tree.span, |found| {
            format!("a condition must be true or false, not {}", found.clone().without_null())
        });
        (node, gives)
    }

    pub(super) fn choice(&mut self, condition: &Expression, yes: &Expression, no: &Expression) -> (Op, Type) {
        let (condition, holds) = self.condition(condition);
        let (yes, first) = self.node(yes);
        let (no, second) = self.node(no);
        let gives = first.or(&second);
        let languages = gives.languages.lifted_with(holds.languages);
        (Op::If(Box::new(condition), Box::new(yes), Box::new(no)), gives.in_languages(languages))
    }

    pub(super) fn local(&mut self, name: &str, value: &Expression, body: &Expression) -> (Op, Type) {
        let (value, gives) = self.node(value);
        self.scopes.push(Scope::Name(name.to_owned(), gives));
        let (body, gives) = self.node(body);
        self.scopes.pop();
        (Op::Let(Box::new(value), Box::new(body)), gives)
    }
}
