//! Sets of kinds of value.

use crate::value::Value;

/// A set of kinds of value.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Kinds(u16);

impl Kinds {
    /// No kind.
    pub const NONE: Kinds = Kinds(0);
    /// Null.
    pub const NULL: Kinds = Kinds(1);
    /// True and false.
    pub const BOOLEAN: Kinds = Kinds(2);
    /// Whole numbers.
    pub const INTEGER: Kinds = Kinds(4);
    /// Numbers with a fraction.
    pub const NUMBER: Kinds = Kinds(8);
    /// Texts.
    pub const TEXT: Kinds = Kinds(16);
    /// Lists.
    pub const LIST: Kinds = Kinds(32);
    /// Records.
    pub const RECORD: Kinds = Kinds(64);
    /// References to entries.
    pub const REFERENCE: Kinds = Kinds(128);
    /// Whole numbers and others.
    pub const NUMERIC: Kinds = Kinds(4 + 8);
    /// What has a natural text: texts, numbers, true and false.
    pub const SCALAR: Kinds = Kinds(2 + 4 + 8 + 16);
    /// Every kind.
    pub const ALL: Kinds = Kinds(255);

    const WORDS: [(Kinds, &str); 8] = [
        (Kinds::TEXT, "text"),
        (Kinds::INTEGER, "integer"),
        (Kinds::NUMBER, "number"),
        (Kinds::BOOLEAN, "boolean"),
        (Kinds::LIST, "list"),
        (Kinds::RECORD, "record"),
        (Kinds::REFERENCE, "reference"),
        (Kinds::NULL, "null"),
    ];

    /// Both sets together.
    #[must_use]
    pub const fn with(self, other: Kinds) -> Kinds {
        Kinds(self.0 | other.0)
    }

    /// What is in this set and not in the other.
    #[must_use]
    pub const fn without(self, other: Kinds) -> Kinds {
        Kinds(self.0 & !other.0)
    }

    /// What is in both.
    #[must_use]
    pub const fn and(self, other: Kinds) -> Kinds {
        Kinds(self.0 & other.0)
    }

    /// Whether any of the other's kinds is in this set.
    #[must_use]
    pub const fn has(self, other: Kinds) -> bool {
        self.0 & other.0 != 0
    }

    /// Whether all of the other's kinds are in this set.
    #[must_use]
    pub const fn has_all(self, other: Kinds) -> bool {
        self.0 & other.0 == other.0
    }

    /// The kind of a value, or of the values of each language.
    #[must_use]
    pub fn of(value: &Value) -> Kinds {
        match value {
            Value::Null => Kinds::NULL,
            Value::Boolean(_) => Kinds::BOOLEAN,
            Value::Integer(_) => Kinds::INTEGER,
            Value::Number(_) => Kinds::NUMBER,
            Value::Text(_) => Kinds::TEXT,
            Value::List(_) => Kinds::LIST,
            Value::Record(_) => Kinds::RECORD,
            Value::Reference(_) => Kinds::REFERENCE,
            Value::Localised(by_language) => by_language.values().map(Kinds::of).fold(Kinds::NONE, Kinds::with),
        }
    }

    /// The words of the kinds in the set.
    pub(super) fn words(self) -> impl Iterator<Item = &'static str> {
        Self::WORDS.iter().filter(move |(kind, _)| self.has(*kind)).map(|(_, word)| *word)
    }
}
