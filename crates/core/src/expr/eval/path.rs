//! Names, and the steps that lead into a value.

use std::borrow::Cow;

use super::lift::lift;
use super::{EvalError, Scope, failed};
use crate::diagnostic::Span;
use crate::expr::ast::Expression;
use crate::value::{LanguageTag, Record, Value};

impl<'a> Scope<'a> {
    /// `state` and `entry` are of every entry; `fields` reaches a field that one of them hides.
    pub(super) fn name(&self, name: &str) -> Cow<'a, Value> {
        match name {
            "state" => Cow::Owned(self.subject.state.word().into()),
            "entry" => Cow::Owned(self.about_entry()),
            "fields" => Cow::Owned(Value::Record(self.subject.fields.clone())),
            field => self.subject.fields.get(field).map_or(Cow::Owned(Value::Null), Cow::Borrowed),
        }
    }

    fn about_entry(&self) -> Value {
        let address = self.subject.address;
        let fields = [
            ("address", address.to_string()),
            ("system", address.system.to_string()),
            ("type", address.kind.to_string()),
            ("id", address.id.to_string()),
            ("state", self.subject.state.word().to_owned()),
        ];
        Value::Record(fields.into_iter().map(|(name, text)| (name.to_owned(), Value::Text(text))).collect::<Record>())
    }

    pub(super) fn member(&self, base: &'a Expression, name: &str, span: &Span) -> Result<Cow<'a, Value>, EvalError> {
        if let crate::expr::ast::Node::Name(root) = &base.node
            && root == "fields"
        {
            return Ok(self.subject.fields.get(name).map_or(Cow::Owned(Value::Null), Cow::Borrowed));
        }
        let base = self.value(base)?;
        // A record that is borrowed can lend its member, languages and all.
        if let Cow::Borrowed(Value::Record(fields)) = base {
            return Ok(fields.get(name).map_or(Cow::Owned(Value::Null), Cow::Borrowed));
        }
        self.member_of(&base, name).map(Cow::Owned).map_err(failed(span))
    }

    fn member_of(&self, base: &Value, name: &str) -> Result<Value, String> {
        match base {
            Value::Null => Ok(Value::Null),
            Value::Record(fields) => Ok(fields.get(name).cloned().unwrap_or_default()),
            Value::Reference(address) => {
                self.reads.borrow_mut().insert(address.clone());
                let Some(mut entry) = self.follow.follow(address) else {
                    self.dead.borrow_mut().insert(address.clone());
                    return Ok(Value::Null);
                };
                match name {
                    "state" => Ok(entry.state.word().into()),
                    field => Ok(entry.fields.swap_remove(field).unwrap_or_default()),
                }
            }
            Value::Localised(_) => lift(&[base], &mut |plain| self.member_of(plain[0], name)),
            other => {
                Err(format!("`.{name}` is asked of a {}; only records and references have members", other.kind_name()))
            }
        }
    }

    pub(super) fn item(&self, base: &'a Expression, place: i64, span: &Span) -> Result<Cow<'a, Value>, EvalError> {
        let base = self.value(base)?;
        let item = |list: &Value| match list {
            Value::Null => Ok(Value::Null),
            Value::List(items) => {
                let from_end = i64::try_from(items.len()).unwrap_or(i64::MAX).checked_add(place);
                let place = if place < 0 { from_end.unwrap_or(-1) } else { place };
                Ok(usize::try_from(place).ok().and_then(|at| items.get(at)).cloned().unwrap_or_default())
            }
            other => Err(format!("`[{place}]` is asked of a {}; only lists have items", other.kind_name())),
        };
        match base.as_ref() {
            Value::Localised(_) => lift(&[&base], &mut |plain| item(plain[0])),
            plain => item(plain),
        }
        .map(Cow::Owned)
        .map_err(failed(span))
    }

    pub(super) fn language(
        &self,
        base: &'a Expression,
        tag: &LanguageTag,
        span: &Span,
    ) -> Result<Cow<'a, Value>, EvalError> {
        match self.value(base)? {
            Cow::Borrowed(Value::Localised(by_language)) => {
                Ok(by_language.get(tag).map_or(Cow::Owned(Value::Null), Cow::Borrowed))
            }
            Cow::Owned(Value::Localised(mut by_language)) => {
                Ok(Cow::Owned(by_language.remove(tag).unwrap_or_default()))
            }
            value if value.is_null() => Ok(value),
            other => Err(failed(span)(format!("`@{tag}` is asked of a {} that has no languages", other.kind_name()))),
        }
    }
}
