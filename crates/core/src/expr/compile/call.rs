//! Functions: those that are built in, and those that the hub defines.

use regex::RegexBuilder;

use super::{Compiler, Scope};
use crate::diagnostic::{Code, Diagnostic};
use crate::expr::ast::{self, Expression, Node as Tree};
use crate::expr::functions::{ALL, ENSURE, Function, Given, Lifts};
use crate::expr::library::UserFunction;
use crate::expr::program::{Argument, Call, Node, Op};
use crate::expr::types::{Kind, Kinds, Languages, Type};
use crate::value::{LaneName, Value};

/// The most bytes that a compiled pattern may take; patterns are matched in linear time.
const LARGEST_PATTERN: usize = 1 << 20;

impl Compiler<'_> {
    pub(super) fn call(&mut self, input: &Expression, call: &ast::Call) -> (Op, Type) {
        if let Some(function) = self.library.functions.get(&call.function) {
            return self.user_call(input, call, function);
        }
        let Some(function) = Function::named(&call.function) else {
            self.node(input);
            if self.library.faulty.contains(&call.function) {
                return (Op::Entry, Type::anything());
            }
            let message = format!("there is no function `{}`", call.function);
            let own = self.library.functions.keys().map(String::as_str);
            let known: Vec<&str> = ALL.iter().map(|function| function.name).chain(own).collect();
            let finding = Diagnostic::error(Code::UnknownFunction, call.span.clone(), message);
            self.report(finding.suggest(&call.function, known));
            return (Op::Entry, Type::anything());
        };
        let (node, of) = self.node(input);
        self.built_in(function, (node, of, input), call)
    }

    fn built_in(
        &mut self,
        function: &'static Function,
        (input, of, tree): (Node, Type, &Expression),
        call: &ast::Call,
    ) -> (Op, Type) {
        self.takes(function.name, function.takes, &of, tree);
        let of_items = of_each_item(function, call);
        let call = of_items.as_ref().unwrap_or(call);
        if !self.counts_fit(function.name, function.least(), function.parameters.len(), call, &function.usage()) {
            return (Op::Entry, Type::anything());
        }
        let mut arguments = Vec::with_capacity(call.arguments.len());
        let mut given = Vec::with_capacity(call.arguments.len());
        let mut nulls = false;
        let mut languages = match function.lifts {
            Lifts::Deep => of.deep_languages(),
            Lifts::Top => of.languages,
            Lifts::Whole => Languages::One,
        };
        for (parameter, argument) in function.parameters.iter().zip(&call.arguments) {
            let item = item_of(&of);
            let wants = (function, parameter.name, parameter.kind);
            let (compiled, gives) = self.argument(wants, &item, argument);
            if matches!(compiled, Argument::Value(_)) && function.lifts != Lifts::Whole {
                languages = languages.lifted_with(gives.deep_languages());
            }
            // A null argument makes the result null, as a null input does.
            let is_value = matches!(compiled, Argument::Value(_)) && parameter.kind != Kind::Anything;
            nulls |= is_value && gives.may_be_null();
            let literal = if let Tree::Literal(value) = &argument.node { Some(value.clone()) } else { None };
            let table = if let Argument::Table(table) = &compiled { Some(table.gives()) } else { None };
            given.push(Given { gives: table.unwrap_or(gives), literal });
            arguments.push(compiled);
        }
        let one = if function.lifts == Lifts::Deep { of.of_one_language() } else { of.clone() };
        let gives = (function.gives)(&one.without_null(), &given);
        // A localised value may say nothing in any language, which is null.
        let null = nulls || of.may_be_null() || (function.lifts == Lifts::Whole && of.languages != Languages::One);
        let gives = if null { gives.or_null() } else { gives };
        let languages =
            if function.lifts == Lifts::Whole { gives.languages } else { languages.lifted_with(gives.languages) };
        let call = Call { function, input, arguments };
        (Op::Call(Box::new(call)), gives.in_languages(languages))
    }

    /// Whether what comes through the pipe is what the function takes.
    fn takes(&mut self, name: &str, kind: Kind, of: &Type, tree: &Expression) {
        let phrase = kind.phrase();
        let given = self.expect(of, kind.kinds(), &tree.span, |found| {
            let help = if found.kinds.has(Kinds::LIST) { "" } else { found.advice_for(kind) };
            format!("`{name}` takes {phrase}, not {}{help}", found.clone().without_null().in_languages(Languages::One))
        });
        let (Some(wanted), Some(item), true) = (kind.item_kinds(), &of.item, given) else { return };
        self.expect(item, wanted, &tree.span, |found| {
            format!("`{name}` takes {phrase}; an item of this one can be {}", found.clone().without_null())
        });
    }

    fn counts_fit(&mut self, name: &str, least: usize, most: usize, call: &ast::Call, usage: &str) -> bool {
        let given = call.arguments.len();
        if (least..=most).contains(&given) {
            return true;
        }
        let wanted = if least == most { format!("{most}") } else { format!("{least} to {most}") };
        let noun = if most == 1 { "argument" } else { "arguments" };
        let verb = if given == 1 { "follows" } else { "follow" };
        let message = format!("`{name}` wants {wanted} {noun}, and {given} {verb} it");
        let finding = Diagnostic::error(Code::Arguments, call.span.clone(), message);
        self.report(finding.help(format!("it is written `| {usage}`")));
        false
    }

    fn argument(
        &mut self,
        (function, parameter, kind): (&'static Function, &str, Kind),
        item: &Type,
        argument: &Expression,
    ) -> (Argument, Type) {
        match kind {
            Kind::Each | Kind::Condition => self.per_item(function, kind, item, argument),
            Kind::Pattern => self.pattern(function, argument),
            Kind::Table | Kind::Terms => self.table(function, kind, argument),
            Kind::Rendition => self.rendition(function, argument),
            Kind::Lane => {
                let name = if let Tree::Name(name) = &argument.node { LaneName::new(name.clone()).ok() } else { None };
                let Some(name) = name else {
                    let message = format!("`{}` wants the name of a lane", function.name);
                    return self.refuse(function, argument, message);
                };
                if function.name == ENSURE {
                    self.uses.ensures.insert(name.clone());
                }
                (Argument::Lane(name), Type::text())
            }
            kind => {
                let (node, gives) = self.node(argument);
                self.check_argument((function, parameter, kind), &gives, argument);
                (Argument::Value(node), gives)
            }
        }
    }

    /// Says what is wrong with an argument, and how the call is written; the argument stands for nothing.
    fn refuse(&mut self, function: &Function, argument: &Expression, message: String) -> (Argument, Type) {
        let finding = Diagnostic::error(Code::Arguments, argument.span.clone(), message);
        self.report(finding.help(format!("it is written `| {}`", function.usage())));
        (Argument::Nothing, Type::anything())
    }

    /// A regular expression, which is built once.
    fn pattern(&mut self, function: &'static Function, argument: &Expression) -> (Argument, Type) {
        let Tree::Literal(Value::Text(text)) = &argument.node else {
            let message = format!("`{}` wants a pattern between double quotes", function.name);
            return self.refuse(function, argument, message);
        };
        match RegexBuilder::new(text).size_limit(LARGEST_PATTERN).build() {
            Ok(pattern) => (Argument::Pattern(Box::new(pattern)), Type::text()),
            Err(error) => {
                let reason = error.to_string();
                let reason = reason.lines().last().unwrap_or_default().trim_start_matches("error: ");
                self.refuse(function, argument, format!("this pattern cannot be read: {reason}"))
            }
        }
    }

    /// A table of the hub by its name, to look values up in or as terms of a house style.
    fn table(&mut self, function: &'static Function, kind: Kind, argument: &Expression) -> (Argument, Type) {
        let name = if let Tree::Name(name) = &argument.node { name.as_str() } else { "" };
        if let Some(table) = self.library.tables.get(name) {
            self.uses.tables.insert(name.to_owned());
            if kind == Kind::Table {
                return (Argument::Table(table.clone()), table.gives());
            }
            return match table.house_style() {
                Ok(house) => (Argument::Terms(Box::new(house)), Type::text()),
                Err(error) => self.refuse(function, argument, format!("`{name}` is no table of terms: {error}")),
            };
        }
        if self.library.faulty.contains(name) {
            return (Argument::Nothing, Type::anything());
        }
        let (message, shown) = if name.is_empty() {
            (format!("`{}` wants the name of a table", function.name), "NAME")
        } else {
            (format!("there is no table `{name}`"), name)
        };
        let finding = Diagnostic::error(Code::UnknownName, argument.span.clone(), message);
        let finding = finding.help(format!("tables are defined as `[tables.{shown}]`"));
        let known = self.library.tables.keys().map(String::as_str);
        self.report(if self.library.tables.is_empty() { finding } else { finding.suggest(name, known) });
        (Argument::Nothing, Type::anything())
    }

    /// A rendition of the hub by its name.
    fn rendition(&mut self, function: &'static Function, argument: &Expression) -> (Argument, Type) {
        let Tree::Literal(Value::Text(name)) = &argument.node else {
            let message = format!("`{}` wants the name of a rendition between double quotes", function.name);
            return self.refuse(function, argument, message);
        };
        if self.library.renditions.contains_key(name) || self.library.faulty.contains(name) {
            self.uses.renditions.insert(name.clone());
            let (node, gives) = self.node(argument);
            return (Argument::Value(node), gives);
        }
        let message = format!("there is no rendition `{name}`");
        let finding = Diagnostic::error(Code::UnknownName, argument.span.clone(), message);
        let finding = finding.help(format!("renditions are defined as `[renditions.{name}]`"));
        let known = self.library.renditions.keys().map(String::as_str);
        self.report(if self.library.renditions.is_empty() { finding } else { finding.suggest(name, known) });
        (Argument::Nothing, Type::anything())
    }

    fn check_argument(
        &mut self,
        (function, parameter, kind): (&'static Function, &str, Kind),
        gives: &Type,
        argument: &Expression,
    ) {
        let found = match &argument.node {
            Tree::Literal(value) if !kind.takes(value) => match value {
                Value::Integer(..0) => Some("a negative number".to_owned()),
                Value::Text(text) if matches!(kind, Kind::Word(_)) => Some(format!("`{text}`")),
                other => Some(other.kind_name().to_owned()),
            },
            Tree::Literal(_) => None,
            _ if matches!(kind, Kind::Word(_)) => Some("an expression".to_owned()),
            _ => {
                let strange = gives.kinds.without(kind.kinds()).without(Kinds::NULL) != Kinds::NONE;
                let possible = gives.kinds.has(kind.kinds());
                (!possible || (strange && !gives.loose)).then(|| gives.clone().without_null().to_string())
            }
        };
        let help = format!("it is written `| {}`", function.usage());
        if let Some(found) = found {
            let message = format!("`{}` wants {} for {parameter}, not {found}", function.name, kind.phrase());
            self.report(Diagnostic::error(Code::Arguments, argument.span.clone(), message).help(help));
        }
    }

    /// An argument that is found for each item. A name alone may be a function: `each trim`.
    fn per_item(
        &mut self,
        function: &'static Function,
        kind: Kind,
        item: &Type,
        argument: &Expression,
    ) -> (Argument, Type) {
        self.scopes.push(Scope::Item(item.clone()));
        let is_member = |name: &str| item.members.as_ref().is_some_and(|members| members.contains_key(name));
        let shortcut = match &argument.node {
            Tree::Name(name) if name != "it" && !is_member(name) => {
                let known = Function::named(name).is_some_and(|function| function.least() == 0);
                let own = self.library.functions.get(name).is_some_and(|own| own.parameters.is_empty());
                (known || own).then(|| name.clone())
            }
            _ => None,
        };
        let (node, gives) = match shortcut {
            Some(name) => {
                let it = Expression { node: Tree::Name("it".to_owned()), span: argument.span.clone() };
                let call = ast::Call { function: name, span: argument.span.clone(), arguments: Vec::new() };
                let piped = Expression { node: Tree::Pipe(Box::new(it), call), span: argument.span.clone() };
                self.node(&piped)
            }
            None if kind == Kind::Condition => self.condition(argument),
            None => self.node(argument),
        };
        self.scopes.pop();
        if kind == Kind::Condition && gives.languages == Languages::Each {
            let message = format!("`{}` needs one answer for an item, and this has one per language", function.name);
            let finding = Diagnostic::error(Code::ExpressionType, argument.span.clone(), message);
            self.report(finding.help("choose a language, as in `title@en`"));
        }
        (Argument::Item(node), gives)
    }

    /// The input and the arguments become frames around the function's body.
    fn user_call(&mut self, input: &Expression, call: &ast::Call, function: &UserFunction) -> (Op, Type) {
        let name = &call.function;
        self.uses.functions.insert(name.clone());
        let (value, of) = self.node(input);
        self.takes(name, function.takes, &of, input);
        let count = function.parameters.len();
        let usage =
            function.parameters.iter().fold(name.clone(), |usage, (name, _)| usage + " " + &name.to_uppercase());
        if !self.counts_fit(name, count, count, call, &usage) {
            return (Op::Entry, Type::anything());
        }
        let mut languages = of.deep_languages();
        let mut frames = vec![value];
        self.scopes.push(Scope::Hidden);
        for ((parameter, kind), argument) in function.parameters.iter().zip(&call.arguments) {
            let (node, gives) = self.node(argument);
            languages = languages.lifted_with(gives.deep_languages());
            self.expect(&gives, kind.kinds(), &argument.span, |found| {
                format!("`{name}` wants {} for {parameter}, not {}", kind.phrase(), found.clone().without_null())
            });
            frames.push(node);
            self.scopes.push(Scope::Hidden);
        }
        for _ in 0..frames.len() {
            self.scopes.pop();
        }
        if self.within.contains(name) {
            // Told where the functions are defined.
            return (Op::Entry, Type::anything());
        }
        let body = self.inlined(name, function, call);
        let op = frames
            .into_iter()
            .rev()
            .fold(body, |body, frame| Node { span: body.span.clone(), op: Op::Let(Box::new(frame), Box::new(body)) });
        (op.op, function.gives.clone().in_languages(languages.lifted_with(function.gives.languages)))
    }

    fn inlined(&mut self, name: &str, function: &UserFunction, call: &ast::Call) -> Node {
        let floor = std::mem::replace(&mut self.floor, self.scopes.len());
        let outside = std::mem::replace(&mut self.in_function, true);
        let place = self.place.clone();
        self.place.get_or_insert_with(|| call.span.clone());
        self.within.push(name.to_owned());
        self.scopes.push(Scope::Name("it".to_owned(), function.takes.as_type().or_null()));
        for (parameter, kind) in &function.parameters {
            self.scopes.push(Scope::Name(parameter.clone(), kind.as_type()));
        }
        let (body, _) = self.node(&function.body);
        self.scopes.truncate(self.floor);
        self.within.pop();
        self.place = place;
        self.in_function = outside;
        self.floor = floor;
        body
    }
}

/// What each item of a list is.
fn item_of(of: &Type) -> Type {
    of.item.as_ref().map_or_else(Type::anything, |item| (**item).clone())
}

impl Type {
    /// What may be done about a value of the wrong kind.
    fn advice_for(&self, wanted: Kind) -> &'static str {
        match wanted.kinds() {
            Kinds::TEXT if self.kinds.without(Kinds::NULL) == Kinds::REFERENCE => {
                "; a field of what it refers to is `curator.name`"
            }
            Kinds::TEXT if Kinds::SCALAR.has_all(self.kinds.without(Kinds::NULL)) => "; `| text` makes one of it",
            _ => "",
        }
    }
}

/// `each shorten 20`: the function that an argument names, with what follows it, called for each item.
fn of_each_item(function: &Function, call: &ast::Call) -> Option<ast::Call> {
    let [parameter] = function.parameters else { return None };
    let (named, arguments) = call.arguments.split_first()?;
    let Tree::Name(name) = &named.node else { return None };
    if parameter.kind != Kind::Each || arguments.is_empty() {
        return None;
    }
    let span = named.span.clone();
    let it = Expression { node: Tree::Name("it".to_owned()), span: span.clone() };
    let inner = ast::Call { function: name.clone(), span: span.clone(), arguments: arguments.to_vec() };
    let piped = Expression { node: Tree::Pipe(Box::new(it), inner), span };
    Some(ast::Call { arguments: vec![piped], ..call.clone() })
}
