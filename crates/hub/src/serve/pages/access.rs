//! Who may look.

use std::sync::Arc;

use axum::extract::{Request, State};
use axum::http::{StatusCode, header};
use axum::middleware::Next;
use axum::response::{IntoResponse, Response};
use diaporos_systems::Secret;
use diaporos_systems::hook::bears;

use super::header_text;

/// Who may look.
pub(in crate::serve) enum Access {
    /// Whoever is at this machine.
    Loopback,
    /// Whoever has the token: as a bearer, or, in a browser, as the password of any user.
    Token(Secret),
}

/// The names by which a machine calls itself. A page elsewhere that had its own name lead here would have a
/// browser ask by that name.
const OURSELVES: [&str; 3] = ["localhost", "127.0.0.1", "[::1]"];

fn is_ourselves(host: &str) -> bool {
    let name = host.rsplit_once(':').filter(|(_, port)| port.chars().all(|c| c.is_ascii_digit()));
    OURSELVES.contains(&name.map_or(host, |(name, _)| name))
}

/// Lets through who may look.
pub(super) async fn admit(State(access): State<Arc<Access>>, request: Request, next: Next) -> Response {
    let headers = request.headers();
    match access.as_ref() {
        Access::Loopback if header_text(headers, &header::HOST).is_some_and(is_ourselves) => next.run(request).await,
        Access::Loopback => {
            (StatusCode::FORBIDDEN, "this hub is looked at from its own machine, as localhost\n").into_response()
        }
        Access::Token(token)
            if header_text(headers, &header::AUTHORIZATION).is_some_and(|given| bears(given, token)) =>
        {
            next.run(request).await
        }
        Access::Token(_) => {
            let ask = [(header::WWW_AUTHENTICATE, "Basic realm=\"diaporos\", charset=\"UTF-8\"")];
            (StatusCode::UNAUTHORIZED, ask, "the token of this hub is needed\n").into_response()
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn other_names_than_our_own() {
        for ours in ["localhost", "localhost:4740", "127.0.0.1:4740", "[::1]:4740", "[::1]"] {
            assert!(is_ourselves(ours), "{ours}");
        }
        for theirs in ["evil.example", "evil.example:4740", "127.0.0.1.evil.example", "localhost.evil.example:80", ""] {
            assert!(!is_ourselves(theirs), "{theirs}");
        }
    }
}
