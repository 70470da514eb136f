//! Blanking: whatever another side echoes, and whatever is shown, holds none of this process's
//! secrets. A secret is known from the moment it is read, and known in every form that a wire or a
//! text gives it.

use std::borrow::Cow;
use std::collections::BTreeSet;
use std::sync::{Arc, PoisonError, RwLock};

use aho_corasick::{AhoCorasick, MatchKind};
use base64::prelude::{BASE64_STANDARD_NO_PAD, Engine as _};
use url::Url;
use url::form_urlencoded::byte_serialize;

/// What stands in a secret's place.
pub const BLANK: &str = "[secret]";

/// A shorter text is no secret, and stands in every second sentence.
const SHORTEST: usize = 4;
/// In content, a shorter one is a word of the language as likely as an echo.
const SHORTEST_IN_CONTENT: usize = 8;

/// A step of a path that is as long may be a token.
const LONG_STEP: usize = 16;

static KNOWN: RwLock<Known> = RwLock::new(Known { secrets: BTreeSet::new(), message: None, content: None });

struct Known {
    secrets: BTreeSet<String>,
    message: Option<Arc<AhoCorasick>>,
    content: Option<Arc<AhoCorasick>>,
}

/// Makes a secret known, so that it is blanked from now on.
pub fn learn(secret: &str) {
    if secret.len() < SHORTEST {
        return;
    }
    let mut known = KNOWN.write().unwrap_or_else(PoisonError::into_inner);
    if known.secrets.insert(secret.to_owned()) {
        known.message = searcher(known.secrets.iter());
        known.content = searcher(known.secrets.iter().filter(|secret| secret.len() >= SHORTEST_IN_CONTENT));
    }
}

/// Makes known what an address holds of secrets: a password, and parameters that are named as one.
/// Where the whole address is kept outside the configuration, its parameters and the long steps of its
/// path are secrets too.
pub fn learn_address(url: &Url, is_kept_outside: bool) {
    url.password().into_iter().for_each(learn);
    if url.password().is_none() && url.username().len() >= LONG_STEP {
        learn(url.username());
    }
    for (name, value) in url.query_pairs() {
        if is_kept_outside || is_secret_name(&name) {
            learn(&value);
        }
    }
    let steps = url.path_segments().into_iter().flatten();
    steps.filter(|step| is_kept_outside && step.len() >= LONG_STEP).for_each(learn);
}

/// Whether a parameter of that name carries a secret, as names go.
pub(crate) fn is_secret_name(name: &str) -> bool {
    let name: String = name.chars().filter(char::is_ascii_alphanumeric).collect::<String>().to_ascii_lowercase();
    let ends =
        ["apikey", "accesskey", "token", "secret", "password", "passwd", "pwd", "signature", "credential", "auth"];
    let of_paging = ["page", "next", "continu", "sync"].iter().any(|word| name.contains(word));
    name == "sig" || !of_paging && ends.iter().any(|end| name.ends_with(end))
}

/// A message, note or address without any known secret.
#[must_use]
pub fn blank(text: &str) -> Cow<'_, str> {
    let searcher = KNOWN.read().unwrap_or_else(PoisonError::into_inner).message.clone();
    let Some(searcher) = searcher.filter(|searcher| searcher.is_match(text)) else { return Cow::Borrowed(text) };
    let mut blanked = String::with_capacity(text.len());
    searcher.replace_all_with(text, &mut blanked, |_, _, out| {
        out.push_str(BLANK);
        true
    });
    Cow::Owned(blanked)
}

/// Content without any known secret of a length that no word has.
#[must_use]
pub fn blank_content(bytes: Vec<u8>) -> Vec<u8> {
    let searcher = KNOWN.read().unwrap_or_else(PoisonError::into_inner).content.clone();
    let Some(searcher) = searcher.filter(|searcher| searcher.is_match(&bytes)) else { return bytes };
    tracing::warn!("an answer echoed a secret of this hub; it was blanked");
    let mut blanked = Vec::with_capacity(bytes.len());
    searcher.replace_all_with_bytes(&bytes, &mut blanked, |_, _, out| {
        out.extend_from_slice(BLANK.as_bytes());
        true
    });
    blanked
}

/// Content that comes piece by piece, blanked as it goes on.
#[derive(Debug)]
pub(crate) struct BlankedContent {
    searcher: Option<Arc<AhoCorasick>>,
    /// What may be the beginning of a secret.
    held: Vec<u8>,
}

impl BlankedContent {
    /// Content with the secrets that are known now.
    pub(crate) fn new() -> BlankedContent {
        let searcher = KNOWN.read().unwrap_or_else(PoisonError::into_inner).content.clone();
        BlankedContent { searcher, held: Vec::new() }
    }

    /// Takes the next bytes, and gives on what can hold no secret any more.
    pub(crate) fn take(&mut self, bytes: &[u8]) -> Vec<u8> {
        let Some(searcher) = self.searcher.clone() else { return bytes.to_vec() };
        self.held.extend_from_slice(bytes);
        let safe = self.held.len().saturating_sub(searcher.max_pattern_len().saturating_sub(1));
        self.give(&searcher, safe)
    }

    /// Gives on the rest.
    pub(crate) fn end(&mut self) -> Vec<u8> {
        let Some(searcher) = self.searcher.clone() else { return Vec::new() };
        self.give(&searcher, self.held.len())
    }

    fn give(&mut self, searcher: &AhoCorasick, safe: usize) -> Vec<u8> {
        let (mut given, mut at) = (Vec::with_capacity(safe), 0);
        for found in searcher.find_iter(&self.held).take_while(|found| found.start() < safe) {
            tracing::warn!("an answer echoed a secret of this hub; it was blanked");
            given.extend_from_slice(&self.held[at..found.start()]);
            given.extend_from_slice(BLANK.as_bytes());
            at = found.end();
        }
        if at < safe {
            given.extend_from_slice(&self.held[at..safe]);
            at = safe;
        }
        self.held.drain(..at);
        given
    }
}

fn searcher<'a>(secrets: impl Iterator<Item = &'a String>) -> Option<Arc<AhoCorasick>> {
    let forms: BTreeSet<String> = secrets.flat_map(|secret| forms(secret)).collect();
    if forms.is_empty() {
        return None;
    }
    AhoCorasick::builder().match_kind(MatchKind::LeftmostLongest).build(forms).ok().map(Arc::new)
}

/// A secret in every form in which it may come back.
fn forms(secret: &str) -> Vec<String> {
    let percent = |keep: &dyn Fn(u8) -> bool, upper: bool| -> String {
        let step = |byte: u8| match (keep(byte), upper) {
            (true, _) => char::from(byte).to_string(),
            (false, true) => format!("%{byte:02X}"),
            (false, false) => format!("%{byte:02x}"),
        };
        secret.bytes().map(step).collect()
    };
    let unreserved = |byte: u8| byte.is_ascii_alphanumeric() || b"-._~".contains(&byte);
    let json = serde_json::to_string(secret).unwrap_or_default();
    let json = json.trim_matches('"').to_owned();
    let form: String = byte_serialize(secret.as_bytes()).collect();
    let mut forms = vec![
        secret.to_owned(),
        percent(&unreserved, true),
        percent(&unreserved, false),
        lower_escapes(&form),
        form,
        json.replace('/', "\\/"),
        serde_json::to_string(&json).unwrap_or_default().trim_matches('"').to_owned(),
        json,
        html_escaped(secret),
    ];
    for offset in 0..3 {
        let encoded = within_base64(secret, offset);
        if encoded.len() >= SHORTEST + 2 {
            forms.push(encoded.replace('+', "-").replace('/', "_"));
            forms.push(encoded.replace('+', "%2B").replace('/', "%2F"));
            forms.push(encoded);
        }
    }
    forms
}

/// What base64 (RFC 4648) of any text holds that has the secret `offset` bytes after a multiple of
/// three.
fn within_base64(secret: &str, offset: usize) -> String {
    let mut bytes = vec![0; offset];
    bytes.extend_from_slice(secret.as_bytes());
    let encoded = BASE64_STANDARD_NO_PAD.encode(&bytes);
    // A character that carries bits of what stands before or after is not the secret's alone.
    let first = (offset * 8).div_ceil(6);
    let last = bytes.len() * 8 / 6;
    encoded.get(first..last).unwrap_or_default().to_owned()
}

fn html_escaped(text: &str) -> String {
    let text = text.replace('&', "&amp;").replace('<', "&lt;").replace('>', "&gt;");
    text.replace('"', "&quot;").replace('\'', "&#39;")
}

/// Percent-encoding with small digits, as some write it.
fn lower_escapes(encoded: &str) -> String {
    let mut pieces = encoded.split('%');
    let first = pieces.next().unwrap_or_default().to_owned();
    pieces.fold(first, |all, piece| match piece.split_at_checked(2) {
        Some((digits, rest)) => format!("{all}%{}{rest}", digits.to_ascii_lowercase()),
        None => format!("{all}%{piece}"),
    })
}

#[cfg(test)]
mod tests {
    use super::*;
    use base64::prelude::{BASE64_STANDARD, BASE64_URL_SAFE};

    #[test]
    fn no_form_of_a_secret_comes_back() {
        let secret = "Zq7/+p&k \"w9<x'é";
        learn(secret);
        let by_url = url::Url::parse_with_params("http://a.example/", [("k", secret)]).unwrap().to_string();
        for echoed in [
            secret.to_owned(),
            format!("Bearer {secret}"),
            BASE64_STANDARD.encode(format!("hub:{secret}")),
            BASE64_STANDARD.encode(format!("a-hub:{secret} and more")),
            BASE64_URL_SAFE.encode(format!("th-hub:{secret}")),
            serde_json::json!({ "echo": secret }).to_string(),
            serde_json::json!({ "echo": serde_json::json!({ "inner": secret }).to_string() }).to_string(),
            by_url.clone(),
            lower_escapes(&by_url),
            html_escaped(secret),
        ] {
            let blanked = blank(&echoed);
            assert!(blanked.contains(BLANK), "{echoed} gave {blanked}");
            assert_eq!(blank_content(echoed.clone().into_bytes()), blanked.as_bytes());
        }
        assert_eq!(blank("an ordinary sentence"), "an ordinary sentence");
    }

    #[test]
    fn a_short_password_spoils_no_content() {
        learn("fern7");
        assert_eq!(blank("fern7 is wrong"), "[secret] is wrong");
        assert_eq!(blank_content(b"the fern7 bed".to_vec()), b"the fern7 bed");
    }

    #[test]
    fn a_secret_that_comes_in_pieces_is_blanked() {
        let secret = "Kx-hush-41-pieces";
        learn(secret);
        let content = format!("before {secret} after {secret}").into_bytes();
        for piece in 1..content.len() {
            let mut blanked = BlankedContent::new();
            let mut given: Vec<u8> = content.chunks(piece).flat_map(|bytes| blanked.take(bytes)).collect();
            given.extend(blanked.end());
            assert_eq!(String::from_utf8(given).unwrap(), "before [secret] after [secret]", "{piece}");
        }
    }
}
