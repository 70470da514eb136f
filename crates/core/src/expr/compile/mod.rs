//! From a syntax tree to a program: names are found once, types are checked, and what is known
//! before any entry is seen is settled. Only this makes programs.

mod call;
mod form;
mod operator;
mod path;

use std::sync::Arc;

use super::ast::{self, Expression};
use super::library::Library;
use super::program::{Node, Op, Program, Slots, Uses};
use super::types::{Kinds, Type};
use crate::diagnostic::{Code, Diagnostic, Span};
use crate::model::Model;
use crate::value::TypeName;

/// What is known of the source.
#[derive(Debug, Clone, Copy)]
pub struct KnownFields<'a> {
    /// The source system's model; a type that is not in it is not checked.
    pub model: &'a Model,
    /// The type of the entry.
    pub kind: &'a TypeName,
}

/// Compiles an expression over an entry. The program is there where no finding is an error.
pub fn compile(
    tree: &Expression,
    known: Option<KnownFields<'_>>,
    library: &Library,
    slots: &mut Slots,
) -> (Option<Program>, Vec<Diagnostic>) {
    let mut compiler = Compiler::new(known, library, slots);
    let (root, gives) = compiler.node(tree);
    compiler.finish(root, gives)
}

/// Compiles the body of a function that the hub defines, to find its faults and what it gives.
pub fn compile_function(
    takes: super::types::Kind,
    parameters: &[(String, super::types::Kind)],
    body: &Expression,
    library: &Library,
) -> (Option<Type>, Vec<Diagnostic>) {
    let mut slots = Slots::default();
    let mut compiler = Compiler::new(None, library, &mut slots);
    compiler.in_function = true;
    compiler.scopes.push(Scope::Name("it".to_owned(), takes.as_type().or_null()));
    for (name, kind) in parameters {
        compiler.scopes.push(Scope::Name(name.clone(), kind.as_type()));
    }
    let (root, gives) = compiler.node(body);
    let (program, findings) = compiler.finish(root, gives);
    (program.map(|program| program.gives), findings)
}

/// A name that a frame gives a value to.
#[derive(Debug, Clone)]
enum Scope {
    /// `let name = …`, and the parameters of functions.
    Name(String, Type),
    /// The item that a list function is at: `it`, whose members have names of their own.
    Item(Type),
    /// A frame that nothing written here can see.
    Hidden,
}

struct Compiler<'a> {
    known: Option<KnownFields<'a>>,
    library: &'a Library,
    slots: &'a mut Slots,
    uses: Uses,
    findings: Vec<Diagnostic>,
    scopes: Vec<Scope>,
    /// Within the body of a function of the hub: no fields are seen, and no scope below this.
    in_function: bool,
    floor: usize,
    /// Where the call stands whose function's body is compiled; its own places lie in another text.
    place: Option<Span>,
    /// Functions of the hub that are being compiled.
    within: Vec<String>,
    /// How many steps the program has.
    steps: usize,
}

/// Functions that call functions may grow a program beyond its text, but not beyond this.
const MOST_STEPS: usize = 20_000;

impl<'a> Compiler<'a> {
    fn new(known: Option<KnownFields<'a>>, library: &'a Library, slots: &'a mut Slots) -> Self {
        Compiler {
            known,
            library,
            slots,
            uses: Uses::default(),
            findings: Vec::new(),
            scopes: Vec::new(),
            in_function: false,
            floor: 0,
            place: None,
            within: Vec::new(),
            steps: 0,
        }
    }

    fn finish(self, root: Node, gives: Type) -> (Option<Program>, Vec<Diagnostic>) {
        let sound = !self.findings.iter().any(Diagnostic::is_error);
        (sound.then(|| Program { root: Arc::new(root), gives, uses: self.uses }), self.findings)
    }

    fn node(&mut self, tree: &Expression) -> (Node, Type) {
        let span = self.place.clone().unwrap_or_else(|| tree.span.clone());
        self.steps += 1;
        if self.steps > MOST_STEPS {
            if self.steps == MOST_STEPS + 1 {
                let message = format!("with its functions this has more than {MOST_STEPS} steps");
                self.findings.push(Diagnostic::error(Code::ExpressionSyntax, span.clone(), message));
            }
            return (Node { op: Op::Entry, span }, Type::anything());
        }
        let (op, gives) = match &tree.node {
            ast::Node::Literal(value) => (Op::Literal(value.clone()), Type::of(value)),
            ast::Node::List(items) => self.list(items),
            ast::Node::Record(members) => self.record(members),
            ast::Node::Name(name) => self.name(name, &tree.span),
            ast::Node::Member(base, name) => self.member(base, name, &tree.span),
            ast::Node::Item(base, place) => self.item(base, *place),
            ast::Node::Language(base, tag) => self.language(base, tag, &tree.span),
            ast::Node::Not(inner) => self.not(inner),
            ast::Node::Binary(left, operator, right) => self.binary(left, *operator, right, &tree.span),
            ast::Node::If(condition, yes, no) => self.choice(condition, yes, no),
            ast::Node::Let(name, value, body) => self.local(name, value, body),
            ast::Node::Pipe(input, call) => self.call(input, call),
        };
        (Node { op, span }, gives)
    }

    fn report(&mut self, finding: Diagnostic) {
        // A fault in a function's body is told where it is defined.
        if self.place.is_none() {
            self.findings.push(finding);
        }
    }

    /// A value that must be of these kinds, or null where that may flow.
    fn expect(&mut self, found: &Type, wanted: Kinds, span: &Span, message: impl FnOnce(&Type) -> String) -> bool {
        let strange = found.kinds.without(wanted).without(Kinds::NULL);
        let possible = found.kinds.and(wanted) != Kinds::NONE || found.kinds == Kinds::NULL;
        if (found.loose && possible) || strange == Kinds::NONE {
            return true;
        }
        let text = message(found);
        self.report(Diagnostic::error(Code::ExpressionType, span.clone(), text).label(format!("this is {found}")));
        false
    }
}

#[cfg(test)]
mod tests;
