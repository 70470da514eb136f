//! String catalogues of Apple's systems (`.xcstrings`): JSON with all languages of each text.

use serde_json::Value as Json;

use super::plural::{FORMS, message};
use super::{Said, Text, Texts};

pub(super) fn read(text: &str, texts: &mut Texts) -> Result<(), String> {
    let catalogue: Json = serde_json::from_str(text).map_err(|error| format!("is not JSON: {error}"))?;
    let source = catalogue["sourceLanguage"].as_str().ok_or("does not name its `sourceLanguage`")?;
    let Some(strings) = catalogue["strings"].as_object() else { return Err("has no `strings`".to_owned()) };
    for (key, known) in strings {
        let mut by_language = Vec::new();
        for (code, of_code) in known["localizations"].as_object().into_iter().flatten() {
            match said(of_code) {
                Ok(said) => by_language.extend(said.map(|said| (code.clone(), said))),
                Err(why) => texts.problem(key, &format!("{why} in `{code}`, and is not read there")),
            }
        }
        // Where the language of the sources says nothing, the key is the text.
        if !known["localizations"].as_object().is_some_and(|known| known.contains_key(source)) {
            by_language.push((source.to_owned(), Said::Plain(key.clone())));
        }
        let note = known["comment"].as_str().unwrap_or_default().to_owned();
        let is_kept = known["shouldTranslate"] == Json::Bool(false);
        texts.add(Text { key: key.clone(), note, said: Said::ByLanguage(by_language), is_kept })?;
    }
    Ok(())
}

/// What is said in a language; nothing where nobody has come to it.
fn said(of_language: &Json) -> Result<Option<Said>, String> {
    if of_language.get("substitutions").is_some() {
        return Err("depends on several numbers".to_owned());
    }
    if let Some(unit) = of_language.get("stringUnit") {
        // What is only put there for a translator to come is none.
        let is_new = unit["state"] == "new";
        return Ok(unit["value"].as_str().filter(|_| !is_new).map(|text| Said::Plain(text.to_owned())));
    }
    let variations = &of_language["variations"];
    if variations.get("device").is_some() {
        return Err("depends on the device".to_owned());
    }
    let Some(plural) = variations["plural"].as_object() else { return Ok(None) };
    let form = |form: &&str| {
        let value = plural.get(*form)?["stringUnit"]["value"].as_str()?;
        Some(((*form).to_owned(), value.to_owned()))
    };
    let forms: Vec<(String, String)> = FORMS.iter().filter_map(form).collect();
    message(&forms).map(|text| Some(Said::Plural(text))).ok_or_else(|| "lacks the form `other`".to_owned())
}
