//! Real servers and packages that we did not write, started and ended by the tests that ask them. `.ci/run` installs
//! them.

use std::io::{BufRead, BufReader, Write};
use std::path::{Path, PathBuf};
use std::process::{Child, Command, Stdio};

use serde_json::Value as Json;

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

/// What a package answers to cases, a line each; none where it is not installed.
pub(crate) fn answers(program: &str, script: &str, cases: &[Json]) -> Option<Vec<String>> {
    let (python, node) = (folder().join("venv/bin/python"), folder().join("node_modules/standardwebhooks"));
    if !python.is_file() || !node.is_dir() {
        skipped("the packages of tests/peers are not installed: `.ci/run` does it");
        return None;
    }
    let program = if program == "python" { python.into_os_string() } else { program.into() };
    let mut command = Command::new(program);
    let command = command.arg(script).current_dir(folder()).stdin(Stdio::piped()).stdout(Stdio::piped());
    let mut child = command.spawn().unwrap();
    let mut input = child.stdin.take().unwrap();
    for case in cases {
        writeln!(input, "{case}").unwrap();
    }
    drop(input);
    let output = child.wait_with_output().unwrap();
    Some(String::from_utf8(output.stdout).unwrap().lines().map(str::to_owned).collect())
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
