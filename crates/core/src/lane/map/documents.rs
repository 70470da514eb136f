//! The documents that an entry becomes, field by field, held against what the destination takes.

use std::borrow::Cow;
use std::collections::{BTreeMap, BTreeSet};

use super::{Borrowed, Fault, Mapped, Mapper};
use crate::expr::lift;
use crate::lane::{Documents, FieldExpression, Lane, Target};
use crate::model::{Field, FieldKind, Misfit, fit};
use crate::plan::Document;
use crate::text::{TooMuch, clean};
use crate::value::{LanguageTag, Value, languages_of, project};

impl<'a> Mapper<'a> {
    pub(super) fn documents(&mut self, lane: &'a Lane, target: &Target) -> Mapped<Borrowed<'a>> {
        let whole = self.whole(lane);
        if !self.faults.is_empty() {
            return Mapped::Faulty(std::mem::take(&mut self.faults));
        }
        let mut incomplete = BTreeMap::new();
        let mut documents = Vec::new();
        match &target.documents {
            Documents::One => documents.extend(self.document(lane, target, whole, None)),
            Documents::OneLanguage(language) => {
                let plain = in_language(&whole, language);
                documents.extend(self.document(lane, target, plain, None));
            }
            Documents::PerLanguage => {
                let mut languages: BTreeSet<LanguageTag> =
                    whole.iter().flat_map(|(_, value)| languages_of(value)).cloned().collect();
                if languages.is_empty() {
                    languages.extend(lane.language.clone());
                }
                if languages.is_empty() {
                    self.fault(
                        "fields",
                        None,
                        "have no language, and the destination has a document per language; map a localised field, or say the lane's `language`",
                    );
                }
                let localised = whole.iter().filter(|(_, value)| !languages_of(value).is_empty()).count();
                for language in languages {
                    let missing = missing_in(&whole, &language, target);
                    if missing.is_empty() {
                        documents.extend(self.document(lane, target, in_language(&whole, &language), Some(language)));
                    } else if missing.len() < localised || localised == 1 {
                        incomplete.insert(language, missing);
                    }
                }
                if documents.is_empty() && self.faults.is_empty() {
                    self.blame_incomplete(&incomplete);
                }
            }
        }
        if self.faults.is_empty() {
            Mapped::Goes { documents, incomplete }
        } else {
            Mapped::Faulty(std::mem::take(&mut self.faults))
        }
    }

    /// What every field gives, in all languages.
    fn whole(&mut self, lane: &'a Lane) -> Borrowed<'a> {
        let mut whole = Vec::with_capacity(lane.fields.len() + lane.defaults.len());
        for (name, expression) in &lane.fields {
            let value = self.evaluate(name, expression, self.subject.now);
            let value = match lane.defaults.get(name) {
                Some(default) => value.and_then(|value| self.or_default(name, value, default)),
                None => value,
            };
            whole.extend(value.map(|value| (name.as_str(), value)));
        }
        for (name, default) in lane.defaults.iter().filter(|(name, _)| !lane.fields.contains_key(*name)) {
            let value = self.evaluate(name, default, self.subject.now);
            whole.extend(value.map(|value| (name.as_str(), value)));
        }
        whole
    }

    /// The default where an expression says nothing, in each language.
    fn or_default(&mut self, name: &str, value: Cow<'a, Value>, default: &FieldExpression) -> Option<Cow<'a, Value>> {
        if !value.is_blank() && languages_of(&value).is_empty() {
            return Some(value);
        }
        let default = self.evaluate(name, default, self.subject.now)?;
        let chosen = lift(&[&value, &default], &mut |plain| {
            Ok::<_, std::convert::Infallible>(if plain[0].is_blank() { plain[1].clone() } else { plain[0].clone() })
        });
        chosen.ok().map(Cow::Owned)
    }

    /// An entry of which no language is complete does not go, and says what each lacks.
    fn blame_incomplete(&mut self, incomplete: &BTreeMap<LanguageTag, Vec<String>>) {
        for (language, missing) in incomplete {
            for field in missing {
                self.fault(field, Some(language), Misfit::Missing.to_string());
            }
        }
    }

    fn document(
        &mut self,
        lane: &Lane,
        target: &Target,
        mut fields: Borrowed<'a>,
        language: Option<LanguageTag>,
    ) -> Option<Document<Borrowed<'a>>> {
        let before = self.faults.len();
        for (name, value) in &mut fields {
            let Some(field) = target.fields.as_ref().and_then(|known| known.fields.get(*name)) else {
                continue;
            };
            if field.kind == FieldKind::Html
                && let Err(error) = clean_html(value.to_mut())
            {
                let (field, language) = ((*name).to_owned(), language.clone());
                self.faults.push(Fault { field, language, message: error.to_string() });
            }
            if !self.waits_for_words(lane, name) {
                self.fit(name, field, value, language.as_ref());
            }
        }
        let key = match &lane.key {
            None => None,
            Some(key_field) => {
                match fields.iter().find(|(name, _)| name == key_field).map(|(_, value)| key_text(value)) {
                    Some(Some(key)) => Some(key),
                    _ => {
                        self.fault(
                            key_field,
                            language.as_ref(),
                            "is the lane's `match` field and has no text or number in it",
                        );
                        None
                    }
                }
            }
        };
        if self.faults.len() > before {
            return None;
        }
        Some(Document { language, fields, key })
    }

    /// Whether a field has words that are not there yet: no entry goes with what stands for them, so that it is not
    /// held against what the destination takes.
    fn waits_for_words(&self, lane: &Lane, name: &str) -> bool {
        let mut expressions = [lane.fields.get(name), lane.defaults.get(name)].into_iter().flatten();
        expressions.any(|expression| !expression.program.uses.ensures.is_empty())
            && self.dependencies.words_not_there().next().is_some()
    }

    fn fit(&mut self, name: &str, field: &Field, value: &Value, language: Option<&LanguageTag>) {
        match value {
            Value::Localised(by_language) if field.localised => {
                for (tag, inner) in by_language {
                    if let Err(misfit) = fit(field, inner) {
                        self.fault(name, Some(tag), misfit.to_string());
                    }
                }
                if by_language.is_empty() && field.required {
                    self.fault(name, None, Misfit::Missing.to_string());
                }
            }
            plain => {
                if let Err(misfit) = fit(field, plain) {
                    let dead: Vec<String> =
                        self.dependencies.dead.iter().map(|address| format!("`{address}`")).collect();
                    let cause = match misfit {
                        Misfit::Missing if !dead.is_empty() => {
                            format!(" ({} is referred to and not in the store)", dead.join(", "))
                        }
                        _ => String::new(),
                    };
                    self.fault(name, language, format!("{misfit}{cause}"));
                }
            }
        }
    }
}

/// The required fields that are localised and that this language lacks.
fn missing_in(whole: &Borrowed<'_>, language: &LanguageTag, target: &Target) -> Vec<String> {
    let required = |name: &str| {
        target.fields.as_ref().and_then(|known| known.fields.get(name)).is_some_and(|field| field.required)
    };
    let lacking = |value: &Value| !languages_of(value).is_empty() && project(value, language).is_blank();
    let missing = whole.iter().filter(|(name, value)| required(name) && lacking(value));
    missing.map(|(name, _)| (*name).to_owned()).collect()
}

fn in_language<'a>(whole: &Borrowed<'a>, language: &LanguageTag) -> Borrowed<'a> {
    whole.iter().map(|(name, value)| (*name, Cow::Owned(project(value, language).into_owned()))).collect()
}

fn clean_html(value: &mut Value) -> Result<(), TooMuch> {
    match value {
        Value::Text(html) => *html = clean(html)?,
        Value::List(items) => items.iter_mut().try_for_each(clean_html)?,
        Value::Localised(by_language) => by_language.values_mut().try_for_each(clean_html)?,
        _ => {}
    }
    Ok(())
}

fn key_text(value: &Value) -> Option<String> {
    match value {
        Value::Text(text) if !text.is_empty() => Some(text.clone()),
        Value::Integer(whole) => Some(whole.to_string()),
        _ => None,
    }
}
