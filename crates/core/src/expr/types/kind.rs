//! What functions take.

use super::{Kinds, Type};
use crate::value::Value;

/// What a function takes.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Kind {
    /// Text.
    Text,
    /// A whole number that is not negative.
    Count,
    /// A number.
    Number,
    /// True or false.
    Boolean,
    /// A list.
    List,
    /// A list of texts and numbers.
    Words,
    /// A list of numbers.
    Numbers,
    /// A record.
    Record,
    /// A reference to an entry.
    Reference,
    /// Text, a number, true or false.
    Scalar,
    /// What can be written as text: a scalar or a reference.
    Written,
    /// Any value.
    Anything,
    /// One of these words.
    Word(&'static [&'static str]),
    /// A regular expression between double quotes.
    Pattern,
    /// The name of a table of the hub.
    Table,
    /// The name of a table of terms with how the house writes them.
    Terms,
    /// The name of a rendition between double quotes.
    Rendition,
    /// The name of a lane.
    Lane,
    /// An expression that is found for each item.
    Each,
    /// A condition that is asked of each item.
    Condition,
}

impl Kind {
    /// The kinds that a parameter of the hub's own functions can have, with their words.
    pub const WORDS: [(&str, Kind); 9] = [
        ("text", Kind::Text),
        ("count", Kind::Count),
        ("number", Kind::Number),
        ("boolean", Kind::Boolean),
        ("list", Kind::List),
        ("record", Kind::Record),
        ("reference", Kind::Reference),
        ("scalar", Kind::Scalar),
        ("anything", Kind::Anything),
    ];

    /// The kind with its article, for messages.
    #[must_use]
    pub fn phrase(self) -> String {
        let fixed = match self {
            Kind::Text => "text",
            Kind::Count => "a whole number from 0",
            Kind::Number => "a number",
            Kind::Boolean => "true or false",
            Kind::List => "a list",
            Kind::Words => "a list of texts and numbers",
            Kind::Numbers => "a list of numbers",
            Kind::Record => "a record",
            Kind::Reference => "a reference",
            Kind::Scalar => "text or a number",
            Kind::Written => "text, a number or a reference",
            Kind::Anything => "any value",
            Kind::Word(words) => {
                let quoted: Vec<String> = words.iter().map(|word| format!("\"{word}\"")).collect();
                return format!("one of {}", quoted.join(", "));
            }
            Kind::Pattern => "a pattern",
            Kind::Table => "the name of a table",
            Kind::Terms => "the name of a table of terms",
            Kind::Rendition => "the name of a rendition",
            Kind::Lane => "the name of a lane",
            Kind::Each => "an expression over an item",
            Kind::Condition => "a condition over an item",
        };
        fixed.to_owned()
    }

    /// The kinds of value that are taken.
    #[must_use]
    pub fn kinds(self) -> Kinds {
        match self {
            Kind::Text | Kind::Word(_) | Kind::Pattern | Kind::Rendition => Kinds::TEXT,
            Kind::Count => Kinds::INTEGER,
            Kind::Number => Kinds::NUMERIC,
            Kind::Boolean => Kinds::BOOLEAN,
            Kind::List | Kind::Words | Kind::Numbers => Kinds::LIST,
            Kind::Record => Kinds::RECORD,
            Kind::Reference => Kinds::REFERENCE,
            Kind::Scalar => Kinds::SCALAR,
            Kind::Written => Kinds::SCALAR.with(Kinds::REFERENCE),
            Kind::Anything | Kind::Table | Kind::Terms | Kind::Lane | Kind::Each | Kind::Condition => Kinds::ALL,
        }
    }

    /// Of a list: the kinds of item that are taken.
    #[must_use]
    pub fn item_kinds(self) -> Option<Kinds> {
        match self {
            Kind::Words => Some(Kinds::SCALAR),
            Kind::Numbers => Some(Kinds::NUMERIC),
            _ => None,
        }
    }

    /// The type of such a value.
    #[must_use]
    pub fn as_type(self) -> Type {
        match self {
            Kind::Anything => Type::anything(),
            Kind::Record => Type { loose: true, ..Type::of_kinds(Kinds::RECORD) },
            kind => Type::of_kinds(kind.kinds()),
        }
    }

    /// Whether the value is of this kind.
    #[must_use]
    pub fn takes(self, value: &Value) -> bool {
        let fits = |kinds: Kinds, value: &Value| kinds.has_all(Kinds::of(value));
        match (self, value) {
            (Kind::Count, Value::Integer(whole)) => *whole >= 0,
            (Kind::Word(words), Value::Text(word)) => words.contains(&word.as_str()),
            (Kind::Words | Kind::Numbers, Value::List(items)) => {
                let wanted = self.item_kinds().unwrap_or(Kinds::ALL).with(Kinds::NULL);
                items.iter().all(|item| fits(wanted, item))
            }
            (_, value) => fits(self.kinds(), value),
        }
    }
}
