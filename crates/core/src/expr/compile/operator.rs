//! Operators: what they take, and what they give.

use super::Compiler;
use crate::diagnostic::{Code, Diagnostic, Span};
use crate::expr::ast::{Expression, Operator};
use crate::expr::program::Op;
use crate::expr::types::{Form, Kinds, Languages, Type};

impl Compiler<'_> {
    pub(super) fn not(&mut self, inner: &Expression) -> (Op, Type) {
        let (node, gives) = self.condition(inner);
        (Op::Not(Box::new(node)), Type::of_kinds(Kinds::BOOLEAN).in_languages(gives.languages))
    }

    pub(super) fn binary(
        &mut self,
        left: &Expression,
        operator: Operator,
        right: &Expression,
        span: &Span,
    ) -> (Op, Type) {
        let is_condition = matches!(operator, Operator::And | Operator::Or);
        let ((first, a), (second, b)) = if is_condition {
            (self.condition(left), self.condition(right))
        } else {
            (self.node(left), self.node(right))
        };
        let asks_for_null = matches!(operator, Operator::Equal | Operator::NotEqual)
            && [&a, &b].iter().any(|side| side.kinds == Kinds::NULL && !side.loose);
        let languages = if asks_for_null { Languages::One } else { a.deep_languages().lifted_with(b.deep_languages()) };
        let gives = match operator {
            Operator::And | Operator::Or => Type::of_kinds(Kinds::BOOLEAN),
            Operator::Equal | Operator::NotEqual => self.equality(&a, operator, &b, span),
            Operator::In => self.containing(&a, &b, &right.span),
            Operator::Less | Operator::LessOrEqual | Operator::Greater | Operator::GreaterOrEqual => {
                self.order(&a, operator, &b, span)
            }
            Operator::Add => self.sum(&a, &b, span),
            Operator::Subtract | Operator::Multiply | Operator::Divide | Operator::Remainder => {
                self.arithmetic(&a, (operator, &left.span, &right.span), &b)
            }
            Operator::Otherwise => {
                let gives = a.clone().without_null().or(&b);
                let gives = if a.kinds == Kinds::NULL && !a.loose { b.clone() } else { gives };
                // Whichever side is taken keeps its own languages.
                let languages = match (a.languages, b.languages) {
                    (Languages::Each, _) if !a.may_be_null() => Languages::Each,
                    (one, other) if one == other => one,
                    (Languages::One, _) if !a.may_be_null() && !a.loose => Languages::One,
                    (Languages::Each, _) | (_, Languages::Each) => languages,
                    _ => Languages::Either,
                };
                return (Op::Binary(Box::new(first), operator, Box::new(second)), gives.in_languages(languages));
            }
        };
        (Op::Binary(Box::new(first), operator, Box::new(second)), gives.in_languages(languages))
    }

    /// Values of kinds that have nothing in common are never equal.
    fn equality(&mut self, a: &Type, operator: Operator, b: &Type, span: &Span) -> Type {
        let widened = |kinds: Kinds| {
            let kinds = if kinds.has(Kinds::NUMERIC) { kinds.with(Kinds::NUMERIC) } else { kinds };
            if kinds.has(Kinds::REFERENCE) { kinds.with(Kinds::TEXT) } else { kinds }
        };
        let common = widened(a.kinds).and(widened(b.kinds));
        let asks_for_null = a.kinds == Kinds::NULL || b.kinds == Kinds::NULL;
        if common == Kinds::NONE && !asks_for_null {
            let message = format!("{a} and {b} are never equal");
            let always = if operator == Operator::Equal { "false" } else { "true" };
            self.report(
                Diagnostic::error(Code::ExpressionType, span.clone(), message)
                    .label(format!("this is always {always}")),
            );
        }
        Type::of_kinds(Kinds::BOOLEAN)
    }

    fn containing(&mut self, item: &Type, whole: &Type, span: &Span) -> Type {
        let wholes = Kinds::LIST.with(Kinds::TEXT).with(Kinds::RECORD);
        self.expect(whole, wholes, span, |found| format!("`in` looks in lists, texts and records, not in {found}"));
        let needs_text = !whole.kinds.has(Kinds::LIST) && !whole.loose && whole.kinds != Kinds::NULL;
        if needs_text {
            self.expect(item, Kinds::TEXT, span, |found| format!("`in` looks for a text here, not for {found}"));
        }
        Type::of_kinds(Kinds::BOOLEAN)
    }

    fn order(&mut self, a: &Type, operator: Operator, b: &Type, span: &Span) -> Type {
        let fits = |kinds: Kinds| {
            let within = |one: &Type| {
                if one.loose {
                    one.kinds.has(kinds) || one.may_be_null()
                } else {
                    one.kinds.without(kinds).without(Kinds::NULL) == Kinds::NONE
                }
            };
            within(a) && within(b)
        };
        if !fits(Kinds::NUMERIC) && !fits(Kinds::TEXT) {
            let message = format!("{a} and {b} have no order between them");
            let finding = Diagnostic::error(Code::ExpressionType, span.clone(), message);
            self.report(finding.label(format!("`{}` compares numbers, or texts", operator.symbol())));
        }
        Type::of_kinds(Kinds::BOOLEAN)
    }

    /// Numbers are added up; texts, with numbers among them, and lists follow each other.
    fn sum(&mut self, a: &Type, b: &Type, span: &Span) -> Type {
        let (x, y) = (a.kinds.without(Kinds::NULL), b.kinds.without(Kinds::NULL));
        let within = |one: &Type, kinds: Kinds| {
            let own = one.kinds.without(Kinds::NULL);
            if one.loose { own.has(kinds) || one.may_be_null() } else { own.without(kinds) == Kinds::NONE }
        };
        let mut gives: Vec<Type> = Vec::new();
        if within(a, Kinds::NUMERIC) && within(b, Kinds::NUMERIC) {
            let whole = x == Kinds::INTEGER && y == Kinds::INTEGER;
            gives.push(Type::of_kinds(if whole { Kinds::INTEGER } else { Kinds::NUMERIC }));
        }
        let texts =
            within(a, Kinds::SCALAR) && within(b, Kinds::SCALAR) && (within(a, Kinds::TEXT) || within(b, Kinds::TEXT));
        if texts {
            let only_texts = within(a, Kinds::TEXT) && within(b, Kinds::TEXT);
            let longest = a.longest.zip(b.longest).filter(|_| only_texts).map(|(a, b)| a + b);
            let form = match (a.form, b.form) {
                (a, b) if a == b => a,
                (Form::Html, _) | (_, Form::Html) => Form::Html,
                _ => Form::Any,
            };
            gives.push(Type { form, ..Type::text().at_most(longest) });
        }
        let lists = within(a, Kinds::LIST) && within(b, Kinds::LIST);
        if lists {
            let item = match (&a.item, &b.item) {
                (Some(a), Some(b)) => Some(a.or(b).into()),
                (Some(one), None) if y == Kinds::NONE => Some(one.clone()),
                (None, Some(one)) if x == Kinds::NONE => Some(one.clone()),
                _ => None,
            };
            gives.push(Type { item, ..Type::of_kinds(Kinds::LIST) });
        }
        if gives.is_empty() {
            let message = format!("{a} and {b} cannot be added");
            let finding = Diagnostic::error(Code::ExpressionType, span.clone(), message);
            self.report(finding.help("`+` adds numbers, and puts texts, or lists, one after the other"));
            return Type::anything();
        }
        let loose = a.loose || b.loose;
        let only_lists = gives.len() == 1 && lists;
        let gives = Type { loose, ..Type::of_all(gives.into_iter()) };
        // A missing list counts as an empty one.
        let null = if only_lists { a.may_be_null() && b.may_be_null() } else { a.may_be_null() || b.may_be_null() };
        if null { gives.or_null() } else { gives }
    }

    fn arithmetic(&mut self, a: &Type, (operator, left, right): (Operator, &Span, &Span), b: &Type) -> Type {
        let wanted = if operator == Operator::Remainder { Kinds::INTEGER } else { Kinds::NUMERIC };
        let symbol = operator.symbol();
        let what = if operator == Operator::Remainder { "whole numbers" } else { "numbers" };
        self.expect(a, wanted, left, |found| format!("`{symbol}` takes {what}, not {}", found.clone().without_null()));
        self.expect(b, wanted, right, |found| format!("`{symbol}` takes {what}, not {}", found.clone().without_null()));
        let whole = |one: &Type| one.kinds.without(Kinds::NULL) == Kinds::INTEGER;
        let kinds = match operator {
            Operator::Remainder => Kinds::INTEGER,
            Operator::Divide => Kinds::NUMBER,
            _ if whole(a) && whole(b) => Kinds::INTEGER,
            _ => Kinds::NUMERIC,
        };
        let gives = Type::of_kinds(kinds);
        if a.may_be_null() || b.may_be_null() { gives.or_null() } else { gives }
    }
}
