//! What a database says of the columns of a table or a query.

use diaporos_core::model::{EntryType, Field, FieldKind};

/// A column.
#[derive(Debug, Clone, PartialEq)]
pub(super) struct Column {
    pub(super) name: String,
    pub(super) form: ColumnForm,
    /// Whether it is a list of such values.
    pub(super) many: bool,
}

/// What a column holds.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(super) enum ColumnForm {
    Text,
    Boolean,
    Integer,
    Number,
    /// Decimals of any length, exact to the last digit.
    Decimal,
    Date,
    Instant,
    /// A document.
    Json,
    /// One of these texts.
    Choice(Vec<String>),
    Other,
}

impl Column {
    fn field(&self) -> Field {
        let kind = match &self.form {
            ColumnForm::Text => FieldKind::Text,
            ColumnForm::Boolean => FieldKind::Boolean,
            ColumnForm::Integer => FieldKind::Integer,
            ColumnForm::Number | ColumnForm::Decimal => FieldKind::Number,
            ColumnForm::Date => FieldKind::Date,
            ColumnForm::Instant => FieldKind::Instant,
            ColumnForm::Choice(words) => FieldKind::Choice(words.clone()),
            ColumnForm::Json | ColumnForm::Other => FieldKind::Anything,
        };
        Field { kind, many: self.many, ..Field::default() }
    }
}

/// The fields that columns are.
pub(super) fn entry_type(columns: &[Column]) -> EntryType {
    EntryType { fields: columns.iter().map(|column| (column.name.clone(), column.field())).collect() }
}
