//! A model from a system's own description (GraphQL, "Introspection").

use diaporos_core::model::{EntryType, Field, FieldKind, Model};
use diaporos_core::value::TypeName;
use serde_json::Value as Json;

/// Asks for the object types, and for fields as deep as lists of things that must be there go.
pub(super) const QUERY: &str = "query Model { __schema { types { kind name fields { name type { kind name \
    ofType { kind name ofType { kind name ofType { kind name } } } } } } } }";

/// The object types of an answer, but for those that every system has, and connections.
pub(super) fn model(answer: &Json) -> Option<Model> {
    let types = answer.pointer("/data/__schema/types")?.as_array()?;
    let objects: Vec<&Json> = types.iter().filter(|one| is_content(one)).collect();
    let names: Vec<&str> = objects.iter().filter_map(|one| one.get("name").and_then(Json::as_str)).collect();
    let mut model = Model::default();
    for object in &objects {
        let Some(Ok(name)) = object.get("name").and_then(Json::as_str).map(TypeName::new) else { continue };
        let fields = object.get("fields").and_then(Json::as_array).into_iter().flatten();
        let fields = fields.filter_map(|described| {
            let name = described.get("name")?.as_str()?;
            Some((name.to_owned(), field(described.get("type")?, &names)))
        });
        model.types.insert(name, EntryType { fields: fields.collect() });
    }
    Some(model)
}

fn is_content(described: &Json) -> bool {
    let name = described.get("name").and_then(Json::as_str).unwrap_or_default();
    let is_object = described.get("kind").and_then(Json::as_str) == Some("OBJECT");
    let is_plumbing = name.starts_with("__")
        || matches!(name, "Query" | "Mutation" | "Subscription" | "PageInfo")
        || name.ends_with("Connection")
        || name.ends_with("Edge");
    is_object && !is_plumbing
}

fn field(described: &Json, objects: &[&str]) -> Field {
    let mut field = Field::default();
    let mut at = described;
    let mut outermost = true;
    loop {
        match at.get("kind").and_then(Json::as_str) {
            Some("NON_NULL") => field.required |= outermost,
            Some("LIST") => {
                field.many = true;
                outermost = false;
            }
            _ => break,
        }
        match at.get("ofType") {
            Some(inner) if !inner.is_null() => at = inner,
            _ => break,
        }
    }
    let name = at.get("name").and_then(Json::as_str).unwrap_or_default();
    field.kind = match (at.get("kind").and_then(Json::as_str), name) {
        (Some("ENUM"), _) | (_, "String" | "ID") => FieldKind::Text,
        (_, "Int") => FieldKind::Integer,
        (_, "Float") => FieldKind::Number,
        (_, "Boolean") => FieldKind::Boolean,
        (_, "Date") => FieldKind::Date,
        (_, "DateTime" | "Instant" | "Timestamp") => FieldKind::Instant,
        (_, "URL" | "Url" | "URI") => FieldKind::Url,
        (_, "HTML" | "Html") => FieldKind::Html,
        (Some("OBJECT"), name) if objects.contains(&name) => {
            TypeName::new(name).map_or(FieldKind::Record, FieldKind::Reference)
        }
        (Some("OBJECT"), _) => FieldKind::Record,
        _ => FieldKind::Anything,
    };
    field
}

#[cfg(test)]
mod tests {
    use super::*;
    use serde_json::json;

    #[test]
    fn object_types_and_their_fields() {
        let scalar = |name: &str| json!({ "kind": "SCALAR", "name": name });
        let answer = json!({ "data": { "__schema": { "types": [
            { "kind": "OBJECT", "name": "Query", "fields": [] },
            { "kind": "OBJECT", "name": "__Type", "fields": [] },
            { "kind": "OBJECT", "name": "PlantConnection", "fields": [] },
            { "kind": "SCALAR", "name": "String" },
            { "kind": "OBJECT", "name": "Curator", "fields": [{ "name": "name", "type": scalar("String") }] },
            { "kind": "OBJECT", "name": "Plant", "fields": [
                { "name": "id", "type": { "kind": "NON_NULL", "ofType": scalar("ID") } },
                { "name": "tags", "type": { "kind": "LIST", "ofType": { "kind": "NON_NULL", "ofType": scalar("String") } } },
                { "name": "height", "type": scalar("Float") },
                { "name": "planted", "type": scalar("DateTime") },
                { "name": "curator", "type": { "kind": "OBJECT", "name": "Curator" } },
                { "name": "odd", "type": { "kind": "UNION", "name": "Odd" } },
            ] },
        ] } } });
        let model = model(&answer).unwrap();
        let drawn: Vec<String> = model
            .types
            .iter()
            .flat_map(|(name, of)| {
                of.fields.iter().map(move |(field, known)| {
                    format!(
                        "{name}.{field} {}{}{}",
                        known.kind.word(),
                        if known.many { " many" } else { "" },
                        if known.required { " required" } else { "" }
                    )
                })
            })
            .collect();
        assert_eq!(
            drawn,
            [
                "Curator.name text",
                "Plant.id text required",
                "Plant.tags text many",
                "Plant.height number",
                "Plant.planted instant",
                "Plant.curator reference",
                "Plant.odd anything",
            ]
        );
        assert_eq!(super::model(&json!({ "errors": [] })), None);
    }
}
