//! Made-up entries, the same for every benchmark.

use std::fmt::Write as _;
use std::fs;
use std::io::{BufWriter, Write as _};
use std::path::Path;

pub(crate) const WORDS: &[&str] = &[
    "fern",
    "moss",
    "glasshouse",
    "walk",
    "garden",
    "bloom",
    "light",
    "water",
    "stone",
    "path",
    "summer",
    "winter",
    "autumn",
    "spring",
    "rare",
    "native",
    "collection",
    "visitor",
    "volunteer",
    "curator",
    "seed",
    "frond",
    "spore",
    "lichen",
    "valley",
    "tarn",
    "bog",
    "heath",
    "alpine",
    "terrace",
    "orchard",
    "meadow",
    "pond",
    "daily",
    "closed",
    "guided",
    "tour",
    "family",
    "children",
    "school",
    "botanist",
    "explorer",
    "planted",
    "restored",
    "ancient",
];

/// Entries of about 2 kB with 23 fields; of a later pass only the counter differs.
pub(crate) fn generate(file: &Path, entries: u64, pass: u64) -> u64 {
    let mut random = fastrand::Rng::with_seed(7);
    let mut words = |count: usize| -> String {
        (0..count).map(|_| WORDS[random.usize(..WORDS.len())]).collect::<Vec<_>>().join(" ")
    };
    let mut out = BufWriter::new(fs::File::create(file).unwrap());
    for n in 0..entries {
        let mut text = || {
            (0..3).fold(String::new(), |mut text, _| {
                write!(text, "<p>{} <em>{}</em> {}.</p>", words(12), words(1), words(14)).unwrap();
                text
            })
        };
        let entry = serde_json::json!({
            "id": format!("p-{n:07}"), "revision": n % 9 + 1, "state": "live",
            "description": { "en": text(), "fr": text() },
            "common_name": { "en": words(2), "fr": words(2), "cy": words(2) }, "latin": words(2), "slug": format!("{}-{n}", words(1)),
            "summary": { "en": words(15), "fr": words(15) }, "family": words(1), "habitat": words(1),
            "tags": [words(1), words(1), words(1)], "curator": format!("c-{}", n % 50), "height_cm": n % 900, "rare": n % 7 == 0,
            "rating": (n % 50) as f64 / 10.0, "published": format!("2026-0{}-11T09:30:00Z", n % 9 + 1), "updated": "2026-10-05T10:00:00Z",
            "garden": words(1), "bed": format!("B{}", n % 40), "image": { "url": format!("http://img.example/{n}.jpg"), "alt": words(6) },
            "views": n + pass, "notes": words(10), "schedule": [{ "action": "open", "at": "2026-11-01T10:00:00Z" }],
        });
        serde_json::to_writer(&mut out, &entry).unwrap();
        out.write_all(b"\n").unwrap();
    }
    out.flush().unwrap();
    fs::metadata(file).unwrap().len()
}
