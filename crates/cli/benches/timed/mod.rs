//! The program's time and memory.

use std::fs;
use std::path::Path;
use std::process::{Command, Stdio};
use std::time::{Duration, Instant};

/// How long a command takes, and the most memory it had, in bytes.
pub(crate) fn timed(hub: &Path, arguments: &[&str]) -> (Duration, u64) {
    let start = Instant::now();
    let mut command = Command::new(env!("CARGO_BIN_EXE_diaporos"));
    let mut child = command.args(arguments).current_dir(hub).stdout(Stdio::null()).spawn().unwrap();
    let (status, mut most) = (format!("/proc/{}/status", child.id()), 0);
    loop {
        if let Ok(text) = fs::read_to_string(&status)
            && let Some(line) = text.lines().find(|line| line.starts_with("VmHWM:"))
        {
            let kilobytes: u64 = line.split_whitespace().nth(1).unwrap().parse().unwrap();
            most = most.max(kilobytes * 1024);
        }
        if let Some(ended) = child.try_wait().unwrap() {
            assert!(ended.success());
            return (start.elapsed(), most);
        }
        std::thread::sleep(Duration::from_millis(2));
    }
}
