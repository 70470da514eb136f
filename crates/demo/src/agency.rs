//! *agency*: translators who take XLIFF by REST. They work on request or with time, answer per
//! language, and can be told to get things wrong.
//!
//! An order that is placed twice is two orders: it is for those who order to see that it is not.

use std::collections::BTreeMap;
use std::sync::{Arc, Mutex};
use std::time::Instant;

use axum::body::Bytes;
use axum::extract::{DefaultBodyLimit, Path, Query, State};
use axum::http::{HeaderMap, StatusCode, header};
use axum::response::{IntoResponse, Response};
use axum::routing::{get, post};
use axum::{Json, Router};
use serde::Deserialize;
use serde_json::{Value, json};

use crate::AGENCY_TOKEN;
use crate::answer::{lock, problem};
use crate::server::bears;
use crate::slip::{FileSlip, Slip, Spoilt};
use crate::translator::translated;

#[derive(Debug, Clone)]
struct Order {
    id: String,
    reference: String,
    files: BTreeMap<String, String>,
    due: Option<String>,
    since: Instant,
    worked: f64,
    is_cancelled: bool,
    is_accepted: bool,
}

#[derive(Debug, Default)]
struct Orders {
    files: BTreeMap<String, Vec<u8>>,
    orders: Vec<Order>,
    spoilt: Vec<Spoilt>,
    file_slips: BTreeMap<String, FileSlip>,
    /// Percent a second.
    pace: f64,
    /// How many files came in a form.
    forms: usize,
    /// What an order costs, where work begins once that is accepted; not said yet where it is empty.
    price: Option<String>,
}

/// The agency's office. Its methods are its translators' hands.
#[derive(Debug, Clone, Default)]
pub struct Agency(Arc<Mutex<Orders>>);

impl Agency {
    /// Works on every order till so many percent are done.
    pub fn work(&self, percent: u8) {
        lock(&self.0).orders.iter_mut().for_each(|order| order.worked = f64::from(percent));
    }

    /// Works by itself, so many percent a second.
    pub fn keep_working(&self, percent_a_second: f64) {
        lock(&self.0).pace = percent_a_second;
    }

    /// Says what orders cost from now on, and waits for that to be accepted; does not say it yet where it is empty.
    pub fn ask(&self, price: &str) {
        lock(&self.0).price = Some(price.to_owned());
    }

    /// Gets something wrong from now on.
    pub fn spoil(&self, slip: Slip, source: &str, language: Option<&str>) {
        let spoilt = Spoilt { slip, source: source.to_owned(), language: language.map(str::to_owned) };
        lock(&self.0).spoilt.push(spoilt);
    }

    /// Gets the file of a language wrong from now on.
    pub fn spoil_file(&self, slip: FileSlip, language: &str) {
        lock(&self.0).file_slips.insert(language.to_owned(), slip);
    }

    /// Does everything right again.
    pub fn mend(&self) {
        let mut office = lock(&self.0);
        office.spoilt.clear();
        office.file_slips.clear();
    }

    /// How many orders there are, those that were called off among them.
    #[must_use]
    pub fn orders(&self) -> usize {
        lock(&self.0).orders.len()
    }

    /// How many files were handed over.
    #[must_use]
    pub fn files(&self) -> usize {
        lock(&self.0).files.len()
    }

    /// How many files came in a form.
    #[must_use]
    pub fn forms(&self) -> usize {
        lock(&self.0).forms
    }

    /// How many orders were called off.
    #[must_use]
    pub fn cancelled(&self) -> usize {
        lock(&self.0).orders.iter().filter(|order| order.is_cancelled).count()
    }
}

impl Orders {
    fn percent(&self, order: &Order) -> f64 {
        if self.price.is_some() && !order.is_accepted {
            return 0.0;
        }
        (order.worked + order.since.elapsed().as_secs_f64() * self.pace).min(100.0)
    }

    fn shown(&self, order: &Order) -> Value {
        let percent = self.percent(order);
        let language = |(language, file): (&String, &String)| json!({ "language": language, "file": file, "percent": percent.floor() });
        json!({
            "id": order.id,
            "reference": order.reference,
            "due": order.due,
            "state": if order.is_cancelled { "cancelled" } else if percent >= 100.0 { "delivered" } else { "in work" },
            "price": self.price.as_ref().filter(|price| !price.is_empty()),
            "currency": "EUR",
            "accepted": order.is_accepted,
            "languages": order.files.iter().map(language).collect::<Vec<_>>(),
        })
    }
}

pub(crate) fn routes(agency: Agency) -> Router {
    Router::new()
        .route("/files", post(take_file))
        .route("/orders", get(find).post(take_order))
        .route("/orders/{id}", get(show).delete(cancel))
        .route("/orders/{id}/accept", post(accept))
        .route("/orders/{id}/files/{language}", get(give))
        .route("/_work", post(work))
        .route("/_spoil", post(spoil))
        .layer(DefaultBodyLimit::max(256 << 20))
        .with_state(agency)
}

fn refused(headers: &HeaderMap) -> Option<Response> {
    (!bears(headers, AGENCY_TOKEN)).then(|| problem(StatusCode::UNAUTHORIZED, "a token is needed"))
}

async fn take_file(State(agency): State<Agency>, headers: HeaderMap, body: Bytes) -> Response {
    if let Some(refused) = refused(&headers) {
        return refused;
    }
    let part = in_form(&headers, &body);
    let is_form = part.is_some();
    let body = part.unwrap_or_else(|| body.to_vec());
    if !body.starts_with(b"<?xml") {
        return problem(StatusCode::UNPROCESSABLE_ENTITY, "only XLIFF is taken");
    }
    let mut office = lock(&agency.0);
    let id = format!("f-{}", office.files.len() + 1);
    office.forms += usize::from(is_form);
    office.files.insert(id.clone(), body);
    (StatusCode::CREATED, Json(json!({ "id": id }))).into_response()
}

/// The part `file` of a form, which is its last.
fn in_form(headers: &HeaderMap, body: &[u8]) -> Option<Vec<u8>> {
    let media = headers.get(header::CONTENT_TYPE)?.to_str().ok()?;
    let boundary = media.strip_prefix("multipart/form-data; boundary=")?;
    let text = std::str::from_utf8(body).ok()?;
    let (_, part) = text.split_once("name=\"file\"; filename=")?;
    let (_, content) = part.split_once("\r\n\r\n")?;
    Some(content.split_once(&format!("\r\n--{boundary}--"))?.0.as_bytes().to_vec())
}

#[derive(Deserialize)]
struct NewOrder {
    reference: String,
    #[serde(default)]
    due: Option<String>,
    files: Vec<NewFile>,
}

#[derive(Deserialize)]
struct NewFile {
    file: String,
    language: String,
}

async fn take_order(State(agency): State<Agency>, headers: HeaderMap, Json(order): Json<NewOrder>) -> Response {
    if let Some(refused) = refused(&headers) {
        return refused;
    }
    let mut office = lock(&agency.0);
    if let Some(unknown) = order.files.iter().find(|file| !office.files.contains_key(&file.file)) {
        return problem(StatusCode::UNPROCESSABLE_ENTITY, &format!("there is no file {}", unknown.file));
    }
    let id = format!("o-{}", office.orders.len() + 1);
    office.orders.push(Order {
        id: id.clone(),
        reference: order.reference,
        files: order.files.into_iter().map(|file| (file.language, file.file)).collect(),
        due: order.due,
        since: Instant::now(),
        worked: 0.0,
        is_cancelled: false,
        is_accepted: false,
    });
    (StatusCode::CREATED, Json(json!({ "id": id }))).into_response()
}

#[derive(Deserialize)]
struct OrderQuery {
    reference: String,
}

async fn find(State(agency): State<Agency>, headers: HeaderMap, Query(wanted): Query<OrderQuery>) -> Response {
    if let Some(refused) = refused(&headers) {
        return refused;
    }
    let office = lock(&agency.0);
    let found: Vec<Value> = office
        .orders
        .iter()
        .filter(|order| order.reference == wanted.reference)
        .map(|order| office.shown(order))
        .collect();
    Json(json!({ "orders": found })).into_response()
}

async fn show(State(agency): State<Agency>, headers: HeaderMap, Path(id): Path<String>) -> Response {
    if let Some(refused) = refused(&headers) {
        return refused;
    }
    let office = lock(&agency.0);
    match office.orders.iter().find(|order| order.id == id) {
        Some(order) => Json(office.shown(order)).into_response(),
        None => problem(StatusCode::NOT_FOUND, "no such order"),
    }
}

async fn cancel(State(agency): State<Agency>, headers: HeaderMap, Path(id): Path<String>) -> Response {
    if let Some(refused) = refused(&headers) {
        return refused;
    }
    let mut office = lock(&agency.0);
    match office.orders.iter_mut().find(|order| order.id == id) {
        Some(order) => {
            order.is_cancelled = true;
            StatusCode::NO_CONTENT.into_response()
        }
        None => problem(StatusCode::NOT_FOUND, "no such order"),
    }
}

async fn accept(State(agency): State<Agency>, headers: HeaderMap, Path(id): Path<String>) -> Response {
    if let Some(refused) = refused(&headers) {
        return refused;
    }
    match lock(&agency.0).orders.iter_mut().find(|order| order.id == id) {
        Some(order) => {
            order.is_accepted = true;
            StatusCode::NO_CONTENT.into_response()
        }
        None => problem(StatusCode::NOT_FOUND, "no such order"),
    }
}

async fn give(
    State(agency): State<Agency>,
    headers: HeaderMap,
    Path((id, language)): Path<(String, String)>,
) -> Response {
    if let Some(refused) = refused(&headers) {
        return refused;
    }
    let office = lock(&agency.0);
    let Some(order) = office.orders.iter().find(|order| order.id == id) else {
        return problem(StatusCode::NOT_FOUND, "no such order");
    };
    let Some(file) = order.files.get(&language).and_then(|file| office.files.get(file)) else {
        return problem(StatusCode::NOT_FOUND, "no such file");
    };
    let own = |spoilt: &&Spoilt| spoilt.language.as_deref().is_none_or(|only| only == language);
    let spoilt: Vec<&Spoilt> = office.spoilt.iter().filter(own).collect();
    match translated(file, &language, office.percent(order), &spoilt) {
        Ok(text) => {
            let text = match office.file_slips.get(&language) {
                Some(slip) => slipped(*slip, &text, &language),
                None => text,
            };
            ([(header::CONTENT_TYPE, "application/xliff+xml")], text).into_response()
        }
        Err(message) => problem(StatusCode::UNPROCESSABLE_ENTITY, &message),
    }
}

fn slipped(slip: FileSlip, text: &str, language: &str) -> String {
    const DECLARATION: &str = "<?xml version=\"1.0\" encoding=\"UTF-8\"?>";
    match slip {
        FileSlip::CutOff => {
            let end = (0..=text.len() * 2 / 3).rev().find(|end| text.is_char_boundary(*end)).unwrap_or(0);
            text[..end].to_owned()
        }
        FileSlip::WrongLanguage => {
            text.replace(&format!("trgLang=\"{language}\""), "trgLang=\"nl\"")
                .replace(&format!("target-language=\"{language}\""), "target-language=\"nl\"")
        }
        FileSlip::WrongBatch => text.replace(">plants-1<", ">plants-99<"),
        FileSlip::Bomb => text.replace(
            DECLARATION,
            &format!("{DECLARATION}<!DOCTYPE x [<!ENTITY a \"aaaa\"><!ENTITY b \"&a;&a;&a;&a;\"><!ENTITY c \"&b;&b;&b;&b;\">]>"),
        ),
        FileSlip::ExternalEntity => {
            text.replace(DECLARATION, &format!("{DECLARATION}<!DOCTYPE x [<!ENTITY a SYSTEM \"file:///etc/hostname\">]>"))
        }
        FileSlip::Foreign => "<!DOCTYPE html><html><body>Please sign in</body></html>".to_owned(),
        FileSlip::ToolWork => {
            let with_elements = text.replace("</notes>\n      <", "</notes>\n      <tool:seen xmlns:tool=\"urn:made-up:tool\" by=\"T\"><tool:x/></tool:seen><");
            format!("\u{feff}{}", with_elements.replace('\n', "\r\n"))
        }
    }
}

#[derive(Deserialize)]
struct Work {
    percent: u8,
}

async fn work(State(agency): State<Agency>, Json(work): Json<Work>) -> StatusCode {
    agency.work(work.percent);
    StatusCode::NO_CONTENT
}

async fn spoil(State(agency): State<Agency>, Json(spoilt): Json<Vec<Spoilt>>) -> StatusCode {
    lock(&agency.0).spoilt = spoilt;
    StatusCode::NO_CONTENT
}
