//! A REST system's own model: what it has, and the making of what it lacks.

use std::collections::BTreeSet;

use diaporos_core::model::Field;
use diaporos_core::plan::{HasThere, Lack};
use diaporos_core::value::TypeName;
use serde_json::{Map, Value as Json};

use super::write::RestWriter;
use crate::http::Request;
use crate::profile::{Call, Filled, ModelCalls};
use crate::query::scalar_text;
use crate::{ErrorKind, SystemError};

impl RestWriter {
    /// What the system says it has.
    pub(super) async fn ask_model(&self, calls: &ModelCalls, kind: &TypeName) -> Result<HasThere, SystemError> {
        let mut there = HasThere::default();
        let request = self.call(&calls.show_type, Filled { kind: kind.as_str(), ..Filled::default() })?;
        match self.client.read(&request).await {
            Err(SystemError { kind: ErrorKind::NotFound, .. }) => {}
            Err(error) => return Err(error),
            Ok(answer) => {
                let json = answer.json().map_err(|kind| self.client.error(&request, kind))?;
                there.has_type = true;
                let names = calls.fields.all(&json).into_iter();
                there.fields = names.filter_map(|field| calls.name.first(field).and_then(scalar_text)).collect();
            }
        }
        if let Some((list, codes)) = &calls.languages {
            let request = self.call(list, Filled::default())?;
            let answer = self.client.read(&request).await?;
            let json = answer.json().map_err(|kind| self.client.error(&request, kind))?;
            let codes = codes.all(&json).into_iter().filter_map(scalar_text);
            // A language that the hub has no tag for is none of ours.
            there.languages = Some(codes.filter_map(|code| self.languages.tag(&code).ok()).collect::<BTreeSet<_>>());
        }
        Ok(there)
    }

    /// The request that makes what is lacking; none where the profile does not say how.
    pub(super) fn making(
        &self,
        calls: &ModelCalls,
        kind: &TypeName,
        lack: &Lack,
        field: Option<&Field>,
    ) -> Result<Option<Request>, SystemError> {
        let mut body = Map::new();
        let mut put = |what: &str, json: Json| body.insert(calls.member(what).to_owned(), json);
        let call: &Option<Call> = match lack {
            Lack::Language(tag) => {
                let code = self.languages.code(tag).map_err(|error| self.error(error.to_string()))?;
                put("code", Json::String(code));
                &calls.make_language
            }
            Lack::Type(kind) => {
                put("name", Json::String(kind.to_string()));
                &calls.make_type
            }
            Lack::Field(name) => {
                put("name", Json::String(name.clone()));
                if let Some(field) = field {
                    let word = field.kind.word();
                    put("kind", Json::String(calls.kinds.get(word).cloned().unwrap_or_else(|| word.to_owned())));
                    put("localised", Json::Bool(field.localised));
                    put("many", Json::Bool(field.many));
                    put("required", Json::Bool(field.required));
                }
                &calls.make_field
            }
        };
        let Some(call) = call else { return Ok(None) };
        let mut request = self.call(call, Filled { kind: kind.as_str(), ..Filled::default() })?;
        let mut members = call.body.clone();
        members.extend(body);
        request.body = Some(call.body_of(members).map_err(|kind| self.error(kind.to_string()))?);
        Ok(Some(request))
    }
}
