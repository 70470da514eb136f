//! Searching by key.

use serde_json::Value as Json;

use crate::http::{Client, Request};
use crate::profile::Call;
use crate::{ErrorKind, SystemError};

/// What a search answers; none where it says that nothing is there.
///
/// # Errors
/// Where it does not answer with JSON, or with a 404 that may as well mean that the call is wrong: all
/// would be created a second time.
pub(super) async fn searched(client: &Client, call: &Call, request: &Request) -> Result<Option<Json>, SystemError> {
    match client.read(request).await {
        Err(SystemError { kind: ErrorKind::NotFound, .. }) if call.finds_nothing_by_404() => Ok(None),
        Err(SystemError { kind: ErrorKind::NotFound, .. }) => Err(client.error(
            request,
            ErrorKind::Refused(
                "the search answered 404: correct its path in the profile, or, where the system answers so when it finds nothing, add `none = 404` to `find`"
                    .to_owned(),
            ),
        )),
        answer => {
            let wrong = |kind| client.error(request, kind);
            let json = answer?.json().map_err(wrong)?;
            Ok(Some(match &call.operation {
                Some(operation) => operation.searched(json).map_err(wrong)?,
                None => json,
            }))
        }
    }
}
