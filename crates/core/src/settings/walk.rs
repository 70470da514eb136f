//! Finding what stands in a file by its form.

use toml::Spanned;
use toml::de::{DeTable, DeValue};

use super::{Form, Table};
use crate::diagnostic::Span;

/// Every text of a form in a file, with its place; those alone that can be read, for nothing is reported.
#[must_use]
pub fn texts_of(text: &str, described: &'static Table, form: Form) -> Vec<(Span, String)> {
    let (file, _) = DeTable::parse_recoverable(text);
    let mut walk = Walk { form, found: Vec::new() };
    walk.table(file.get_ref(), described);
    walk.found
}

struct Walk {
    form: Form,
    found: Vec<(Span, String)>,
}

impl Walk {
    fn table(&mut self, values: &DeTable<'_>, table: &'static Table) {
        for (name, value) in values.iter() {
            if let Some(setting) = table.setting(name.get_ref()) {
                self.value(value, &setting.form);
            }
        }
    }

    fn value(&mut self, value: &Spanned<DeValue<'_>>, form: &'static Form) {
        match (value.get_ref(), form) {
            (DeValue::String(text), Form::Text(is)) => {
                if matches!(self.form, Form::Text(wanted) if std::ptr::eq(wanted, *is)) {
                    self.found.push((value.span(), text.to_string()));
                }
            }
            (DeValue::Array(items), Form::List(of) | Form::OneOrMany(of)) => {
                items.iter().for_each(|item| self.value(item, of));
            }
            (_, Form::OneOrMany(of)) => self.value(value, of),
            (DeValue::Table(_), Form::Either(_, long)) => self.value(value, long),
            (_, Form::Either(short, _)) => self.value(value, short),
            (DeValue::Table(values), Form::Table(table)) => self.table(values, table),
            (DeValue::Table(values), Form::Named(of)) => values.iter().for_each(|(_, value)| self.value(value, of)),
            (DeValue::Table(values), Form::Variants(variants)) => {
                let word = values.iter().find(|(name, _)| name.get_ref() == variants.by);
                let word = word.and_then(|(_, word)| word.get_ref().as_str());
                let chosen = (variants.of)().into_iter().find(|(known, _)| Some(*known) == word);
                if let Some((_, table)) = chosen {
                    self.table(values, table);
                }
            }
            _ => {}
        }
    }
}
