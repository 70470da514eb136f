//! The feeds that the crates of other readers ship, read by ours and held against what those readers
//! make of them.

use std::io::Read;
use std::path::{Path, PathBuf};
use std::process::Command;

use diaporos_core::intake::Incoming;
use diaporos_core::text::plain;
use diaporos_core::value::Value;
use jiff::Timestamp;
use serde_json::Value as Json;
use url::Url;

use super::document::Document;
use super::encoding::Coding;
use super::source::TextSource;
use super::{FeedSource, ItemChoice, read_whole};
use crate::DocumentPlace;

/// Where cargo keeps a crate that tests depend on.
fn folder_of(name: &str) -> PathBuf {
    // Only of this machine's platform is everything there.
    let compiler = Command::new("rustc").arg("-vV").output().unwrap();
    let compiler = String::from_utf8(compiler.stdout).unwrap();
    let host = compiler.lines().find_map(|line| line.strip_prefix("host: ")).unwrap();
    let told = Command::new(env!("CARGO"))
        .args(["metadata", "--format-version", "1", "--offline", "--filter-platform", host])
        .current_dir(env!("CARGO_MANIFEST_DIR"))
        .output()
        .unwrap();
    let told: Json = serde_json::from_slice(&told.stdout).unwrap();
    let packages = told["packages"].as_array().unwrap();
    let package = packages.iter().find(|package| package["name"] == name).unwrap();
    Path::new(package["manifest_path"].as_str().unwrap()).parent().unwrap().to_owned()
}

fn feeds_of(folder: &Path) -> Vec<PathBuf> {
    let files = walkdir::WalkDir::new(folder).sort_by_file_name().into_iter().flatten();
    let files = files.map(walkdir::DirEntry::into_path);
    files
        .filter(|path| {
            path.extension().is_some_and(|end| end == "xml" || end == "json") && !path.ends_with(".serde.json")
        })
        .collect()
}

fn read(path: &Path) -> Result<Vec<Incoming>, String> {
    let source =
        FeedSource { name: "f".to_owned(), place: DocumentPlace::File(path.to_owned()), wanted: ItemChoice::default() };
    let body = std::fs::read(path).unwrap();
    let read = read_whole(&source, None, Timestamp::UNIX_EPOCH, (&body, None)).map_err(|error| error.to_string())?;
    Ok(read.entries)
}

fn text<'a>(entry: &'a Incoming, field: &str) -> Option<&'a str> {
    entry.fields.get(field).and_then(Value::as_text)
}

fn one_line(text: &str) -> String {
    text.split_whitespace().collect::<Vec<_>>().join(" ")
}

/// Where we read otherwise, and why.
const EXCEPTIONS: &[(&str, &str, &str)] = &[
    ("atom_relative.xml", "link", "relative links are made absolute"),
    ("rss_1.0_example_1.xml", "link", "relative links are made absolute"),
    ("rss_1.0_example_1.xml", "published", "it has the date"),
    ("rss_2.0_nbcny.xml", "published", "it has the date"),
    ("rss_2.0_spec_1.xml", "link", "a guid that is a permalink is the link"),
    ("rss2_with_atom.xml", "link", "a guid that is a permalink is the link"),
    ("rss2sample.xml", "link", "a guid that is a permalink is the link"),
    ("rss1.xml", "guid", "what an item is about is its identifier"),
    ("syndication.xml", "guid", "what an item is about is its identifier"),
    ("dublincore.xml", "title", "Dublin Core has it"),
    ("dublincore.xml", "published", "Dublin Core has it"),
    ("dublincore_altprefix.xml", "title", "Dublin Core has it"),
    ("dublincore_altprefix.xml", "published", "Dublin Core has it"),
];

fn is_excepted(file: &str, what: &str) -> bool {
    EXCEPTIONS.iter().any(|(name, field, _)| *name == file && *field == what)
}

/// An address in the one form that addresses have.
fn address(text: &str) -> String {
    Url::parse(text).map_or_else(|_| text.to_owned(), |url| url.to_string())
}

fn moment(text: &str) -> String {
    super::dates::read(text).map_or_else(|| text.to_owned(), |moment| moment.at.to_string())
}

#[derive(Default)]
struct Differences(Vec<String>);

impl Differences {
    fn hold(&mut self, file: &str, what: &str, ours: Option<String>, theirs: Option<String>) {
        if ours != theirs && !is_excepted(file, what) {
            self.0.push(format!("{file} {what}: {ours:?}, theirs {theirs:?}"));
        }
    }
}

#[test]
fn feeds_of_feed_rs_are_read_as_it_reads_them() {
    let (mut differences, mut held) = (Differences::default(), 0);
    for path in feeds_of(&folder_of("feed-rs").join("fixture")) {
        let name = path.file_name().unwrap().to_string_lossy().into_owned();
        let Ok(theirs) = std::fs::read_to_string(path.with_extension("serde.json")) else { continue };
        let theirs: Json = serde_json::from_str(&theirs).unwrap();
        let theirs = theirs["entries"].as_array().unwrap();
        let ours = read(&path).unwrap_or_else(|error| panic!("{name}: {error}"));
        assert_eq!(ours.len(), theirs.len(), "{name}");
        for (ours, theirs) in ours.iter().zip(theirs) {
            held += 1;
            let title = theirs["title"]["content"].as_str().map(|title| one_line(&plain(title).unwrap()));
            differences.hold(
                &name,
                "title",
                text(ours, "title").map(one_line),
                title.filter(|title| !title.is_empty()),
            );
            let links = theirs["links"].as_array().unwrap();
            let link = links.iter().find(|link| link["rel"].is_null() || link["rel"] == "alternate");
            let link = link.map(|link| address(link["href"].as_str().unwrap()));
            differences.hold(&name, "link", text(ours, "link").map(address), link);
            for field in ["published", "updated"] {
                let theirs_of = |field: &str| theirs[field].as_str().map(moment);
                // Without a date of its own, it takes that of the first showing for the last change.
                let own = theirs_of(field).filter(|_| {
                    field == "published"
                        || text(ours, "updated").is_some()
                        || theirs_of("published") != theirs_of("updated")
                });
                differences.hold(&name, field, text(ours, field).map(moment), own);
            }
            let id = theirs["id"].as_str().unwrap().trim();
            // An item without an id gets one of its own making from either.
            let is_made = id.len() >= 30 && id.chars().all(|c| c.is_ascii_hexdigit() || c == '-');
            if !is_made {
                let own = ours.id.as_str().trim_start_matches("f/").to_owned();
                differences.hold(&name, "id", Some(own), Some(id.to_owned()));
            }
        }
    }
    assert!(differences.0.is_empty() && held > 80, "{held} held\n{}", differences.0.join("\n"));
}

#[test]
fn feeds_of_rss_are_read_as_it_reads_them() {
    let (mut differences, mut held) = (Differences::default(), 0);
    for path in feeds_of(&folder_of("rss").join("tests/data")) {
        let name = path.file_name().unwrap().to_string_lossy().into_owned();
        let Ok(theirs) = rss::Channel::read_from(&*std::fs::read(&path).unwrap()) else { continue };
        let ours = read(&path).unwrap_or_else(|error| panic!("{name}: {error}"));
        // One that is there twice word for word is one entry, and one that holds nothing is none.
        let mut items: Vec<&rss::Item> = Vec::new();
        for item in theirs.items() {
            if *item != rss::Item::default() && !items.contains(&item) {
                items.push(item);
            }
        }
        assert_eq!(ours.len(), items.len(), "{name}");
        for (ours, theirs) in ours.iter().zip(items) {
            held += 1;
            let line =
                |text: Option<&str>| text.map(|text| one_line(&plain(text).unwrap())).filter(|text| !text.is_empty());
            differences.hold(&name, "title", text(ours, "title").map(one_line), line(theirs.title()));
            differences.hold(
                &name,
                "guid",
                text(ours, "guid").map(str::to_owned),
                theirs.guid().map(|guid| guid.value().trim().to_owned()),
            );
            differences.hold(
                &name,
                "link",
                text(ours, "link").map(address),
                theirs.link().map(|link| address(link.trim())),
            );
            differences.hold(&name, "published", text(ours, "published").map(moment), theirs.pub_date().map(moment));
        }
    }
    assert!(differences.0.is_empty() && held > 10, "{held} held\n{}", differences.0.join("\n"));
}

#[test]
fn feeds_of_atom_syndication_are_read_as_it_reads_them() {
    let (mut differences, mut held) = (Differences::default(), 0);
    for path in feeds_of(&folder_of("atom_syndication").join("tests/data")) {
        let name = path.file_name().unwrap().to_string_lossy().into_owned();
        let Ok(theirs) = atom_syndication::Feed::read_from(&*std::fs::read(&path).unwrap()) else { continue };
        let ours = read(&path).unwrap_or_else(|error| panic!("{name}: {error}"));
        assert_eq!(ours.len(), theirs.entries().len(), "{name}");
        for (ours, theirs) in ours.iter().zip(theirs.entries()) {
            held += 1;
            let title = one_line(&plain(theirs.title()).unwrap());
            differences.hold(
                &name,
                "title",
                text(ours, "title").map(one_line),
                Some(title).filter(|title| !title.is_empty()),
            );
            let link = theirs.links().iter().find(|link| link.rel() == "alternate");
            differences.hold(&name, "link", text(ours, "link").map(address), link.map(|link| address(link.href())));
            differences.hold(
                &name,
                "guid",
                text(ours, "guid").map(str::to_owned),
                Some(theirs.id().trim().to_owned()).filter(|id| !id.is_empty()),
            );
            differences.hold(
                &name,
                "published",
                text(ours, "published").map(moment),
                theirs.published().map(|date| moment(&date.to_rfc3339())),
            );
        }
    }
    assert!(differences.0.is_empty() && held > 5, "{held} held\n{}", differences.0.join("\n"));
}

/// Every feed that the three ship, with its bytes.
fn corpus() -> Vec<(String, Vec<u8>)> {
    let folders = [
        folder_of("feed-rs").join("fixture"),
        folder_of("rss").join("tests/data"),
        folder_of("atom_syndication").join("tests/data"),
    ];
    let files = folders.iter().flat_map(|folder| feeds_of(folder));
    files.map(|path| (path.file_name().unwrap().to_string_lossy().into_owned(), std::fs::read(path).unwrap())).collect()
}

fn ids(body: &[u8]) -> Vec<String> {
    let source =
        FeedSource { name: "f".to_owned(), place: DocumentPlace::File("x".into()), wanted: ItemChoice::default() };
    let read = read_whole(&source, None, Timestamp::UNIX_EPOCH, (body, None));
    read.map(|read| read.entries.iter().map(|entry| entry.id.to_string()).collect()).unwrap_or_default()
}

#[test]
fn a_feed_that_is_cut_off_gives_only_what_was_whole() {
    for (name, body) in corpus() {
        let whole = ids(&body);
        for cut in (0..body.len().min(2_000)).step_by(3) {
            let invented: Vec<String> = ids(&body[..cut]).into_iter().filter(|id| !whole.contains(id)).collect();
            assert!(invented.is_empty(), "{name} cut at {cut}: {invented:?}");
        }
    }
}

#[test]
fn a_byte_that_is_wrong_costs_one_item_at_most() {
    let mut random = fastrand::Rng::with_seed(7);
    let mut wrong = Vec::new();
    for (name, body) in corpus() {
        let whole = ids(&body);
        if whole.len() < 2 {
            continue;
        }
        for _ in 0..100 {
            let mut flipped = body.clone();
            let at = random.usize(body.len() / 10..body.len());
            flipped[at] = *random.choice(b"<>&\"'/ax ]-!=;").unwrap();
            let now = ids(&flipped);
            let lost = whole.iter().filter(|id| !now.contains(id)).count();
            let invented = now.iter().filter(|id| !whole.contains(id)).count();
            if lost > 1 || invented > 1 {
                let from =
                    String::from_utf8_lossy(&body[at.saturating_sub(30)..(at + 20).min(body.len())]).into_owned();
                wrong.push(format!(
                    "{name} at {at}: {lost} lost, {invented} invented: {from:?} -> {:?}",
                    flipped[at] as char
                ));
            }
        }
    }
    assert!(wrong.is_empty(), "{}\n{}", wrong.len(), wrong.join("\n"));
}

/// A reader that gives a few bytes at a time.
struct Drip(std::io::Cursor<Vec<u8>>, usize);

impl Read for Drip {
    fn read(&mut self, into: &mut [u8]) -> std::io::Result<usize> {
        let most = into.len().min(self.1);
        self.0.read(&mut into[..most])
    }
}

#[test]
fn a_feed_is_the_same_in_whatever_pieces_it_comes() {
    let items = |body: &[u8], piece: usize, most: usize| -> Option<(Vec<String>, Vec<crate::Problem>)> {
        let from = Drip(std::io::Cursor::new(body.to_vec()), piece);
        let mut document = Document::open(TextSource::new(Coding::Utf8, Box::new(from)), None).ok()?;
        let (mut raws, mut problems) = (Vec::new(), Vec::new());
        while !document.ended() {
            let batch = document.batch(most);
            raws.extend(batch.items.into_iter().map(|(_, raw)| raw));
            problems.extend(batch.problems);
        }
        Some((raws, problems))
    };
    for (name, mut body) in corpus() {
        body.truncate(20_000);
        let whole = items(&body, usize::MAX, usize::MAX);
        for (piece, most) in [(1, 3), (7, 1), (100, 2), (4_096, 500)] {
            assert!(items(&body, piece, most) == whole, "{name} in pieces of {piece}, {most} items at a time");
        }
    }
}
