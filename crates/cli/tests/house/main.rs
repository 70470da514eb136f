//! The plan of the house: which way imports run, and how large a file, a function and a list of
//! parameters may be.

#![expect(clippy::unwrap_used, clippy::panic, reason = "a test ends where something is not as it should be")]

mod circles;
mod docs;
mod imports;
mod sizes;
mod tree;

/// Crates, from the ground up: each imports from those before it alone.
const FLOORS: [(&str, &[&str]); 7] = [
    ("core", &[]),
    ("demo", &[]),
    ("postgres", &[]),
    ("systems", &["core", "postgres"]),
    ("store", &["core", "postgres"]),
    ("hub", &["core", "systems", "store"]),
    ("cli", &["core", "systems", "store", "hub", "demo"]),
];
