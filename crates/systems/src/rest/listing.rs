//! Asking for the pages of a listing, which its own answers lead to.

use diaporos_core::value::TypeName;
use serde_json::{Value as Json, json};
use url::Url;

use super::asking::Asking;
use super::paging::{Answered, Turn};
use super::write::RestWriter;
use crate::http::{Body, Client, Method, Request, join_url};
use crate::languages::LanguageShape;
use crate::operation::AnswerErrors;
use crate::profile::{DocumentListing, ListingQuery, Paging};
use crate::query::Query;
use crate::{ErrorKind, ListedPage, SystemError};

/// Who asks for pages, and where their listings begin.
#[derive(Clone, Copy)]
pub(super) struct Pages<'a> {
    pub(super) client: &'a Client,
    pub(super) base: &'a Url,
}

impl Pages<'_> {
    /// A request to an address that an answer may have given: the credential goes to the system's
    /// own host only.
    pub(super) fn request(self, url: Url) -> Request {
        if url.origin() == self.base.origin() {
            self.client.request(Method::Get, url)
        } else {
            Request::new(Method::Get, url)
        }
    }

    /// The request for a page.
    ///
    /// # Errors
    /// Where the listing leads to a place where nothing is asked.
    pub(super) fn page(self, asking: Asking<'_>) -> Result<Request, SystemError> {
        let url = asking.url.clone();
        if !matches!(url.scheme(), "http" | "https") {
            let request = Request::new(Method::Get, url);
            let message = "the listing leads on to an address that is not http or https".to_owned();
            return Err(self.client.error(&request, ErrorKind::Content(message)));
        }
        let request = self.request(url);
        if !self.client.limits().network.allows(self.base, &request.url) {
            let host = request.url.host_str().unwrap_or_default();
            let message = format!(
                "the listing leads on to another host, `{host}`, and nothing was asked there; where that is right, name it: `hosts = [\"{host}\"]`"
            );
            return Err(self.client.error(&request, ErrorKind::Content(message)));
        }
        asking.finish(request.clone()).map_err(|kind| self.client.error(&request, kind))
    }

    /// A refusal at another place, where the credential was not sent.
    pub(super) fn without_credential(self, error: SystemError, request: &Request) -> SystemError {
        let was_held_back = self.client.credential().is_some() && !request.has_secret();
        match error.kind {
            ErrorKind::Unauthorised { status, .. } if was_held_back => {
                let message = format!(
                    "it answered {status}: the listing leads on to another scheme, host or port than the system's `url`, and the credential was not sent there"
                );
                SystemError { kind: ErrorKind::Content(message), ..error }
            }
            _ => error,
        }
    }
}

/// The items on a page of a listing, which are counted here, and where it goes on.
///
/// # Errors
/// Where the answer is no page of a listing.
pub(super) fn items_on<'a>(
    items: &Query,
    paging: &Paging,
    page: Answered<'a>,
) -> Result<(Vec<&'a Json>, Turn), ErrorKind> {
    items.is_a_listing(page.json).map_err(ErrorKind::Content)?;
    let found = items.all(page.json);
    let turn = paging.turn(Answered { items: found.len(), ..page });
    if turn.next.is_some() && turn.next.as_deref() == page.cursor {
        let message = format!("the page names itself as the next (`{}`)", page.cursor.unwrap_or_default());
        return Err(ErrorKind::Content(message));
    }
    Ok((found, turn))
}

impl RestWriter {
    /// Where documents of a type are listed, as far as the profile says.
    fn listing(&self, kind: &TypeName) -> Option<DocumentListing> {
        let known = self.profile.types.get(kind)?;
        let write = known.write.as_ref()?;
        // What an item with several languages is called in each is known from its address alone.
        if matches!(write.languages, LanguageShape::Addresses) {
            return None;
        }
        write.listed.clone().or_else(|| known.read.as_ref().map(DocumentListing::of))
    }

    /// A page of the documents of a type; none where the profile has no listing of it.
    pub(super) async fn listed_page(
        &self,
        kind: &TypeName,
        cursor: Option<&str>,
    ) -> Result<Option<ListedPage>, SystemError> {
        let write = self.write_type(kind)?;
        let Some(DocumentListing { list, search, items, paging, query }) = self.listing(kind) else { return Ok(None) };
        if let Some(query) = query {
            return self.listed_by_query(kind, (&query, &items, &paging), cursor).await.map(Some);
        }
        let pages = Pages { client: &self.client, base: &self.base };
        let first = join_url(&self.base, &list).map_err(|error| self.error(error.to_string()))?;
        let request = pages.page(paging.ask(Asking::new(first, search.as_ref()), cursor))?;
        let answer = match self.client.read(&request).await {
            Err(error) if paging.ends_with(cursor, &error) => {
                return Ok(Some(ListedPage { documents: Vec::new(), next: None }));
            }
            Err(error) => return Err(pages.without_credential(error, &request)),
            Ok(answer) => answer,
        };
        let wrong = |kind| self.client.error(&request, kind);
        let json = answer.json().map_err(wrong)?;
        let page = Answered { cursor, url: &request.url, answer: &answer, json: &json, items: 0, is_increment: false };
        let (found, turn) = items_on(&items, &paging, page).map_err(wrong)?;
        // What cannot be told is read by itself, and says then what is wrong.
        let told = found.into_iter().filter_map(|item| self.existing(kind, write, (item, ""), None).ok());
        Ok(Some(ListedPage { documents: told.collect(), next: turn.next }))
    }

    /// A page of documents that a query lists.
    async fn listed_by_query(
        &self,
        kind: &TypeName,
        (query, items, paging): (&ListingQuery, &Query, &Paging),
        cursor: Option<&str>,
    ) -> Result<ListedPage, SystemError> {
        let write = self.write_type(kind)?;
        let mut variables = query.variables.clone();
        paging.put_variables(&mut variables, cursor);
        let mut request = self.client.request(Method::Post, self.base.clone());
        request.body = Some(Body::json(json!({ "query": query.text, "variables": variables })));
        let answer = self.client.read(&request).await?;
        let wrong = |message: String| self.client.error(&request, ErrorKind::Content(message));
        let json = answer.json().map_err(|kind| self.client.error(&request, kind))?;
        if let Some(said) = AnswerErrors::read(&json).first() {
            return Err(wrong(format!("the listing was answered with an error: {said}")));
        }
        items.is_a_listing(&json).map_err(wrong)?;
        let next = paging.next_of_connection(&json).map_err(wrong)?.filter(|next| Some(next.as_str()) != cursor);
        let told = items.all(&json).into_iter().filter_map(|item| self.existing(kind, write, (item, ""), None).ok());
        Ok(ListedPage { documents: told.collect(), next })
    }
}
