//! The steps that lead into a value.

use std::borrow::Cow;

use super::Scope;
use super::lift::lift;
use crate::value::{LanguageTag, Record, Value};

impl Scope<'_> {
    pub(super) fn about_entry(&self) -> Value {
        let address = self.sight.subject.address;
        let fields = [
            ("address", address.to_string()),
            ("system", address.system.to_string()),
            ("type", address.kind.to_string()),
            ("id", address.id.to_string()),
            ("state", self.sight.subject.state.word().to_owned()),
        ];
        Value::Record(fields.into_iter().map(|(name, text)| (name.to_owned(), Value::Text(text))).collect::<Record>())
    }

    pub(super) fn member<'v>(&'v self, base: Cow<'v, Value>, name: &str) -> Result<Cow<'v, Value>, String> {
        match base {
            // A record that is borrowed can lend its member, languages and all.
            Cow::Borrowed(Value::Record(fields)) => Ok(fields.get(name).map_or(Cow::Owned(Value::Null), Cow::Borrowed)),
            Cow::Owned(Value::Record(mut fields)) => Ok(Cow::Owned(fields.swap_remove(name).unwrap_or_default())),
            base => self.member_of(&base, name).map(Cow::Owned),
        }
    }

    fn member_of(&self, base: &Value, name: &str) -> Result<Value, String> {
        match base {
            Value::Null => Ok(Value::Null),
            Value::Record(fields) => Ok(fields.get(name).cloned().unwrap_or_default()),
            Value::Reference(address) => {
                self.dependencies.borrow_mut().reads.insert(address.clone());
                let Some(mut entry) = self.sight.world.follow(address).map_err(|error| self.unseen(error))? else {
                    self.dependencies.borrow_mut().dead.insert(address.clone());
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

    pub(super) fn item<'v>(&'v self, base: Cow<'v, Value>, place: i64) -> Result<Cow<'v, Value>, String> {
        match base {
            Cow::Borrowed(Value::List(items)) => Ok(at(items, place).map_or(Cow::Owned(Value::Null), Cow::Borrowed)),
            base => item_of(&base, place).map(Cow::Owned),
        }
    }

    /// What has no languages is the same in every one.
    pub(super) fn language<'v>(&'v self, base: Cow<'v, Value>, tag: &LanguageTag) -> Cow<'v, Value> {
        match base {
            Cow::Borrowed(Value::Localised(by_language)) => {
                by_language.get(tag).map_or(Cow::Owned(Value::Null), Cow::Borrowed)
            }
            Cow::Owned(Value::Localised(mut by_language)) => Cow::Owned(by_language.remove(tag).unwrap_or_default()),
            plain => plain,
        }
    }
}

fn item_of(base: &Value, place: i64) -> Result<Value, String> {
    match base {
        Value::Null => Ok(Value::Null),
        Value::List(items) => Ok(at(items, place).cloned().unwrap_or_default()),
        Value::Localised(_) => lift(&[base], &mut |plain| item_of(plain[0], place)),
        other => Err(format!("`[{place}]` is asked of a {}; only lists have items", other.kind_name())),
    }
}

fn at(items: &[Value], place: i64) -> Option<&Value> {
    let from_end = i64::try_from(items.len()).unwrap_or(i64::MAX).checked_add(place);
    let place = if place < 0 { from_end.unwrap_or(-1) } else { place };
    usize::try_from(place).ok().and_then(|at| items.get(at))
}
