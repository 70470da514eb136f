//! A request as a command line that can be pasted into a shell.

use super::{Body, HeaderText, Request};

impl Request {
    /// The request as a `curl` command, secrets as the variables they come from.
    #[must_use]
    pub fn as_curl(&self) -> String {
        if self.url.scheme() == "file" {
            return self.as_file_commands();
        }
        // Between double quotes a shell fills in the variable.
        let url = match &self.secret_query {
            None => quoted(&self.shown_url()),
            Some(_) => format!("\"{}\"", self.shown_url()),
        };
        let mut lines = vec![format!("curl -X {} {url}", self.method.word())];
        for (name, value) in &self.headers {
            lines.push(match value {
                HeaderText::Plain(text) => format!("-H {}", quoted(&format!("{name}: {text}"))),
                HeaderText::Secret { before, secret } => {
                    format!("-H \"{name}: {before}{}\"", secret.reference().placeholder())
                }
                HeaderText::Basic { user, password } => {
                    format!("-u \"{}:{}\"", user.placeholder(), password.reference().placeholder())
                }
                HeaderText::Fetched { before: "" } => format!("-H \"{name}: $SESSION_COOKIE\""),
                HeaderText::Fetched { before } => format!("-H \"{name}: {before}$ACCESS_TOKEN\""),
            });
        }
        if let Some(body) = &self.body {
            lines.push(format!("-H {}", quoted(&format!("content-type: {}", body.media()))));
            lines.push(match body {
                Body::Json(json, _) => format!("-d {}", quoted(&format!("{json:#}"))),
                Body::Bytes(bytes, _) => match std::str::from_utf8(bytes) {
                    Ok(text) => format!("--data-binary {}", quoted(text)),
                    Err(_) => format!("--data-binary @FILE  # {} bytes", bytes.len()),
                },
            });
        }
        let line = lines.join(" \\\n  ");
        if self.within_whole {
            return format!("# a push reads the document first, and sends its other members back with these\n{line}");
        }
        line
    }
}

impl Request {
    /// What is done to a file, as a shell does it.
    fn as_file_commands(&self) -> String {
        let path = self.url.to_file_path().map_or_else(|()| self.shown_url(), |path| path.display().to_string());
        let line = match &self.body {
            None => format!("rm {}", quoted(&path)),
            Some(body) => {
                let bytes = match body {
                    Body::Json(json, _) => format!("{json:#}\n").into_bytes(),
                    Body::Bytes(bytes, _) => bytes.clone(),
                };
                format!("cat > {} <<'END'\n{}END", quoted(&path), String::from_utf8_lossy(&bytes))
            }
        };
        if self.within_whole {
            return format!("# a push reads the file first, and writes these into what is there\n{line}");
        }
        line
    }
}

/// Between single quotes, as a POSIX shell takes a text literally.
fn quoted(text: &str) -> String {
    format!("'{}'", text.replace('\'', r"'\''"))
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
}
