//! JSON Schemas (2020-12) of files, from the descriptions of their settings: what an editor completes and
//! checks while one writes.

use serde_json::{Map, Value as Json, json};

use super::{Form, Setting, Table, Usual, Variants};

/// The schema of a file whose top-level table this is.
#[must_use]
pub fn schema(title: &str, table: &'static Table) -> Json {
    let mut defs = Defs::default();
    let mut whole = defs.table(table);
    let members = whole.as_object_mut().map(std::mem::take).unwrap_or_default();
    let mut schema = Map::new();
    schema.insert("$schema".to_owned(), json!("https://json-schema.org/draft/2020-12/schema"));
    schema.insert("title".to_owned(), json!(title));
    schema.extend(members);
    schema.insert("$defs".to_owned(), Json::Object(defs.made));
    Json::Object(schema)
}

/// The tables that were met, each described once.
#[derive(Default)]
struct Defs {
    made: Map<String, Json>,
}

impl Defs {
    fn table(&mut self, table: &'static Table) -> Json {
        let mut properties = Map::new();
        for setting in table.settings() {
            properties.insert(setting.key.to_owned(), self.setting(setting));
        }
        let mut schema = json!({ "type": "object", "properties": properties, "additionalProperties": false });
        let required: Vec<&str> =
            table.settings().filter(|setting| setting.usual == Usual::Required).map(|setting| setting.key).collect();
        if !required.is_empty() {
            schema["required"] = json!(required);
        }
        if !table.needs.is_empty() {
            let mut needed = Map::new();
            for (key, other) in table.needs {
                needed.insert((*key).to_owned(), json!([other]));
            }
            schema["dependentRequired"] = Json::Object(needed);
        }
        let sets: Vec<Json> = table
            .one_of
            .iter()
            .map(|keys| json!({ "oneOf": keys.iter().map(|key| json!({ "required": [key] })).collect::<Vec<_>>() }))
            .collect();
        if !sets.is_empty() {
            schema["allOf"] = json!(sets);
        }
        schema
    }

    fn setting(&mut self, setting: &'static Setting) -> Json {
        let mut schema = self.form(&setting.form);
        if let Some(members) = schema.as_object_mut() {
            members.insert("description".to_owned(), json!(setting.says));
            if let Usual::Is(value) = setting.usual {
                members.insert("default".to_owned(), plain(&setting.written(value)));
            }
        }
        schema
    }

    /// A reference to what was described before, or is now.
    fn named(&mut self, name: &str, made: impl FnOnce(&mut Self) -> Json) -> Json {
        let name = name.replace(' ', "-");
        if !self.made.contains_key(&name) {
            self.made.insert(name.clone(), Json::Null);
            let schema = made(self);
            self.made.insert(name.clone(), schema);
        }
        json!({ "$ref": format!("#/$defs/{name}") })
    }

    fn variants(&mut self, variants: &'static Variants) -> Json {
        let of = (variants.of)();
        let words: Vec<&str> = of.iter().map(|(word, _)| *word).collect();
        let mut cases = Vec::new();
        for (word, table) in &of {
            let then = self.named(table.name, |defs| defs.table(table));
            let by = json!({ "properties": { variants.by: { "const": word } }, "required": [variants.by] });
            cases.push(json!({ "if": by, "then": then }));
        }
        json!({
            "type": "object",
            "required": [variants.by],
            "properties": { variants.by: { "enum": words } },
            "allOf": cases,
        })
    }

    fn form(&mut self, form: &'static Form) -> Json {
        match form {
            Form::Text(text) => match text.pattern {
                Some(pattern) => json!({ "type": "string", "pattern": pattern }),
                None => json!({ "type": "string" }),
            },
            Form::Word { of, .. } => json!({ "enum": of() }),
            Form::Boolean => json!({ "type": "boolean" }),
            Form::Count(least) => json!({ "type": "integer", "minimum": least }),
            Form::List(of) => json!({ "type": "array", "items": self.form(of) }),
            Form::OneOrMany(of) => {
                let one = self.form(of);
                json!({ "anyOf": [one, { "type": "array", "items": one }] })
            }
            Form::Table(table) => self.named(table.name, |defs| defs.table(table)),
            Form::Variants(variants) => self.named(variants.name, |defs| defs.variants(variants)),
            Form::Named(of) => json!({ "type": "object", "additionalProperties": self.form(of) }),
            Form::Either(short, long) => json!({ "anyOf": [self.form(short), self.form(long)] }),
            Form::Anything => json!({}),
        }
    }
}

/// A value of TOML as one of JSON; what is none stays a text.
fn plain(toml: &str) -> Json {
    let table = format!("x = {toml}").parse::<toml::Table>();
    let value = table.ok().and_then(|mut table| table.remove("x"));
    value.and_then(|value| serde_json::to_value(value).ok()).unwrap_or_else(|| json!(toml))
}
