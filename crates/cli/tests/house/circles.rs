//! Imports run one way.

use std::collections::{BTreeMap, BTreeSet};

use crate::FLOORS;
use crate::imports::imports;
use crate::tree::{ModulePath, source_files, workspace};

/// What one room takes from another beside it: the files, and the names.
type Taken = BTreeMap<(String, String), BTreeSet<String>>;

/// Of the rooms side by side in a folder, files or folders, none takes something from one that takes
/// from it, by however many others. A folder's own file ties its rooms together and is none of them.
#[test]
fn imports_go_in_no_circle() {
    let files = source_files();
    let found = imports(&files);
    assert!(found.len() > 500, "{} imports were found", found.len());
    let mut folders: BTreeMap<ModulePath, Taken> = BTreeMap::new();
    for ((from, to), names) in &found {
        let (one, other) = (&files[*from].module, &files[*to].module);
        let shared = one.iter().zip(other).take_while(|(one, other)| one == other).count();
        if let (Some(room), Some(beside)) = (one.get(shared), other.get(shared)) {
            let names = names.iter().map(|name| format!("{} -> {}: {name}", files[*from].path, files[*to].path));
            let taken = folders.entry(one[..shared].to_vec()).or_default();
            taken.entry((room.clone(), beside.clone())).or_default().extend(names);
        }
    }
    let mut told = String::new();
    for (folder, taken) in &folders {
        for circle in circles(taken) {
            told += &format!(
                "\nin {}, a circle of {}:\n",
                folder.join("/"),
                Vec::from_iter(&circle).iter().map(|room| room.as_str()).collect::<Vec<_>>().join(", ")
            );
            for ((from, to), names) in taken {
                if circle.contains(from) && circle.contains(to) {
                    told += &names.iter().map(|name| format!("  {name}\n")).collect::<String>();
                }
            }
        }
    }
    assert!(told.is_empty(), "{told}");
}

/// Groups of rooms that all reach each other.
fn circles(taken: &Taken) -> BTreeSet<BTreeSet<String>> {
    let reached = |start: &str| {
        let (mut seen, mut open) = (BTreeSet::new(), vec![start.to_owned()]);
        while let Some(room) = open.pop() {
            for (_, to) in taken.keys().filter(|(from, _)| *from == room) {
                if seen.insert(to.clone()) {
                    open.push(to.clone());
                }
            }
        }
        seen
    };
    let rooms: BTreeSet<&String> = taken.keys().map(|(from, _)| from).collect();
    let reached: BTreeMap<&String, BTreeSet<String>> = rooms.iter().map(|room| (*room, reached(room))).collect();
    let in_circle = reached.iter().filter(|(room, seen)| seen.contains(**room));
    in_circle
        .map(|(room, seen)| {
            seen.iter().filter(|other| reached.get(other).is_some_and(|back| back.contains(*room))).cloned().collect()
        })
        .collect()
}

/// A crate depends on those below it alone.
#[test]
fn crates_import_downwards() {
    for (krate, below) in FLOORS {
        let text = std::fs::read_to_string(workspace().join("crates").join(krate).join("Cargo.toml")).unwrap();
        let manifest: toml::Table = text.parse().unwrap();
        let named =
            manifest["dependencies"].as_table().unwrap().keys().filter_map(|name| name.strip_prefix("diaporos-"));
        let above: Vec<&str> = named.filter(|name| !below.contains(name)).collect();
        assert!(above.is_empty(), "{krate} imports {above:?}");
    }
}
