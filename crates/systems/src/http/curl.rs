//! A request as a command line that can be pasted into a shell.

use super::{HeaderText, Request};

impl Request {
    /// The request as a `curl` command, secrets as the variables they come from.
    #[must_use]
    pub fn as_curl(&self) -> String {
        let mut lines = vec![format!("curl -X {} {}", self.method.word(), quoted(&self.shown_url()))];
        for (name, value) in &self.headers {
            lines.push(match value {
                HeaderText::Plain(text) => format!("-H {}", quoted(&format!("{name}: {text}"))),
                HeaderText::Secret { before, secret } => {
                    format!("-H \"{name}: {before}{}\"", secret.reference().placeholder())
                }
            });
        }
        if let Some(body) = &self.body {
            lines.push("-H 'content-type: application/json'".to_owned());
            lines.push(format!("-d {}", quoted(&format!("{body:#}"))));
        }
        lines.join(" \\\n  ")
    }
}

/// Between single quotes, as a POSIX shell takes a text literally.
fn quoted(text: &str) -> String {
    format!("'{}'", text.replace('\'', r"'\''"))
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::http::{Credential, Method};
    use crate::{Secret, SecretReference};
    use serde_json::json;

    #[test]
    fn a_command_line_with_the_secret_by_name() {
        let secret = Secret::new(SecretReference::Variable("SITE_TOKEN".into()), "hush".into());
        let mut request = Request::new(Method::Put, "http://127.0.0.1:1/pages/7?a=b".parse().unwrap())
            .credential(Some(&Credential::Bearer(secret)))
            .header("if-match", "\"3\"");
        request.body = Some(json!({ "heading": "Hart's-tongue" }));
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
}
