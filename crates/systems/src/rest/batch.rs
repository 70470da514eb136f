//! Several documents in one call, each settled by its own result.

use diaporos_core::plan::Order;
use serde_json::{Map, Value as Json};

use super::write::{BatchResult, RestWriter};
use crate::http::failure;
use crate::profile::{BatchCall, Filled, WriteType};
use crate::{ErrorKind, SystemError};

impl RestWriter {
    /// The document that goes into a batch; none where the order does not go so.
    pub(super) fn batch_item(
        &self,
        write: &WriteType,
        batch: &BatchCall,
        (order, shows): (&Order, bool),
        mut item: Map<String, Json>,
    ) -> Option<Json> {
        let goes = write.publish.is_none() || !shows;
        match order {
            Order::Create { .. } if goes => {}
            Order::Update { id, revision, .. } | Order::Show { id, revision }
                if goes || matches!(order, Order::Show { .. }) =>
            {
                item.insert(batch.id.clone(), super::write::identifier(id));
                if let (Some(member), Some(revision)) = (&batch.revision, revision) {
                    let number = revision.as_str().parse::<i64>();
                    let revision = number.map_or_else(|_| Json::String(revision.to_string()), Json::from);
                    item.insert(member.clone(), revision);
                }
            }
            _ => return None,
        }
        Some(Json::Object(item))
    }

    /// Sends documents together. Where the call as a whole fails, so does each of them.
    pub(super) async fn send_batch(&self, batch: &BatchCall, items: Vec<Json>) -> Vec<BatchResult> {
        let count = items.len();
        let all = |kind: ErrorKind| vec![Err(kind); count];
        let mut request = match self.call(&batch.call, Filled::default()) {
            Ok(request) => request,
            Err(error) => return all(error.kind),
        };
        let mut body = batch.call.body.clone();
        body.insert(batch.items.clone(), Json::Array(items));
        request.body = match batch.call.body_of(body) {
            Ok(body) => Some(body),
            Err(kind) => return all(kind),
        };
        let answer = match self.client.write(&request).await {
            Ok(answer) => answer,
            Err(SystemError { kind, .. }) => return all(kind),
        };
        let json = match answer.json() {
            Ok(json) => json,
            Err(kind) => return all(kind),
        };
        let results = batch.results.all(&json);
        if results.len() != count {
            let message = format!("a call with {count} documents was answered with {} results", results.len());
            return all(ErrorKind::Content(message));
        }
        results.into_iter().map(|result| row(batch, result)).collect()
    }
}

fn row(batch: &BatchCall, result: &Json) -> BatchResult {
    let status = batch.status.first(result).and_then(Json::as_u64).and_then(|status| u16::try_from(status).ok());
    let document = match &batch.document {
        Some(at) => at.first(result).cloned().unwrap_or_default(),
        None => result.clone(),
    };
    match status {
        Some(status @ 200..300) => Ok((status, document)),
        Some(status) => Err(failure(status, result.to_string().as_bytes(), None)),
        None => Err(ErrorKind::Content(format!("a result has no status at `{}`", batch.status.as_str()))),
    }
}
