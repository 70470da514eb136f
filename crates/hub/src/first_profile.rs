//! A first profile from an OpenAPI document or from an answer, in a file or on the web.

use std::path::{Path, PathBuf};

use diaporos_core::value::SystemName;
use diaporos_systems::SystemError;
use diaporos_systems::http::{Client, Limits, Method, Request};
use diaporos_systems::openapi::{Draft, MOST_BYTES, OpenApiError, draft};
use diaporos_systems::rest::{AnswerError, draft_of_answer};
use diaporos_systems::settings::usual_limits;
use url::Url;

/// Why a profile could not be made.
#[derive(Debug, thiserror::Error)]
pub enum DraftError {
    /// The file cannot be read or written.
    #[error("{path}: {reason}")]
    File {
        /// Which.
        path: PathBuf,
        /// Why.
        reason: String,
    },
    /// The document gives no profile.
    #[error(transparent)]
    Document(#[from] OpenApiError),
    /// The answer gives no profile.
    #[error(transparent)]
    Answer(#[from] AnswerError),
    /// The document cannot be had.
    #[error(transparent)]
    System(#[from] SystemError),
}

/// Reads a document and writes the profile it tells of into a hub's folder. A file that is there is
/// never written over.
///
/// # Errors
/// Where the document cannot be had or gives no profile, or the file is there.
pub async fn profile_from(document: &str, system: &SystemName, folder: &Path) -> Result<(PathBuf, Draft), DraftError> {
    kept(draft(&read(document, system).await?)?, system, folder)
}

/// Reads the answer that a path gave, and writes the profile that it shows into a hub's folder. A file that is there is
/// never written over.
///
/// # Errors
/// Where the answer cannot be had or shows nothing, or the file is there.
pub async fn profile_of_answer(
    (answer, path): (&str, &str),
    system: &SystemName,
    folder: &Path,
) -> Result<(PathBuf, Draft), DraftError> {
    kept(draft_of_answer(&read(answer, system).await?, path)?, system, folder)
}

fn kept(draft: Draft, system: &SystemName, folder: &Path) -> Result<(PathBuf, Draft), DraftError> {
    let file = folder.join("profiles").join(format!("{system}.toml"));
    let failed = |reason: String| DraftError::File { path: file.clone(), reason };
    if file.exists() {
        return Err(failed("it is there already; nothing was written".to_owned()));
    }
    std::fs::create_dir_all(folder.join("profiles")).map_err(|error| failed(error.to_string()))?;
    std::fs::write(&file, &draft.profile).map_err(|error| failed(error.to_string()))?;
    Ok((file, draft))
}

async fn read(document: &str, system: &SystemName) -> Result<String, DraftError> {
    if let Ok(url) = Url::parse(document)
        && matches!(url.scheme(), "http" | "https")
    {
        let limits = Limits { max_bytes: MOST_BYTES, ..usual_limits() };
        let answer = Client::new(system.clone(), limits, None)?.read(&Request::new(Method::Get, url)).await?;
        return Ok(String::from_utf8_lossy(&answer.body).into_owned());
    }
    let path = PathBuf::from(document);
    let failed = |reason: String| DraftError::File { path: path.clone(), reason };
    let about = std::fs::metadata(&path).map_err(|error| failed(error.to_string()))?;
    if about.len() > MOST_BYTES {
        return Err(failed(format!("it is larger than {} MiB", MOST_BYTES >> 20)));
    }
    std::fs::read_to_string(&path).map_err(|error| failed(error.to_string()))
}
