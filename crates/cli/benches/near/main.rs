//! Near matches from a memory, against looking at every text of it, in the same run: `cargo bench --bench
//! near`. `TEXTS=1000000` for another number.

#![expect(clippy::unwrap_used, clippy::print_stdout, reason = "a benchmark stops where anything fails")]

use std::time::{Duration, Instant};

use diaporos_core::translate::{Inline, NearIndex, nearness_of};

/// As the program has it; for both sides.
#[global_allocator]
static ALLOCATOR: mimalloc::MiMalloc = mimalloc::MiMalloc;

/// Texts that are looked for with the index, and with the look at all.
const LOOKED_FOR: (usize, usize) = (2_000, 100);
/// From so many percent on.
const LEAST: u8 = 70;

fn main() {
    let count: usize = std::env::var("TEXTS").ok().and_then(|text| text.parse().ok()).unwrap_or(100_000);
    let mut sentences = Sentences(11);
    let texts: Vec<Inline> = (0..count).map(|_| Inline::text(&sentences.next())).collect();
    let wanted: Vec<Inline> =
        (0..LOOKED_FOR.0).map(|at| Inline::text(&sentences.changed(&texts[at * 7 % count].plain()))).collect();
    let before = memory();
    let start = Instant::now();
    let mut index = NearIndex::default();
    texts.iter().for_each(|text| index.add(text));
    println!(
        "{count} texts are taken in within {:.2} s, {:.0} MB",
        start.elapsed().as_secs_f64(),
        (memory() - before) as f64 / 1e6
    );
    let mut times: Vec<Duration> = Vec::new();
    let mut best = Vec::new();
    for text in &wanted {
        let start = Instant::now();
        best.push(index.nearest(text, LEAST, 3).first().map(|near| near.percent));
        times.push(start.elapsed());
    }
    times.sort();
    let ms = |at: usize| times[at].as_secs_f64() * 1e3;
    println!(
        "a text is looked for in {:.2} ms (median), {:.2} ms (99 of 100), {:.2} ms at most",
        ms(times.len() / 2),
        ms(times.len() * 99 / 100),
        ms(times.len() - 1)
    );
    let start = Instant::now();
    let (mut there, mut found) = (0, 0);
    for (text, best) in wanted.iter().zip(&best).take(LOOKED_FOR.1) {
        let all = texts.iter().filter_map(|other| nearness_of(text, other, LEAST)).map(|near| near.percent).max();
        there += usize::from(all.is_some());
        found += usize::from(all.is_some() && all == *best);
    }
    let all = start.elapsed().as_secs_f64() * 1e3 / LOOKED_FOR.1 as f64;
    println!(
        "looking at all takes {all:.0} ms: {:.0} times as long; of {there} best matches {found} are found",
        all / ms(times.len() / 2)
    );
}

/// The most memory that this process has had, in bytes.
fn memory() -> u64 {
    let text = std::fs::read_to_string("/proc/self/status").unwrap();
    let line = text.lines().find(|line| line.starts_with("VmHWM:")).unwrap();
    line.split_whitespace().nth(1).unwrap().parse::<u64>().unwrap() * 1024
}

/// Made-up sentences of a catalogue.
struct Sentences(u64);

impl Sentences {
    fn number(&mut self, most: usize) -> usize {
        self.0 = self.0.wrapping_mul(6_364_136_223_846_793_005).wrapping_add(1_442_695_040_888_963_407);
        (self.0 >> 33) as usize % most
    }

    /// A word of a vocabulary in which few words are common and most are rare.
    fn word(&mut self) -> String {
        const PARTS: [&str; 24] = [
            "fern", "moss", "wet", "soil", "leaf", "wall", "gar", "den", "bog", "row", "an", "tall", "of", "the", "in",
            "by", "el", "ost", "ter", "ing", "ed", "ly", "un", "ber",
        ];
        let rank = self.number(100) * self.number(100) * self.number(60) / 100;
        let (mut word, mut rest) = (String::new(), rank + 1);
        while rest > 0 {
            word.push_str(PARTS[rest % PARTS.len()]);
            rest /= PARTS.len();
        }
        word
    }

    fn next(&mut self) -> String {
        let words = 4 + self.number(18);
        let mut sentence: Vec<String> = (0..words).map(|_| self.word()).collect();
        if self.number(4) == 0 {
            sentence.push(self.number(2_000).to_string());
        }
        format!("{}.", sentence.join(" "))
    }

    /// A sentence with a word in six changed, added or left out.
    fn changed(&mut self, sentence: &str) -> String {
        let mut words: Vec<String> = sentence.split(' ').map(str::to_owned).collect();
        for _ in 0..=words.len() / 6 {
            let at = self.number(words.len());
            match self.number(3) {
                0 => words[at] = self.word(),
                1 => words.insert(at, self.word()),
                _ if words.len() > 3 => drop(words.remove(at)),
                _ => {}
            }
        }
        words.join(" ")
    }
}
