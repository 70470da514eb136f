use super::*;
use crate::config::{FILE, load};
use diaporos_core::value::LaneName;

fn at(text: &str) -> Timestamp {
    text.parse().unwrap()
}

fn config(lines: &str) -> Config {
    let folder = tempfile::tempdir().unwrap();
    let text = format!(
        "[systems.news]\nkind = \"feed\"\nfeeds = {{ garden = \"https://f.example/feed.xml\" }}\n{lines}\n\
         [systems.site]\nkind = \"rest\"\nurl = \"https://s.example\"\nprofile = \"s.toml\"\n\
         [lanes.pages]\nfrom = \"news/item\"\nto = \"site/page\"\nmatch = \"slug\"\ngone = \"keep\"\nlanguage = \"en\"\n\
         fields = {{ slug = 'entry.id | slug' }}\n"
    );
    let write = "[types.page.write]\nfind = \"GET /p?slug={key}\"\nfound = \"$[*]\"\ncreate = \"POST /p\"\nupdate = \"PUT /p/{id}\"\nread = \"GET /p/{id}\"\nid = \"$.id\"\n";
    for (name, text) in [(FILE, text.as_str()), ("s.toml", write)] {
        std::fs::write(folder.path().join(name), text).unwrap();
    }
    let loaded = load(folder.path(), &|_, _| Vec::new(), Timestamp::UNIX_EPOCH).unwrap();
    loaded.config.unwrap_or_else(|| panic!("{:#?}", loaded.reports))
}

fn work(failures: u32, asks: bool) -> WorkRow {
    let (began, ended) = (at("2026-11-29T09:00:00Z"), at("2026-11-29T09:00:05Z"));
    let problem = (failures > 0).then(|| "it answered 500".to_owned());
    WorkRow { began, ended, problem, well: Some(at("2026-11-28T09:00:00Z")), failures, asks }
}

/// What is out of order at noon, a line each.
fn told(config: &Config, facts: &AlertFacts) -> Vec<String> {
    let found = conditions(config, facts, at("2026-11-29T12:00:00Z"));
    found.into_iter().map(|one| format!("{} {}: {}", one.kind, one.subject, one.message)).collect()
}

fn with_work(what: &str, row: WorkRow) -> AlertFacts {
    AlertFacts { work: [(what.to_owned(), row)].into(), ..AlertFacts::default() }
}

fn quiet_since(text: &str) -> AlertFacts {
    let known = SourceFacts { hours: Hours::new(), last: Some(at(text)) };
    AlertFacts { sources: [(SystemName::new("news").unwrap(), known)].into(), ..AlertFacts::default() }
}

#[test]
fn failures_in_a_row() {
    let config = config("");
    assert_eq!(told(&config, &with_work("system news", work(2, false))), Vec::<String>::new());
    assert_eq!(
        told(&config, &with_work("system news", work(3, false))),
        [
            "pull-fails news: 3 failures in a row, the last that went well was 2026-11-28 09:00 UTC; the last: it answered 500"
        ]
    );
    assert!(told(&config, &with_work("lane pages", work(3, false)))[0].starts_with("push-fails pages: 3 failures"));
    assert_eq!(told(&config, &with_work("lane pages", work(1, true))), ["push-asks pages: it answered 500"]);
    assert_eq!(told(&config, &with_work("lane gone", work(9, true))), Vec::<String>::new(), "no longer configured");
}

#[test]
fn a_silence_of_so_long() {
    let six = config("quiet = \"6h\"");
    assert_eq!(told(&six, &quiet_since("2026-11-29T06:30:00Z")), Vec::<String>::new());
    assert_eq!(told(&six, &quiet_since("2026-11-29T05:30:00Z")), ["quiet news: nothing came in for 6 hours"]);
    assert_eq!(told(&config("quiet = \"never\""), &quiet_since("2026-01-01T00:00:00Z")), Vec::<String>::new());
    assert_eq!(told(&config(""), &quiet_since("2026-01-01T00:00:00Z")), Vec::<String>::new(), "nothing is learned yet");
    assert_eq!(told(&six, &AlertFacts::default()), Vec::<String>::new(), "nothing ever came in");
}

#[test]
fn a_silence_out_of_its_rhythm() {
    let config = config("");
    let mut known = quiet_since("2026-11-29T02:10:00Z");
    let last = diaporos_core::schedule::rhythm::hour_of(at("2026-11-29T02:00:00Z"));
    known.sources.values_mut().for_each(|source| source.hours = (last - 8 * 168..=last).collect());
    assert_eq!(told(&config, &known), ["quiet news: nothing came in for 9 hours, which is out of its rhythm"]);
    known.sources.values_mut().for_each(|source| source.hours = (last - 8 * 168..=last).step_by(168).collect());
    assert_eq!(told(&config, &known), Vec::<String>::new(), "it comes once a week");
}

#[test]
fn what_waits_too_long_and_what_is_nearly_full() {
    let config = config("");
    let since = at("2026-11-27T10:00:00Z");
    let held = vec![LongHeld { lane: LaneName::new("pages").unwrap(), entries: 2, since }];
    let calls = Waiting { events: 7, oldest: Some(at("2026-11-29T11:45:00Z")) };
    let (late, free) = (vec![("plants-3".to_owned(), 12, since)], Some(999_000_000));
    let facts = AlertFacts { held, calls, late, free, fault: Some("line 3".to_owned()), ..AlertFacts::default() };
    assert_eq!(
        told(&config, &facts),
        [
            "held pages: 2 entries are held, the first since 2026-11-27",
            "batch-late plants-3: 12 texts are missing, and were due 2026-11-27",
            "calls-wait hooks: 7 calls wait to be looked at, the oldest for 15 minutes",
            "disk store: 999 MB are free where the store lies",
            "configuration diaporos.toml: the one before goes on: line 3",
        ]
    );
    let patient =
        AlertFacts { calls: Waiting { events: 7, oldest: Some(at("2026-11-29T11:55:00Z")) }, ..AlertFacts::default() };
    assert_eq!(told(&config, &patient), Vec::<String>::new());
    for (word, kind) in AlertKind::WORDS {
        assert_eq!(kind.word(), word);
        assert!(!AlertKind::way_out(word, "news").is_empty());
    }
}
