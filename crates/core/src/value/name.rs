//! Names that cannot be mixed up: each is a type of its own.

use std::fmt;

use smol_str::SmolStr;

/// Why a name was refused.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum NameError {
    /// Nothing stands there.
    #[error("it is empty")]
    Empty,
    /// A character that such a name cannot have.
    #[error("it has {0:?} in it; use letters, digits, `-` and `_`")]
    Character(char),
    /// A control character, which no terminal or log should have to show.
    #[error("it has a control character in it")]
    Control,
    /// Longer than any honest name.
    #[error("it is longer than {0} bytes")]
    TooLong(usize),
}

const LONGEST_WORD: usize = 100;
const LONGEST_ID: usize = 2_000;

fn word(text: &str) -> Result<(), NameError> {
    if text.is_empty() {
        return Err(NameError::Empty);
    }
    if text.len() > LONGEST_WORD {
        return Err(NameError::TooLong(LONGEST_WORD));
    }
    let allowed = |c: &char| c.is_alphanumeric() || matches!(c, '-' | '_');
    match text.chars().find(|c| !allowed(c)) {
        Some(other) => Err(NameError::Character(other)),
        None => Ok(()),
    }
}

fn identifier(text: &str) -> Result<(), NameError> {
    if text.is_empty() {
        return Err(NameError::Empty);
    }
    if text.len() > LONGEST_ID {
        return Err(NameError::TooLong(LONGEST_ID));
    }
    if text.chars().any(char::is_control) {
        return Err(NameError::Control);
    }
    Ok(())
}

macro_rules! names {
    ($($(#[$doc:meta])* $name:ident by $rule:ident;)*) => {$(
        $(#[$doc])*
        #[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord, Hash)]
        pub struct $name(SmolStr);

        impl $name {
            /// Reads the name.
            ///
            /// # Errors
            /// Where it is empty, too long, or has a character that such a name cannot have.
            pub fn new(text: impl Into<String>) -> Result<Self, NameError> {
                let text = text.into();
                $rule(&text)?;
                Ok(Self(text.into()))
            }

            /// The name as text.
            #[must_use]
            pub fn as_str(&self) -> &str {
                &self.0
            }
        }

        impl fmt::Display for $name {
            fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
                f.pad(&self.0)
            }
        }
    )*};
}

names! {
    /// The name of an outside party, as the hub's configuration gives it.
    SystemName by word;
    /// The name of a type of entries in one system.
    TypeName by word;
    /// The name of a lane.
    LaneName by word;
    /// The name of a field of a type.
    FieldName by identifier;
    /// What a system calls an entry; any text without control characters.
    EntryId by identifier;
    /// A system's own mark of an entry's version (an ETag, a version number); opaque, compared only for equality.
    Revision by identifier;
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn words_and_identifiers() {
        assert!(SystemName::new("visitor-site").is_ok());
        assert_eq!(SystemName::new("a/b"), Err(NameError::Character('/')));
        assert_eq!(SystemName::new(""), Err(NameError::Empty));
        assert!(EntryId::new("tag:tarnside.example,2026:17/a b").is_ok());
        assert_eq!(EntryId::new("a\u{1b}[2J"), Err(NameError::Control));
        assert_eq!(EntryId::new("x".repeat(2_001)), Err(NameError::TooLong(2_000)));
    }
}
