//! Units written and read back as XLIFF 2.1, against a bare quick-xml loop that writes and reads the
//! same file, in the same run: `cargo bench --bench units`. Only the ratios mean anything.
//! `UNITS=1000000` for another number.

#![expect(clippy::unwrap_used, clippy::print_stdout, reason = "a benchmark stops where anything fails")]

use std::fs::{self, File};
use std::io::{BufReader, BufWriter, Write};
use std::path::Path;
use std::time::{Duration, Instant};

use diaporos_core::translate::{
    Form, Heading, Incoming, Outgoing, Protected, Purpose, TextStructure, Unit, UnitContext, UnitFormat, UnitId,
    UnitPlace, read_units, write_units,
};
use quick_xml::events::{BytesDecl, BytesEnd, BytesStart, BytesText, Event};
use quick_xml::{Reader, Writer};

/// As the program has it; for both sides.
#[global_allocator]
static ALLOCATOR: mimalloc::MiMalloc = mimalloc::MiMalloc;

/// How often each is timed; the fastest counts.
const ROUNDS: usize = 5;

fn main() {
    let units: u32 = std::env::var("UNITS").ok().and_then(|text| text.parse().ok()).unwrap_or(100_000);
    let folder = tempfile::tempdir().unwrap();
    let (ours, floor) = (folder.path().join("ours.xlf"), folder.path().join("floor.xlf"));
    let sample = sample();
    let before = memory();
    let (mut written, mut read) = ([Duration::MAX; 2], [Duration::MAX; 2]);
    for _ in 0..ROUNDS {
        written[0] = written[0].min(timed(|| write_floor(&floor, &sample, units)));
        written[1] = written[1].min(timed(|| write_ours(&ours, &sample, units)));
    }
    let size = fs::metadata(&ours).unwrap().len();
    assert_eq!(size, fs::metadata(&floor).unwrap().len(), "both write the same");
    for _ in 0..ROUNDS {
        read[0] = read[0].min(timed(|| assert_eq!(read_floor(&ours), units)));
        read[1] = read[1].min(timed(|| assert_eq!(read_ours(&ours), units)));
    }
    println!("{units} units, {:.1} MB", size as f64 / 1e6);
    for (what, times) in [("written", written), ("read", read)] {
        let rate = |time: Duration| f64::from(units) / time.as_secs_f64() / 1e3;
        let ratio = times[1].as_secs_f64() / times[0].as_secs_f64();
        println!(
            "{what:<8} {ratio:>5.2} of the floor's time; {:.0} k/s, the floor {:.0} k/s",
            rate(times[1]),
            rate(times[0])
        );
    }
    println!("memory   {:.1} MiB more at its peak than before", (memory() - before) as f64 / f64::from(1 << 20));
}

fn timed(work: impl FnOnce()) -> Duration {
    let start = Instant::now();
    work();
    start.elapsed()
}

/// The most memory that this process has had, in bytes.
fn memory() -> u64 {
    let text = fs::read_to_string("/proc/self/status").unwrap_or_default();
    let line = text.lines().find(|line| line.starts_with("VmHWM:")).unwrap_or_default();
    line.split_whitespace().nth(1).and_then(|text| text.parse::<u64>().ok()).unwrap_or(0) * 1024
}

const TEXTS: [&str; 4] = [
    "<p>The <b>royal fern</b> of Fernhollow &amp; Tarnside, 3 m tall.</p>",
    "<p>Undivided fronds, glossy as wet leather, on the shaded wall below the old mill.</p>",
    "<p>Wardens count its <em>312 plants</em><br>each <a href=\"/spring?a=1&amp;b=2\">spring</a>.</p>",
    "<p>White plumes in June tell {name} where not to tread.</p>",
];

fn sample() -> Vec<Unit> {
    let protected = Protected::new(diaporos_core::translate::Keep {
        names: &["Fernhollow".to_owned(), "Tarnside".to_owned()],
        ..Default::default()
    })
    .unwrap();
    let of = |(text, number): (&str, u32)| {
        let shape = TextStructure::of(Form::Html, text, &protected);
        let block = &shape.blocks()[0];
        let place = place(number);
        Unit {
            id: UnitId::of(&place),
            name: place.to_string(),
            source: block.source.clone(),
            tags: block.tags.clone(),
            context: UnitContext {
                entry: place.address.to_string(),
                title: Some("Royal Fern".to_owned()),
                within: "description, p".to_owned(),
                before: Some("What stands before it".to_owned()),
                notes: vec!["For visitors of all ages.".to_owned()],
                ..UnitContext::default()
            },
        }
    };
    TEXTS.into_iter().zip(0..).map(of).collect()
}

fn place(number: u32) -> UnitPlace {
    let address = format!("catalogue/plant-profile/made-up-{:06}", number / 4).parse().unwrap();
    UnitPlace { address, field: "description".to_owned(), block: number % 4 + 1 }
}

/// The units one after the other, four of an entry.
fn each(sample: &[Unit], units: u32, mut write: impl FnMut(&Unit)) {
    for number in 0..units {
        let place = place(number);
        let mut unit = sample[(number % 4) as usize].clone();
        unit.id = UnitId::of(&place);
        unit.name = place.to_string();
        unit.context.entry = place.address.to_string();
        write(&unit);
    }
}

fn write_ours(file: &Path, sample: &[Unit], units: u32) {
    let heading = Heading {
        batch: "plants-1".to_owned(),
        from: "en".parse().unwrap(),
        into: "fr".parse().unwrap(),
        purpose: Purpose::Work,
    };
    let to = BufWriter::with_capacity(1 << 16, File::create(file).unwrap());
    let mut writer = write_units(UnitFormat::Xliff2, &heading, to).unwrap();
    each(sample, units, |unit| {
        let target = unit.source.clone();
        writer.unit(Outgoing { unit, target: Some(&target), complaints: &[] }).unwrap();
    });
    writer.end().unwrap();
}

fn read_ours(file: &Path) -> u32 {
    let mut from = BufReader::with_capacity(1 << 16, File::open(file).unwrap());
    let mut units = 0;
    read_units(&mut from, &mut |incoming| {
        if let Incoming::Unit(returned) = incoming {
            units += u32::from(returned.id.is_some() && returned.target.is_some());
        }
        Ok(())
    })
    .unwrap();
    units
}

/// The same file, event by event, as a program would write it that knows no other.
fn write_floor(file: &Path, sample: &[Unit], units: u32) {
    let mut to = Writer::new(BufWriter::with_capacity(1 << 16, File::create(file).unwrap()));
    let raw = |text: &str| text.to_owned();
    let line = |to: &mut Writer<BufWriter<File>>, depth: usize| {
        to.get_mut().write_all(&b"\n                "[..=depth * 2]).unwrap();
    };
    let start = |to: &mut Writer<BufWriter<File>>, name: &str, attributes: &[(&str, &str)]| {
        to.write_event(Event::Start(BytesStart::new(name).with_attributes(attributes.iter().copied()))).unwrap();
    };
    let empty = |to: &mut Writer<BufWriter<File>>, name: &str, attributes: &[(&str, &str)]| {
        to.write_event(Event::Empty(BytesStart::new(name).with_attributes(attributes.iter().copied()))).unwrap();
    };
    let end = |to: &mut Writer<BufWriter<File>>, name: &str| to.write_event(Event::End(BytesEnd::new(name))).unwrap();
    let text = |to: &mut Writer<BufWriter<File>>, text: &str| {
        to.write_event(Event::Text(BytesText::from_escaped(quick_xml::escape::partial_escape(text)))).unwrap();
    };
    let element = |to: &mut Writer<BufWriter<File>>, depth, name: &str, attributes: &[(&str, &str)], content: &str| {
        line(to, depth);
        start(to, name, attributes);
        text(to, content);
        end(to, name);
    };
    to.write_event(Event::Decl(BytesDecl::new("1.0", Some("UTF-8"), None))).unwrap();
    line(&mut to, 0);
    start(
        &mut to,
        "xliff",
        &[
            ("xmlns", "urn:oasis:names:tc:xliff:document:2.0"),
            ("xmlns:mtc", "urn:oasis:names:tc:xliff:matches:2.0"),
            ("xmlns:slr", "urn:oasis:names:tc:xliff:sizerestriction:2.0"),
            ("version", "2.1"),
            ("srcLang", "en"),
            ("trgLang", "fr"),
        ],
    );
    let (mut number, mut files) = (0_u32, 0_u32);
    each(sample, units, |unit| {
        let target = unit.source.clone();
        if number.is_multiple_of(4) {
            if number > 0 {
                line(&mut to, 1);
                end(&mut to, "file");
            }
            files += 1;
            line(&mut to, 1);
            let id = format!("plants-1.{files}");
            start(&mut to, "file", &[("id", &id), ("original", &unit.context.entry), ("xml:space", "preserve")]);
            line(&mut to, 2);
            empty(&mut to, "slr:profiles", &[("generalProfile", "xliff:codepoints")]);
            line(&mut to, 2);
            start(&mut to, "notes", &[]);
            element(&mut to, 3, "note", &[("category", "batch")], "plants-1");
            element(&mut to, 3, "note", &[("category", "title")], "Royal Fern");
            line(&mut to, 2);
            end(&mut to, "notes");
        }
        number += 1;
        line(&mut to, 2);
        start(&mut to, "unit", &[("id", unit.id.as_str()), ("name", &unit.name)]);
        line(&mut to, 3);
        start(&mut to, "notes", &[]);
        element(&mut to, 4, "note", &[("category", "instruction"), ("priority", "1")], &unit.context.notes[0]);
        element(&mut to, 4, "note", &[("category", "place"), ("priority", "5")], &unit.context.within);
        element(
            &mut to,
            4,
            "note",
            &[("category", "before"), ("priority", "8")],
            unit.context.before.as_deref().unwrap(),
        );
        line(&mut to, 3);
        end(&mut to, "notes");
        if !unit.tags.is_empty() {
            line(&mut to, 3);
            start(&mut to, "originalData", &[]);
            for (tag, number) in unit.tags.iter().zip(1..) {
                element(&mut to, 4, "data", &[("id", &format!("d{number}"))], &tag.original);
                if !tag.original_end.is_empty() {
                    element(&mut to, 4, "data", &[("id", &format!("d{number}e"))], &tag.original_end);
                }
            }
            line(&mut to, 3);
            end(&mut to, "originalData");
        }
        line(&mut to, 3);
        start(&mut to, "segment", &[("id", "s1"), ("state", "translated")]);
        for (name, content) in [("source", &unit.source), ("target", &target)] {
            line(&mut to, 4);
            start(&mut to, name, &[]);
            for piece in content.pieces() {
                use diaporos_core::translate::Piece;
                let (number, alone) = match piece {
                    Piece::Text(content) => {
                        text(&mut to, content);
                        continue;
                    }
                    Piece::Close(_) => {
                        end(&mut to, "pc");
                        continue;
                    }
                    Piece::Open(number) => (*number, false),
                    Piece::Alone(number) => (*number, true),
                };
                let tag = &unit.tags[number as usize - 1];
                let (kind, sub) = match tag.name.as_str() {
                    "b" => ("fmt", Some("xlf:b")),
                    "em" => ("fmt", Some("xlf:i")),
                    "br" => ("fmt", Some("xlf:lb")),
                    "a" => ("link", None),
                    _ => ("other", None),
                };
                let (id, data, data_end) = (raw(&number.to_string()), format!("d{number}"), format!("d{number}e"));
                let mut attributes = vec![("id", id.as_str()), ("canCopy", "no"), ("canDelete", "no"), ("type", kind)];
                attributes.extend(sub.map(|sub| ("subType", sub)));
                if let Some(shown) = &tag.shown {
                    attributes.extend([("equiv", shown.as_str()), ("disp", shown.as_str())]);
                }
                if alone {
                    attributes.push(("dataRef", &data));
                    empty(&mut to, "ph", &attributes);
                } else {
                    attributes.extend([("dataRefStart", data.as_str()), ("dataRefEnd", data_end.as_str())]);
                    start(&mut to, "pc", &attributes);
                }
            }
            end(&mut to, name);
        }
        line(&mut to, 3);
        end(&mut to, "segment");
        line(&mut to, 2);
        end(&mut to, "unit");
    });
    line(&mut to, 1);
    end(&mut to, "file");
    line(&mut to, 0);
    end(&mut to, "xliff");
    to.get_mut().write_all(b"\n").unwrap();
    to.get_mut().flush().unwrap();
}

/// Every event, keeping ids and the text of sources and targets.
fn read_floor(file: &Path) -> u32 {
    let mut reader = Reader::from_reader(BufReader::with_capacity(1 << 16, File::open(file).unwrap()));
    let (mut buffer, mut units) = (Vec::new(), 0);
    let (mut id, mut source, mut target) = (String::new(), String::new(), String::new());
    let mut within = 0_u8;
    loop {
        buffer.clear();
        match reader.read_event_into(&mut buffer).unwrap() {
            Event::Start(tag) => match tag.local_name().as_ref() {
                "unit" => {
                    let found = tag.attributes().flatten().find(|attribute| attribute.key.as_ref() == "id").unwrap();
                    found.value.as_ref().clone_into(&mut id);
                    source.clear();
                    target.clear();
                }
                "source" => within = 1,
                "target" => within = 2,
                _ => {}
            },
            Event::End(tag) => match tag.local_name().as_ref() {
                "unit" => units += u32::from(!id.is_empty() && !target.is_empty()),
                "source" | "target" => within = 0,
                _ => {}
            },
            Event::Text(text) => match within {
                1 => source.push_str(&text),
                2 => target.push_str(&text),
                _ => {}
            },
            Event::GeneralRef(reference) if within > 0 => {
                let name: &str = &reference;
                let text = quick_xml::escape::resolve_xml_entity(name).unwrap_or_default();
                if within == 1 { source.push_str(text) } else { target.push_str(text) }
            }
            Event::Eof => return units,
            _ => {}
        }
    }
}
