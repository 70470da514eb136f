//! Localised fields whose languages are columns each: `title_en`, `title_fr`.

use std::collections::BTreeSet;

use serde_json::{Map, Value as Json};

/// The columns that localised fields are spread over.
#[derive(Debug, Clone, Default)]
pub(super) struct Suffixes {
    separator: String,
    fields: Vec<String>,
    codes: Vec<String>,
}

impl Suffixes {
    /// Those of these fields, in the languages that the system has codes for; none where nothing is spread.
    pub(super) fn new(separator: Option<&str>, fields: Vec<String>, codes: Vec<String>) -> Suffixes {
        match separator {
            None => Suffixes::default(),
            Some(separator) => Suffixes { separator: separator.to_owned(), fields, codes },
        }
    }

    fn column(&self, field: &str, code: &str) -> String {
        format!("{field}{}{code}", self.separator)
    }

    /// Whether it is a field that is spread.
    pub(super) fn spread(&self, field: &str) -> bool {
        self.fields.iter().any(|known| known == field)
    }

    /// The columns of a field.
    pub(super) fn columns<'s>(&'s self, field: &'s str) -> impl Iterator<Item = String> + 's {
        self.codes.iter().map(move |code| self.column(field, code))
    }

    /// Makes one member by language of the columns that a field is spread over.
    pub(super) fn fold(&self, row: &mut Map<String, Json>) {
        for field in &self.fields {
            let mut by_code = Map::new();
            for code in &self.codes {
                if let Some(json) = row.remove(&self.column(field, code)).filter(|json| !json.is_null()) {
                    by_code.insert(code.clone(), json);
                }
            }
            row.insert(field.clone(), Json::Object(by_code));
        }
    }

    /// Spreads members by language over their columns. A language that a member lacks is empty there.
    ///
    /// # Errors
    /// Where there is no column for a language, with what is wrong.
    pub(super) fn unfold(&self, document: &mut Map<String, Json>) -> Result<(), String> {
        for field in &self.fields {
            let Some(value) = document.remove(field) else { continue };
            let by_code = match value {
                Json::Object(by_code) => by_code,
                Json::Null => Map::new(),
                _ => return Err(format!("`{field}` has no value per language")),
            };
            let known: BTreeSet<&str> = self.codes.iter().map(String::as_str).collect();
            if let Some(code) = by_code.keys().find(|code| !known.contains(code.as_str())) {
                return Err(format!("there is no column for `{field}` in the language `{code}`"));
            }
            for code in &self.codes {
                document.insert(self.column(field, code), by_code.get(code).cloned().unwrap_or(Json::Null));
            }
        }
        Ok(())
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;
    use serde_json::json;

    proptest! {
        #[test]
        fn what_is_spread_is_folded_again(
            texts in proptest::collection::btree_map("(en|fr|pt_br)", "[a-z]{0,8}", 0..3), other in "[a-z]{1,8}",
        ) {
            let codes = ["en", "fr", "pt_br"].map(str::to_owned).to_vec();
            let suffixes = Suffixes::new(Some("_"), vec!["title".to_owned()], codes);
            let document = json!({ "title": texts, "slug": other });
            let mut spread = document.as_object().unwrap().clone();
            suffixes.unfold(&mut spread).unwrap();
            prop_assert_eq!(spread.len(), 4);
            suffixes.fold(&mut spread);
            prop_assert_eq!(Json::Object(spread), document);
        }
    }

    #[test]
    fn a_language_without_a_column_is_told() {
        let suffixes = Suffixes::new(Some("_"), vec!["title".to_owned()], vec!["en".to_owned()]);
        let mut document = json!({ "title": { "cy": "Rhedyn" } }).as_object().unwrap().clone();
        assert_eq!(
            suffixes.unfold(&mut document),
            Err("there is no column for `title` in the language `cy`".to_owned())
        );
    }
}
