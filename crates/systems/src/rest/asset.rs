//! Delivering files to a REST system, each once.

use diaporos_core::value::EntryId;

use super::write::RestWriter;
use crate::asset::Asset;
use crate::http::{Body, FilePart};
use crate::profile::{AssetCalls, Filled};
use crate::query::scalar_text;
use crate::search::searched;
use crate::{ErrorKind, SystemError};

impl RestWriter {
    /// Delivers a file, unless one with its content is there. Where the answer is lost, it is looked
    /// for again.
    pub(super) async fn deliver_asset_by(&self, calls: &AssetCalls, asset: &Asset) -> Result<EntryId, SystemError> {
        if let Some(id) = self.find_asset(calls, &asset.hash).await? {
            return Ok(id);
        }
        let filled = Filled { key: &asset.hash, ..Filled::default() };
        let mut request = self.call(&calls.upload, filled)?;
        request.body = Some(match &calls.form {
            None => Body::Bytes(asset.bytes.clone(), asset.media.clone()),
            Some(part) => {
                let (file, media, bytes) = (asset.name.as_str(), asset.media.as_str(), asset.bytes.as_slice());
                let (bytes, media) = FilePart { part, file, media, bytes }.in_form(&calls.upload.members(filled));
                Body::Bytes(bytes, media)
            }
        });
        match self.client.write(&request).await {
            Ok(answer) => {
                let json = answer.json().map_err(|kind| self.client.error(&request, kind))?;
                let id = calls.id.first(&json).and_then(scalar_text).and_then(|id| EntryId::new(id).ok());
                let missing = || {
                    let message = format!("the answer has no id at `{}`", calls.id.as_str());
                    self.client.error(&request, ErrorKind::Content(message))
                };
                id.ok_or_else(missing)
            }
            Err(error) if error.kind.leaves_doubt() => self.find_asset(calls, &asset.hash).await?.ok_or(error),
            Err(error) => Err(error),
        }
    }

    async fn find_asset(&self, calls: &AssetCalls, hash: &str) -> Result<Option<EntryId>, SystemError> {
        let request = self.call(&calls.find, Filled { key: hash, ..Filled::default() })?;
        let Some(json) = searched(&self.client, &calls.find, &request).await? else { return Ok(None) };
        let found = calls.found.first(&json).and_then(|found| calls.id.first(found)).and_then(scalar_text);
        Ok(found.and_then(|id| EntryId::new(id).ok()))
    }
}
