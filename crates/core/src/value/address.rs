//! Where an entry is: `system/type/id`.

use std::fmt;
use std::str::FromStr;

use super::{EntryId, NameError, SystemName, TypeName};

/// The address of an entry, written `system/type/id`. The id is all that follows the second slash
/// and may have slashes of its own.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub struct Address {
    /// The system the entry is in.
    pub system: SystemName,
    /// Its type there.
    pub kind: TypeName,
    /// What the system calls it.
    pub id: EntryId,
}

/// Why a text is not an address.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum AddressError {
    /// A part is missing.
    #[error("an address has three parts, `system/type/id`")]
    Parts,
    /// A part cannot be a name.
    #[error("the {part} of the address cannot be read: {reason}")]
    Part {
        /// Which part: system, type or id.
        part: &'static str,
        /// What is wrong with it.
        reason: NameError,
    },
}

impl FromStr for Address {
    type Err = AddressError;

    fn from_str(text: &str) -> Result<Self, Self::Err> {
        let mut parts = text.splitn(3, '/');
        let (Some(system), Some(kind), Some(id)) = (parts.next(), parts.next(), parts.next()) else {
            return Err(AddressError::Parts);
        };
        let refused = |part| move |reason| AddressError::Part { part, reason };
        Ok(Address {
            system: SystemName::new(system).map_err(refused("system"))?,
            kind: TypeName::new(kind).map_err(refused("type"))?,
            id: EntryId::new(id).map_err(refused("id"))?,
        })
    }
}

impl fmt::Display for Address {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.pad(&format!("{}/{}/{}", self.system, self.kind, self.id))
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    #[test]
    fn refused() {
        assert_eq!("catalogue".parse::<Address>(), Err(AddressError::Parts));
        assert_eq!("a/b".parse::<Address>(), Err(AddressError::Parts));
        let empty = AddressError::Part { part: "id", reason: NameError::Empty };
        assert_eq!("a/b/".parse::<Address>(), Err(empty));
    }

    proptest! {
        #[test]
        fn prints_and_parses_back(system in "[a-z][a-z0-9-]{0,8}", kind in "[a-z-]{1,8}", id in "[^\\p{C}]{1,30}") {
            let text = format!("{system}/{kind}/{id}");
            let address: Address = text.parse().unwrap();
            prop_assert_eq!(address.to_string(), text);
            prop_assert_eq!(address.id.as_str(), id);
        }
    }
}
