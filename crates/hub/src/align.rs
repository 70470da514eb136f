//! Whether a destination has what a lane needs, and the making of what it lacks.

use diaporos_core::plan::{Lack, lacks};
use diaporos_systems::http::Request;
use diaporos_systems::{SystemError, Write};

use crate::config::ConfiguredLane;

/// What a lane's destination lacks; nothing where it does not say what it has.
///
/// # Errors
/// Where the destination does not answer.
pub async fn lacking(lane: &ConfiguredLane, writer: &dyn Write) -> Result<Vec<Lack>, SystemError> {
    let kind = &lane.lane.to.kind;
    let Some(there) = writer.has(kind).await? else { return Ok(Vec::new()) };
    let fields =
        lane.lane.fields.keys().chain(lane.lane.defaults.keys().filter(|name| !lane.lane.fields.contains_key(*name)));
    Ok(lacks(kind, fields.map(String::as_str), &lane.target.languages, &there))
}

/// What is lacking, with the request that makes it, where the profile says how.
///
/// # Errors
/// Where the destination does not answer, or a request cannot be made up.
pub async fn alignment(lane: &ConfiguredLane, writer: &dyn Write) -> Result<Vec<(Lack, Option<Request>)>, SystemError> {
    let lacks = lacking(lane, writer).await?;
    let with_request = |lack: Lack| Ok((lack.clone(), writer.creation_request(&lane.lane.to.kind, &lack)?));
    lacks.into_iter().map(with_request).collect()
}
