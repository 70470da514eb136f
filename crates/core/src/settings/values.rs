//! The values of settings, each as its description has it.

use toml::de::DeValue;

use super::{Form, InnerText, Item, Section};
use crate::diagnostic::{Code, Diagnostic, Report, Span};

impl<'a> Section<'a> {
    /// A text, with the way back from its characters to the file; the usual one where there is none.
    pub fn text(&mut self, key: &'static str, report: &mut Report) -> Option<Item<InnerText>> {
        let Some((value, span)) = self.ask(key, report) else {
            let usual = self.usual(key)?;
            return Some(Item { value: InnerText::usual(usual), span: self.span.clone() });
        };
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

    /// The characters of a text; of the usual one where there is none.
    pub fn string(&mut self, key: &'static str, report: &mut Report) -> Option<String> {
        self.text(key, report).map(|item| item.value.as_str().to_owned())
    }

    /// True or false; the usual one where there is none, and false where that is none either.
    pub fn boolean(&mut self, key: &'static str, report: &mut Report) -> bool {
        let Some((value, span)) = self.ask(key, report) else { return self.usual(key) == Some("true") };
        if let DeValue::Boolean(truth) = value {
            return *truth;
        }
        self.wrong(key, "true or false", value, span, report);
        false
    }

    /// A whole number of at least what its description says; the usual one where there is none.
    pub fn count(&mut self, key: &'static str, report: &mut Report) -> Option<Item<u64>> {
        let Some((value, span)) = self.ask(key, report) else {
            let usual = self.usual(key)?.parse().ok()?;
            return Some(Item { value: usual, span: self.span.clone() });
        };
        let least = match self.setting(key).map(|setting| setting.form) {
            Some(Form::Count(least)) => least,
            _ => 0,
        };
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
                        self.refuse(key, span, message, report);
                    }
                }
                None
            }
        }
    }

    /// The meaning of one word of several; the usual one where there is none.
    pub fn word<T: Clone>(&mut self, key: &'static str, words: &[(&str, T)], report: &mut Report) -> Option<T> {
        let item = self.text(key, report)?;
        one_of(item.value.as_str(), item.span, words, self.what(key), report)
    }

    /// What each of a setting's words is.
    #[must_use]
    pub fn what(&self, key: &str) -> &'static str {
        fn what(form: &Form) -> &'static str {
            match form {
                Form::Word { what, .. } => what,
                Form::List(of) | Form::OneOrMany(of) | Form::Named(of) | Form::Either(of, _) => what(of),
                _ => "known here",
            }
        }
        self.setting(key).map_or("known here", |setting| what(&setting.form))
    }

    /// A list of texts.
    pub fn texts(&mut self, key: &'static str, report: &mut Report) -> Option<Vec<Item<String>>> {
        let (value, span) = self.ask(key, report)?;
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
        let Some((value, span)) = self.ask(key, report) else { return Vec::new() };
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

    /// The meanings of a list of words.
    pub fn words<T: Clone>(&mut self, key: &'static str, words: &[(&str, T)], report: &mut Report) -> Vec<T> {
        let items = self.texts(key, report).unwrap_or_default();
        let what = self.what(key);
        items.into_iter().filter_map(|item| one_of(&item.value, item.span, words, what, report)).collect()
    }
}

/// The meaning of one word of several, which are all `what`: `a state`.
pub fn one_of<T: Clone>(word: &str, span: Span, words: &[(&str, T)], what: &str, report: &mut Report) -> Option<T> {
    let found = words.iter().find(|(known, _)| *known == word).map(|(_, value)| value.clone());
    if found.is_none() {
        let finding = Diagnostic::error(Code::BadValue, span, format!("`{word}` is not {what}"));
        report.add(finding.suggest(word, words.iter().map(|(word, _)| *word)));
    }
    found
}
