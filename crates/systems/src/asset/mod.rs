//! Files that entries refer to by address: fetched without any credential, held against what they say
//! they are, and known by what is in them.

mod svg;

use diaporos_core::image::PictureOrder;
use diaporos_core::value::SystemName;
use sha2::{Digest, Sha256};
use tokio::sync::Semaphore;
use url::Url;

use crate::http::{Client, Limits, Method, Request, shown_url};
use crate::picture::made;
use crate::{ErrorKind, SystemError};
use svg::clean_svg;

/// A file, fetched.
#[derive(Debug, Clone)]
pub struct Asset {
    /// What is in it.
    pub bytes: Vec<u8>,
    /// Its media type, as its bytes tell.
    pub media: String,
    /// The last step of its address.
    pub name: String,
    /// The SHA-256 of its bytes, in hexadecimal digits.
    pub hash: String,
}

/// What a destination takes.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct AssetLimits {
    /// The most bytes of one file.
    pub max_bytes: u64,
    /// Media types, `image/*` for all of a kind; any where empty.
    pub types: Vec<String>,
}

/// Fetches files from wherever entries say they are.
#[derive(Debug)]
pub struct Fetcher {
    client: Client,
    limits: AssetLimits,
    /// Hosts that may be special ones.
    named: Vec<String>,
    svg: bool,
    /// One for each picture that may be made at once.
    cores: Semaphore,
}

impl Fetcher {
    /// A fetcher for a destination, under whose name its failures are told.
    ///
    /// # Errors
    /// Where TLS cannot be set up.
    pub fn new(system: SystemName, limits: Limits, wanted: AssetLimits) -> Result<Fetcher, SystemError> {
        let (named, svg) = (limits.network.asset_hosts.clone(), limits.network.svg);
        let limits = Limits { max_bytes: wanted.max_bytes, rate: None, ..limits };
        let cores = Semaphore::new(std::thread::available_parallelism().map_or(1, std::num::NonZero::get));
        Ok(Fetcher { client: Client::new(system, limits, None)?, limits: wanted, named, svg, cores })
    }

    /// Fetches what stands at an address: a file, once, and everything that is to be made of it. Each of `wanted` is
    /// that address, or that address with what is made of the picture.
    pub async fn fetch(&self, address: &str, wanted: Vec<String>) -> Vec<(String, Result<Asset, SystemError>)> {
        let original = self.fetch_whole(address, wanted.iter().any(|one| one == address)).await;
        let mut fetched = Vec::with_capacity(wanted.len());
        for one in wanted {
            let asset = match (&original, PictureOrder::of_address(&one)) {
                (Err(error), _) => Err(error.clone()),
                (Ok(original), None) => Ok(original.clone()),
                (Ok(original), Some((_, order))) => self.rendition(original, &order).await,
            };
            fetched.push((one, asset));
        }
        fetched
    }

    /// Fetches a picture as it is, whatever the destination takes, for something to be made of it.
    ///
    /// # Errors
    /// Where it cannot be had, or is not what it says.
    pub async fn fetch_picture(&self, address: &str) -> Result<Asset, SystemError> {
        self.fetch_whole(address, false).await
    }

    /// Makes a rendition, on a thread that may take its time; so many at once as there are cores.
    async fn rendition(&self, original: &Asset, order: &PictureOrder) -> Result<Asset, SystemError> {
        let refused = |kind| SystemError { system: self.client.system().clone(), url: original.name.clone(), kind };
        let free = self.cores.acquire().await;
        let (bytes, own) = (original.bytes.clone(), order.clone());
        let made = tokio::task::spawn_blocking(move || made(&bytes, &own)).await;
        drop(free);
        let made = made.map_err(|error| refused(ErrorKind::Broken(error.to_string())))?;
        let made =
            made.map_err(|fault| refused(ErrorKind::Refused(format!("the picture {}: {fault}", original.name))))?;
        let media = order.rendition.format.media().to_owned();
        if !self.limits.takes(&media) {
            let types = self.limits.types.join(", ");
            let why = format!("the rendition `{}` is {media}, and what is taken is {types}", order.name);
            return Err(refused(ErrorKind::Refused(why)));
        }
        let stem = original.name.rsplit_once('.').map_or(original.name.as_str(), |(stem, _)| stem);
        let name = format!("{stem}-{}.{}", order.name, order.rendition.format.ending());
        let hash = Sha256::digest(&made.bytes).iter().map(|byte| format!("{byte:02x}")).collect();
        Ok(Asset { bytes: made.bytes, media, name, hash })
    }

    /// A file that the hub keeps by what is in it: `HASH/NAME`.
    ///
    /// # Errors
    /// Says why it cannot be had, or is not what the destination takes.
    fn attachment(&self, kept: &str, is_delivered: bool) -> Result<Asset, String> {
        let (hash, name) = kept.split_once('/').unwrap_or((kept, "attachment"));
        // Nothing else is a name in that folder, whatever content says.
        if hash.len() != 64 || !hash.bytes().all(|byte| byte.is_ascii_hexdigit()) {
            return Err(format!("`attachment:{kept}` is no attachment"));
        }
        let folder = self.client.limits().network.attachments.clone();
        let bytes = folder.ok_or("no attachments are kept".to_owned()).and_then(|folder| {
            std::fs::read(folder.join(hash)).map_err(|error| format!("the attachment {name} is not kept: {error}"))
        })?;
        if bytes.len() as u64 > self.limits.max_bytes {
            return Err(format!(
                "the attachment {name} has {} bytes, and at most {} are taken",
                bytes.len(),
                self.limits.max_bytes
            ));
        }
        let is_svg = looks_like_svg(&bytes);
        let bytes = match (is_svg, self.svg) {
            (true, true) => clean_svg(&bytes).ok_or(format!("the attachment {name} is no picture (SVG)"))?,
            (true, false) => return Err(format!("the attachment {name} is a document that can run (SVG)")),
            (false, _) => bytes,
        };
        let seen = if is_svg { Some(SVG) } else { infer::get(&bytes).map(|kind| kind.mime_type()) };
        let media = seen.unwrap_or("application/octet-stream").to_owned();
        if is_delivered && !self.limits.takes(&media) {
            return Err(format!(
                "the attachment {name} is {media}, and what is taken is {}",
                self.limits.types.join(", ")
            ));
        }
        let hash = Sha256::digest(&bytes).iter().map(|byte| format!("{byte:02x}")).collect();
        Ok(Asset { bytes, media, name: name.to_owned(), hash })
    }

    /// # Errors
    /// Where it cannot be had, or is not what the destination takes.
    async fn fetch_whole(&self, address: &str, is_delivered: bool) -> Result<Asset, SystemError> {
        let refused = |why: String| SystemError {
            system: self.client.system().clone(),
            url: address.to_owned(),
            kind: ErrorKind::Refused(why),
        };
        if let Some(kept) = address.strip_prefix("attachment:") {
            return self.attachment(kept, is_delivered).map_err(refused);
        }
        let url = Url::parse(address).ok().filter(|url| matches!(url.scheme(), "http" | "https") && url.has_host());
        let Some(url) = url else { return Err(refused("a file's address begins with http or https".to_owned())) };
        let name = url.path_segments().and_then(|mut steps| steps.next_back()).unwrap_or_default().to_owned();
        let answer = self.client.read_given(&Request::new(Method::Get, url.clone()), &self.named).await?;
        let declared = answer.header("content-type").unwrap_or_default();
        let declared = declared.split(';').next().unwrap_or_default().trim().to_ascii_lowercase();
        let mut bytes = answer.body;
        let is_svg = declared == SVG || looks_like_svg(&bytes);
        if is_svg {
            if !self.svg {
                let why = "is a document that can run (SVG); where such pictures are wanted, say `assets = { svg = true }`, and they are cleaned";
                return Err(refused(format!("the file at {} {why}", shown_url(&url))));
            }
            let Some(cleaned) = clean_svg(&bytes) else {
                return Err(refused(format!(
                    "the file at {} says it is a picture (SVG), and is none",
                    shown_url(&url)
                )));
            };
            bytes = cleaned;
        }
        let seen =
            if is_svg { Some(SVG.to_owned()) } else { infer::get(&bytes).map(|kind| kind.mime_type().to_owned()) };
        let Some(media) = agreed(&declared, seen.as_deref()) else {
            let seen = seen.map_or_else(|| "no file of that kind".to_owned(), |seen| seen.clone());
            return Err(refused(format!("the file at {} says it is {declared}, and is {seen}", shown_url(&url))));
        };
        if bytes.is_empty() {
            return Err(refused(format!("the file at {} is empty", shown_url(&url))));
        }
        if is_delivered && !self.limits.takes(&media) {
            let types = self.limits.types.join(", ");
            return Err(refused(format!("the file at {} is {media}, and what is taken is {types}", shown_url(&url))));
        }
        let hash = Sha256::digest(&bytes).iter().map(|byte| format!("{byte:02x}")).collect();
        Ok(Asset { bytes, media, name, hash })
    }
}

impl AssetLimits {
    fn takes(&self, media: &str) -> bool {
        let meets = |wanted: &String| match wanted.strip_suffix("/*") {
            Some(kind) => media.split('/').next() == Some(kind),
            None => wanted == media,
        };
        self.types.is_empty() || self.types.iter().any(meets)
    }
}

const SVG: &str = "image/svg+xml";

/// Whether bytes are a document that a browser would draw, whatever they are declared as.
fn looks_like_svg(bytes: &[u8]) -> bool {
    let start = String::from_utf8_lossy(&bytes[..bytes.len().min(4096)]);
    let start = start.trim_start_matches('\u{feff}').trim_start();
    start.starts_with('<') && start.contains("<svg")
}

/// The media type that declaration and bytes agree on. Bytes that tell nothing leave it to the
/// declaration, but for pictures, sounds and films, whose bytes always tell; a page of HTML in a
/// picture's place is told by its bytes.
fn agreed(declared: &str, seen: Option<&str>) -> Option<String> {
    let kind = |media: &str| media.split('/').next().unwrap_or_default().to_owned();
    match seen {
        None if matches!(kind(declared).as_str(), "image" | "audio" | "video" | "font") => None,
        None => Some(if declared.is_empty() { "application/octet-stream".to_owned() } else { declared.to_owned() }),
        Some(seen) if declared.is_empty() || declared == "application/octet-stream" => Some(seen.to_owned()),
        Some(seen) if declared == seen || kind(declared) == kind(seen) => Some(seen.to_owned()),
        // Many containers are told as what they contain, or the other way round.
        Some(seen) if declared.contains("xml") && seen.contains("xml") => Some(declared.to_owned()),
        Some(seen) if kind(seen) == "application" && kind(declared) == "application" => Some(declared.to_owned()),
        Some(_) => None,
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_is_declared_and_what_is_there() {
        for (declared, seen, expected) in [
            ("image/png", Some("image/png"), Some("image/png")),
            ("image/png", Some("text/html"), None),
            ("", Some("image/jpeg"), Some("image/jpeg")),
            ("application/octet-stream", Some("application/pdf"), Some("application/pdf")),
            ("image/svg+xml", Some("image/svg+xml"), Some("image/svg+xml")),
            ("image/png", None, None),
            ("text/plain", None, Some("text/plain")),
        ] {
            assert_eq!(agreed(declared, seen).as_deref(), expected, "{declared} {seen:?}");
        }
        let limits = AssetLimits { max_bytes: 1, types: vec!["image/*".to_owned(), "application/pdf".to_owned()] };
        assert!(limits.takes("image/png") && limits.takes("application/pdf") && !limits.takes("text/html"));
    }
}
