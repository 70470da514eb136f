//! One table of a TOML file, read key by key; what nobody asked for is unknown.

use toml::de::{DeTable, DeValue};

use super::InnerText;
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

/// One table of the file.
#[derive(Debug)]
pub struct Section<'a> {
    text: &'a str,
    table: &'a DeTable<'a>,
    span: Span,
    path: String,
    asked: Vec<&'static str>,
    open: bool,
}

impl<'a> Section<'a> {
    pub(super) fn new(text: &'a str, table: &'a DeTable<'a>, span: Span, path: String) -> Self {
        Section { text, table, span, path, asked: Vec::new(), open: false }
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

    fn ask(&mut self, key: &'static str) -> Option<(&'a DeValue<'a>, Span)> {
        self.asked.push(key);
        self.find(key).map(|(_, value, span)| (value, span))
    }

    /// Whether the key is there.
    #[must_use]
    pub fn has(&self, key: &str) -> bool {
        self.find(key).is_some()
    }

    fn child_path(&self, key: &str) -> String {
        if self.path.is_empty() { key.to_owned() } else { format!("{}.{key}", self.path) }
    }

    fn wrong(&self, key: &str, expected: &str, found: &DeValue<'_>, span: Span, report: &mut Report) {
        let message = format!("`{}` must be {expected}, not {}", self.child_path(key), type_name(found));
        report.add(Diagnostic::error(Code::WrongType, span, message).label(format!("expected {expected}")));
    }

    /// A text, with the way back from its characters to the file.
    pub fn text(&mut self, key: &'static str, report: &mut Report) -> Option<Item<InnerText>> {
        let (value, span) = self.ask(key)?;
        match value {
            DeValue::String(text) => {
                Some(Item { value: InnerText::new(text, &self.text[span.clone()], span.start), span })
            }
            other => {
                self.wrong(key, "a text", other, span, report);
                None
            }
        }
    }

    /// A text that must be there.
    pub fn required_text(&mut self, key: &'static str, report: &mut Report) -> Option<Item<InnerText>> {
        if !self.has(key) {
            self.asked.push(key);
            self.missing(key, report);
            return None;
        }
        self.text(key, report)
    }

    /// Reports that a key is missing.
    pub fn missing(&self, key: &str, report: &mut Report) {
        let whole = if self.path.is_empty() { "the file".to_owned() } else { format!("`{}`", self.path) };
        let message = format!("{whole} needs the key `{key}`");
        report.add(
            Diagnostic::error(Code::MissingKey, self.span.clone(), message).label(format!("add `{key} = …` here")),
        );
    }

    /// A boolean.
    pub fn boolean(&mut self, key: &'static str, report: &mut Report) -> Option<bool> {
        let (value, span) = self.ask(key)?;
        if let DeValue::Boolean(truth) = value {
            return Some(*truth);
        }
        self.wrong(key, "true or false", value, span, report);
        None
    }

    /// A whole number of at least `least`.
    pub fn count(&mut self, key: &'static str, least: u64, report: &mut Report) -> Option<Item<u64>> {
        let (value, span) = self.ask(key)?;
        let number = value.as_integer().and_then(|i| u64::from_str_radix(i.as_str(), i.radix()).ok());
        match number {
            Some(number) if number >= least => Some(Item { value: number, span }),
            _ => {
                let expected = format!("a whole number of at least {least}");
                match value.as_integer() {
                    None => self.wrong(key, &expected, value, span, report),
                    Some(_) => {
                        let given = &self.text[span.clone()];
                        let message = format!("`{}` must be {expected}, not {given}", self.child_path(key));
                        report.add(Diagnostic::error(Code::BadValue, span, message));
                    }
                }
                None
            }
        }
    }

    /// A list of texts.
    pub fn texts(&mut self, key: &'static str, report: &mut Report) -> Option<Vec<Item<String>>> {
        let (value, span) = self.ask(key)?;
        let DeValue::Array(items) = value else {
            self.wrong(key, "a list of texts", value, span, report);
            return None;
        };
        let mut texts = Vec::new();
        for item in items.iter() {
            match item.get_ref() {
                DeValue::String(text) => texts.push(Item { value: text.to_string(), span: item.span() }),
                other => self.wrong(key, "a list of texts", other, item.span(), report),
            }
        }
        Some(texts)
    }

    /// One text, or a list of them.
    pub fn text_or_texts(&mut self, key: &'static str, report: &mut Report) -> Vec<Item<InnerText>> {
        let Some((value, span)) = self.ask(key) else { return Vec::new() };
        let inner =
            |text: &str, span: Span| Item { value: InnerText::new(text, &self.text[span.clone()], span.start), span };
        match value {
            DeValue::String(text) => vec![inner(text, span)],
            DeValue::Array(items) if items.iter().all(|item| matches!(item.get_ref(), DeValue::String(_))) => {
                items.iter().filter_map(|item| Some(inner(item.get_ref().as_str()?, item.span()))).collect()
            }
            other => {
                self.wrong(key, "a text or a list of texts", other, span, report);
                Vec::new()
            }
        }
    }

    /// A table.
    pub fn section(&mut self, key: &'static str, report: &mut Report) -> Option<Section<'a>> {
        self.asked.push(key);
        self.section_at(key, report)
    }

    fn section_at(&self, key: &str, report: &mut Report) -> Option<Section<'a>> {
        let (name_span, value, span) = self.find(key)?;
        match value {
            DeValue::Table(table) => {
                // A table with a header of its own begins at the header; an inline one at its brace.
                let at = if self.text[span.clone()].starts_with(['{', '[']) { span } else { name_span };
                Some(Section::new(self.text, table, at, self.child_path(key)))
            }
            other => {
                self.wrong(key, "a table", other, span, report);
                None
            }
        }
    }

    /// A text or a table.
    pub fn shape(&mut self, key: &'static str, report: &mut Report) -> Option<TextOrTable<'a>> {
        match self.find(key)? {
            (_, DeValue::String(_), _) => self.text(key, report).map(TextOrTable::Text),
            _ => self.section(key, report).map(TextOrTable::Table),
        }
    }

    /// All keys of a table whose keys are the user's own names.
    pub fn names(&mut self) -> Vec<Item<String>> {
        self.open = true;
        self.table.iter().map(|(name, _)| Item { value: name.get_ref().to_string(), span: name.span() }).collect()
    }

    /// The table under one of the user's own names.
    pub fn named_section(&self, name: &str, report: &mut Report) -> Option<Section<'a>> {
        self.section_at(name, report)
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
        let (value, span) = self.ask(key)?;
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
            (rest, DeValue::Table(table)) => Section::new(self.text, table, name, String::new()).place(rest),
            _ => None,
        }
    }

    /// Reports every key that nobody asked for, with the nearest that has a meaning here.
    pub fn finish(&self, report: &mut Report) {
        if self.open {
            return;
        }
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
