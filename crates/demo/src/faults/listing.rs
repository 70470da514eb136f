//! *annexe*: a listing of seed packets that misbehaves as it is told: it says that there are more than
//! it shows, ends in every way that is known, caps its pages, and moves what it lists while one reads.

use std::collections::BTreeSet;
use std::sync::{Arc, Mutex};

use axum::extract::{Query, State};
use axum::http::{StatusCode, header};
use axum::response::{IntoResponse, Response};
use axum::routing::{get, post};
use axum::{Json, Router};
use serde::Deserialize;
use serde_json::{Value, json};

use crate::answer::{lock, problem};

/// Something that the listing says of itself beside its items.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
pub enum Says {
    /// `total`: how many packets there are.
    Total,
    /// `pages`: how many pages there are.
    Pages,
    /// `has_more`: whether there is another page.
    HasMore,
    /// `next`: the next page's address, or null.
    Next,
    /// `cursor`: what leads to the next page, a number.
    Cursor,
    /// The header `x-total-count`.
    TotalHeader,
}

/// What is answered for a page past the last.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum PastTheEnd {
    /// An empty page.
    Empty,
    /// This status.
    Status(u16),
    /// The last page once more.
    LastPage,
}

#[derive(Debug)]
struct Packets {
    rows: Vec<Value>,
    deleted: Vec<u64>,
    says: BTreeSet<Says>,
    past_the_end: PastTheEnd,
    cap: usize,
    /// How much more the total says than there is.
    too_many: i64,
    /// Ids that come as null, with an error beside them, by GraphQL.
    torn: BTreeSet<u64>,
    /// After so many pages the packet of that id changes and moves to the end.
    touch_after: Option<(u32, u64)>,
    /// Whether all listings show the first page, whatever is asked.
    ignores_paging: bool,
}

/// What the annexe holds. Its methods are its keepers' hands.
#[derive(Debug, Clone)]
pub struct Annexe(Arc<Mutex<Packets>>);

impl Annexe {
    pub(crate) fn new(packets: u64) -> Annexe {
        let row = |number: u64| json!({ "id": number, "name": format!("Packet {number}"), "changed": format!("2026-05-01T{:02}:{:02}:00Z", number / 60, number % 60) });
        Annexe(Arc::new(Mutex::new(Packets {
            rows: (1..=packets).map(row).collect(),
            deleted: Vec::new(),
            says: BTreeSet::new(),
            past_the_end: PastTheEnd::Empty,
            cap: 10,
            too_many: 0,
            torn: BTreeSet::new(),
            touch_after: None,
            ignores_paging: false,
        })))
    }

    /// What the listing says of itself.
    pub fn says(&self, says: &[Says]) {
        lock(&self.0).says = says.iter().copied().collect();
    }

    /// What it answers past its last page.
    pub fn past_the_end(&self, end: PastTheEnd) {
        lock(&self.0).past_the_end = end;
    }

    /// Lists no more than so many on a page, whatever is asked.
    pub fn cap(&self, cap: usize) {
        lock(&self.0).cap = cap;
    }

    /// Says that there are so many more than there are.
    pub fn overstate(&self, by: i64) {
        lock(&self.0).too_many = by;
    }

    /// Cannot tell of these packets any more.
    pub fn tear(&self, ids: &[u64]) {
        lock(&self.0).torn = ids.iter().copied().collect();
    }

    /// After so many more pages, one packet changes, and moves to the end of the listing.
    pub fn touch_after(&self, pages: u32, id: u64) {
        lock(&self.0).touch_after = Some((pages, id));
    }

    /// Shows its first page whatever is asked for.
    pub fn ignore_paging(&self) {
        lock(&self.0).ignores_paging = true;
    }

    /// Takes packets away; they stand in the list of what was deleted.
    pub fn delete(&self, ids: std::ops::RangeInclusive<u64>) {
        let mut packets = lock(&self.0);
        packets.rows.retain(|row| !row["id"].as_u64().is_some_and(|id| ids.contains(&id)));
        packets.deleted.extend(ids);
    }
}

#[derive(Debug, Deserialize)]
struct Asked {
    page: Option<usize>,
    offset: Option<usize>,
    cursor: Option<usize>,
    limit: Option<usize>,
    since: Option<String>,
}

pub(crate) fn routes(annexe: Annexe) -> Router {
    Router::new().route("/packets", get(packets)).route("/graphql", post(graphql)).with_state(annexe)
}

impl Packets {
    /// What is listed now. The packet that is to move does so after its page.
    fn listed(&mut self, since: &str) -> Vec<Value> {
        let rows = self.rows.iter().filter(|row| row["changed"].as_str() >= Some(since)).cloned().collect();
        match self.touch_after {
            Some((0..=1, id)) => {
                self.touch_after = None;
                if let Some(at) = self.rows.iter().position(|row| row["id"] == id) {
                    let mut row = self.rows.remove(at);
                    row["changed"] = "2026-05-02T00:00:00Z".into();
                    self.rows.push(row);
                }
            }
            Some((pages, id)) => self.touch_after = Some((pages - 1, id)),
            None => {}
        }
        rows
    }
}

async fn packets(State(annexe): State<Annexe>, Query(asked): Query<Asked>) -> Response {
    let mut packets = lock(&annexe.0);
    let rows = packets.listed(&asked.since.unwrap_or_default());
    let size = asked.limit.unwrap_or(10).min(packets.cap).max(1);
    let asked_from = asked.offset.or(asked.cursor).or(asked.page.map(|page| page.saturating_sub(1) * size));
    let mut from = asked_from.unwrap_or(0);
    if packets.ignores_paging {
        from = 0;
    }
    let is_past = from > 0 && from >= rows.len();
    match packets.past_the_end {
        PastTheEnd::Status(status) if is_past => {
            return problem(StatusCode::from_u16(status).unwrap_or(StatusCode::NOT_FOUND), "there is no such page");
        }
        PastTheEnd::LastPage if is_past => from = rows.len().saturating_sub(1) / size * size,
        _ => {}
    }
    let page: Vec<Value> = rows.iter().skip(from).take(size).cloned().collect();
    let after = from + page.len();
    let leads_on = after < rows.len();
    let total = rows.len() as i64 + packets.too_many;
    let mut body = json!({ "packets": page });
    let mut headers = Vec::new();
    for says in &packets.says {
        match says {
            Says::Total => body["total"] = total.into(),
            Says::Pages => body["pages"] = (total.max(0) as usize).div_ceil(size).into(),
            Says::HasMore => body["has_more"] = leads_on.into(),
            Says::Next => body["next"] = leads_on.then(|| format!("/packets?offset={after}")).into(),
            Says::Cursor => body["cursor"] = leads_on.then_some(after).into(),
            Says::TotalHeader => headers.push((header::HeaderName::from_static("x-total-count"), total.to_string())),
        }
    }
    (axum::response::AppendHeaders(headers), Json(body)).into_response()
}

/// The same by GraphQL: one page of all, where what is torn comes as null with an error of its own, or,
/// where `named` is asked for, as an object without a name.
async fn graphql(State(annexe): State<Annexe>, Json(body): Json<Value>) -> Response {
    let mut packets = lock(&annexe.0);
    let query = body["query"].as_str().unwrap_or_default();
    if query.contains("deleted") {
        let deleted: Vec<Value> = packets.deleted.iter().map(|id| json!({ "id": id })).collect();
        return Json(json!({ "data": { "deleted": deleted } })).into_response();
    }
    let rows = packets.listed(body["variables"]["since"].as_str().unwrap_or_default());
    let (mut nodes, mut errors) = (Vec::new(), Vec::new());
    for (place, row) in rows.iter().enumerate() {
        if packets.torn.contains(&row["id"].as_u64().unwrap_or_default()) {
            errors.push(json!({ "message": "the packet is torn", "path": ["packets", place, "node"] }));
            nodes.push(if query.contains("named") {
                json!({ "id": row["id"], "node": null })
            } else {
                json!({ "node": null })
            });
        } else {
            nodes.push(json!({ "id": row["id"], "node": row }));
        }
    }
    let mut answer = json!({ "data": { "packets": nodes } });
    if !errors.is_empty() {
        answer["errors"] = errors.into();
    }
    Json(answer).into_response()
}
