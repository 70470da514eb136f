//! Redirects of reads, followed by hand so that a credential goes to no other host.

use url::Url;

use super::Request;
use crate::ErrorKind;

/// The request that a redirect leads to.
///
/// # Errors
/// Where it leads away from http and https, or from https to plain http.
pub(super) fn redirected(request: &Request, location: Option<&str>) -> Result<Request, ErrorKind> {
    let target = location.and_then(|location| request.url.join(location).ok());
    let Some(target) = target else {
        return Err(ErrorKind::Redirects("to no address".to_owned()));
    };
    match (request.url.scheme(), target.scheme()) {
        (_, "https") | ("http", "http") => {}
        ("https", "http") => return Err(ErrorKind::Redirects("from https to plain http".to_owned())),
        (_, scheme) => return Err(ErrorKind::Redirects(format!("to a `{scheme}:` address"))),
    }
    let mut next = request.clone();
    if !same_place(&request.url, &target) {
        next.secret_query = None;
        next.headers.retain(|(_, text)| !text.is_secret());
    }
    next.url = target;
    Ok(next)
}

/// Whether two addresses are of one host, port and scheme.
fn same_place(one: &Url, other: &Url) -> bool {
    one.origin() == other.origin()
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::http::{Credential, Method};
    use crate::{Secret, SecretReference};

    fn drawn(from: &str, to: &str) -> String {
        let secret = Secret::new(SecretReference::Variable("KEY".into()), "hush".into());
        let credential = Credential::Header { name: "X-Api-Key".into(), value: secret };
        let request = Request::new(Method::Get, from.parse().unwrap()).credential(Some(&credential));
        match redirected(&request, Some(to)) {
            Ok(next) => format!("{} {}", next.url, if next.has_secret() { "with" } else { "without" }),
            Err(error) => error.to_string(),
        }
    }

    #[test]
    fn a_credential_stays_with_its_host() {
        for (from, to, expected) in [
            ("http://a.example/x", "/y", "http://a.example/y with"),
            ("http://a.example/x", "http://a.example:8080/x", "http://a.example:8080/x without"),
            ("https://a.example/x", "https://b.example/x", "https://b.example/x without"),
            ("http://a.example/x", "https://a.example/x", "https://a.example/x without"),
            ("https://a.example/x", "http://a.example/x", "it redirects from https to plain http"),
            ("https://a.example/x", "file:///etc/passwd", "it redirects to a `file:` address"),
            ("http://a.example/x", "ftp://a.example/x", "it redirects to a `ftp:` address"),
        ] {
            assert_eq!(drawn(from, to), expected, "{from} {to}");
        }
    }
}
