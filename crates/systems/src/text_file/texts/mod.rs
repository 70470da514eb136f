//! Files of texts by key, as programs have them: each text is an item with its `key`, its `text`, what developers `note`
//! about it, and whether it is `translatable`. Where its form depends on a number it has a `plural` instead, as a message
//! (ICU MessageFormat); where it has markup, `html`.

mod android;
mod apple;
mod catalogue;
mod json;
mod language;
mod plural;
mod properties;
mod resx;
mod tree;

use std::collections::HashSet;

use serde_json::{Map, Value as Json, json};

use super::encoding::{utf8, xml_text};

pub(crate) use language::{InPath, language_in};

/// The forms of files of texts by key.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum TextsForm {
    /// `strings.xml` of Android.
    Android,
    /// `.resx` of .NET.
    Resx,
    /// `.properties` of Java.
    Properties,
    /// `.strings` of Apple's systems.
    Strings,
    /// `.xcstrings`, all languages in one file.
    Catalogue,
    /// JSON, whose texts are plain or messages, within objects as deep as they like.
    Json,
}

impl TextsForm {
    /// Every form with its word.
    pub(crate) const WORDS: [(&str, TextsForm); 6] = [
        ("android", TextsForm::Android),
        ("resx", TextsForm::Resx),
        ("properties", TextsForm::Properties),
        ("strings", TextsForm::Strings),
        ("xcstrings", TextsForm::Catalogue),
        ("json", TextsForm::Json),
    ];

    /// Whether a file has all languages.
    pub(crate) fn has_all_languages(self) -> bool {
        self == TextsForm::Catalogue
    }
}

/// The most texts of a file.
const MOST: usize = 200_000;

/// A text of a file.
#[derive(Debug, Default)]
struct Text {
    key: String,
    note: String,
    said: Said,
    is_kept: bool,
}

/// What a text says.
#[derive(Debug)]
enum Said {
    Plain(String),
    Html(String),
    Plural(String),
    /// By the language's code, plain or plural.
    ByLanguage(Vec<(String, Said)>),
}

impl Default for Said {
    fn default() -> Said {
        Said::Plain(String::new())
    }
}

impl Said {
    fn member(&self) -> (&'static str, &str) {
        match self {
            Said::Plain(text) => ("text", text),
            Said::Html(text) => ("html", text),
            Said::Plural(text) => ("plural", text),
            Said::ByLanguage(_) => ("text", ""),
        }
    }
}

/// The texts of a file, and what is wrong with some.
#[derive(Debug, Default)]
struct Texts {
    texts: Vec<Json>,
    known: HashSet<String>,
    problems: Vec<Json>,
}

impl Texts {
    fn add(&mut self, text: Text) -> Result<(), String> {
        if self.texts.len() >= MOST {
            return Err(format!("has more than {MOST} texts"));
        }
        let Text { key, note, said, is_kept } = text;
        if !self.known.insert(key.clone()) {
            self.problem(&key, "stands there twice; the first counts");
            return Ok(());
        }
        let mut members = Map::new();
        members.insert("key".to_owned(), key.into());
        match &said {
            Said::ByLanguage(by_code) => {
                for (code, said) in by_code {
                    let (member, text) = said.member();
                    let of_member = members.entry(member).or_insert_with(|| json!({}));
                    if let Json::Object(by_code) = of_member {
                        by_code.insert(code.clone(), text.into());
                    }
                }
            }
            said => {
                let (member, text) = said.member();
                members.insert(member.to_owned(), text.into());
            }
        }
        if !note.is_empty() {
            members.insert("note".to_owned(), note.into());
        }
        members.insert("translatable".to_owned(), (!is_kept).into());
        self.texts.push(Json::Object(members));
        Ok(())
    }

    fn problem(&mut self, key: &str, why: &str) {
        let shown: String = key.chars().take(80).collect();
        self.problems.push(json!({ "key": key, "why": format!("`{shown}` {why}") }));
    }
}

/// The texts of a file as `texts`, and what is wrong with some as `problems`.
///
/// # Errors
/// Where the file is not of its form, and where.
pub(super) fn parse(form: TextsForm, bytes: &[u8]) -> Result<Json, String> {
    let mut texts = Texts::default();
    match form {
        TextsForm::Android => android::read(&xml_text(bytes)?, &mut texts)?,
        TextsForm::Resx => resx::read(&xml_text(bytes)?, &mut texts)?,
        TextsForm::Properties => properties::read(&properties::decoded(bytes), &mut texts)?,
        TextsForm::Strings => apple::read(bytes, &mut texts)?,
        TextsForm::Catalogue => catalogue::read(utf8(bytes)?, &mut texts)?,
        TextsForm::Json => json::read(utf8(bytes)?, &mut texts)?,
    }
    Ok(json!({ "texts": texts.texts, "problems": texts.problems }))
}

#[cfg(test)]
mod tests;
