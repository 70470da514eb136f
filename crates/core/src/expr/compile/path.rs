//! Names, and the steps that lead into a value.

use indexmap::IndexMap;

use super::{Compiler, Scope};
use crate::diagnostic::{Code, Diagnostic, Span};
use crate::expr::ast::{Expression, Node as Tree};
use crate::expr::program::Op;
use crate::expr::types::{Form, Kinds, Languages, Type};
use crate::model::EntryType;
use crate::value::{LanguageTag, TypeName};

/// The names that every entry has.
const ENTRY_NAMES: [&str; 5] = ["state", "entry", "fields", "now", "previous"];
/// What `entry` holds.
const ENTRY_MEMBERS: [&str; 5] = ["address", "system", "type", "id", "state"];

impl Compiler<'_> {
    /// A local name, a member of the item at hand, a name that every entry has, or a field.
    pub(super) fn name(&mut self, name: &str, span: &Span) -> (Op, Type) {
        let mut item = None;
        for (up, scope) in self.scopes[self.floor..].iter().rev().enumerate() {
            match scope {
                Scope::Name(known, gives) if known == name => return (Op::Local(up), gives.clone()),
                Scope::Item(gives) if name == "it" && item.is_none() => return (Op::Local(up), gives.clone()),
                Scope::Item(gives) if item.is_none() => item = Some((up, gives.clone())),
                _ => {}
            }
        }
        if let Some((up, gives)) = item {
            let frame = super::Node { op: Op::Local(up), span: span.clone() };
            let member = self.member_of(&gives, name, span, true);
            return (Op::Member(Box::new(frame), name.to_owned()), member);
        }
        if self.in_function {
            return self.not_in_a_function(name, span);
        }
        match name {
            "state" => (Op::State, Type::written(Form::Plain)),
            "entry" => (Op::Entry, entry_type()),
            "now" => {
                self.uses.now = true;
                (Op::Now, Type::written(Form::Instant))
            }
            "previous" => {
                self.uses.previous = true;
                (Op::Previous, Type { loose: true, ..Type::of_kinds(Kinds::RECORD) }.or_null())
            }
            "fields" => {
                let finding = Diagnostic::error(Code::UnknownField, span.clone(), "`fields` alone is no value");
                self.report(finding.help("say which field, as in `fields.state`"));
                (Op::Entry, Type::anything())
            }
            "it" => {
                let finding =
                    Diagnostic::error(Code::UnknownField, span.clone(), "there is no item here for `it` to mean");
                self.report(finding.help(
                    "`it` is the item within `each`, `where`, `sort` and their like; a field of that name is `fields.it`",
                ));
                (Op::Entry, Type::anything())
            }
            field => self.field(field, span),
        }
    }

    fn not_in_a_function(&mut self, name: &str, span: &Span) -> (Op, Type) {
        let names: Vec<&str> = self.scopes[self.floor..]
            .iter()
            .filter_map(|scope| if let Scope::Name(name, _) = scope { Some(name.as_str()) } else { None })
            .collect();
        let message = format!("`{name}` is not known in a function, which sees `it` and its parameters alone");
        let finding = Diagnostic::error(Code::UnknownField, span.clone(), message).suggest(name, names);
        self.report(finding);
        (Op::Entry, Type::anything())
    }

    fn field(&mut self, name: &str, span: &Span) -> (Op, Type) {
        self.uses.fields.insert(name.to_owned());
        let gives = match self.own_type() {
            None => Type::anything(),
            Some((kind, own)) => match own.fields.get(name) {
                Some(field) => Type::of_field(field),
                None => {
                    let known: Vec<&str> = own.fields.keys().map(String::as_str).chain(ENTRY_NAMES).collect();
                    let message = format!("`{kind}` has no field `{name}`");
                    self.report(Diagnostic::error(Code::UnknownField, span.clone(), message).suggest(name, known));
                    Type::anything()
                }
            },
        };
        (Op::Field(self.slots.place(name)), gives)
    }

    fn own_type(&self) -> Option<(TypeName, EntryType)> {
        let known = self.known?;
        Some((known.kind.clone(), known.model.get(known.kind)?.clone()))
    }

    pub(super) fn member(&mut self, base: &Expression, name: &str, span: &Span) -> (Op, Type) {
        let own = span.end.saturating_sub(name.len())..span.end;
        let is_fields = matches!(&base.node, Tree::Name(root) if root == "fields");
        if is_fields && !self.in_function && !self.is_local("fields") {
            return self.field(name, &own);
        }
        let (base, of) = self.node(base);
        let gives = self.member_of(&of, name, &own, false);
        (Op::Member(Box::new(base), name.to_owned()), gives)
    }

    fn is_local(&self, name: &str) -> bool {
        self.scopes[self.floor..].iter().any(|scope| matches!(scope, Scope::Name(known, _) if known == name))
    }

    /// What a member of a record, or a field of the entry that a reference leads to, is.
    fn member_of(&mut self, of: &Type, name: &str, span: &Span, is_item: bool) -> Type {
        let kinds = of.kinds;
        if kinds == Kinds::NULL && !of.loose {
            return Type::of_kinds(Kinds::NULL);
        }
        let leads = Kinds::RECORD.with(Kinds::REFERENCE);
        let possible = kinds.has(leads);
        let strange = kinds.without(leads).without(Kinds::NULL) != Kinds::NONE;
        if !possible || (strange && !of.loose) {
            let message = format!("`{name}` is asked of what has no members");
            let help = if is_item {
                format!("`it` is the item itself; the entry's own field is `fields.{name}`")
            } else if kinds.has(Kinds::LIST) {
                format!("ask each item: `| each {name}`, or one: `| first` before it")
            } else {
                "records and references have members".to_owned()
            };
            let finding = Diagnostic::error(Code::ExpressionType, span.clone(), message);
            self.report(finding.label(format!("this is asked of {of}")).help(help));
            return Type::anything();
        }
        let mut found = Vec::new();
        if kinds.has(Kinds::RECORD) {
            found.push(match &of.members {
                None => Type::anything(),
                Some(members) => members.get(name).cloned().unwrap_or_else(|| {
                    let message = format!("the record has no `{name}`");
                    let known = members.keys().map(String::as_str);
                    self.report(Diagnostic::error(Code::UnknownField, span.clone(), message).suggest(name, known));
                    Type::anything()
                }),
            });
        }
        if kinds.has(Kinds::REFERENCE) {
            found.push(self.referenced(of, name, span));
        }
        let gives = Type::of_all(found.into_iter());
        let gives = if of.may_be_null() { gives.or_null() } else { gives };
        let languages = of.languages.lifted_with(gives.languages);
        gives.in_languages(languages)
    }

    fn referenced(&mut self, of: &Type, name: &str, span: &Span) -> Type {
        if name == "state" {
            return Type::text().or_null();
        }
        let known = of.to.as_ref().and_then(|to| Some((to, self.known?.model.get(to)?)));
        let Some((to, target)) = known else { return Type::anything() };
        match target.fields.get(name) {
            // What is referred to may not be there.
            Some(field) => Type::of_field(field).or_null(),
            None => {
                let message = format!("`{to}` has no field `{name}`");
                let fields: Vec<String> = target.fields.keys().cloned().chain(["state".to_owned()]).collect();
                let known = fields.iter().map(String::as_str);
                self.report(Diagnostic::error(Code::UnknownField, span.clone(), message).suggest(name, known));
                Type::anything()
            }
        }
    }

    pub(super) fn item(&mut self, base: &Expression, place: i64) -> (Op, Type) {
        let span = base.span.clone();
        let (base, of) = self.node(base);
        self.expect(&of, Kinds::LIST, &span, |found| format!("`[{place}]` takes an item of a list, not of {found}"));
        if of.kinds == Kinds::NULL && !of.loose {
            return (Op::Item(Box::new(base), place), of);
        }
        let item = of.item.as_ref().map_or_else(Type::anything, |item| (**item).clone());
        let languages = of.languages.lifted_with(item.languages);
        (Op::Item(Box::new(base), place), item.or_null().in_languages(languages))
    }

    pub(super) fn language(&mut self, base: &Expression, tag: &LanguageTag, span: &Span) -> (Op, Type) {
        self.uses.languages.insert(tag.clone());
        let (base, of) = self.node(base);
        if of.languages == Languages::One && (of.kinds != Kinds::NULL || of.loose) {
            let message = format!("`@{tag}` asks for a language of what has none");
            let finding = Diagnostic::error(Code::NoLanguages, span.clone(), message);
            self.report(finding.label(format!("this is {of}")).help("leave the language out"));
        }
        (Op::Language(Box::new(base), tag.clone()), of.in_languages(Languages::One).or_null())
    }
}

fn entry_type() -> Type {
    let members: IndexMap<String, Type> =
        ENTRY_MEMBERS.iter().map(|name| ((*name).to_owned(), Type::written(Form::Plain))).collect();
    Type::record(members)
}
