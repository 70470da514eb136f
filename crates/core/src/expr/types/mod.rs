//! What an expression can give: the types mirror the values.

mod field;
mod kind;
mod kinds;
mod words;

use std::sync::Arc;

use indexmap::IndexMap;

use crate::value::{TypeName, Value};

pub use kind::Kind;
pub use kinds::Kinds;

/// What an expression can give, for any entry.
#[derive(Debug, Clone, PartialEq)]
pub struct Type {
    /// The kinds of value, null among them.
    pub kinds: Kinds,
    /// Whether there is one value, or one per language.
    pub languages: Languages,
    /// Whether more than this is not known before an entry is seen: then only what is sure to fail
    /// is a fault.
    pub loose: bool,
    /// Of a list: what its items are. Not known where it is not given.
    pub item: Option<Arc<Type>>,
    /// Of a record: what its members are.
    pub members: Option<Arc<IndexMap<String, Type>>>,
    /// Of a reference: the type it leads to.
    pub to: Option<TypeName>,
    /// Of a text: how it is written.
    pub form: Form,
    /// Of a text: the most characters it can have.
    pub longest: Option<usize>,
}

/// Whether a value is one, or one per language.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub enum Languages {
    /// One value.
    #[default]
    One,
    /// A value per language.
    Each,
    /// Either.
    Either,
}

/// How a text is written.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub enum Form {
    /// Nothing is known.
    #[default]
    Any,
    /// Plain text.
    Plain,
    /// HTML.
    Html,
    /// Markdown.
    Markdown,
    /// A calendar date.
    Date,
    /// A point in time.
    Instant,
    /// A web address.
    Url,
}

impl Type {
    /// Any value at all, of which nothing is known.
    #[must_use]
    pub fn anything() -> Type {
        Type { loose: true, languages: Languages::Either, ..Type::of_kinds(Kinds::ALL) }
    }

    /// Values of these kinds.
    #[must_use]
    pub fn of_kinds(kinds: Kinds) -> Type {
        Type {
            kinds,
            languages: Languages::One,
            loose: false,
            item: None,
            members: None,
            to: None,
            form: Form::Any,
            longest: None,
        }
    }

    /// Text.
    #[must_use]
    pub fn text() -> Type {
        Type::of_kinds(Kinds::TEXT)
    }

    /// Text written in one form.
    #[must_use]
    pub fn written(form: Form) -> Type {
        Type { form, ..Type::text() }
    }

    /// A list of such items.
    #[must_use]
    pub fn list(item: Type) -> Type {
        Type { item: Some(Arc::new(item)), ..Type::of_kinds(Kinds::LIST) }
    }

    /// A record of such members.
    #[must_use]
    pub fn record(members: IndexMap<String, Type>) -> Type {
        Type { members: Some(Arc::new(members)), ..Type::of_kinds(Kinds::RECORD) }
    }

    /// The type of a value that stands in the expression.
    #[must_use]
    pub fn of(value: &Value) -> Type {
        match value {
            Value::Null => Type::of_kinds(Kinds::NULL),
            Value::Boolean(_) => Type::of_kinds(Kinds::BOOLEAN),
            Value::Integer(_) => Type::of_kinds(Kinds::INTEGER),
            Value::Number(_) => Type::of_kinds(Kinds::NUMBER),
            Value::Text(text) => Type { longest: Some(text.chars().count()), ..Type::text() },
            Value::List(items) => Type::list(Type::of_all(items.iter().map(Type::of))),
            Value::Record(fields) => {
                Type::record(fields.iter().map(|(name, value)| (name.clone(), Type::of(value))).collect())
            }
            Value::Localised(by_language) => {
                Type { languages: Languages::Each, ..Type::of_all(by_language.values().map(Type::of)) }
            }
            Value::Reference(address) => Type { to: Some(address.kind.clone()), ..Type::of_kinds(Kinds::REFERENCE) },
        }
    }

    /// What any of several is; of none it is nothing but null.
    pub fn of_all(types: impl Iterator<Item = Type>) -> Type {
        types.reduce(|one, other| one.or(&other)).unwrap_or_else(|| Type::of_kinds(Kinds::NULL))
    }

    /// The same, or null.
    #[must_use]
    pub fn or_null(mut self) -> Type {
        self.kinds = self.kinds.with(Kinds::NULL);
        self
    }

    /// The same, but never null.
    #[must_use]
    pub fn without_null(mut self) -> Type {
        self.kinds = self.kinds.without(Kinds::NULL);
        self
    }

    /// The same, in these languages.
    #[must_use]
    pub fn in_languages(mut self, languages: Languages) -> Type {
        self.languages = languages;
        self
    }

    /// The same, with at most so many characters where it is text.
    #[must_use]
    pub fn at_most(mut self, longest: Option<usize>) -> Type {
        self.longest = longest;
        self
    }

    /// Whether it may be null.
    #[must_use]
    pub fn may_be_null(&self) -> bool {
        self.kinds.has(Kinds::NULL)
    }

    /// What it is in one language.
    #[must_use]
    pub fn of_one_language(&self) -> Type {
        let mut one = self.clone().in_languages(Languages::One);
        one.item = self.item.as_ref().map(|item| Arc::new(item.of_one_language()));
        let plain = |members: &Arc<IndexMap<String, Type>>| {
            Arc::new(members.iter().map(|(name, member)| (name.clone(), member.of_one_language())).collect())
        };
        one.members = self.members.as_ref().map(plain);
        // A language may be missing.
        if self.deep_languages() == Languages::One { one } else { one.or_null() }
    }

    /// Whether it, or anything in it, has a value per language.
    #[must_use]
    pub fn deep_languages(&self) -> Languages {
        let inner = self.item.iter().map(|item| item.deep_languages());
        let members = self.members.iter().flat_map(|members| members.values().map(Type::deep_languages));
        inner.chain(members).fold(self.languages, Languages::lifted_with)
    }

    /// Whether a value is one of this type.
    #[must_use]
    pub fn admits(&self, value: &Value) -> bool {
        if self.loose && self.kinds == Kinds::ALL {
            return true;
        }
        match (value, self.languages) {
            (Value::Localised(_), Languages::One) => false,
            (Value::Localised(by_language), _) => by_language.values().all(|inner| {
                let one = self.clone().in_languages(Languages::One).or_null();
                one.admits(inner)
            }),
            // Nothing in any language is null, and what is made of that has no languages.
            (Value::Null, Languages::Each | Languages::Either) => true,
            (value, _) => self.kinds.has_all(Kinds::of(value)) && self.admits_parts(value),
        }
    }

    fn admits_parts(&self, value: &Value) -> bool {
        match (value, &self.item, &self.members) {
            (Value::Text(text), ..) => self.longest.is_none_or(|longest| text.chars().count() <= longest),
            (Value::List(items), Some(item), _) => items.iter().all(|one| item.admits(one)),
            (Value::Record(fields), _, Some(members)) => {
                fields.iter().all(|(name, value)| members.get(name).is_some_and(|member| member.admits(value)))
            }
            _ => true,
        }
    }

    /// What either is.
    #[must_use]
    pub fn or(&self, other: &Type) -> Type {
        if self.kinds == Kinds::NULL && !self.loose {
            return Type { languages: other.languages, ..other.clone().or_null() };
        }
        if other.kinds == Kinds::NULL && !other.loose {
            return self.clone().or_null();
        }
        Type {
            kinds: self.kinds.with(other.kinds),
            languages: if self.languages == other.languages { self.languages } else { Languages::Either },
            loose: self.loose || other.loose,
            item: same_part(Kinds::LIST, self, other, |one| one.item.clone(), |a, b| Some(Arc::new(a.or(b)))),
            members: same_part(
                Kinds::RECORD,
                self,
                other,
                |one| one.members.clone(),
                |a, b| (a == b).then(|| a.clone()),
            ),
            to: same_part(Kinds::REFERENCE, self, other, |one| one.to.clone(), |a, b| (a == b).then(|| a.clone())),
            form: match (self.kinds.has(Kinds::TEXT), other.kinds.has(Kinds::TEXT)) {
                (true, true) if self.form != other.form => Form::Any,
                (false, true) => other.form,
                _ => self.form,
            },
            longest: same_part(Kinds::TEXT, self, other, |one| one.longest, |a, b| Some(*a.max(b))),
        }
    }
}

/// A part that only one kind of value has: known of both where both can be of that kind.
fn same_part<T>(
    kind: Kinds,
    one: &Type,
    other: &Type,
    part: impl Fn(&Type) -> Option<T>,
    both: impl Fn(&T, &T) -> Option<T>,
) -> Option<T> {
    match (one.kinds.has(kind), other.kinds.has(kind)) {
        (true, true) => both(&part(one)?, &part(other)?),
        (true, false) => part(one),
        (false, _) => part(other),
    }
}

impl Languages {
    /// What a step over two operands gives: a value per language where any of them is one.
    #[must_use]
    pub fn lifted_with(self, other: Languages) -> Languages {
        match (self, other) {
            (Languages::Each, _) | (_, Languages::Each) => Languages::Each,
            (Languages::Either, _) | (_, Languages::Either) => Languages::Either,
            _ => Languages::One,
        }
    }
}
