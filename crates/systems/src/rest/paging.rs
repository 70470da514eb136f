//! Where a listing goes on.

use serde_json::Value as Json;
use url::Url;

use super::profile::{PageSize, Paging, scalar_text};

impl Paging {
    /// Adds to a listing's address what the page needs.
    pub(super) fn address(&self, url: &mut Url, cursor: Option<&str>) {
        let (parameter, size, value) = match self {
            Paging::None => return,
            Paging::Page { parameter, first, size } => {
                (parameter, size, Some(cursor.map_or_else(|| first.to_string(), str::to_owned)))
            }
            Paging::Cursor { parameter, size, .. } => (parameter, size, cursor.map(str::to_owned)),
        };
        let mut query = url.query_pairs_mut();
        if let Some(PageSize { parameter, items }) = size {
            query.append_pair(parameter, &items.to_string());
        }
        if let Some(value) = value {
            query.append_pair(parameter, &value);
        }
    }

    /// What leads to the page after this one; none at the end.
    pub(super) fn next(&self, cursor: Option<&str>, answer: &Json, items: usize) -> Option<String> {
        match self {
            Paging::None => None,
            // A page may be shorter than asked without being the last, so only an empty one ends it.
            Paging::Page { .. } if items == 0 => None,
            Paging::Page { first, .. } => {
                let number = cursor.and_then(|text| text.parse().ok()).unwrap_or(*first);
                Some((number + 1).to_string())
            }
            Paging::Cursor { next, .. } => next.first(answer).and_then(scalar_text).filter(|text| !text.is_empty()),
        }
    }
}
