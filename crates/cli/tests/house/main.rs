//! The plan of the house: which way imports run.

#![expect(clippy::unwrap_used, reason = "a test ends where something is not as it should be")]

mod circles;
mod imports;
mod tree;

/// Crates, from the ground up: each imports from those before it alone.
const FLOORS: [(&str, &[&str]); 6] = [
    ("core", &[]),
    ("demo", &[]),
    ("systems", &["core"]),
    ("store", &["core"]),
    ("hub", &["core", "systems", "store"]),
    ("cli", &["core", "systems", "store", "hub", "demo"]),
];
