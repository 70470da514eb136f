//! Texts in JSON: a text a member, within objects and lists as deep as they like, whose names are joined by dots. A member
//! `@name` says what `name` is for (`description`), as files of applications do; `@@…` is about the file.

use serde_json::Value as Json;

use super::{Said, Text, Texts};

pub(super) fn read(text: &str, texts: &mut Texts) -> Result<(), String> {
    let document: Json = serde_json::from_str(text).map_err(|error| format!("is not JSON: {error}"))?;
    if !document.is_object() {
        return Err("is JSON, and no object of texts by key".to_owned());
    }
    take("", &document, &Json::Null, texts)
}

fn take(key: &str, json: &Json, about: &Json, texts: &mut Texts) -> Result<(), String> {
    let within = |name: &str| if key.is_empty() { name.to_owned() } else { format!("{key}.{name}") };
    match json {
        Json::Object(members) => {
            for (name, inner) in members.iter().filter(|(name, _)| !name.starts_with('@')) {
                let about = members.get(&format!("@{name}")).unwrap_or(&Json::Null);
                take(&within(name), inner, about, texts)?;
            }
            Ok(())
        }
        Json::Array(items) => {
            let each = |(number, item)| take(&within(&format!("{number}")), item, &Json::Null, texts);
            items.iter().enumerate().try_for_each(each)
        }
        Json::String(text) => {
            let note = about["description"].as_str().unwrap_or_default().to_owned();
            texts.add(Text { key: key.to_owned(), note, said: Said::Plain(text.clone()), is_kept: false })
        }
        Json::Null => Ok(()),
        Json::Bool(_) | Json::Number(_) => {
            texts.problem(key, "is no text");
            Ok(())
        }
    }
}
