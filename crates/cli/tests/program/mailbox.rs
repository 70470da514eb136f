//! Messages of a mailbox, read from a mail server that others run too (Dovecot), where one is installed.

use std::path::{Path, PathBuf};
use std::process::{Child, Command, Stdio};
use std::time::{Duration, Instant};

use serde_json::Value as Json;
use tempfile::TempDir;

use crate::certificates::{authority, signed};
use crate::harness::{HubFolder, Ran, bare, ran, skipped};

/// A mail server of a test, with one user, `hub`.
struct MailServer {
    folder: TempDir,
    running: Child,
    port: u16,
    secure: u16,
    authority: String,
}

fn free_port() -> u16 {
    std::net::TcpListener::bind("127.0.0.1:0").unwrap().local_addr().unwrap().port()
}

fn said(program: &str, args: &[&str]) -> String {
    String::from_utf8(Command::new(program).args(args).output().unwrap().stdout).unwrap().trim().to_owned()
}

impl MailServer {
    /// A server that answers; none where none is installed.
    fn start() -> Option<MailServer> {
        let program = ["/usr/sbin/dovecot", "/usr/local/sbin/dovecot"].iter().find(|path| Path::new(path).exists())?;
        let folder = TempDir::new().unwrap();
        let at = folder.path().display().to_string();
        let (port, secure) = (free_port(), free_port());
        let is_root = said("id", &["-u"]) == "0";
        // The superuser reads no mail.
        let (user, group) = if is_root {
            ("nobody".to_owned(), "nogroup".to_owned())
        } else {
            (said("id", &["-un"]), said("id", &["-gn"]))
        };
        let own = if is_root {
            String::new()
        } else {
            format!(
                "default_internal_user = {user}\ndefault_internal_group = {group}\ndefault_login_user = {user}\nservice anvil {{\n chroot =\n}}\nservice imap-login {{\n chroot =\n}}\n"
            )
        };
        let authority = authority();
        let (key, certificate) = signed(&authority, "localhost");
        std::fs::write(folder.path().join("cert.pem"), certificate.pem()).unwrap();
        std::fs::write(folder.path().join("key.pem"), key.serialize_pem()).unwrap();
        std::fs::write(folder.path().join("users"), "hub:{PLAIN}s3 cret/+\n").unwrap();
        let config = format!(
            "protocols = imap\nbase_dir = {at}/run\nstate_dir = {at}/state\nlog_path = {at}/log\nlisten = 127.0.0.1\nssl = yes\nssl_cert = <{at}/cert.pem\nssl_key = <{at}/key.pem\ndisable_plaintext_auth = no\nfirst_valid_uid = 1\nmail_location = maildir:{at}/mail\nmaildir_stat_dirs = yes\npassdb {{\n driver = passwd-file\n args = scheme=PLAIN {at}/users\n}}\nuserdb {{\n driver = static\n args = uid={user} gid={group} home={at}/mail\n}}\nservice imap-login {{\n inet_listener imap {{\n  port = {port}\n }}\n inet_listener imaps {{\n  port = {secure}\n  ssl = yes\n }}\n}}\n{own}"
        );
        std::fs::write(folder.path().join("dovecot.conf"), config).unwrap();
        for name in ["new", "cur", "tmp"] {
            std::fs::create_dir_all(folder.path().join("mail").join(name)).unwrap();
        }
        if is_root {
            let mail = folder.path().join("mail");
            assert!(Command::new("chown").args(["-R", "nobody:nogroup"]).arg(mail).status().unwrap().success());
            assert!(Command::new("chmod").arg("755").arg(folder.path()).status().unwrap().success());
        }
        let log = std::fs::File::create(folder.path().join("out")).unwrap();
        let running = Command::new(program)
            .args(["-F", "-c"])
            .arg(folder.path().join("dovecot.conf"))
            .stdin(Stdio::null())
            .stdout(log.try_clone().unwrap())
            .stderr(log)
            .spawn()
            .unwrap();
        let began = Instant::now();
        let answers = |port: u16| std::net::TcpStream::connect(("127.0.0.1", port)).is_ok();
        while !(answers(port) && answers(secure)) {
            let told = || {
                ["out", "log"]
                    .map(|name| std::fs::read_to_string(folder.path().join(name)).unwrap_or_default())
                    .concat()
            };
            assert!(began.elapsed() < Duration::from_secs(20), "the mail server does not answer: {}", told());
            std::thread::sleep(Duration::from_millis(50));
        }
        Some(MailServer { running, port, secure, authority: authority.pem(), folder })
    }

    fn mail(&self) -> PathBuf {
        self.folder.path().join("mail")
    }

    /// A message comes in.
    fn receive(&self, name: &str, text: &str) {
        let beside = self.folder.path().join("mail/tmp").join(name);
        std::fs::write(&beside, text.replace('\n', "\r\n")).unwrap();
        if said("id", &["-u"]) == "0" {
            assert!(Command::new("chown").arg("nobody:nogroup").arg(&beside).status().unwrap().success());
        }
        std::fs::rename(&beside, self.mail().join("new").join(name)).unwrap();
    }

    /// The files of the inbox, with the flags that their names tell.
    fn inbox(&self) -> Vec<String> {
        let names = |part: &str| -> Vec<String> {
            let read = std::fs::read_dir(self.mail().join(part)).unwrap();
            read.map(|file| file.unwrap().file_name().into_string().unwrap()).collect()
        };
        let mut all = [names("new"), names("cur")].concat();
        all.sort_unstable();
        all
    }
}

impl Drop for MailServer {
    fn drop(&mut self) {
        let _ = Command::new("kill").arg(self.running.id().to_string()).status();
        let _ = self.running.wait();
    }
}

fn message(number: u32, from: &str, text: &str) -> String {
    format!(
        "From: Mair <{from}>\nTo: desk@ostrel.example\nSubject: Note {number}\nDate: Fri, 1 May 2026 09:0{number}:00 +0000\nMessage-ID: <same@ostrel.example>\nMIME-Version: 1.0\nContent-Type: multipart/mixed; boundary=x\n\n--x\nContent-Type: text/plain; charset=utf-8\n\n{text}\n--x\nContent-Type: image/png; name=dot.png\nContent-Transfer-Encoding: base64\n\niVBORw0KGgoAAAANSUhEUgAAAAEAAAABCAYAAAAfFcSJAAAADUlEQVR42mNk+M9QDwADhgGAWjR9awAAAABJRU5ErkJggg==\n--x--\n"
    )
}

const WALL: &str = "[types.note.fields]\nslug = \"text\"\ntitle = \"text\"\nbody = \"text\"\n[types.note.write]\nplace = \"{key}.json\"\n";

/// A hub that takes notes of a mailbox to a folder.
fn hub(server: &MailServer, more: &str) -> HubFolder {
    let config = format!(
        "[systems.desk]\nkind = \"mail\"\nserver = \"imap://127.0.0.1:{}\"\nfolders = {{ note = \"INBOX\" }}\nread = {{ user = \"hub\", password = \"env:SECRET\" }}\n{more}\n[systems.wall]\nkind = \"files\"\nfolder = \"wall\"\nprofile = \"wall.toml\"\n[lanes.wall]\nfrom = \"desk/note\"\nto = \"wall/note\"\nmatch = \"slug\"\ngone = \"keep\"\n[lanes.wall.fields]\nslug = 'subject | slug'\ntitle = 'subject'\nbody = 'text | trim'\n",
        server.port
    );
    let hub = HubFolder::new(&[("diaporos.toml", &config), ("wall.toml", WALL)]);
    hub.write("wall/.keep", "");
    hub
}

fn run(hub: &HubFolder, args: &[&str], secret: &str) -> Ran {
    ran(bare(args).current_dir(hub.path()).env("SECRET", secret).output().unwrap())
}

fn json(hub: &HubFolder, args: &[&str]) -> Json {
    let args: Vec<&str> = args.iter().copied().chain(["--format", "json"]).collect();
    let told = run(hub, &args, "s3 cret/+");
    serde_json::from_str(&told.stdout).unwrap_or_else(|_| panic!("{}{}", told.stdout, told.stderr))
}

#[test]
fn messages_come_in_once_and_nothing_changes_in_the_mailbox() {
    let Some(server) = MailServer::start() else { return skipped("no mail server (Dovecot) is installed") };
    for number in 1..=3 {
        server.receive(&format!("{number}.eml"), &message(number, "mair@ostrel.example", &format!("Ferns {number}")));
    }
    server.receive("4.eml", "no message at all");
    let hub = hub(&server, "senders = [\"*@ostrel.example\"]");
    server.receive("5.eml", &message(5, "anybody@elsewhere.example", "buy"));
    let pulled = json(&hub, &["pull"]);
    assert_eq!(pulled["new"], 3, "{pulled}");
    assert!(server.inbox().iter().all(|name| !name.contains(",S") && !name.ends_with('S')), "{:?}", server.inbox());
    assert_eq!(json(&hub, &["push"])["created"], 3);
    // Three messages with one identifier are three.
    let note: Json =
        serde_json::from_str(&std::fs::read_to_string(hub.path().join("wall/note-2.json")).unwrap()).unwrap();
    assert_eq!(note["body"], "Ferns 2");
    let again = json(&hub, &["pull"]);
    assert_eq!((&again["new"], &again["changed"], &again["gone"]), (&0.into(), &0.into(), &0.into()), "{again}");
    server.receive("6.eml", &message(6, "mair@ostrel.example", "Ferns 6"));
    assert_eq!(json(&hub, &["pull"])["new"], 1);
    // Numbers that are given anew double nothing: a message is known by what is in it.
    for name in std::fs::read_dir(server.mail()).unwrap().map(|file| file.unwrap().path()) {
        if name.file_name().unwrap().to_string_lossy().starts_with("dovecot") {
            std::fs::remove_file(name).unwrap();
        }
    }
    let anew = json(&hub, &["pull"]);
    assert_eq!((&anew["new"], &anew["changed"]), (&0.into(), &0.into()), "{anew}");
    assert_eq!(json(&hub, &["push"])["created"], 1);
    // What is no longer in the folder stays.
    let first = server.inbox()[0].clone();
    let place = ["new", "cur"].map(|part| server.mail().join(part).join(&first));
    place.iter().filter(|path| path.exists()).for_each(|path| std::fs::remove_file(path).unwrap());
    assert_eq!(json(&hub, &["pull"])["gone"], 0);
    let wrong = run(&hub, &["pull"], "another word").ends(1);
    assert!(wrong.stderr.contains("credential"), "{}", wrong.stderr);
    let told = run(&hub, &["probe"], "s3 cret/+");
    assert!(!format!("{}{}", told.stdout, told.stderr).contains("s3 cret"));
}

#[test]
fn what_was_taken_in_is_marked_by_a_log_in_of_its_own_once_it_is_stored() {
    let Some(server) = MailServer::start() else { return skipped("no mail server (Dovecot) is installed") };
    server.receive("1.eml", &message(1, "mair@ostrel.example", "Ferns"));
    let write = "write = { user = \"hub\", password = \"env:SECRET\" }";
    let hub = hub(&server, &format!("taken = {{ folder = \"Taken\" }}\n{write}"));
    assert!(
        Command::new("mkdir")
            .arg("-p")
            .args(["new", "cur", "tmp"].map(|part| server.mail().join(".Taken").join(part)))
            .status()
            .unwrap()
            .success()
    );
    if said("id", &["-u"]) == "0" {
        assert!(Command::new("chown").args(["-R", "nobody:nogroup"]).arg(server.mail()).status().unwrap().success());
    }
    assert_eq!(json(&hub, &["pull"])["new"], 1);
    assert_eq!(server.inbox().len(), 1, "what is only about to be stored stays where it is");
    json(&hub, &["pull"]);
    assert_eq!(server.inbox().len(), 0);
    let again = json(&hub, &["pull"]);
    assert_eq!((&again["gone"], &again["changed"]), (&0.into(), &0.into()), "{again}");
    // A flag leaves them where they are.
    server.receive("2.eml", &message(2, "mair@ostrel.example", "Moss"));
    hub.alter("taken = { folder = \"Taken\" }", "taken = { flag = \"TakenIn\" }");
    json(&hub, &["pull"]);
    json(&hub, &["pull"]);
    let keywords = std::fs::read_to_string(server.mail().join("dovecot-keywords")).unwrap();
    assert!(keywords.contains("TakenIn"), "{keywords}");
    assert_eq!(server.inbox().len(), 1);
    hub.alter(write, "");
    let checked = run(&hub, &["check"], "s3 cret/+").ends(2);
    assert!(checked.stdout.contains("needs the key `write`"), "{}", checked.stdout);
}

#[test]
fn a_mail_server_is_trusted_by_its_authority_and_hears_no_password_in_clear() {
    let Some(server) = MailServer::start() else { return skipped("no mail server (Dovecot) is installed") };
    server.receive("1.eml", &message(1, "mair@ostrel.example", "Ferns"));
    let hub = hub(&server, "");
    hub.alter(&format!("imap://127.0.0.1:{}", server.port), &format!("imaps://localhost:{}", server.secure));
    let told = run(&hub, &["pull"], "s3 cret/+").ends(1);
    assert!(told.stderr.contains("certificate"), "{}", told.stderr);
    hub.write("ca.pem", &server.authority);
    hub.alter("folders =", "ca_bundle = \"ca.pem\"\nfolders =");
    assert_eq!(json(&hub, &["pull"])["new"], 1);
    hub.alter("note = \"INBOX\"", "note = \"Nowhere\"");
    let told = run(&hub, &["pull"], "s3 cret/+").ends(1);
    assert!(told.stderr.contains("the folder `Nowhere` cannot be opened"), "{}", told.stderr);
}
