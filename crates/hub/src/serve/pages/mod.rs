//! What can be looked at: the state of the hub and any entry, as pages that need no script, as JSON, as metrics.

mod access;
mod entry;
mod metrics;
mod overview;
mod slate;
mod views;

use std::sync::{Arc, Mutex, PoisonError};

use axum::Router;
use axum::extract::{Path, Request, State};
use axum::http::{HeaderMap, HeaderValue, StatusCode, header};
use axum::middleware::{Next, from_fn, from_fn_with_state};
use axum::response::{IntoResponse, Response};
use axum::routing::get;
use diaporos_core::value::Address;
use diaporos_store::{Store, StoreError};
use minijinja::value::Serde;
use minijinja::{AutoEscape, Environment};
use serde::Serialize;

pub(super) use access::Access;

use super::shared::Shared;
use crate::leases::Clock;

/// What those who look see.
#[derive(Clone)]
pub(super) struct Pages {
    store: Arc<Mutex<Store>>,
    shared: Arc<Shared>,
    clock: Clock,
    access: Arc<Access>,
}

/// Why a page is not shown.
enum PageError {
    Store(StoreError),
    Template(minijinja::Error),
    NotThere(String),
}

impl From<StoreError> for PageError {
    fn from(error: StoreError) -> Self {
        PageError::Store(error)
    }
}

impl From<minijinja::Error> for PageError {
    fn from(error: minijinja::Error) -> Self {
        PageError::Template(error)
    }
}

impl IntoResponse for PageError {
    fn into_response(self) -> Response {
        let (status, text) = match self {
            PageError::Store(error) => (StatusCode::INTERNAL_SERVER_ERROR, error.to_string()),
            PageError::Template(error) => (StatusCode::INTERNAL_SERVER_ERROR, format!("{error:#}")),
            PageError::NotThere(what) => (StatusCode::NOT_FOUND, what),
        };
        (status, format!("{}\n", diaporos_systems::blank::blank(&text))).into_response()
    }
}

impl Pages {
    pub(super) fn new(store: Store, shared: Arc<Shared>, clock: Clock, access: Access) -> Pages {
        Pages { store: Arc::new(Mutex::new(store)), shared, clock, access: Arc::new(access) }
    }

    /// The pages, for those who may see them.
    pub(super) fn routes(self) -> Router {
        Router::new()
            .route("/", get(overview_page))
            .route("/status.json", get(overview_json))
            .route("/entries/{system}/{kind}/{*id}", get(entry_page))
            .route("/slates/{name}", get(slate_page))
            .route("/metrics", get(metrics_text))
            .layer(from_fn_with_state(Arc::clone(&self.access), access::admit))
            .route("/readyz", get(ready))
            .layer(from_fn(with_headers))
            .with_state(self)
    }

    /// Reads the store on a thread that may wait for the disk.
    async fn read<T: Send + 'static>(
        &self,
        read: impl FnOnce(&Pages, &Store) -> Result<T, PageError> + Send + 'static,
    ) -> Result<T, PageError> {
        let pages = self.clone();
        let done = tokio::task::spawn_blocking(move || {
            let store = pages.store.lock().unwrap_or_else(PoisonError::into_inner);
            read(&pages, &store)
        });
        done.await.unwrap_or_else(|error| Err(PageError::NotThere(format!("the page cannot be made: {error}"))))
    }
}

/// Nothing on a page runs, nothing is taken from elsewhere, nobody keeps it or puts it into a frame.
async fn with_headers(request: Request, next: Next) -> Response {
    let mut response = next.run(request).await;
    let headers = response.headers_mut();
    let policy =
        "default-src 'none'; style-src 'unsafe-inline'; base-uri 'none'; form-action 'none'; frame-ancestors 'none'";
    for (name, value) in [
        (header::CONTENT_SECURITY_POLICY, policy),
        (header::X_CONTENT_TYPE_OPTIONS, "nosniff"),
        (header::REFERRER_POLICY, "no-referrer"),
        (header::CACHE_CONTROL, "no-store"),
    ] {
        headers.insert(name, HeaderValue::from_static(value));
    }
    response
}

const OVERVIEW: &str = include_str!("overview.html");
const ENTRY: &str = include_str!("entry.html");
const SLATE: &str = include_str!("slate.html");
const STYLE: &str = include_str!("style.css");

fn rendered(template: &str, view: &impl Serialize) -> Result<Response, PageError> {
    let mut environment = Environment::new();
    environment
        .set_auto_escape_callback(|name| if name.ends_with(".html") { AutoEscape::Html } else { AutoEscape::None });
    environment.add_template("style.css", STYLE)?;
    environment.add_template("page.html", template)?;
    let page = environment.get_template("page.html")?.render(Serde(view))?;
    Ok(([(header::CONTENT_TYPE, "text/html; charset=utf-8")], page).into_response())
}

async fn overview_page(State(pages): State<Pages>, request: Request) -> Result<Response, PageError> {
    // Who reads with a screen reader may not want the page to begin anew by itself.
    let stands_still = request.uri().query() == Some("still");
    pages
        .read(move |pages, store| {
            let view = overview::overview(&pages.shared, store, (pages.clock)())?;
            rendered(OVERVIEW, &views::Page { view, stands_still })
        })
        .await
}

async fn overview_json(State(pages): State<Pages>) -> Result<Response, PageError> {
    let view = pages.read(|pages, store| Ok(overview::overview(&pages.shared, store, (pages.clock)())?)).await?;
    Ok(axum::Json(view).into_response())
}

async fn entry_page(
    State(pages): State<Pages>,
    Path((system, kind, id)): Path<(String, String, String)>,
) -> Result<Response, PageError> {
    let text = format!("{system}/{kind}/{id}");
    let address: Address =
        text.parse().map_err(|error| PageError::NotThere(format!("`{text}` is no address: {error}")))?;
    pages
        .read(move |pages, store| match entry::entry_view(&pages.shared.config(), store, &address)? {
            Some(view) => rendered(ENTRY, &view),
            None => Err(PageError::NotThere(format!("there is no entry `{address}`"))),
        })
        .await
}

async fn slate_page(State(pages): State<Pages>, Path(name): Path<String>) -> Result<Response, PageError> {
    pages
        .read(move |_, store| match slate::slate_view(store, &name)? {
            Some(view) => rendered(SLATE, &view),
            None => Err(PageError::NotThere(format!("there is no slate `{name}`"))),
        })
        .await
}

async fn metrics_text(State(pages): State<Pages>) -> Result<Response, PageError> {
    let text = pages.read(|pages, store| Ok(metrics::metrics(&pages.shared, store, (pages.clock)())?)).await?;
    Ok(([(header::CONTENT_TYPE, "application/openmetrics-text; version=1.0.0; charset=utf-8")], text).into_response())
}

/// Whether the hub can do its work: its store answers, and its configuration is sound.
async fn ready(State(pages): State<Pages>) -> Response {
    let answers = pages.read(|_, store| Ok(store.work().map(drop)?)).await;
    let fault = pages.shared.fault();
    match (answers, fault) {
        (Ok(()), None) => "ready\n".into_response(),
        (Ok(()), Some(_)) => {
            (StatusCode::SERVICE_UNAVAILABLE, "the configuration is faulty; the one before goes on\n").into_response()
        }
        (Err(_), _) => (StatusCode::SERVICE_UNAVAILABLE, "the store does not answer\n").into_response(),
    }
}

/// The value of a header as text.
fn header_text<'a>(headers: &'a HeaderMap, name: &header::HeaderName) -> Option<&'a str> {
    headers.get(name)?.to_str().ok()
}
