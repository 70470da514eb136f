//! A request as a command line that can be pasted into a shell: what others wrote is quoted, secrets
//! stand as the variables or files that they come from.

use diaporos_core::text::{shell_quoted, shell_word};

use serde_json::{Map, Value as Json};

use super::form::{FormMedia, pairs};
use super::{Body, HeaderText, Part, Request};
use crate::SecretReference;

/// A piece of a word.
enum Piece<'a> {
    /// Taken literally.
    Plain(&'a str),
    /// A variable, or what a file holds.
    Expanded(String),
}

impl Request {
    /// The request as a `curl` command, secrets as the variables they come from.
    #[must_use]
    pub fn as_curl(&self) -> String {
        match self.url.scheme() {
            "http" | "https" => {}
            "file" => return self.as_file_commands(),
            _ => return self.as_remark(),
        }
        let mut lines = vec![format!("curl -X {}{} {}", self.method.word(), self.globs(), self.address())];
        for (name, value) in &self.headers {
            lines.push(header(name, value));
        }
        if let Some(body) = &self.body {
            if !matches!(body, Body::Form(..)) {
                lines.push(format!("-H {}", shell_quoted(&format!("content-type: {}", body.bytes().1))));
            }
            lines.push(match body {
                Body::Json(json, _) => format!("-d {}", shell_quoted(&format!("{json:#}"))),
                Body::Form(members, media) => form(members, *media),
                Body::Bytes(bytes, _) => match as_argument(bytes) {
                    Some(text) => format!("--data-raw {}", shell_quoted(text)),
                    None => format!("--data-binary @FILE  # {} bytes", bytes.len()),
                },
            });
        }
        let mut line = lines.join(" \\\n  ");
        if let Some(look_up) = &self.look_up {
            let first = look_up.request.as_curl();
            line = format!("{first}\n# {} is what that answers at {}\n{line}", look_up.place, look_up.at());
        }
        if self.within_whole {
            return format!("# a push reads the document first, and sends its other members back with these\n{line}");
        }
        line
    }

    /// What is asked for without HTTP, as a remark: there is no command for it.
    fn as_remark(&self) -> String {
        let body = match &self.body {
            Some(Body::Json(json, _)) => format!("\n{json:#}"),
            _ => String::new(),
        };
        format!("{} {}{body}", self.method.word(), self.shown_url())
            .lines()
            .map(|line| format!("# {line}"))
            .collect::<Vec<_>>()
            .join("\n")
    }

    /// `curl` takes brackets in an address for lists of addresses.
    fn globs(&self) -> &'static str {
        if self.url.as_str().contains(['[', ']', '{', '}']) { " -g" } else { "" }
    }

    fn address(&self) -> String {
        let Some((name, secret)) = &self.secret_query else { return shell_quoted(&self.shown_url()) };
        let before = self.shown_url_before(name);
        word(&[Piece::Plain(&before), expanded(secret.reference())])
    }

    /// What is done to a file, as a shell does it.
    fn as_file_commands(&self) -> String {
        let path = self.url.to_file_path().map_or_else(|()| self.shown_url(), |path| path.display().to_string());
        let path = shell_quoted(&path);
        let line = match &self.body {
            None => format!("rm -- {path}"),
            Some(body) => {
                let bytes = match body {
                    Body::Json(json, _) => format!("{json:#}\n").into_bytes(),
                    Body::Form(..) | Body::Bytes(..) => body.bytes().0,
                };
                match as_argument(&bytes) {
                    // Not a here-document: some shells break one at lines that begin as its end does.
                    Some(text) => format!("printf '%s' {} > {path}", shell_quoted(text)),
                    None => format!("# {} bytes go to {path}", bytes.len()),
                }
            }
        };
        if self.within_whole {
            return format!("# a push reads the file first, and writes these into what is there\n{line}");
        }
        line
    }
}

/// Bytes that can be an argument: text without the one character that ends an argument.
fn as_argument(bytes: &[u8]) -> Option<&str> {
    std::str::from_utf8(bytes).ok().filter(|text| !text.contains('\0'))
}

fn header(name: &str, value: &HeaderText) -> String {
    let named = format!("{name}: ");
    match value {
        HeaderText::Plain(text) => format!("-H {}", shell_quoted(&format!("{name}: {text}"))),
        HeaderText::Secret { before, secret } => {
            format!("-H {}", word(&[Piece::Plain(&named), Piece::Plain(before), expanded(secret.reference())]))
        }
        HeaderText::Basic { user, password } => {
            let user = match user {
                Part::Plain(text) => Piece::Plain(text),
                Part::Secret(secret) => expanded(secret.reference()),
            };
            format!("-u {}", word(&[user, Piece::Plain(":"), expanded(password.reference())]))
        }
        HeaderText::Signed(_) => format!("-H \"{name}: $SIGNATURE\""),
        HeaderText::Fetched { before } => {
            let variable = if before.is_empty() { "$SESSION_COOKIE" } else { "$ACCESS_TOKEN" };
            format!("-H {}", word(&[Piece::Plain(&named), Piece::Plain(before), Piece::Expanded(variable.to_owned())]))
        }
    }
}

fn expanded<'a>(reference: &SecretReference) -> Piece<'a> {
    Piece::Expanded(match reference {
        SecretReference::Variable(name) => format!("${name}"),
        SecretReference::File(path) => format!("$(cat -- {})", shell_word(&path.to_string_lossy())),
    })
}

/// One word of pieces. Between double quotes a shell fills in what is to be filled in, and everything
/// else stands for itself but for a few characters.
fn word(pieces: &[Piece<'_>]) -> String {
    let simple = |piece: &Piece<'_>| match piece {
        Piece::Plain(text) => !text.contains(['"', '$', '`', '\\', '!', '\n']),
        Piece::Expanded(_) => true,
    };
    // A name that goes on after a variable would be taken for a part of its name.
    let one = pieces.iter().all(simple) && !pieces.windows(2).any(goes_on);
    let text = |piece: &Piece<'_>| match (piece, one) {
        (Piece::Plain(text), true) => (*text).to_owned(),
        (Piece::Plain(text), false) => shell_quoted(text),
        (Piece::Expanded(text), true) => text.clone(),
        (Piece::Expanded(text), false) => format!("\"{text}\""),
    };
    let whole: String = pieces.iter().map(text).collect();
    if one { format!("\"{whole}\"") } else { whole }
}

fn goes_on(pair: &[Piece<'_>]) -> bool {
    matches!(pair, [Piece::Expanded(_), Piece::Plain(text)] if text.starts_with(|c: char| c.is_ascii_alphanumeric() || c == '_'))
}

/// A form as arguments: `curl` says its media type.
fn form(members: &Map<String, Json>, media: FormMedia) -> String {
    let option = match media {
        FormMedia::UrlEncoded => "--data-urlencode",
        FormMedia::Multipart => "--form-string",
    };
    let field = |(name, value): (String, String)| format!("{option} {}", shell_quoted(&format!("{name}={value}")));
    pairs(members).into_iter().map(field).collect::<Vec<_>>().join(" \\\n  ")
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::http::{ClientCredentials, Credential, LogIn, Method, Part};
    use crate::{Secret, SecretReference};
    use serde_json::json;

    #[test]
    fn a_command_line_with_the_secret_by_name() {
        let secret = Secret::new(SecretReference::Variable("SITE_TOKEN".into()), "hush".into());
        let mut request = Request::new(Method::Put, "http://127.0.0.1:1/pages/7?a=b".parse().unwrap())
            .credential(Some(&Credential::Bearer(secret)))
            .header("if-match", "\"3\"");
        request.body = Some(Body::json(json!({ "heading": "Hart's-tongue" })));
        let expected = r#"curl -X PUT 'http://127.0.0.1:1/pages/7?a=b' \
  -H "authorization: Bearer $SITE_TOKEN" \
  -H 'if-match: "3"' \
  -H 'content-type: application/json' \
  -d '{
  "heading": "Hart'\''s-tongue"
}'"#;
        assert_eq!(request.as_curl(), expected);
        assert!(!format!("{request:?}").contains("hush"));
    }

    #[test]
    fn every_credential_by_name() {
        let secret = |name: &str| Secret::new(SecretReference::Variable(name.into()), "hush".into());
        let url: url::Url = "http://a.example/x?k=1".parse().unwrap();
        let client = ClientCredentials {
            token: url.clone(),
            id: Part::Plain("hub".into()),
            secret: secret("CLIENT_SECRET"),
            scope: None,
            audience: None,
            in_body: false,
            refresh: None,
        };
        for (credential, expected) in [
            (Credential::Basic { user: Part::Plain("hub".into()), password: secret("PASS") }, "-u \"hub:$PASS\""),
            (Credential::Header { name: "X-Api-Key".into(), value: secret("KEY") }, "-H \"x-api-key: $KEY\""),
            (Credential::Query { name: "key".into(), value: secret("KEY") }, "\"http://a.example/x?k=1&key=$KEY\""),
            (Credential::ClientCredentials(client), "-H \"authorization: Bearer $ACCESS_TOKEN\""),
            (Credential::Session(LogIn { url: url.clone(), fields: vec![] }), "-H \"cookie: $SESSION_COOKIE\""),
        ] {
            let request = Request::new(Method::Get, url.clone()).credential(Some(&credential));
            assert!(request.as_curl().contains(expected), "{}", request.as_curl());
            assert!(request.has_secret());
            assert!(!format!("{request:?} {credential:?} {credential}").contains("hush"));
        }
    }

    /// What a shell makes of a printed command, with a `curl` that prints its arguments, one a line.
    fn by_a_shell(command: &str) -> Vec<String> {
        let folder = tempfile::tempdir().unwrap();
        let script = format!("curl() {{ printf '%s\\0' \"$@\"; }}\n{command}\n");
        let output = std::process::Command::new("sh")
            .arg("-c")
            .arg(script)
            .current_dir(folder.path())
            .env_clear()
            .env("PATH", "/usr/bin:/bin")
            .env("KEY", "from the variable")
            .output()
            .unwrap();
        assert!(output.status.success() && output.stderr.is_empty(), "{command}: {output:?}");
        assert_eq!(std::fs::read_dir(folder.path()).unwrap().count(), 0, "{command} wrote something");
        let text = String::from_utf8(output.stdout).unwrap();
        text.split_terminator('\0').map(str::to_owned).collect()
    }

    proptest::proptest! {
        #![proptest_config(proptest::prelude::ProptestConfig::with_cases(60))]

        /// Whatever others wrote, a shell takes the command for one request and nothing more.
        #[test]
        fn a_pasted_command_is_one_request(
            path in r#"[ -~é\n]{0,12}"#, value in r#"[ -~é]{0,12}"#, body in r#"[ -~é\n]{0,20}"#, user in r#"[ -9;-~]{1,9}"#,
            kind in 0_u8..4,
        ) {
            let secret = Secret::new(SecretReference::Variable("KEY".into()), "hush".into());
            let credential = match kind {
                0 => Credential::Bearer(secret),
                1 => Credential::Basic { user: Part::Plain(user.clone()), password: secret },
                2 => Credential::Header { name: "x-key".into(), value: secret },
                _ => Credential::Query { name: "key".into(), value: secret },
            };
            let mut url: url::Url = "http://a.example/".parse().unwrap();
            url.set_path(&path);
            url.set_fragment(Some(&value));
            url.query_pairs_mut().append_pair("q", &value);
            let mut request = Request::new(Method::Put, url).credential(Some(&credential)).header("x-note", value.clone());
            request.body = Some(Body::Bytes(body.clone().into_bytes(), "text/plain".to_owned()));
            let arguments = by_a_shell(&request.as_curl());
            proptest::prop_assert!(arguments.contains(&format!("x-note: {value}")), "{arguments:?}");
            proptest::prop_assert_eq!(arguments.last(), Some(&body));
            proptest::prop_assert!(arguments.iter().any(|one| one.ends_with("from the variable")), "{arguments:?}");
            if kind == 1 {
                proptest::prop_assert!(arguments.contains(&format!("{user}:from the variable")), "{arguments:?}");
            }
        }

        /// A file is written with exactly what stands in the request.
        #[test]
        fn a_pasted_file_command_writes_that_file(name in r#"[ -.0-~é]{1,9}"#, body in r#"([ -~é]|ш|Ё|END|\n){0,20}"#) {
            let folder = tempfile::tempdir().unwrap();
            // A place has the ending of a form: the address library adds a slash to a path that ends in a colon.
            let path = folder.path().join(format!("plant{name}.json"));
            let mut request = Request::new(Method::Put, url::Url::from_file_path(&path).unwrap());
            request.body = Some(Body::Bytes(body.clone().into_bytes(), "text/plain".to_owned()));
            by_a_shell(&request.as_curl());
            proptest::prop_assert_eq!(std::fs::read_to_string(&path).unwrap(), body);
            proptest::prop_assert_eq!(std::fs::read_dir(folder.path()).unwrap().count(), 1);
        }
    }
}
