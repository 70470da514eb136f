//! Telling by mail, against a mail server that we did not write.

use std::path::Path;

use tempfile::TempDir;

use crate::certificates::{authority, signed};
use crate::harness::Hub;
use crate::serve::automatic;
use crate::servers::{Peer, python_peer};

/// A mail server with the folder of what it took, and the authority that vouches for it.
struct Post {
    folder: TempDir,
    peer: Peer,
}

impl Post {
    fn office(hub: &Hub, security: &str) -> Option<Post> {
        let folder = tempfile::tempdir().unwrap();
        let authority = authority();
        let (key, certificate) = signed(&authority, "localhost");
        let file = |name: &str, text: &str| {
            let path = folder.path().join(name);
            std::fs::write(&path, text).unwrap();
            path.display().to_string()
        };
        let (certificate, key) = (file("cert.pem", &certificate.pem()), file("key.pem", &key.serialize_pem()));
        hub.write("ca.pem", &authority.pem());
        hub.write("password", "s3 cret/+");
        let peer = python_peer("mail.py", &[&folder.path().display().to_string(), security, &certificate, &key])?;
        Some(Post { folder, peer })
    }

    fn port(&self) -> &str {
        self.peer.url.rsplit(':').next().unwrap()
    }

    fn mail(&self, number: u32) -> String {
        std::fs::read_to_string(self.folder.path().join(format!("{number}.eml"))).unwrap()
    }

    fn count(&self) -> usize {
        let is_mail = |path: &Path| path.extension().is_some_and(|extension| extension == "eml");
        std::fs::read_dir(&self.folder).unwrap().flatten().filter(|entry| is_mail(&entry.path())).count()
    }
}

/// Has the editors told by mail by a server, with more lines.
fn told(hub: &Hub, server: &str, login: &str, lines: &str) {
    let text = std::fs::read_to_string(hub.path().join("diaporos.toml")).unwrap();
    let text = text.split("\n[tell.editors]").next().unwrap();
    let mail = format!(
        "{{ server = \"{server}\", from = \"Ostrel hub <hub@ostrel.example>\", to = [\"nia@ostrel.example\", \"Ivo <ivo@ostrel.example>\"]{login} }}"
    );
    let on = "on = [\"entry.updated\"]\nwhen = 'event.language == \"en\"'";
    hub.write("diaporos.toml", &format!("{text}\n[tell.editors]\n{on}\nmail = {mail}\n{lines}\n"));
}

const LOGIN: &str = ", login = { user = \"hub\", password = \"file:password\" }";

#[test]
fn people_are_told_by_mail_whatever_way_it_is_secured() {
    for (scheme, security) in [("smtp", "starttls"), ("smtps", "tls"), ("smtp", "none")] {
        let hub = automatic();
        let Some(post) = Post::office(&hub, security) else { return };
        let server = format!("{scheme}://localhost:{}", post.port());
        // A subject that holds a line end makes no header of its own.
        let body = "body = { subject = '\"Live: \" + common_name@en', text = 'common_name@en + \" is live as \" + event.id_there' }";
        told(&hub, &server, LOGIN, &format!("ca_bundle = \"ca.pem\"\n{body}"));
        hub.good(&["pull"]);
        hub.world.plants.edit_text("p-001", "common_name", "eng", "Royal\r\nBcc: all@ostrel.example\r\nfern é");
        hub.good(&["pull"]);
        hub.run(&["push"]).ends(3);
        let unwilling = post.folder.path().join("unwilling");
        std::fs::write(&unwilling, "").unwrap();
        let said = hub.good(&["tell", "--now"]);
        assert!(said.contains("451") && said.contains("1 message waits"), "{security}: {said}");
        std::fs::remove_file(unwilling).unwrap();
        hub.good(&["tell", "--again"]);
        assert_eq!(post.count(), 1, "{security}");
        let mail = post.mail(1);
        let is_secure = if security == "none" { "X-Secure: no" } else { "X-Secure: yes" };
        for line in [
            is_secure,
            "X-To: nia@ostrel.example,ivo@ostrel.example",
            "From: \"Ostrel hub\" <hub@ostrel.example>",
            "Message-ID: <editors-1@ostrel.example>",
            "Auto-Submitted: auto-generated",
        ] {
            assert!(mail.lines().any(|known| known == line), "{security}: {line}: {mail}");
        }
        let mut head = mail.lines().take_while(|line| !line.is_empty());
        assert!(!head.any(|line| line.starts_with("Bcc:")), "{mail}");
        assert!(mail.contains("is live as"), "{mail}");
    }
}

#[test]
fn a_password_goes_to_nobody_who_is_not_known() {
    let hub = automatic();
    let Some(post) = Post::office(&hub, "tls") else { return };
    let port = post.port();
    // Nobody vouches for the server, or it does not know the password.
    told(&hub, &format!("smtps://localhost:{port}"), LOGIN, "");
    let unknown = hub.run(&["tell", "editors", "--try"]).ends(1).stderr;
    assert!(unknown.contains("smtps://localhost") && unknown.to_lowercase().contains("certificate"), "{unknown}");
    hub.write("password", "wrong secret");
    told(&hub, &format!("smtps://localhost:{port}"), LOGIN, "ca_bundle = \"ca.pem\"");
    let wrong = hub.run(&["tell", "editors", "--try"]).ends(1).stderr;
    assert!(wrong.contains("535") && !wrong.contains("wrong secret"), "{wrong}");
    hub.write("password", "s3 cret/+");
    let tried = hub.good(&["tell", "editors", "--try"]);
    assert!(tried.contains("took a sample") && post.mail(1).contains("entry.updated: catalogue/plant-profile/sample"));
}

#[test]
fn faults_of_mail_are_named() {
    let hub = automatic();
    for (server, login, lines, fault) in [
        ("smtps://localhost", "", "key = \"file:key\"", "mail has none"),
        ("smtps://localhost", "", "to = \"https://ostrel.example\"", "mail"),
        ("smtps://localhost", ", login = { user = \"hub\" }", "", "`password`"),
        ("https://ostrel.example", "", "", "`https:` addresses are not known here"),
    ] {
        told(&hub, server, login, lines);
        let said = hub.run(&["check"]).ends(2).stdout;
        assert!(said.contains(fault), "{lines}: {said}");
    }
    told(&hub, "smtps://localhost", "", "");
    hub.alter("diaporos.toml", "[\"nia@ostrel.example\"", "[\"nobody\"");
    let said = hub.run(&["check"]).ends(2).stdout;
    assert!(said.contains("no address of mail"), "{said}");
}
