//! The text of an operation, and the variables that it declares.

use async_graphql_parser::parse_query;
use async_graphql_parser::types::{BaseType, OperationType};
use serde_json::Value as Json;

/// An operation, read.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(crate) struct OperationText {
    text: String,
    is_mutation: bool,
    variables: Vec<Variable>,
}

/// A variable that an operation declares.
#[derive(Debug, Clone, PartialEq, Eq)]
struct Variable {
    name: String,
    /// Its type by name; none where it is a list.
    kind: Option<String>,
    /// Whether a value must be given.
    is_required: bool,
}

impl OperationText {
    /// Reads a file with one operation, and the fragments that it uses.
    ///
    /// # Errors
    /// Says where the text is wrong, or that it holds another number of operations.
    pub(crate) fn read(text: &str) -> Result<OperationText, String> {
        let document = parse_query(text).map_err(|error| error.to_string())?;
        let mut operations = document.operations.iter();
        let (Some((_, operation)), None) = (operations.next(), operations.next()) else {
            return Err("a file holds one operation".to_owned());
        };
        let is_mutation = match operation.node.ty {
            OperationType::Query => false,
            OperationType::Mutation => true,
            OperationType::Subscription => return Err("a subscription cannot be asked for once".to_owned()),
        };
        let variables = operation.node.variable_definitions.iter().map(|defined| {
            let defined = &defined.node;
            let kind = match &defined.var_type.node.base {
                BaseType::Named(name) => Some(name.to_string()),
                BaseType::List(_) => None,
            };
            let is_required = !defined.var_type.node.nullable && defined.default_value.is_none();
            Variable { name: defined.name.node.to_string(), kind, is_required }
        });
        Ok(OperationText { text: text.to_owned(), is_mutation, variables: variables.collect() })
    }

    /// The text, as it is sent.
    pub(crate) fn as_str(&self) -> &str {
        &self.text
    }

    /// Whether it may change something.
    pub(crate) fn is_mutation(&self) -> bool {
        self.is_mutation
    }

    /// Whether it declares that variable.
    pub(crate) fn declares(&self, name: &str) -> bool {
        self.variables.iter().any(|variable| variable.name == name)
    }

    /// The variables that must be given.
    pub(crate) fn required(&self) -> impl Iterator<Item = &str> {
        self.variables.iter().filter(|variable| variable.is_required).map(|variable| variable.name.as_str())
    }

    /// A text as the value of a variable: a number where its type is one of numbers.
    pub(crate) fn value(&self, name: &str, text: &str) -> Json {
        let kind = self.variables.iter().find(|variable| variable.name == name).and_then(|one| one.kind.as_deref());
        let number = match kind {
            Some("Int" | "Long" | "BigInt") => text.parse::<i64>().ok().map(Json::from),
            Some("Float" | "Decimal") => serde_json::from_str::<serde_json::Number>(text).ok().map(Json::Number),
            Some("Boolean") => text.parse::<bool>().ok().map(Json::Bool),
            _ => None,
        };
        number.unwrap_or_else(|| text.into())
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use serde_json::json;

    #[test]
    fn variables_have_their_types() {
        let text =
            "mutation Save($id: ID!, $version: Int!, $tags: [String!], $live: Boolean = true) { save(id: $id) { id } }";
        let read = OperationText::read(text).unwrap();
        assert!(read.is_mutation() && read.declares("tags") && !read.declares("tag"));
        assert_eq!(read.required().collect::<Vec<_>>(), ["id", "version"]);
        for (name, text, expected) in [
            ("id", "7", json!("7")),
            ("version", "7", json!(7)),
            ("version", "W/7", json!("W/7")),
            ("live", "false", json!(false)),
            ("tags", "7", json!("7")),
        ] {
            assert_eq!(read.value(name, text), expected, "{name}");
        }
        for wrong in ["{ a } { b }", "query A { a } query B { b }", "subscription { a }", "mutation {"] {
            assert!(OperationText::read(wrong).is_err(), "{wrong}");
        }
    }
}
