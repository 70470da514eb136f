//! One table of a TOML file, read key by key; what nobody asked for is unknown.

use toml::de::{DeTable, DeValue};

use super::{Form, InnerText, Setting, Table, Usual};
use crate::diagnostic::{Code, Diagnostic, Report, Span};
use crate::value::Value;

/// A value with its place.
#[derive(Debug, Clone, PartialEq)]
pub struct Item<T> {
    /// The value.
    pub value: T,
    /// Where it stands.
    pub span: Span,
}

/// A value that may be written as a text or as a table.
#[derive(Debug)]
pub enum TextOrTable<'a> {
    /// A text.
    Text(Item<InnerText>),
    /// A table.
    Table(Section<'a>),
}

/// What stands in a table.
#[derive(Debug, Clone, Copy)]
enum Within {
    /// These settings.
    Settings(&'static Table),
    /// Names of the user's own, each with this.
    Names(&'static Form),
}

impl Within {
    /// What stands in a table that has this form.
    fn of(form: &'static Form) -> Within {
        match form {
            Form::Table(table) => Within::Settings(table),
            Form::Variants(variants) => {
                let first = (variants.of)().first().map(|(_, table)| *table);
                first.map_or(Within::Names(&Form::Anything), Within::Settings)
            }
            Form::Named(of) => Within::Names(of),
            Form::Either(_, long) => Within::of(long),
            Form::List(of) | Form::OneOrMany(of) => Within::of(of),
            Form::Text(_) | Form::Word { .. } | Form::Boolean | Form::Count(_) | Form::Anything => {
                Within::Names(&Form::Anything)
            }
        }
    }
}

/// One table of the file.
#[derive(Debug)]
pub struct Section<'a> {
    pub(super) text: &'a str,
    table: &'a DeTable<'a>,
    pub(super) span: Span,
    path: String,
    within: Within,
    pub(super) asked: Vec<&'static str>,
}

impl<'a> Section<'a> {
    pub(super) fn whole(text: &'a str, table: &'a DeTable<'a>, span: Span, described: &'static Table) -> Self {
        Section { text, table, span, path: String::new(), within: Within::Settings(described), asked: Vec::new() }
    }

    /// The same table as one of other settings, which its reader chose by a word in it.
    pub fn is(&mut self, described: &'static Table) {
        self.within = Within::Settings(described);
    }

    /// The description of a key. Reading one that is not described is a fault of the program.
    pub(super) fn setting(&self, key: &str) -> Option<&'static Setting> {
        let Within::Settings(table) = self.within else { return None };
        let setting = table.setting(key);
        debug_assert!(setting.is_some(), "`{key}` of the table {} is read and not described", table.name);
        setting
    }

    /// Whether the key has a meaning here.
    #[must_use]
    pub fn describes(&self, key: &str) -> bool {
        matches!(self.within, Within::Settings(table) if table.setting(key).is_some())
    }

    /// What counts where a key is not there, as an example is written.
    pub(super) fn usual(&self, key: &str) -> Option<&'static str> {
        match self.setting(key)?.usual {
            Usual::Is(value) => Some(value),
            Usual::Required | Usual::None => None,
        }
    }

    /// Where the table begins.
    #[must_use]
    pub fn span(&self) -> Span {
        self.span.clone()
    }

    /// The table's name in the file: `systems.catalogue`.
    #[must_use]
    pub fn path(&self) -> &str {
        &self.path
    }

    fn find(&self, key: &str) -> Option<(Span, &'a DeValue<'a>, Span)> {
        let (name, value) = self.table.get_key_value(key)?;
        Some((name.span(), value.get_ref(), value.span()))
    }

    /// What stands under a key. A setting that must be there and is not is reported.
    pub(super) fn ask(&mut self, key: &'static str, report: &mut Report) -> Option<(&'a DeValue<'a>, Span)> {
        self.asked.push(key);
        let found = self.find(key).map(|(_, value, span)| (value, span));
        if found.is_none() && self.setting(key).is_some_and(|setting| setting.usual == Usual::Required) {
            self.missing(key, report);
        }
        found
    }

    /// Whether the key is there.
    #[must_use]
    pub fn has(&self, key: &str) -> bool {
        self.find(key).is_some()
    }

    pub(super) fn child_path(&self, key: &str) -> String {
        if self.path.is_empty() { key.to_owned() } else { format!("{}.{key}", self.path) }
    }

    pub(super) fn wrong(&self, key: &str, expected: &str, found: &DeValue<'_>, span: Span, report: &mut Report) {
        let message = format!("`{}` must be {expected}, not {}", self.child_path(key), type_name(found));
        let finding = Diagnostic::error(Code::WrongType, span, message).label(format!("expected {expected}"));
        report.add(self.with_example(finding, key));
    }

    /// A finding with a line that would be right.
    fn with_example(&self, finding: Diagnostic, key: &str) -> Diagnostic {
        let setting = match self.within {
            Within::Settings(table) => table.setting(key),
            Within::Names(_) => None,
        };
        match setting {
            Some(setting) => finding.help(format!("for example `{}`", setting.line())),
            None => finding,
        }
    }

    /// What was read of a setting cannot be what it should be.
    pub fn refuse(&self, key: &'static str, item_span: Span, message: impl Into<String>, report: &mut Report) {
        report.add(self.with_example(Diagnostic::error(Code::BadValue, item_span, message), key));
    }

    /// Reports that a key is missing.
    pub fn missing(&self, key: &str, report: &mut Report) {
        let whole = if self.path.is_empty() { "the file".to_owned() } else { format!("`{}`", self.path) };
        let message = format!("{whole} needs the key `{key}`");
        let finding = Diagnostic::error(Code::MissingKey, self.span.clone(), message);
        report.add(self.with_example(finding.label(format!("add `{key} = …` here")), key));
    }

    /// A table.
    pub fn section(&mut self, key: &'static str, report: &mut Report) -> Option<Section<'a>> {
        self.ask(key, report)?;
        let within = self.setting(key).map_or(Within::Names(&Form::Anything), |setting| Within::of(&setting.form));
        self.section_at(key, within, report)
    }

    fn section_at(&self, key: &str, within: Within, report: &mut Report) -> Option<Section<'a>> {
        let (name_span, value, span) = self.find(key)?;
        match value {
            DeValue::Table(table) => {
                // A table with a header of its own begins at the header; an inline one at its brace.
                let at = if self.text[span.clone()].starts_with(['{', '[']) { span } else { name_span };
                let path = self.child_path(key);
                Some(Section { text: self.text, table, span: at, path, within, asked: Vec::new() })
            }
            other => {
                self.wrong(key, "a table", other, span, report);
                None
            }
        }
    }

    /// A text or a table.
    pub fn shape(&mut self, key: &'static str, report: &mut Report) -> Option<TextOrTable<'a>> {
        match self.find(key) {
            Some((_, DeValue::Table(_), _)) => self.section(key, report).map(TextOrTable::Table),
            _ => self.text(key, report).map(TextOrTable::Text),
        }
    }

    /// All keys of a table whose keys are the user's own names.
    pub fn names(&mut self) -> Vec<Item<String>> {
        if let Within::Settings(_) = self.within {
            self.within = Within::Names(&Form::Anything);
        }
        self.table.iter().map(|(name, _)| Item { value: name.get_ref().to_string(), span: name.span() }).collect()
    }

    /// The table under one of the user's own names.
    pub fn named_section(&self, name: &str, report: &mut Report) -> Option<Section<'a>> {
        let within = match self.within {
            Within::Names(form) => Within::of(form),
            Within::Settings(_) => Within::Names(&Form::Anything),
        };
        self.section_at(name, within, report)
    }

    /// The text under one of the user's own names.
    pub fn named_text(&self, name: &str, report: &mut Report) -> Option<Item<InnerText>> {
        let (_, value, span) = self.find(name)?;
        match value {
            DeValue::String(text) => {
                Some(Item { value: InnerText::new(text, &self.text[span.clone()], span.start), span })
            }
            other => {
                self.wrong(name, "a text", other, span, report);
                None
            }
        }
    }

    /// The text or table under one of the user's own names.
    pub fn named_shape(&self, name: &str, report: &mut Report) -> Option<TextOrTable<'a>> {
        match self.find(name)? {
            (_, DeValue::String(_), _) => self.named_text(name, report).map(TextOrTable::Text),
            _ => self.named_section(name, report).map(TextOrTable::Table),
        }
    }

    /// Any value: a text, a number, true or false, a list or a table of them.
    pub fn value(&mut self, key: &'static str) -> Option<Item<Value>> {
        self.asked.push(key);
        let (_, value, span) = self.find(key)?;
        Some(Item { value: plain(value), span })
    }

    /// The value under one of the user's own names.
    #[must_use]
    pub fn named_value(&self, name: &str) -> Option<Item<Value>> {
        let (_, value, span) = self.find(name)?;
        Some(Item { value: plain(value), span })
    }

    /// Where the key at the end of a path stands, beginning in this table.
    #[must_use]
    pub fn place(&self, path: &[&str]) -> Option<Span> {
        let (first, rest) = path.split_first()?;
        let (name, value, _) = self.find(first)?;
        match (rest, value) {
            ([], _) => Some(name),
            (rest, DeValue::Table(table)) => {
                let (path, within) = (String::new(), Within::Names(&Form::Anything));
                Section { text: self.text, table, span: name, path, within, asked: Vec::new() }.place(rest)
            }
            _ => None,
        }
    }

    /// Reports every key that nobody asked for, with the nearest that has a meaning here.
    pub fn finish(&self, report: &mut Report) {
        let Within::Settings(described) = self.within else { return };
        for (key, other) in described.needs {
            if self.has(key) && !self.has(other) {
                self.missing(other, report);
            }
        }
        // A setting that is described is read, or does nothing.
        debug_assert!(
            report.has_errors() || described.settings().all(|setting| self.asked.contains(&setting.key)),
            "of {}, {:?} is read, and all of {:?} is described",
            described.name,
            self.asked,
            described.settings().map(|setting| setting.key).collect::<Vec<_>>()
        );
        for (name, value) in self.table.iter() {
            let key = name.get_ref().as_ref();
            if !self.asked.contains(&key) {
                if let DeValue::String(text) = value.get_ref()
                    && looks_secret(key, text)
                {
                    let finding =
                        Diagnostic::error(Code::ClearSecret, value.span(), format!("`{key}` looks like a secret"));
                    report.add(
                        finding
                            .label("hidden here")
                            .help("a credential is named by reference: `bearer = \"env:NAME\"`"),
                    );
                }
                let whole = if self.path.is_empty() { String::new() } else { format!(" in `{}`", self.path) };
                let finding = Diagnostic::error(Code::UnknownKey, name.span(), format!("unknown key `{key}`{whole}"));
                report.add(finding.suggest(key, self.asked.iter().copied()));
            }
        }
    }
}

fn plain(value: &DeValue<'_>) -> Value {
    match value {
        DeValue::String(text) => Value::Text(text.to_string()),
        DeValue::Integer(whole) => i64::from_str_radix(whole.as_str(), whole.radix())
            .map_or_else(|_| Value::Text(whole.as_str().to_owned()), Value::Integer),
        DeValue::Float(number) => {
            number.as_str().parse().map_or_else(|_| Value::Text(number.as_str().to_owned()), Value::Number)
        }
        DeValue::Boolean(truth) => Value::Boolean(*truth),
        DeValue::Datetime(moment) => Value::Text(moment.to_string()),
        DeValue::Array(items) => Value::List(items.iter().map(|item| plain(item.get_ref())).collect()),
        DeValue::Table(table) => Value::Record(
            table.iter().map(|(name, value)| (name.get_ref().to_string(), plain(value.get_ref()))).collect(),
        ),
    }
}

/// Whether a key that has no meaning here may hold a secret all the same, which no excerpt may show.
fn looks_secret(key: &str, text: &str) -> bool {
    let key = key.to_lowercase();
    let named_so = ["token", "secret", "password", "passwd", "key", "bearer", "auth", "credential"];
    named_so.iter().any(|word| key.contains(word)) && !text.starts_with("env:") && !text.starts_with("file:")
}

fn type_name(value: &DeValue<'_>) -> &'static str {
    match value {
        DeValue::String(_) => "a text",
        DeValue::Integer(_) => "a whole number",
        DeValue::Float(_) => "a number",
        DeValue::Boolean(_) => "true or false",
        DeValue::Datetime(_) => "a date",
        DeValue::Array(_) => "a list",
        DeValue::Table(_) => "a table",
    }
}
