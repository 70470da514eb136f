//! Real servers that we did not write, started and ended by the tests that ask them. `.ci/run` installs
//! them.

use std::io::{BufRead, BufReader};
use std::path::{Path, PathBuf};
use std::process::{Child, Command, Stdio};

use crate::harness::skipped;

/// A server, ended with its test.
pub(crate) struct Peer {
    pub(crate) process: Child,
    pub(crate) url: String,
}

impl Drop for Peer {
    fn drop(&mut self) {
        // It may have ended by itself, which is as good.
        let _ = self.process.kill();
        let _ = self.process.wait();
    }
}

pub(crate) fn folder() -> PathBuf {
    Path::new(env!("CARGO_MANIFEST_DIR")).join("../../tests/peers")
}

/// Starts a server by its script, which prints its port; none where it is not installed.
pub(crate) fn peer(script: &str, args: &[&str]) -> Option<Peer> {
    if !folder().join("node_modules").is_dir() {
        skipped("the servers of tests/peers are not installed: `npm ci --prefix tests/peers`");
        return None;
    }
    let started = Command::new("node").arg(script).args(args).current_dir(folder()).stdout(Stdio::piped()).spawn();
    let Ok(mut process) = started else {
        skipped("no Node.js on this machine");
        return None;
    };
    let mut port = String::new();
    BufReader::new(process.stdout.take().unwrap()).read_line(&mut port).unwrap();
    Some(Peer { process, url: format!("http://127.0.0.1:{}", port.trim()) })
}

/// Starts a Python server by its script, which prints its port; none where it is not installed.
pub(crate) fn python_peer(script: &str, args: &[&str]) -> Option<Peer> {
    let python = folder().join("venv/bin/python");
    if !python.is_file() {
        skipped("the servers of tests/peers are not installed: `.ci/run` does it");
        return None;
    }
    let mut command = Command::new(python);
    command.arg(script).args(args).current_dir(folder());
    let started = command.stdout(Stdio::piped()).stderr(Stdio::null()).spawn();
    let mut process = started.unwrap();
    let mut port = String::new();
    BufReader::new(process.stdout.take().unwrap()).read_line(&mut port).unwrap();
    Some(Peer { process, url: format!("http://127.0.0.1:{}", port.trim()) })
}

/// Asks a server by hand.
pub(crate) fn curl(args: &[&str]) -> String {
    let output = Command::new("curl").args(["-s", "-S"]).args(args).output().unwrap();
    String::from_utf8(output.stdout).unwrap()
}

/// Takes a lock on a WebDAV server as `who` (`user:password`), and answers what the server said.
pub(crate) fn lock(who: &str, owner: &str, address: &str) -> String {
    let info = format!(
        "<lockinfo xmlns='DAV:'><lockscope><exclusive/></lockscope><locktype><write/></locktype><owner>{owner}</owner></lockinfo>"
    );
    let headers = ["-H", "Timeout: Second-600", "-H", "Content-Type: application/xml"];
    curl(&[&["-u", who, "-X", "LOCK"], &headers[..], &["-d", &info, address]].concat())
}
