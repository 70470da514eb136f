//! The same tests on hubs whose store is on a server, by this program of tests once more: the same commands, the same
//! answers.

use std::process::Command;

use crate::harness::is_on_a_server;

/// Tests of delivery, translation, serving and slates. Those that kill again and again are made once.
const SAME: &[&str] = &[
    "batch::",
    "batch_returns::",
    "chosen::",
    "drift::",
    "hooks::",
    "lanes::",
    "launches::",
    "pull::",
    "push::",
    "serve::",
    "slates::",
    "tell::",
    "undo::",
];

#[test]
fn everything_is_the_same() {
    if is_on_a_server() || diaporos_peers::new_database().is_none() {
        return;
    }
    let mut again = Command::new(std::env::current_exe().unwrap());
    again.args(SAME).args(["--quiet", "--skip", "killed"]).env("DIAPOROS_TEST_ON_A_SERVER", "1");
    let ran = again.output().unwrap();
    let told = String::from_utf8_lossy(&ran.stdout);
    assert!(ran.status.success(), "{told}{}", String::from_utf8_lossy(&ran.stderr));
    assert!(told.contains("0 ignored") && told.contains(" passed"), "{told}");
}
