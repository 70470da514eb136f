//! What the readers of XML formats share: attributes, and characters by reference.

use std::borrow::Cow;

use quick_xml::XmlVersion;
use quick_xml::escape::resolve_xml_entity;
use quick_xml::events::{BytesRef, BytesStart};

use super::UnitsError;

/// An attribute's value, its references read.
pub(super) fn attribute(tag: &BytesStart<'_>, name: &str) -> Option<String> {
    let found = tag.attributes().with_checks(false).flatten().find(|attribute| attribute.key.as_ref() == name)?;
    found.normalized_value(XmlVersion::Implicit1_0).ok().map(Cow::into_owned)
}

/// What a reference stands for: a character by its number, or one of the five entities of XML. No
/// other is read.
pub(super) fn referenced(reference: &BytesRef<'_>) -> Result<Cow<'static, str>, String> {
    let name: &str = reference;
    if let Some(character) = reference.resolve_char_ref().map_err(|error| error.to_string())? {
        return Ok(Cow::Owned(character.to_string()));
    }
    resolve_xml_entity(name).map(Cow::Borrowed).ok_or_else(|| format!("the entity `&{name};` is not read"))
}

/// What an error of the XML reader means, at a byte, after so many units.
pub(super) fn unreadable(error: quick_xml::Error, at: u64, units: u64) -> UnitsError {
    match error {
        quick_xml::Error::Io(error) => UnitsError::Io(std::io::Error::new(error.kind(), error.to_string())),
        quick_xml::Error::Syntax(_) => UnitsError::CutOff { units },
        error => UnitsError::IllFormed { message: error.to_string(), at },
    }
}
