//! Documents inside texts: JSON or XML that stands in a field as a string.

use serde_json::Value as Json;

use crate::profile::Embedded;
use diaporos_core::text::xml;

/// The item with its embedded documents in place of the texts that held them. Places are members
/// joined by dots; one that is not there, or null, is left.
pub(crate) fn open_up(item: &Json, embedded: &[(String, Embedded)]) -> Result<Json, String> {
    let mut item = item.clone();
    for (path, form) in embedded {
        let place = path.split('.').try_fold(&mut item, |at, member| at.get_mut(member));
        let Some(place) = place else { continue };
        let Json::String(text) = &*place else { continue };
        *place = match form {
            Embedded::Json => {
                serde_json::from_str(text).map_err(|error| format!("its `{path}` should hold JSON: {error}"))?
            }
            Embedded::Xml => {
                xml::to_json(text, xml::LIMITS).map_err(|error| format!("its `{path}` should hold XML: {error}"))?
            }
        };
    }
    Ok(item)
}
