//! Pages of entries in a browser on this machine, which follow what is changed while they are looked at.

use std::net::SocketAddr;
use std::path::Path;
use std::sync::Arc;

use axum::Router;
use axum::extract::{Path as UrlPath, Request, State};
use axum::http::{HeaderValue, StatusCode, header};
use axum::middleware::{Next, from_fn};
use axum::response::{Html, IntoResponse, Response};
use axum::routing::get;
use diaporos_core::change::fingerprint_texts;
use diaporos_core::value::Address;
use tokio::net::TcpListener;

/// Draws the page of an entry, or the list of those that can be looked at; it may take its time.
pub type Draw = Arc<dyn Fn(Option<Address>) -> Result<String, String> + Send + Sync>;
/// What changes whenever what pages are made of does.
pub type Mark = Arc<dyn Fn() -> String + Send + Sync>;

#[derive(Clone)]
struct Pages {
    draw: Draw,
    mark: Mark,
}

/// Serves pages at a port of this machine until it is told to end; `begun` is told where.
///
/// # Errors
/// Where the port cannot be had.
pub async fn serve_pages(
    port: u16,
    (draw, mark): (Draw, Mark),
    begun: impl FnOnce(SocketAddr),
    end: impl Future<Output = ()> + Send + 'static,
) -> std::io::Result<()> {
    let listener = TcpListener::bind(("127.0.0.1", port)).await?;
    begun(listener.local_addr()?);
    let routes = Router::new()
        .route("/", get(list))
        .route("/mark", get(mark_now))
        .route("/entries/{*address}", get(entry))
        .layer(from_fn(for_this_machine))
        .with_state(Pages { draw, mark });
    axum::serve(listener, routes).with_graceful_shutdown(end).await
}

/// Only a browser that asks for this machine by its own name is answered, so that no site elsewhere can have its
/// visitors ask; and nothing that a page shows runs or is taken from elsewhere, but for pictures.
async fn for_this_machine(request: Request, next: Next) -> Response {
    let host = request.headers().get(header::HOST).and_then(|host| host.to_str().ok()).unwrap_or_default();
    let name = host.rsplit_once(':').map_or(host, |(name, _)| name);
    if !matches!(name, "127.0.0.1" | "localhost") {
        return (StatusCode::FORBIDDEN, "ask for 127.0.0.1\n").into_response();
    }
    let mut response = next.run(request).await;
    let policy = "default-src 'none'; style-src 'unsafe-inline'; script-src 'unsafe-inline'; connect-src 'self'; \
                  img-src data: http: https:; frame-src 'self'; base-uri 'none'; form-action 'none'; frame-ancestors 'none'";
    for (name, value) in [(header::CONTENT_SECURITY_POLICY, policy), (header::CACHE_CONTROL, "no-store")] {
        response.headers_mut().insert(name, HeaderValue::from_static(value));
    }
    response
}

async fn list(State(pages): State<Pages>) -> Response {
    drawn(pages, None).await
}

async fn entry(State(pages): State<Pages>, UrlPath(address): UrlPath<String>) -> Response {
    match address.parse() {
        Ok(address) => drawn(pages, Some(address)).await,
        Err(error) => (StatusCode::NOT_FOUND, format!("`{address}` is no address: {error}\n")).into_response(),
    }
}

async fn mark_now(State(pages): State<Pages>) -> String {
    let mark = tokio::task::spawn_blocking(move || (pages.mark)()).await;
    mark.unwrap_or_default()
}

async fn drawn(pages: Pages, address: Option<Address>) -> Response {
    let done = tokio::task::spawn_blocking(move || (pages.draw)(address)).await;
    match done.unwrap_or_else(|error| Err(error.to_string())) {
        Ok(page) => Html(page).into_response(),
        Err(why) => {
            (StatusCode::INTERNAL_SERVER_ERROR, diaporos_systems::blank::blank(&why).into_owned()).into_response()
        }
    }
}

/// What changes whenever a file in a folder does, other than those of the folders that are left out.
#[must_use]
pub fn folder_mark(folder: &Path, without: &[&Path]) -> String {
    let mut seen = Vec::new();
    let mut folders = vec![folder.to_owned()];
    // A folder of a hub has few files; what has more is looked at as far as this.
    while let Some(next) = folders.pop().filter(|_| seen.len() < 10_000) {
        for file in std::fs::read_dir(next).into_iter().flatten().flatten() {
            let (path, Ok(kind)) = (file.path(), file.file_type()) else { continue };
            if without.iter().any(|other| path == **other) {
                continue;
            }
            if kind.is_dir() {
                folders.push(path);
            } else if let Ok(known) = file.metadata() {
                seen.push(format!("{} {} {:?}", path.display(), known.len(), known.modified().ok()));
            }
        }
    }
    seen.sort();
    fingerprint_texts(seen.iter().map(String::as_str)).to_string()
}
