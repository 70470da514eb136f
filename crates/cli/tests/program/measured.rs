//! A gate before a site that measures what comes through: how fast, and how many at once.

use std::sync::{Arc, Mutex};
use std::time::{Duration, Instant};

use axum::Router;
use axum::body::{Body, Bytes};
use axum::extract::{Request, State};
use axum::response::Response;
use tokio::runtime::Runtime;

use crate::harness::served;

/// What came through.
#[derive(Default)]
pub(crate) struct Measured {
    under_way: usize,
    pub(crate) most_at_once: usize,
    pub(crate) came: Vec<Instant>,
}

impl Measured {
    /// The most that came within any such time.
    pub(crate) fn most_within(&self, time: Duration) -> usize {
        let mut came = self.came.clone();
        came.sort();
        (0..came.len())
            .map(|first| came[first..].iter().take_while(|at| **at - came[first] < time).count())
            .max()
            .unwrap_or(0)
    }
}

#[derive(Clone)]
struct Gate {
    to: String,
    client: reqwest::Client,
    measured: Arc<Mutex<Measured>>,
    takes: Duration,
}

/// A gate before the site at an address, where each request takes a time more; its own address.
pub(crate) fn gate(to: &str, takes: Duration) -> (String, Arc<Mutex<Measured>>, Runtime) {
    let measured = Arc::new(Mutex::new(Measured::default()));
    let _ = rustls::crypto::ring::default_provider().install_default();
    let gate = Gate { to: to.to_owned(), client: reqwest::Client::new(), measured: Arc::clone(&measured), takes };
    let (address, runtime) = served(Router::new().fallback(pass).with_state(gate));
    (address, measured, runtime)
}

async fn pass(State(gate): State<Gate>, request: Request) -> Response {
    {
        let mut measured = gate.measured.lock().unwrap();
        measured.came.push(Instant::now());
        measured.under_way += 1;
        measured.most_at_once = measured.most_at_once.max(measured.under_way);
    }
    let (parts, body) = request.into_parts();
    let body: Bytes = axum::body::to_bytes(body, usize::MAX).await.unwrap();
    tokio::time::sleep(gate.takes).await;
    let path = parts.uri.path_and_query().map_or("/", |path| path.as_str());
    let mut headers = parts.headers;
    headers.remove("host");
    let asked = gate.client.request(parts.method, format!("{}{path}", gate.to)).headers(headers).body(body);
    let answer = asked.send().await.unwrap();
    let mut response = Response::builder().status(answer.status());
    for (name, value) in answer.headers().iter().filter(|(name, _)| *name != "transfer-encoding") {
        response = response.header(name, value);
    }
    let body = answer.bytes().await.unwrap();
    gate.measured.lock().unwrap().under_way -= 1;
    response.body(Body::from(body)).unwrap()
}
