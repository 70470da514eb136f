use super::*;
use crate::translate::inline::tests::any_inline;
use crate::translate::{AcceptFrom, Difference, NearMatch, Piece, Tag, TagKind, UnitContext, UnitId, UnitPlace};
use proptest::prelude::*;

fn heading() -> Heading {
    Heading {
        batch: "plants-1".into(),
        from: "en".parse().unwrap(),
        into: "fr".parse().unwrap(),
        purpose: Purpose::Work,
    }
}

fn unit(block: u32, source: &str) -> Unit {
    let place =
        UnitPlace { address: "catalogue/plant-profile/p-001".parse().unwrap(), field: "description".into(), block };
    let tag = |kind, name: &str, shown: Option<&str>, start: &str, end: &str| Tag {
        kind,
        name: name.into(),
        shown: shown.map(str::to_owned),
        original: start.into(),
        original_end: end.into(),
    };
    Unit {
        id: UnitId::of(&place),
        name: place.to_string(),
        source: Inline::from_coded(source),
        tags: vec![
            tag(TagKind::Pair, "a", None, "<a href=\"/x?a&amp;b\">", "</a>"),
            tag(TagKind::Alone, "br", None, "<br>", ""),
            tag(TagKind::Alone, "keep", Some("{name}"), "{name}", ""),
        ],
        context: UnitContext {
            entry: place.address.to_string(),
            title: Some("Royal \"fern\" & co".into()),
            within: "p".into(),
            before: Some("What stands before".into()),
            after: None,
            cases: Vec::new(),
            limit: Some(60),
            notes: vec!["No article.\nAnd <short>.".into()],
            earlier: Some((Inline::from_coded("An <1>old</1> text"), Inline::from_coded("Un <1>vieux</1> texte"))),
            near: vec![NearMatch {
                source: Inline::from_coded("A <1>regal</1> fern"),
                target: Inline::from_coded("Une fougère <1>royale</1>"),
                percent: 84,
                differs: vec![Difference::Words],
                origin: "plants-0".into(),
            }],
            references: vec![("Page".into(), "https://ostrel.example/ferns?a&b".into())],
            machine: None,
        },
    }
}

fn written(format: UnitFormat, heading: &Heading, units: &[(Unit, Option<Inline>, Vec<String>)]) -> String {
    let mut bytes = Vec::new();
    let mut writer = write_units(format, heading, &mut bytes).unwrap();
    for (unit, target, complaints) in units {
        writer.unit(Outgoing { unit, target: target.as_ref(), complaints }).unwrap();
    }
    writer.end().unwrap();
    String::from_utf8(bytes).unwrap()
}

fn read(text: &str) -> (Vec<Told>, Vec<Returned>, Result<UnitFormat, String>) {
    let (mut told, mut units) = (Vec::new(), Vec::new());
    let done = read_units(&mut text.as_bytes(), &mut |incoming| {
        match incoming {
            Incoming::Heading(heading) => told.push(heading),
            Incoming::Unit(unit) => units.push(unit),
        }
        Ok(())
    });
    (told, units, done.map_err(|error| error.to_string()))
}

const FORMATS: [UnitFormat; 4] = [UnitFormat::Xliff2, UnitFormat::Xliff1, UnitFormat::Po, UnitFormat::Sheet];

#[test]
fn what_is_written() {
    let units = [
        (unit(1, "A <1>royal &amp; tall</1> fern<2/>of <3/>, 5 &lt; 6"), None, vec![]),
        (unit(2, "Second"), Some(Inline::text("Deuxième")), vec!["`Second` is to be `Seconde`".to_owned()]),
    ];
    let drawn = FORMATS.map(|format| format!("{}\n{}", format.word(), written(format, &heading(), &units)));
    insta::assert_snapshot!(drawn.join("\n\n"));
}

#[test]
fn every_format_says_what_it_is_about() {
    let heading = Heading { purpose: Purpose::Pseudo, ..heading() };
    for format in FORMATS {
        let (told, units, done) = read(&written(format, &heading, &[(unit(1, "A fern"), None, vec![])]));
        assert_eq!(done.unwrap(), format);
        assert_eq!(told[0].into.as_deref(), Some("fr"), "{}", format.word());
        // PO has what is nearest there, marked as not decided about.
        let is_offered = format == UnitFormat::Po && units[0].stage.is_some();
        assert!(units[0].target.is_none() || is_offered, "nobody has come to it");
        if format != UnitFormat::Sheet {
            assert_eq!((told[0].batch.as_deref(), told[0].pseudo), (Some("plants-1"), true), "{}", format.word());
            assert_eq!(units[0].id.as_deref(), Some(unit(1, "").id.as_str()));
        }
    }
}

#[test]
fn what_tools_do_to_xliff_is_borne() {
    let id = unit(1, "").id;
    let two = |body: &str| {
        format!(
            "\u{feff}<?xml version=\"1.0\"?>\r\n<!-- tool --><x:xliff xmlns:x=\"urn:oasis:names:tc:xliff:document:2.0\" xmlns:t=\"urn:t\" version=\"2.0\" srcLang=\"en\" trgLang=\"fr-FR\"><x:file id=\"renamed\"><x:notes><x:note category=\"batch\"> plants-1 </x:note></x:notes><x:group id=\"g\"><x:unit id=\"{id}\" t:rank=\"1\"><t:thing><x:source>no</x:source></t:thing>{body}</x:unit></x:group></x:file></x:xliff>"
        )
    };
    let one = |body: &str| {
        format!(
            "<xliff version=\"1.2\" xmlns=\"urn:oasis:names:tc:xliff:document:1.2\"><file original=\"\" source-language=\"en\" target-language=\"fr\" datatype=\"html\" product-name=\"plants-1\"><body><group><trans-unit id=\"{id}\" approved=\"yes\">{body}</trans-unit></group></body></file></xliff>"
        )
    };
    for (text, expected) in [
        // Cut into segments, with an ignorable between them.
        (
            two(
                "<x:segment state=\"final\"><x:source>A.</x:source><x:target>Un.</x:target></x:segment><x:ignorable><x:source> </x:source></x:ignorable><x:segment><x:source>B</x:source><x:target>Deux</x:target></x:segment>",
            ),
            Some("Un. Deux"),
        ),
        // One of them is not done.
        (
            two(
                "<x:segment><x:source>A.</x:source><x:target>Un.</x:target></x:segment><x:segment><x:source>B</x:source></x:segment>",
            ),
            None,
        ),
        // Marks, codes by number, spanning codes.
        (
            two(
                "<x:segment><x:source>A</x:source><x:target><x:mrk id=\"m1\" type=\"term\">Un</x:mrk><x:cp hex=\"0041\"/> <x:sc id=\"1\"/>b<x:ec startRef=\"1\"/><x:ph id=\"9\" copyOf=\"2\"/><x:pc id=\"x\">c</x:pc></x:target></x:segment>",
            ),
            Some("UnA <1>b</1><2/><0>c</0>"),
        ),
        (
            two(
                "<x:segment><x:source>A. </x:source><x:target order=\"3\">Un.</x:target></x:segment><x:ignorable><x:source> </x:source></x:ignorable><x:segment><x:source>B.</x:source><x:target order=\"1\">Deux.</x:target></x:segment>",
            ),
            Some("Deux. Un."),
        ),
        (two("<x:segment state=\"initial\"><x:source>A</x:source><x:target/></x:segment>"), None),
        (two("<x:segment state=\"translated\"><x:source>A</x:source><x:target/></x:segment>"), Some("")),
        (
            one(
                "<source>A</source><seg-source><mrk mtype=\"seg\" mid=\"0\">A</mrk></seg-source><target state=\"signed-off\"><mrk mtype=\"seg\" mid=\"0\">Une &#233;pine</mrk> <g id=\"1\">b</g><x id=\"2\"/></target><alt-trans><target>no</target></alt-trans>",
            ),
            Some("Une épine <1>b</1><2/>"),
        ),
        (one("<source>A</source><target state=\"new\"></target>"), None),
        (
            one(
                "<source>A</source><target><bpt id=\"7\" rid=\"1\">&lt;b></bpt>b<ept id=\"8\" rid=\"1\">&lt;/b></ept><ph id=\"2\">&lt;br></ph></target>",
            ),
            Some("<1>b</1><2/>"),
        ),
        (one("<source>A</source><target>line one\r\nline two</target>"), Some("line one\nline two")),
    ] {
        let (told, units, done) = read(&text);
        done.unwrap();
        assert_eq!(told[0].batch.as_deref(), Some("plants-1"));
        assert_eq!(units[0].id.as_deref(), Some(id.as_str()));
        assert_eq!(units[0].target.as_ref().map(Inline::coded).as_deref(), expected, "{text}");
    }
}

#[test]
fn bad_files_are_named() {
    let whole =
        written(UnitFormat::Xliff2, &heading(), &[(unit(1, "A fern"), None, vec![]), (unit(2, "B"), None, vec![])]);
    let bomb = "<?xml version=\"1.0\"?><!DOCTYPE x [<!ENTITY a \"b\"><!ENTITY c \"&a;&a;\">]>";
    let deep = format!("<xliff version=\"2.0\"><file id=\"f\">{}", "<group>".repeat(100));
    for (text, expected) in [
        (whole.replace("</unit>\n  </file>", ""), "ill-formed document: expected `</unit>`, but `</xliff>` was found"),
        (whole[..whole.len() - 40].to_owned(), "it ends in the middle, after"),
        (whole[..whole.len() / 2].to_owned(), "it ends in the middle, after"),
        (whole.replace("<?xml version=\"1.0\" encoding=\"UTF-8\"?>", bomb), "it declares entities, which are not read"),
        (
            format!("<!DOCTYPE xliff SYSTEM \"file:///etc/passwd\">{}", &whole[39..]),
            "it declares entities, which are not read",
        ),
        (whole.replace("A fern", "&secret;"), "the entity `&secret;` is not read, at byte"),
        (whole.replace("version=\"2.1\"", "version=\"3.0\""), "XLIFF 3.0 is not read; 1.2 and 2.0 to 2.2 are"),
        ("<html><body>Please sign in</body></html>".to_owned(), "this is no XLIFF, PO or CSV of units"),
        (String::new(), "this is no XLIFF, PO or CSV of units"),
        ("%PDF-1.7".to_owned(), "this is no XLIFF, PO or CSV of units"),
        ("<xliff".to_owned(), "it ends in the middle, after 0 whole units"),
        (deep, "it has more than 64 elements within each other"),
        (
            "msgid \"\"\nmsgstr \"\"\nmsgid \"a\nmsgstr \"b\"".to_owned(),
            "a text is not closed, or has an escape that is not read, at byte",
        ),
        ("# c\nhello".to_owned(), "this is no line of a PO file, at byte"),
    ] {
        let (_, _, done) = read(&text);
        let error = done.unwrap_err();
        assert!(error.starts_with(expected), "{error}\n  expected {expected}\n{text}");
    }
    let (_, units, _) = read(&whole[..whole.find("<unit id=\"").unwrap() + whole.len() / 3]);
    assert!(units.len() <= 2, "only whole units are handed over");
}

#[test]
fn memories() {
    let pair = MemoryPair {
        from: "en".parse().unwrap(),
        into: "cy".parse().unwrap(),
        source: Inline::from_coded("A <1>tall &amp; <2/></1> fern"),
        target: Inline::from_coded("<1><2/></1> rhedyn"),
        cases: Vec::new(),
        place: Some("catalogue/plant-profile/p-001#description.1".into()),
    };
    let mut bytes = Vec::new();
    let mut writer = TmxWriter::begin(&mut bytes, None).unwrap();
    writer.pair(&pair).unwrap();
    writer.end().unwrap();
    let pairs = |text: &str| {
        let mut pairs = Vec::new();
        let done = read_tmx(&mut text.as_bytes(), &mut |pair| {
            pairs.push(pair);
            Ok(())
        });
        done.map(|()| pairs).map_err(|error| error.to_string())
    };
    let text = String::from_utf8(bytes).unwrap();
    assert_eq!(pairs(&text).unwrap(), [pair], "{text}");
    let foreign = r#"<!DOCTYPE tmx SYSTEM "tmx14.dtd"><tmx version="1.4"><header srclang="en-GB"/><body><tu><note>x</note>
        <tuv xml:lang="fr"><seg>Une <bpt i="5">&lt;b></bpt>fougère<ept i="5">&lt;/b></ept><ph x="9"/></seg></tuv>
        <tuv xml:lang="en-GB"><seg>A <bpt i="5">&lt;b></bpt>fern<ept i="5">&lt;/b></ept><ph x="9">z</ph></seg></tuv>
        <tuv xml:lang="cy"><seg> </seg></tuv></tu></body></tmx>"#;
    let read = pairs(foreign).unwrap();
    assert_eq!(read.len(), 1, "an empty translation is none");
    assert_eq!(
        (read[0].source.coded(), read[0].target.coded()),
        ("A <1>fern</1><2/>".into(), "Une <1>fougère</1><2/>".into())
    );
    assert_eq!(pairs("<xliff/>").unwrap_err(), "this is no XLIFF, PO or CSV of units");
    assert_eq!(pairs("<tmx><body><tu>").unwrap_err(), "it ends in the middle, after 0 whole units");
}

/// Texts whose tags open and close in order, as only such can be elements.
fn nested() -> impl Strategy<Value = Inline> {
    any_inline().prop_map(|inline| {
        let mut open = Vec::new();
        let mut sound = Inline::default();
        for piece in inline.pieces() {
            match piece {
                Piece::Open(number) => {
                    open.push(*number);
                    sound.push(piece.clone());
                }
                Piece::Close(_) => sound.push(open.pop().map_or(Piece::Alone(9), Piece::Close)),
                other => sound.push(other.clone()),
            }
        }
        while let Some(number) = open.pop() {
            sound.push(Piece::Close(number));
        }
        sound
    })
}

proptest! {
    #[test]
    fn what_is_written_reads_back(source in nested(), target in nested()) {
        // Between tags alone a PO cannot tell nothing from not done.
        prop_assume!(!source.pieces().is_empty() && !target.pieces().is_empty());
        let given = Unit { source: source.clone(), ..unit(1, "") };
        for format in FORMATS {
            let (_, units, done) = read(&written(format, &heading(), &[(given.clone(), Some(target.clone()), vec![])]));
            done.unwrap();
            prop_assert_eq!(units[0].source.as_ref(), Some(&source), "{}", format.word());
            prop_assert_eq!(units[0].target.as_ref(), Some(&target), "{}", format.word());
        }
    }

    #[test]
    fn no_file_makes_the_reader_fail_otherwise(text in "(<|>|/|unit|xliff version=\"2.0\"|target|source| id=\"1\"|&amp;|&x;|a|\"|msgid|msgstr|\n|en,fr|\\\\|<!\\[CDATA\\[|\\]\\]>){0,30}") {
        let _ = read(&text);
        let _ = read_tmx(&mut text.as_bytes(), &mut |_| Ok(()));
    }
}

/// The forms of one text into Polish, each as a unit.
fn forms() -> Vec<Unit> {
    [("one", "<1/> fern"), ("few", "<1/> ferns"), ("many", "<1/> ferns"), ("other", "<1/> ferns")]
        .into_iter()
        .zip(1..)
        .map(|((form, source), block)| {
            let case = crate::translate::Case::Plural {
                argument: "n".into(),
                counting: crate::translate::Counting::Cardinal,
                form: form.parse().unwrap(),
            };
            let mut unit = unit(block, source);
            unit.context.cases = vec![case];
            unit
        })
        .collect()
}

#[test]
fn plural_forms_are_one_message_of_po() {
    let polish = Heading { into: "pl".parse().unwrap(), ..heading() };
    let said = ["<1/> paproć", "<1/> paprocie", "<1/> paproci", "<1/> paproci"];
    let units: Vec<_> = forms()
        .into_iter()
        .zip(said)
        .chain([(unit(9, "Second"), "Drugi")])
        .map(|(unit, target)| (unit, Some(Inline::from_coded(target)), vec![]))
        .collect();
    let text = written(UnitFormat::Po, &polish, &units);
    // What goes with fractions alone has no place among them.
    assert!(text.contains("msgstr[2] \"<1/> paproci\"") && !text.contains("msgstr[3]"), "{text}");
    assert!(text.contains("#. case: where the number n is 2, 3, 4, 22, 23 … (few)"), "{text}");
    let back = |text: &str| -> Vec<(String, Option<String>, Option<String>)> {
        let (_, units, done) = read(text);
        done.unwrap();
        let of = |unit: Returned| (unit.id.unwrap_or_default(), unit.target.map(|target| target.coded()), unit.fault);
        units.into_iter().map(of).collect()
    };
    let expected: Vec<_> =
        units.iter().map(|(unit, target, _)| (unit.id.to_string(), target.as_ref().map(Inline::coded), None)).collect();
    let sorted = |mut units: Vec<(String, Option<String>, Option<String>)>| {
        units.sort();
        units
    };
    assert_eq!(sorted(back(&text)), sorted(expected.clone()));
    // A tool writes the heading anew, in its own order.
    let line = text.lines().find(|line| line.contains("Plural-Forms")).unwrap();
    let own =
        r#""Plural-Forms: nplurals=3; plural=(n%10>=2 && n%10<=4 && (n%100<10 || n%100>=20) ? 0 : n==1 ? 1 : 2);\n""#;
    let turned = text.replace(line, own);
    let turned = turned.replace("msgstr[0] \"<1/> paproć\"", "msgstr[9]").replace("msgstr[1]", "msgstr[0]");
    let turned = turned.replace("msgstr[9]", "msgstr[1] \"<1/> paproć\"");
    assert_eq!(sorted(back(&turned)), sorted(expected));
    for wrong in ["nplurals=2; plural=n!=1;", "nplurals=3; plural=n%3;", "nplurals=x; plural=;"] {
        let read = back(&text.replace(line, &format!("\"Plural-Forms: {wrong}\\n\"")));
        assert_eq!(read.iter().filter(|(_, _, fault)| fault.is_some()).count(), 3, "{wrong}: {read:?}");
    }
    // A language that the source's two forms do not do for goes form by form.
    let mut own = forms();
    own[2].source = Inline::from_coded("very many <1/> ferns");
    let own: Vec<_> = own.into_iter().map(|unit| (unit, None, vec![])).collect();
    assert!(!written(UnitFormat::Po, &polish, &own).contains("msgid_plural"));
}

#[test]
fn states_are_heard_in_every_format() {
    let units = [(unit(1, "One"), Some(Inline::text("Un")), vec![])];
    for (format, old, new, expected) in [
        (UnitFormat::Xliff2, "state=\"translated\"", "state=\"final\"", Some("final")),
        (UnitFormat::Xliff2, " state=\"translated\"", "", None),
        (UnitFormat::Xliff2, "state=\"translated\"", "state=\"translated\" subState=\"x:mt\"", Some("x:mt")),
        (UnitFormat::Xliff1, "state=\"translated\"", "state=\"needs-l10n\"", Some("needs-l10n")),
        (UnitFormat::Xliff1, "state=\"translated\"", "state-qualifier=\"fuzzy-match\"", Some("fuzzy-match")),
        (UnitFormat::Po, "msgctxt", "#, fuzzy\nmsgctxt", Some("fuzzy")),
        (UnitFormat::Po, "msgctxt", "msgctxt", None),
    ] {
        let text = written(format, &heading(), &units);
        assert!(text.contains(old), "{text}");
        let (_, units, done) = read(&text.replacen(old, new, 1));
        done.unwrap();
        assert_eq!(units[0].stage.as_ref().map(|told| told.word.as_str()), expected, "{new}");
        assert_eq!(units[0].target, Some(Inline::text("Un")));
    }
}

#[test]
fn a_sheet_of_what_was_rejected_says_why() {
    let heading = Heading { purpose: Purpose::Mending, ..heading() };
    let units = [(unit(1, "3 ferns"), Some(Inline::text("Fougères")), vec!["3 is missing".to_owned()])];
    let text = written(UnitFormat::Sheet, &heading, &units);
    assert_eq!(text, "en,fr,why\n3 ferns,Fougères,3 is missing\n");
    let (_, units, done) = read(&text);
    done.unwrap();
    assert_eq!((units.len(), units[0].target.clone()), (1, Some(Inline::text("Fougères"))));
}

#[test]
fn what_a_machine_made_goes_out_as_a_suggestion_and_waits_when_it_comes_back() {
    let mut one = unit(1, "A <1>fern</1>");
    one.context.near.clear();
    one.context.machine = Some(Inline::from_coded("Une <1>fougère</1>"));
    for format in FORMATS {
        let text = written(format, &heading(), &[(one.clone(), None, vec![])]);
        let (_, units, done) = read(&text);
        done.unwrap();
        let told = units[0].stage.as_ref();
        match format {
            // A sheet cannot say that it is one.
            UnitFormat::Sheet => assert_eq!(units[0].target, None),
            _ => {
                assert_eq!(units[0].target.as_ref(), one.context.machine.as_ref(), "{}", format.word());
                for accepted in AcceptFrom::WORDS {
                    assert!(accepted.1.keeps_back(told).is_some(), "{} {}: {text}", format.word(), accepted.0);
                }
            }
        }
        // A translation stands before it.
        let text = written(format, &heading(), &[(one.clone(), Some(Inline::text("Mieux <1>dit</1>")), vec![])]);
        assert!(!text.contains("mt-suggestion") && !text.contains("\n#, fuzzy\nmsgctxt"), "{text}");
    }
}
