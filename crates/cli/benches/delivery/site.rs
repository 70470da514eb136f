//! A site that keeps versions and nothing else, so that little of the time is its own.

use std::collections::HashMap;
use std::sync::atomic::{AtomicU64, Ordering};
use std::sync::{Arc, Mutex};
use std::time::Duration;

use axum::Router;
use axum::extract::{Path, State};
use axum::http::{StatusCode, header};
use axum::response::{IntoResponse, Response};
use axum::routing::{any, get};

#[derive(Clone, Default)]
struct Pages {
    versions: Arc<Mutex<HashMap<String, u64>>>,
    delay: Arc<AtomicU64>,
}

/// The site, on a thread of its own.
pub(crate) struct Site {
    pages: Pages,
    port: u16,
}

impl Site {
    pub(crate) fn start() -> Site {
        let pages = Pages::default();
        let routes = Router::new()
            .route("/pages/{id}", get(read).put(write).patch(write))
            .route("/bare/{id}", any(bare))
            .with_state(pages.clone());
        let listener = std::net::TcpListener::bind("127.0.0.1:0").unwrap();
        listener.set_nonblocking(true).unwrap();
        let port = listener.local_addr().unwrap().port();
        std::thread::spawn(move || {
            let runtime = tokio::runtime::Builder::new_current_thread().enable_all().build().unwrap();
            runtime.block_on(async {
                let listener = tokio::net::TcpListener::from_std(listener).unwrap();
                axum::serve(listener, routes).await.unwrap();
            });
        });
        Site { pages, port }
    }

    pub(crate) fn url(&self) -> String {
        format!("http://127.0.0.1:{}", self.port)
    }

    pub(crate) fn answer_after(&self, delay: Duration) {
        self.pages.delay.store(u64::try_from(delay.as_millis()).unwrap(), Ordering::Relaxed);
    }
}

async fn read(State(pages): State<Pages>, Path(id): Path<String>) -> Response {
    let version = pages.versions.lock().unwrap().get(&id).copied();
    match version {
        Some(version) => answer(&id, version),
        None => StatusCode::NOT_FOUND.into_response(),
    }
}

async fn write(State(pages): State<Pages>, Path(id): Path<String>, _: String) -> Response {
    let delay = pages.delay.load(Ordering::Relaxed);
    if delay > 0 {
        tokio::time::sleep(Duration::from_millis(delay)).await;
    }
    let version = {
        let mut versions = pages.versions.lock().unwrap();
        let version = versions.entry(id.clone()).or_default();
        *version += 1;
        *version
    };
    answer(&id, version)
}

async fn bare(Path(id): Path<String>, _: String) -> Response {
    answer(&id, 1)
}

fn answer(id: &str, version: u64) -> Response {
    let headers = [(header::ETAG, format!("\"{version}\"")), (header::CONTENT_TYPE, "application/json".to_owned())];
    (headers, format!("{{\"slug\":\"{id}\"}}")).into_response()
}
