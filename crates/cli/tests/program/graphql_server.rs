//! A GraphQL server that keeps pages. What it is asked is read, validated and answered by a server crate that others
//! run too; what goes wrong is told it.

use std::collections::{BTreeMap, VecDeque};
use std::sync::{Arc, Mutex};

use async_graphql::{
    Context, EmptySubscription, Error, ErrorExtensions, ID, InputObject, Object, Schema, SimpleObject,
};
use axum::Router;
use axum::extract::State;
use axum::http::StatusCode;
use axum::routing::post;
use tokio::runtime::Runtime;

use crate::harness::served;

/// What goes wrong with the next request that changes something, or with a search.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Wrong {
    /// It is carried out, and the connection's other end answers 502.
    AnswerLost,
    /// It is carried out, and answered with an error of which nobody knows the code.
    ErrorAfter,
    /// It is not carried out: it is to be asked later.
    Busy,
    /// It is answered 200 with a page to log in.
    LogIn,
    /// A search gives what it has, beside an error.
    InPart,
}

/// A page, as the server has it.
#[derive(Debug, Clone, Default, PartialEq, Eq, SimpleObject)]
pub(crate) struct Page {
    pub(crate) id: ID,
    pub(crate) version: i32,
    pub(crate) slug: String,
    pub(crate) title: Option<String>,
    pub(crate) tags: Option<Vec<String>>,
    pub(crate) status: String,
}

#[derive(Debug, InputObject)]
struct PageInput {
    slug: String,
    title: Option<String>,
    tags: Option<Vec<String>>,
}

#[derive(Debug, SimpleObject)]
struct Trouble {
    message: String,
    field: Vec<String>,
    code: Option<String>,
}

#[derive(Debug, Default, SimpleObject)]
struct Saved {
    page: Option<Page>,
    problems: Vec<Trouble>,
}

#[derive(Debug, Default)]
struct Kept {
    pages: BTreeMap<i32, Page>,
    last: i32,
    wrong: VecDeque<Wrong>,
    changes: usize,
    /// Who has which page locked.
    locks: BTreeMap<String, String>,
    /// How often single pages were asked for.
    looks: usize,
}

/// Who has a page locked, and what shows it.
#[derive(Debug, SimpleObject)]
struct Lock {
    holder: String,
    token: String,
}

fn lock_of(holder: &str) -> Lock {
    Lock { holder: holder.to_owned(), token: format!("token of {holder}") }
}

/// The pages of a server.
#[derive(Debug, Clone, Default)]
pub(crate) struct Pages(Arc<Mutex<Kept>>);

impl Pages {
    fn kept(&self) -> std::sync::MutexGuard<'_, Kept> {
        self.0.lock().unwrap()
    }

    pub(crate) fn with_slug(&self, slug: &str) -> Vec<Page> {
        self.kept().pages.values().filter(|page| page.slug == slug).cloned().collect()
    }

    pub(crate) fn retitle(&self, slug: &str, title: &str) {
        for page in self.kept().pages.values_mut().filter(|page| page.slug == slug) {
            page.title = Some(title.to_owned());
            page.version += 1;
        }
    }

    pub(crate) fn go_wrong(&self, wrong: &[Wrong]) {
        self.kept().wrong.extend(wrong);
    }

    /// Somebody locks a page, or lets go of it.
    pub(crate) fn lock(&self, slug: &str, holder: Option<&str>) {
        let id = self.with_slug(slug)[0].id.to_string();
        let mut kept = self.kept();
        match holder {
            Some(holder) => drop(kept.locks.insert(id, holder.to_owned())),
            None => drop(kept.locks.remove(&id)),
        }
    }

    /// Whether anything is locked.
    pub(crate) fn is_locked(&self) -> bool {
        !self.kept().locks.is_empty()
    }

    /// How often single pages were asked for.
    pub(crate) fn looks(&self) -> usize {
        self.kept().looks
    }

    /// How many requests asked for a change.
    pub(crate) fn changes(&self) -> usize {
        self.kept().changes
    }
}

fn missing() -> Error {
    Error::new("no such page").extend_with(|_, extensions| extensions.set("code", "NOT_FOUND"))
}

fn stale() -> Error {
    Error::new("somebody saved it since").extend_with(|_, extensions| extensions.set("code", "STALE_PAGE"))
}

fn trouble(field: &str, message: &str, code: Option<&str>) -> Saved {
    let (field, message) = (vec!["input".to_owned(), field.to_owned()], message.to_owned());
    Saved { page: None, problems: vec![Trouble { message, field, code: code.map(str::to_owned) }] }
}

pub(crate) struct Query;

#[Object]
impl Query {
    async fn page(&self, ctx: &Context<'_>, id: ID) -> Option<Page> {
        let mut kept = ctx.data_unchecked::<Pages>().kept();
        kept.looks += 1;
        kept.pages.get(&id.parse().ok()?).cloned()
    }

    async fn lock(&self, ctx: &Context<'_>, id: ID) -> Option<Lock> {
        ctx.data_unchecked::<Pages>().kept().locks.get(id.as_str()).map(|holder| lock_of(holder))
    }

    async fn all(&self, ctx: &Context<'_>) -> Vec<Page> {
        ctx.data_unchecked::<Pages>().kept().pages.values().cloned().collect()
    }

    async fn pages(&self, ctx: &Context<'_>, slug: String) -> Vec<Page> {
        ctx.data_unchecked::<Pages>().with_slug(&slug)
    }
}

pub(crate) struct Mutation;

#[Object]
impl Mutation {
    async fn create_page(&self, ctx: &Context<'_>, input: PageInput) -> Saved {
        if input.title.as_deref().is_some_and(|title| title.len() > 20) {
            return trouble("title", "at most 20 letters", None);
        }
        let mut kept = ctx.data_unchecked::<Pages>().kept();
        kept.last += 1;
        let PageInput { slug, title, tags } = input;
        let (id, last) = (kept.last.to_string().into(), kept.last);
        let page = Page { id, version: 1, slug, title, tags, status: "live".to_owned() };
        kept.pages.insert(last, page.clone());
        Saved { page: Some(page), problems: Vec::new() }
    }

    async fn draft_page(&self, ctx: &Context<'_>, input: PageInput) -> Saved {
        let mut kept = ctx.data_unchecked::<Pages>().kept();
        kept.last += 1;
        let PageInput { slug, title, tags } = input;
        let (id, last) = (kept.last.to_string().into(), kept.last);
        let page = Page { id, version: 1, slug, title, tags, status: "draft".to_owned() };
        kept.pages.insert(last, page.clone());
        Saved { page: Some(page), problems: Vec::new() }
    }

    async fn publish_page(&self, ctx: &Context<'_>, id: ID, revision: Option<i32>) -> async_graphql::Result<Page> {
        let mut kept = ctx.data_unchecked::<Pages>().kept();
        let page = id.parse().ok().and_then(|id: i32| kept.pages.get_mut(&id));
        let page = page.ok_or_else(missing)?;
        if revision.is_some_and(|revision| revision != page.version) {
            return Err(stale());
        }
        "live".clone_into(&mut page.status);
        page.version += 1;
        Ok(page.clone())
    }

    async fn lock_page(&self, ctx: &Context<'_>, id: ID) -> async_graphql::Result<Lock> {
        let mut kept = ctx.data_unchecked::<Pages>().kept();
        if let Some(holder) = kept.locks.get(id.as_str()) {
            return Err(
                Error::new(format!("{holder} has it")).extend_with(|_, extensions| extensions.set("code", "LOCKED"))
            );
        }
        kept.locks.insert(id.to_string(), "the hub".to_owned());
        Ok(lock_of("the hub"))
    }

    async fn unlock_page(&self, ctx: &Context<'_>, id: ID, lock: String) -> async_graphql::Result<bool> {
        let mut kept = ctx.data_unchecked::<Pages>().kept();
        let is_theirs = kept.locks.get(id.as_str()).is_some_and(|holder| lock_of(holder).token == lock);
        if !is_theirs {
            return Err(missing());
        }
        Ok(kept.locks.remove(id.as_str()).is_some())
    }

    async fn update_page(
        &self,
        ctx: &Context<'_>,
        id: ID,
        revision: Option<i32>,
        lock: Option<String>,
        input: PageInput,
    ) -> Saved {
        let mut kept = ctx.data_unchecked::<Pages>().kept();
        let holder = kept.locks.get(id.as_str()).cloned();
        if holder.is_some_and(|holder| lock != Some(lock_of(&holder).token)) {
            return trouble("lock", "somebody has it locked", Some("LOCKED"));
        }
        let Some(page) = id.parse().ok().and_then(|id: i32| kept.pages.get_mut(&id)) else {
            return trouble("id", "no such page", Some("NOT_FOUND"));
        };
        if revision.is_some_and(|revision| revision != page.version) {
            return trouble("revision", "somebody saved it since", Some("STALE_PAGE"));
        }
        if input.title.as_deref().is_some_and(|title| title.len() > 20) {
            return trouble("title", "at most 20 letters", None);
        }
        (page.slug, page.title, page.tags) = (input.slug, input.title, input.tags);
        page.version += 1;
        "live".clone_into(&mut page.status);
        Saved { page: Some(page.clone()), problems: Vec::new() }
    }

    async fn hide_page(&self, ctx: &Context<'_>, id: ID, revision: Option<i32>) -> async_graphql::Result<Page> {
        let mut kept = ctx.data_unchecked::<Pages>().kept();
        let page = id.parse().ok().and_then(|id: i32| kept.pages.get_mut(&id));
        let page = page.ok_or_else(missing)?;
        if revision.is_some_and(|revision| revision != page.version) {
            return Err(stale());
        }
        "hidden".clone_into(&mut page.status);
        page.version += 1;
        Ok(page.clone())
    }

    async fn delete_page(&self, ctx: &Context<'_>, id: ID, revision: Option<i32>) -> async_graphql::Result<bool> {
        let mut kept = ctx.data_unchecked::<Pages>().kept();
        let id: i32 = id.parse().map_err(|_| missing())?;
        let page = kept.pages.get(&id).ok_or_else(missing)?;
        if revision.is_some_and(|revision| revision != page.version) {
            return Err(stale());
        }
        Ok(kept.pages.remove(&id).is_some())
    }
}

type Served = Schema<Query, Mutation, EmptySubscription>;

async fn answer(State((schema, pages)): State<(Served, Pages)>, body: String) -> (StatusCode, String) {
    let request: async_graphql::Request = serde_json::from_str(&body).unwrap();
    let is_change = request.query.trim_start().starts_with("mutation");
    let wrong = {
        let mut kept = pages.kept();
        kept.changes += usize::from(is_change);
        let is_meant = |wrong: &Wrong| is_change != (*wrong == Wrong::InPart);
        if kept.wrong.front().is_some_and(is_meant) { kept.wrong.pop_front() } else { None }
    };
    let error = |code: &str, data: &str| {
        format!(
            "{{{data}\"errors\":[{{\"message\":\"the shelf is closed\",\"path\":[\"pages\"],\"extensions\":{{\"code\":\"{code}\"}}}}]}}"
        )
    };
    match wrong {
        Some(Wrong::Busy) => return (StatusCode::OK, error("RATE_LIMITED", "\"data\":null,")),
        Some(Wrong::LogIn) => return (StatusCode::OK, "<html><body>Please log in</body></html>".to_owned()),
        Some(Wrong::InPart) => return (StatusCode::OK, error("SHELF_7", "\"data\":{\"pages\":[]},")),
        Some(Wrong::AnswerLost | Wrong::ErrorAfter) | None => {}
    }
    let answered = schema.execute(request.data(pages)).await;
    match wrong {
        Some(Wrong::AnswerLost) => (StatusCode::BAD_GATEWAY, String::new()),
        Some(Wrong::ErrorAfter) => (StatusCode::OK, error("SHELF_7", "\"data\":null,")),
        _ => (StatusCode::OK, serde_json::to_string(&answered).unwrap()),
    }
}

/// Serves pages till the runtime is dropped; the address.
pub(crate) fn pages_server() -> (String, Pages, Runtime) {
    let pages = Pages::default();
    let schema = Schema::new(Query, Mutation, EmptySubscription);
    let app = Router::new().route("/graphql", post(answer)).with_state((schema, pages.clone()));
    let (url, runtime) = served(app);
    (format!("{url}/graphql"), pages, runtime)
}
