//! Content models: types, their fields, and whether a value fits a field.

mod compare;
mod drift;
mod field;
mod fit;
mod infer;
mod schema;

use indexmap::IndexMap;

use crate::value::TypeName;

pub use compare::{Partner, compare};
pub use drift::{Drift, DriftKind, drift};
pub use field::{Field, FieldKind};
pub use fit::{Misfit, fit};
pub use infer::{Observed, Observer};
pub use schema::{from_schema, to_schema};

/// The types of one system.
#[derive(Debug, Clone, PartialEq, Default)]
pub struct Model {
    /// Types by name. A type that is not here is not known; nothing is checked against it.
    pub types: IndexMap<TypeName, EntryType>,
}

/// The fields of one type.
#[derive(Debug, Clone, PartialEq, Default)]
pub struct EntryType {
    /// Fields by name, in the order in which they are shown.
    pub fields: IndexMap<String, Field>,
}

impl Model {
    /// The type of that name, where it is known.
    #[must_use]
    pub fn get(&self, kind: &TypeName) -> Option<&EntryType> {
        self.types.get(kind)
    }
}
