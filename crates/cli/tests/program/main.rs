//! The built program, driven as a user drives it, against the stand-ins. One test program, so that
//! it is linked once.

#![expect(
    clippy::unwrap_used,
    clippy::panic,
    clippy::print_stderr,
    reason = "a test ends where something is not as it should be"
)]

mod agencies;
mod amended;
mod answers;
mod archive;
mod arranged;
mod ask;
mod backup;
mod batch;
mod batch_returns;
mod batch_sources;
mod batch_states;
mod bodies;
mod bombs;
mod certificates;
mod check;
mod chosen;
mod contract;
mod demo;
mod docs;
mod drift;
mod faults;
mod feeds;
mod files;
mod formats;
mod graphql;
mod graphql_server;
mod graphql_writes;
mod harness;
mod help;
mod hooks;
mod hostile;
mod hostile_returns;
mod hundred;
mod killed;
mod lanes;
mod launches;
mod looking;
mod machine;
mod mail;
mod mailbox;
mod mapping;
mod markdown;
mod measured;
mod messages;
mod near;
mod on_a_server;
mod outputs;
mod pages;
mod peers;
mod pictures;
mod probe;
mod pull;
mod push;
mod readers;
mod recipes;
mod report;
mod serve;
mod servers;
mod services;
mod settings;
mod shared;
mod slates;
mod sql;
mod sql_writes;
mod tell;
mod texts;
mod tidy;
mod timed;
mod undo;
mod webhooks;
mod websub;
mod whims;
mod whole;
mod words;

/// A file that no `mod` line names would never be compiled, and its tests never run.
#[test]
fn no_file_is_forgotten() {
    let listed = include_str!("main.rs");
    let folder = std::path::Path::new(env!("CARGO_MANIFEST_DIR")).join("tests/program");
    for file in std::fs::read_dir(folder).unwrap() {
        let name = file.unwrap().file_name().into_string().unwrap();
        let module = name.trim_end_matches(".rs");
        assert!(module == "main" || module == "snapshots" || listed.contains(&format!("mod {module};")), "{name}");
    }
}
