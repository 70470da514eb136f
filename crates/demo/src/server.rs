//! A stand-in's server: a log of what was asked, faults on demand, loopback only.
//!
//! Beside its own paths each answers `GET /_log`, `POST /_faults` (a list of rules) and
//! `DELETE /_faults`, so that the same can be done by hand.

use std::io;
use std::net::{Ipv4Addr, SocketAddr};
use std::sync::{Arc, Mutex};
use std::time::Duration;

use axum::body::{Body, Bytes, to_bytes};
use axum::extract::{Request, State};
use axum::http::{StatusCode, header};
use axum::middleware::{Next, from_fn_with_state};
use axum::response::{IntoResponse, Response};
use axum::routing::get;
use axum::{Json, Router};
use futures::stream;
use tokio::net::TcpListener;
use tokio::task::JoinHandle;

use crate::answer::lock;
use crate::faults::{Asked, Fault, Rule, fault_for};

/// A stand-in, running until it is dropped.
#[derive(Debug)]
pub struct StandIn {
    address: SocketAddr,
    shared: Shared,
    task: JoinHandle<()>,
}

/// What a stand-in was asked, and what it is to do wrong.
#[derive(Debug, Clone, Default)]
struct Shared {
    log: Arc<Mutex<Vec<Asked>>>,
    rules: Arc<Mutex<Vec<Rule>>>,
}

impl StandIn {
    pub(crate) async fn start(routes: Router) -> io::Result<StandIn> {
        let shared = Shared::default();
        let hands = Router::new()
            .route("/_log", get(|State(shared): State<Shared>| async move { Json(lock(&shared.log).clone()) }))
            .route("/_faults", axum::routing::post(add_rules).delete(clear_rules))
            .with_state(shared.clone());
        let routes = routes.layer(from_fn_with_state(shared.clone(), serve)).merge(hands);
        let listener = TcpListener::bind((Ipv4Addr::LOCALHOST, 0)).await?;
        let address = listener.local_addr()?;
        let task = tokio::spawn(async move {
            // Ends with the task; an error here is the end of the stand-in as well.
            let _ = axum::serve(listener, routes).await;
        });
        Ok(StandIn { address, shared, task })
    }

    /// Where it listens.
    #[must_use]
    pub fn url(&self) -> String {
        format!("http://{}", self.address)
    }

    /// Tells it to do something wrong.
    pub fn fail(&self, rule: Rule) {
        lock(&self.shared.rules).push(rule);
    }

    /// Tells it to do everything right again.
    pub fn mend(&self) {
        lock(&self.shared.rules).clear();
    }

    /// What it was asked so far.
    #[must_use]
    pub fn asked(&self) -> Vec<Asked> {
        lock(&self.shared.log).clone()
    }

    /// Forgets what it was asked.
    pub fn forget(&self) {
        lock(&self.shared.log).clear();
    }
}

impl Drop for StandIn {
    fn drop(&mut self) {
        self.task.abort();
    }
}

async fn add_rules(State(shared): State<Shared>, Json(rules): Json<Vec<Rule>>) -> StatusCode {
    lock(&shared.rules).extend(rules);
    StatusCode::NO_CONTENT
}

async fn clear_rules(State(shared): State<Shared>) -> StatusCode {
    lock(&shared.rules).clear();
    StatusCode::NO_CONTENT
}

async fn serve(State(shared): State<Shared>, request: Request, next: Next) -> Response {
    let method = request.method().to_string();
    let path = request.uri().path_and_query().map_or_else(String::new, ToString::to_string);
    let fault = fault_for(&mut lock(&shared.rules), &method, &path);
    let carried_secret =
        ["authorization", "cookie", "x-archive-key"].iter().any(|name| request.headers().contains_key(*name));
    let note =
        |status| lock(&shared.log).push(Asked { method: method.clone(), path: path.clone(), carried_secret, status });
    let status = |code: u16| StatusCode::from_u16(code).unwrap_or(StatusCode::INTERNAL_SERVER_ERROR);
    let response = match fault {
        None => next.run(request).await,
        Some(Fault::Status { status: code }) => (status(code), "told to fail").into_response(),
        Some(Fault::Throttle { seconds }) => {
            (StatusCode::TOO_MANY_REQUESTS, [(header::RETRY_AFTER, seconds.to_string())], "too many requests")
                .into_response()
        }
        Some(Fault::Stall { millis }) => {
            tokio::time::sleep(Duration::from_millis(millis)).await;
            next.run(request).await
        }
        Some(Fault::StallAfter { millis }) => {
            let response = next.run(request).await;
            note(None);
            tokio::time::sleep(Duration::from_millis(millis)).await;
            return response;
        }
        Some(Fault::LoseAnswer) => {
            next.run(request).await;
            note(None);
            drop_connection()
        }
        Some(Fault::LoseRequest) => {
            note(None);
            drop_connection()
        }
        Some(Fault::HalfBody) => half_answered(next.run(request).await).await,
        Some(Fault::CutBody) => cut_off(next.run(request).await).await,
        Some(Fault::Html) => {
            ([(header::CONTENT_TYPE, "text/html")], "<!DOCTYPE html><html><body>Please sign in</body></html>")
                .into_response()
        }
        Some(Fault::Huge) => {
            let megabyte = Bytes::from(vec![b' '; 1 << 20]);
            Response::new(Body::from_stream(stream::iter((0..50).map(move |_| Ok::<_, io::Error>(megabyte.clone())))))
        }
        Some(Fault::RedirectLoop) => (StatusCode::FOUND, [(header::LOCATION, path.clone())]).into_response(),
        Some(Fault::Empty) => StatusCode::OK.into_response(),
    };
    note(Some(response.status().as_u16()));
    response
}

/// An answer that is complete, and holds half of what it should.
async fn half_answered(whole: Response) -> Response {
    let (parts, body) = whole.into_parts();
    let mut response = Response::new(Body::from(half(body).await));
    *response.status_mut() = parts.status;
    response
}

/// An answer whose connection breaks in the middle.
async fn cut_off(whole: Response) -> Response {
    let half = half(whole.into_body()).await;
    let broken = io::Error::new(io::ErrorKind::ConnectionReset, "told to break off");
    Response::new(Body::from_stream(stream::iter([Ok(half), Err(broken)])))
}

/// Ends the connection's task, which is how a connection dies in the middle. No panic message is
/// printed, for none is meant.
fn drop_connection() -> ! {
    std::panic::resume_unwind(Box::new("told to drop the connection"))
}

async fn half(body: Body) -> Bytes {
    let whole = to_bytes(body, 64 << 20).await.unwrap_or_default();
    whole.slice(..whole.len() / 2)
}

/// Whether a request carries a bearer token.
pub(crate) fn bears(headers: &axum::http::HeaderMap, token: &str) -> bool {
    headers.get(header::AUTHORIZATION).and_then(|value| value.to_str().ok()) == Some(&format!("Bearer {token}"))
}
