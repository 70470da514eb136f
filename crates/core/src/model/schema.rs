//! Types as JSON Schema (2020-12), one document a type. What the standard has no word for stands
//! under keys that begin with `x-`: `x-localised` (a value per language, by tag), `x-reference` (the
//! type of entry that an identifier leads to) and `x-asset` (a picture, sound or other file).

use serde_json::{Map, Value as Json, json};

use super::{EntryType, Field, FieldKind};
use crate::value::TypeName;

/// The dialect that is written.
const DIALECT: &str = "https://json-schema.org/draft/2020-12/schema";

/// Writes a type.
#[must_use]
pub fn to_schema(name: &TypeName, of: &EntryType) -> Json {
    let properties: Map<String, Json> = of.fields.iter().map(|(name, field)| (name.clone(), property(field))).collect();
    let required: Vec<&String> = of.fields.iter().filter(|(_, field)| field.required).map(|(name, _)| name).collect();
    json!({
        "$schema": DIALECT,
        "title": name.as_str(),
        "type": "object",
        "properties": properties,
        "required": required,
    })
}

fn property(field: &Field) -> Json {
    let mut one = value(&field.kind);
    if let Json::Object(members) = &mut one {
        if let Some(most) = field.max_length {
            members.insert("maxLength".to_owned(), most.into());
        }
        if let Some(pattern) = &field.pattern {
            members.insert("pattern".to_owned(), pattern.as_str().into());
        }
    }
    let listed = if field.many { json!({ "type": "array", "items": one }) } else { one };
    if field.localised {
        json!({ "type": "object", "x-localised": true, "additionalProperties": listed })
    } else {
        listed
    }
}

fn value(kind: &FieldKind) -> Json {
    match kind {
        FieldKind::Text => json!({ "type": "string" }),
        FieldKind::Html => json!({ "type": "string", "contentMediaType": "text/html" }),
        FieldKind::Markdown => json!({ "type": "string", "contentMediaType": "text/markdown" }),
        FieldKind::Integer => json!({ "type": "integer" }),
        FieldKind::Number => json!({ "type": "number" }),
        FieldKind::Boolean => json!({ "type": "boolean" }),
        FieldKind::Date => json!({ "type": "string", "format": "date" }),
        FieldKind::Instant => json!({ "type": "string", "format": "date-time" }),
        FieldKind::Url => json!({ "type": "string", "format": "uri" }),
        FieldKind::Choice(words) => json!({ "type": "string", "enum": words }),
        FieldKind::Record => json!({ "type": "object" }),
        FieldKind::Asset => json!({ "type": "object", "x-asset": true }),
        FieldKind::Reference(to) => json!({ "type": "string", "x-reference": to.as_str() }),
        FieldKind::Anything => json!({}),
    }
}

/// Reads a type; keywords that have no meaning here are passed over.
///
/// # Errors
/// Says what is not a schema of a type.
pub fn from_schema(schema: &Json) -> Result<EntryType, String> {
    let properties = schema.get("properties").and_then(Json::as_object).ok_or("it has no `properties`")?;
    let required: Vec<&str> = match schema.get("required") {
        None => Vec::new(),
        Some(list) => list.as_array().ok_or("`required` is no list")?.iter().filter_map(Json::as_str).collect(),
    };
    let field = |(name, property): (&String, &Json)| {
        let read = field_of(property).map_err(|error| format!("`{name}`: {error}"))?;
        Ok((name.clone(), Field { required: required.contains(&name.as_str()), ..read }))
    };
    Ok(EntryType { fields: properties.iter().map(field).collect::<Result<_, String>>()? })
}

fn field_of(property: &Json) -> Result<Field, String> {
    let is = |key: &str| property.get(key).and_then(Json::as_bool).unwrap_or(false);
    if is("x-localised") {
        let inner = property.get("additionalProperties").ok_or("`x-localised` needs `additionalProperties`")?;
        return Ok(Field { localised: true, ..field_of(inner)? });
    }
    if types(property).contains(&"array") {
        let items = property.get("items").cloned().unwrap_or_else(|| json!({}));
        return Ok(Field { many: true, ..field_of(&items)? });
    }
    let max_length = match property.get("maxLength") {
        None => None,
        Some(most) => {
            Some(most.as_u64().and_then(|most| usize::try_from(most).ok()).ok_or("`maxLength` is no whole number")?)
        }
    };
    let pattern = match property.get("pattern") {
        None => None,
        Some(pattern) => {
            let pattern = pattern.as_str().ok_or("`pattern` is no text")?;
            regex::Regex::new(pattern).map_err(|_| format!("the pattern `{pattern}` cannot be read"))?;
            Some(pattern.to_owned())
        }
    };
    Ok(Field { kind: kind(property)?, max_length, pattern, ..Field::default() })
}

/// The types of a property, `null` aside.
fn types(property: &Json) -> Vec<&str> {
    match property.get("type") {
        Some(Json::String(one)) => vec![one.as_str()],
        Some(Json::Array(several)) => several.iter().filter_map(Json::as_str).filter(|one| *one != "null").collect(),
        _ => Vec::new(),
    }
}

fn kind(property: &Json) -> Result<FieldKind, String> {
    let text = |key: &str| property.get(key).and_then(Json::as_str);
    if let Some(to) = text("x-reference") {
        return TypeName::new(to).map(FieldKind::Reference).map_err(|error| format!("`x-reference`: {error}"));
    }
    let choices = property.get("enum").and_then(Json::as_array);
    let words: Option<Vec<String>> =
        choices.and_then(|choices| choices.iter().map(|word| word.as_str().map(str::to_owned)).collect());
    Ok(match (types(property).as_slice(), words) {
        (["string"] | [], Some(words)) => FieldKind::Choice(words),
        (["string"], None) => match (text("contentMediaType"), text("format")) {
            (Some("text/html"), _) => FieldKind::Html,
            (Some("text/markdown"), _) => FieldKind::Markdown,
            (_, Some("date")) => FieldKind::Date,
            (_, Some("date-time")) => FieldKind::Instant,
            (_, Some("uri" | "url" | "iri")) => FieldKind::Url,
            _ => FieldKind::Text,
        },
        (["integer"], _) => FieldKind::Integer,
        (["number"] | ["integer", "number"] | ["number", "integer"], _) => FieldKind::Number,
        (["boolean"], _) => FieldKind::Boolean,
        (["object"], _) if property.get("x-asset").and_then(Json::as_bool) == Some(true) => FieldKind::Asset,
        (["object"], _) => FieldKind::Record,
        _ => FieldKind::Anything,
    })
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    fn any_field() -> impl Strategy<Value = Field> {
        let reference = FieldKind::Reference(TypeName::new("curator").unwrap());
        let kinds: Vec<FieldKind> = FieldKind::WORDS.iter().map(|(_, kind)| kind.clone()).collect();
        let kinds = [kinds, vec![reference, FieldKind::Choice(vec!["a".into(), "b".into()])]].concat();
        (prop::sample::select(kinds), any::<[bool; 3]>(), prop::option::of(1usize..500), any::<bool>()).prop_map(
            |(kind, [many, localised, required], max_length, pattern)| Field {
                kind,
                many,
                localised,
                required,
                max_length,
                pattern: pattern.then(|| "^[a-z]+$".to_owned()),
            },
        )
    }

    proptest! {
        #[test]
        fn what_is_written_is_read(fields in prop::collection::vec(("[a-z]{1,6}", any_field()), 0..6)) {
            let of = EntryType { fields: fields.into_iter().collect() };
            let schema = to_schema(&TypeName::new("page").unwrap(), &of);
            prop_assert_eq!(from_schema(&schema), Ok(of));
        }
    }

    #[test]
    fn schemas_of_others_and_what_is_none() {
        let read =
            |schema: Json| from_schema(&schema).map(|of| of.fields.values().map(Field::signature).collect::<Vec<_>>());
        let of = |property: Json| read(json!({ "properties": { "a": property } }));
        let lines = [
            of(json!({ "type": ["string", "null"], "maxLength": 3 })),
            of(json!({ "enum": ["x", "y"] })),
            of(json!({ "type": "array" })),
            of(json!({ "$ref": "#/$defs/other" })),
            of(json!(true)),
            of(json!({ "type": ["integer", "string"] })),
            of(json!({ "type": "string", "maxLength": "x" })),
            of(json!({ "type": "string", "pattern": "(" })),
            of(json!({ "x-localised": true })),
            of(json!({ "x-reference": "a/b" })),
            read(json!([])),
            read(json!({ "properties": {}, "required": "a" })),
        ];
        insta::assert_snapshot!(lines.map(|line| format!("{line:?}")).join("\n"));
    }
}
