//! What functions give, from what they are given.

use std::sync::Arc;

use indexmap::IndexMap;

use crate::expr::types::{Form, Kinds, Type};
use crate::value::Value;

/// An argument, as far as it is known before an entry is seen.
#[derive(Debug, Clone)]
pub struct Given {
    /// What it is; of an argument that is found for each item, what it is for one; of a table, what
    /// a look-up gives.
    pub gives: Type,
    /// Its value, where that stands in the expression.
    pub literal: Option<Value>,
}

pub(super) fn anything(_: &Type, _: &[Given]) -> Type {
    Type::anything()
}

pub(super) fn same(input: &Type, _: &[Given]) -> Type {
    input.clone()
}

pub(super) fn text(input: &Type, _: &[Given]) -> Type {
    Type::written(input.form)
}

pub(super) fn plain_text(_: &Type, _: &[Given]) -> Type {
    Type::written(Form::Plain)
}

pub(super) fn shorter_plain_text(input: &Type, _: &[Given]) -> Type {
    Type::written(Form::Plain).at_most(input.longest)
}

pub(super) fn no_longer(input: &Type, _: &[Given]) -> Type {
    Type::written(input.form).at_most(input.longest)
}

pub(super) fn shortened(input: &Type, given: &[Given]) -> Type {
    Type::written(input.form).at_most(most(given).into_iter().chain(input.longest).min())
}

pub(super) fn slug(_: &Type, given: &[Given]) -> Type {
    Type::written(Form::Plain).at_most(most(given))
}

/// The limit that the first argument says.
fn most(given: &[Given]) -> Option<usize> {
    match given.first()?.literal.as_ref()? {
        Value::Integer(most) => usize::try_from(*most).ok(),
        _ => None,
    }
}

pub(super) fn html(_: &Type, _: &[Given]) -> Type {
    Type::written(Form::Html)
}

pub(super) fn markdown(_: &Type, _: &[Given]) -> Type {
    Type::written(Form::Markdown)
}

pub(super) fn url(_: &Type, _: &[Given]) -> Type {
    Type::written(Form::Url)
}

pub(super) fn date(_: &Type, given: &[Given]) -> Type {
    if given.is_empty() { Type::written(Form::Date).at_most(Some(10)) } else { Type::written(Form::Plain) }
}

pub(super) fn instant(_: &Type, _: &[Given]) -> Type {
    Type::written(Form::Instant)
}

pub(super) fn text_or_null(_: &Type, _: &[Given]) -> Type {
    Type::text().or_null()
}

/// An identifier at a destination: one, or one per language, or none yet.
pub(super) fn identifier(_: &Type, _: &[Given]) -> Type {
    Type { languages: crate::expr::types::Languages::Either, ..Type::written(Form::Plain) }.or_null()
}

pub(super) fn captured(_: &Type, _: &[Given]) -> Type {
    Type { loose: true, ..Type::of_kinds(Kinds::TEXT.with(Kinds::RECORD).with(Kinds::NULL)) }
}

pub(super) fn boolean(_: &Type, _: &[Given]) -> Type {
    Type::of_kinds(Kinds::BOOLEAN)
}

pub(super) fn integer(_: &Type, _: &[Given]) -> Type {
    Type::of_kinds(Kinds::INTEGER)
}

pub(super) fn numeric(_: &Type, _: &[Given]) -> Type {
    Type::of_kinds(Kinds::NUMERIC)
}

pub(super) fn numeric_or_null(_: &Type, _: &[Given]) -> Type {
    Type::of_kinds(Kinds::NUMERIC).or_null()
}

pub(super) fn number_or_null(input: &Type, _: &[Given]) -> Type {
    if Kinds::NUMERIC.has_all(input.kinds) { input.clone() } else { Type::of_kinds(Kinds::NUMERIC).or_null() }
}

pub(super) fn rounded(_: &Type, given: &[Given]) -> Type {
    Type::of_kinds(if given.is_empty() { Kinds::INTEGER } else { Kinds::NUMERIC })
}

pub(super) fn list(_: &Type, _: &[Given]) -> Type {
    Type::of_kinds(Kinds::LIST)
}

pub(super) fn texts(_: &Type, _: &[Given]) -> Type {
    Type::list(Type::written(Form::Plain))
}

pub(super) fn present(input: &Type, _: &[Given]) -> Type {
    let item = input.item.as_ref().map(|item| Arc::new(Type::clone(item).without_null()));
    Type { item, ..input.clone() }
}

pub(super) fn flattened(input: &Type, _: &[Given]) -> Type {
    let inner = input.item.as_ref().and_then(|item| {
        let is_list = item.kinds.without(Kinds::NULL) == Kinds::LIST && !item.loose;
        let is_flat = !item.kinds.has(Kinds::LIST);
        if is_list { item.item.clone() } else { is_flat.then(|| item.clone()) }
    });
    let nulls = input.item.as_ref().is_some_and(|item| item.may_be_null());
    let item = inner.map(|item| if nulls { Arc::new(Type::clone(&item).or_null()) } else { item });
    Type { item, ..Type::of_kinds(Kinds::LIST) }
}

pub(super) fn item_or_null(input: &Type, _: &[Given]) -> Type {
    input.item.as_ref().map_or_else(Type::anything, |item| Type::clone(item)).or_null()
}

pub(super) fn list_of_argument(_: &Type, given: &[Given]) -> Type {
    given.first().map_or_else(|| Type::of_kinds(Kinds::LIST), |given| Type::list(given.gives.clone()))
}

pub(super) fn looked_up(_: &Type, given: &[Given]) -> Type {
    given.first().map_or_else(Type::anything, |given| given.gives.clone())
}

pub(super) fn record(_: &Type, _: &[Given]) -> Type {
    Type { loose: true, ..Type::of_kinds(Kinds::RECORD) }
}

pub(super) fn changes(_: &Type, _: &[Given]) -> Type {
    Type::list(members([("from", Type::text()), ("to", Type::text())]))
}

pub(super) fn scored(_: &Type, _: &[Given]) -> Type {
    Type::list(members([("phrase", Type::text()), ("score", Type::of_kinds(Kinds::NUMBER))]))
}

pub(super) fn crop(_: &Type, _: &[Given]) -> Type {
    let whole = || Type::of_kinds(Kinds::INTEGER);
    members([
        ("x", whole()),
        ("y", whole()),
        ("width", whole()),
        ("height", whole()),
        ("keeps", Type::of_kinds(Kinds::BOOLEAN)),
    ])
}

fn members<const N: usize>(of: [(&str, Type); N]) -> Type {
    Type::record(of.into_iter().map(|(name, gives)| (name.to_owned(), gives)).collect::<IndexMap<_, _>>())
}
