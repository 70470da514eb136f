//! What a page of a listing is asked for with.

use serde_json::{Map, Value as Json};
use url::Url;

use crate::ErrorKind;
use crate::http::{Method, Request, set_query};
use crate::profile::{MemberPath, SearchCall};

/// What a page is asked for with: an address, and a body where the listing is a call with one.
#[derive(Debug, Clone)]
pub(super) struct Asking<'a> {
    pub(super) url: Url,
    body: Option<(&'a SearchCall, Map<String, Json>)>,
}

impl<'a> Asking<'a> {
    pub(super) fn new(url: Url, search: Option<&'a SearchCall>) -> Asking<'a> {
        Asking { url, body: search.map(|search| (search, search.members.clone())) }
    }

    /// Sets a parameter: of the query, or, where it is a place, a member of the body.
    pub(super) fn set(&mut self, parameter: &str, value: Json) {
        match (&mut self.body, MemberPath::read(parameter)) {
            (Some((_, members)), Some(place)) => place.put(members, value),
            _ => set_query(&mut self.url, parameter, &value.as_str().map_or_else(|| value.to_string(), str::to_owned)),
        }
    }

    /// What tells it from others, beside its address.
    pub(super) fn said(&self) -> String {
        self.body.as_ref().map(|(_, members)| serde_json::to_string(members).unwrap_or_default()).unwrap_or_default()
    }

    /// The request that it makes of one.
    ///
    /// # Errors
    /// Where the media type of its body has no form for it.
    pub(super) fn finish(self, request: Request) -> Result<Request, ErrorKind> {
        Ok(match self.body {
            None => request,
            Some((search, members)) => Request { method: Method::Post, body: Some(search.body(members)?), ..request },
        })
    }
}
