//! Writing documents of a database, in bulk.

use std::collections::HashMap;

use async_trait::async_trait;
use base64::prelude::{BASE64_STANDARD, Engine as _};
use diaporos_core::value::{Revision, SystemName, TypeName};
use serde_json::{Map, Value as Json, json};

use super::{Database, is_its_own};
use crate::asset::Asset;
use crate::gather::Gatherer;
use crate::http::{Body, Limits, Method, Request};
use crate::keyed_store::{Base, KeyedStore, KeyedStoreWriter, Stored};
use crate::{ErrorKind, HttpSystem, SystemError, Write};

/// Documents of one bulk write.
const BULK: usize = 100;

/// A writer of a database's documents by a profile.
///
/// # Errors
/// Where TLS cannot be set up.
pub fn docstore_writer(system: HttpSystem) -> Result<Box<dyn Write>, SystemError> {
    let database = Database { client: system.client()?, base: system.url };
    let store = DocStore { database, bulk: Gatherer::new(BULK) };
    Ok(Box::new(KeyedStoreWriter::new(store, system.profile, system.languages)))
}

type Row = Result<Revision, ErrorKind>;

struct DocStore {
    database: Database,
    bulk: Gatherer<Json, Row>,
}

impl DocStore {
    /// Sends a document with others; what became of each is told row by row.
    async fn send(&self, place: &str, document: Json) -> Result<Revision, SystemError> {
        let row = self.bulk.send(document, |documents| self.send_all(documents)).await;
        let lost = || Err(ErrorKind::Broken("the bulk write it was in was given up".to_owned()));
        row.unwrap_or_else(lost).map_err(|kind| self.error(place, kind))
    }

    async fn send_all(&self, documents: Vec<Json>) -> Vec<Row> {
        let ids: Vec<Json> = documents.iter().map(|document| document["_id"].clone()).collect();
        let all = |kind: ErrorKind| vec![Err(kind); ids.len()];
        let url = match self.database.url(&["_bulk_docs"]) {
            Ok(url) => url,
            Err(error) => return all(error.kind),
        };
        let mut request = self.database.client.request(Method::Post, url);
        request.body = Some(Body::json(json!({ "docs": documents })));
        let answer = match self.database.client.write(&request).await {
            Ok(answer) => answer,
            Err(error) => return all(error.kind),
        };
        let rows = match answer.json() {
            Ok(Json::Array(rows)) => rows,
            Ok(_) => return all(ErrorKind::Content("a bulk write was answered without rows".to_owned())),
            Err(kind) => return all(kind),
        };
        let by_id: HashMap<&str, &Json> = rows.iter().filter_map(|row| Some((row.get("id")?.as_str()?, row))).collect();
        let outcome = |id: &Json| match id.as_str().and_then(|id| by_id.get(id)) {
            Some(row) => outcome(row),
            None => Err(ErrorKind::Content("a bulk write's answer lacks its row".to_owned())),
        };
        ids.iter().map(outcome).collect()
    }
}

/// What a row says.
fn outcome(row: &Json) -> Row {
    if let Some(revision) = row.get("rev").and_then(Json::as_str) {
        return Revision::new(revision).map_err(|error| ErrorKind::Content(error.to_string()));
    }
    let text = |name: &str| row.get(name).and_then(Json::as_str).unwrap_or_default().to_owned();
    let status = row.get("status").and_then(Json::as_u64).and_then(|status| u16::try_from(status).ok());
    match text("error").as_str() {
        "conflict" => Err(ErrorKind::Differs { status: 409, message: String::new() }),
        "unauthorized" => Err(ErrorKind::Unauthorised { status: 401, message: text("reason") }),
        _ => Err(ErrorKind::Status {
            status: status.unwrap_or(403),
            message: format!("{} {}", text("error"), text("reason")),
        }),
    }
}

impl DocStore {
    /// The document of that id.
    async fn stored(&self, place: &str) -> Result<Option<Stored>, SystemError> {
        let request = self.database.client.request(Method::Get, self.database.url(&[place])?);
        let answer = match self.database.client.read(&request).await {
            Err(SystemError { kind: ErrorKind::NotFound, .. }) => return Ok(None),
            answer => answer?,
        };
        let document = self.database.object(&request, &answer)?;
        // The answer's ETag is not the revision.
        let revision = document.get("_rev").and_then(Json::as_str).and_then(|text| Revision::new(text).ok());
        let missing =
            || self.database.client.error(&request, ErrorKind::Content("the document has no `_rev`".to_owned()));
        Ok(Some((document, revision.ok_or_else(missing)?)))
    }

    /// Saves a document, if it is as it must be.
    async fn save(&self, place: &str, document: Map<String, Json>, base: Base<'_>) -> Result<Stored, SystemError> {
        // Attachments and what else is the database's own goes back as it came.
        let mut sent = document.clone();
        sent.insert("_id".to_owned(), Json::String(place.to_owned()));
        match base {
            Base::Absent => drop(sent.remove("_rev")),
            Base::Version(base) => drop(sent.insert("_rev".to_owned(), Json::String(base.to_string()))),
        }
        let revision = self.send(place, Json::Object(sent)).await?;
        Ok((document, revision))
    }
}

#[async_trait]
impl KeyedStore for DocStore {
    async fn get(&self, _: &TypeName, place: &str) -> Result<Option<Stored>, SystemError> {
        self.stored(place).await
    }

    async fn put(
        &self,
        _: &TypeName,
        place: &str,
        document: Map<String, Json>,
        base: Base<'_>,
    ) -> Result<Stored, SystemError> {
        self.save(place, document, base).await
    }

    async fn remove(&self, _: &TypeName, place: &str, base: &Revision) -> Result<(), SystemError> {
        let stone = json!({ "_id": place, "_rev": base.as_str(), "_deleted": true });
        self.send(place, stone).await.map(drop)
    }

    fn request(&self, _: &TypeName, place: &str, document: Option<&Map<String, Json>>) -> Result<Request, SystemError> {
        let method = if document.is_some() { Method::Put } else { Method::Delete };
        let mut request = self.database.client.request(method, self.database.url(&[place])?);
        let own = |document: &Map<String, Json>| {
            document
                .iter()
                .filter(|(name, _)| !is_its_own(name))
                .map(|(name, json)| (name.clone(), json.clone()))
                .collect()
        };
        request.body = document.map(|document| Body::json(Json::Object(own(document))));
        Ok(request)
    }

    fn system(&self) -> &SystemName {
        self.database.system()
    }

    fn limits(&self) -> &Limits {
        self.database.client.limits()
    }

    fn max_in_flight(&self) -> usize {
        BULK
    }

    /// A file is the attachment of a document of its own, whose id is told by its content.
    async fn keep_asset(&self, asset: &Asset) -> Result<String, SystemError> {
        let place = format!("asset:{}", asset.hash);
        if self.stored(&place).await?.is_some() {
            return Ok(place);
        }
        let file = json!({ "content_type": asset.media, "data": BASE64_STANDARD.encode(&asset.bytes) });
        let document =
            json!({ "_attachments": { (asset.name.clone()): file }, "media": asset.media, "name": asset.name });
        let Json::Object(document) = document else { return Ok(place) };
        match self.save(&place, document, Base::Absent).await {
            // Somebody was quicker, or an answer was lost: the content is what is in the id.
            Err(error) if matches!(error.kind, ErrorKind::Differs { .. }) || error.kind.leaves_doubt() => {
                self.stored(&place).await?.map(|_| place).ok_or(error)
            }
            kept => kept.map(|_| place),
        }
    }

    fn failure_limit(&self) -> u32 {
        // A bulk write that fails fails each of its documents.
        self.database.client.limits().failures.saturating_mul(u32::try_from(BULK).unwrap_or(1))
    }

    fn error(&self, place: &str, kind: ErrorKind) -> SystemError {
        self.database.error(place, kind)
    }
}
