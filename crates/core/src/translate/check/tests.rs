use super::*;
use crate::translate::{Form, Protected, TextStructure};

const GLOSSARY: &str =
    "term,language,say,avoid\nroyal fern,fr,osmonde royale,fougère royale\nbed,fr,massif|parterre,\n";

/// The defects of a translation, as words and messages.
fn defects(source: &str, target: &str, into: &str, limit: Option<usize>) -> String {
    let protected =
        Protected::new(crate::translate::Keep { names: &["Fernhollow".to_owned()], ..Default::default() }).unwrap();
    let shape = TextStructure::of(Form::Html, source, &protected);
    let block = &shape.blocks()[0];
    let terms = Terms::new(terms_from_csv(GLOSSARY).unwrap()).unwrap();
    let checker = Checker {
        from: &"en".parse().unwrap(),
        into: &into.parse().unwrap(),
        terms: &terms,
        policies: &BTreeMap::new(),
    };
    let found = checker.check(&block.source, &block.tags, limit, &Inline::from_coded(target));
    found.iter().map(|defect| format!("{}: {}", defect.check.word(), defect.message)).collect::<Vec<_>>().join("; ")
}

#[test]
fn sound_translations_pass() {
    for (source, target, into) in [
        ("A <b>tall</b> fern", "Une <1>grande</1> fougère", "fr"),
        ("A <b>tall</b><br>fern", "<2/>Une fougère <1>grande</1>", "fr"),
        ("Open 12:30, 1,200.5 m", "Ouvert à 12 h 30, 1 200,5 m", "fr"),
        ("10,000 ferns", "10\u{202f}000 fougères", "fr"),
        ("Royal fern bed", "Massif d'osmonde royale", "fr"),
        ("Orchid", "Orchid", "fr"),
        ("The royal fern beds", "Les massifs d'osmondes royales", "fr"),
        ("A colourful garden", "A colourful garden", "en-GB"),
        ("Ferns of {place}", "Папоротники <1/>", "ru"),
        ("The Osmunda regalis fern", "Папоротник Osmunda regalis", "ru"),
        ("Ferns", "シダ", "ja"),
        ("Ferns", "Paprati", "sr-Latn"),
        ("3 ferns", "٣ سراخس", "ar"),
        ("3 ferns", "၃ ပင်", "my"),
        ("12 ferns", "១២ ដើម", "km"),
        ("A fern", "ፈርን", "am"),
        ("A fern", "പന്നൽ", "ml"),
        ("A fern", "Папоротник", "ky"),
        ("A fern", "قىرعىز", "ky-CN"),
        ("A fern", "Абага", "tt"),
        ("A fern", "سەرخەس", "ckb"),
        ("From May 5", "5月5日から", "ja"),
        ("In November", "Vào tháng 11", "vi"),
        ("A fern", "whatever 蕨", "qqq"),
    ] {
        assert_eq!(defects(source, target, into, None), "", "{source} → {target}");
    }
}

#[test]
fn every_check_finds_its_defect() {
    for (source, target, into, expected) in [
        ("A fern", "", "fr", "empty: it is empty"),
        ("A <b>fern</b>", "<1> </1>", "fr", "empty: it is empty"),
        ("A <b>tall</b> fern", "Une grande fougère", "fr", "tags: tag 1 (b) is missing"),
        ("A <b>tall</b> fern", "Une <1>grande fougère", "fr", "tags: tag 1 (b) is not closed"),
        ("A <b>tall</b> fern", "Une </1>grande<1> fougère", "fr", "tags: tag 1 is closed before it is opened"),
        ("A <b>tall</b> fern", "Une <1>grande</1> <1>fougère</1>", "fr", "tags: tag 1 (b) stands there more than once"),
        ("A <b>tall</b> fern", "Une <1/>grande fougère", "fr", "tags: tag 1 (b) has lost what it stands around"),
        (
            "A fern<br>or two",
            "Une <1>fougère</1> ou deux",
            "fr",
            "tags: tag 1 (br) stands around text, which it cannot",
        ),
        ("<b>A</b> <i>fern</i>", "<1>Une <2></1>fougère</2>", "fr", "tags: tags 1 and 2 overlap"),
        ("A fern", "Une <1>fougère</1>", "fr", "tags: tag 1 is not in the source; tags: tag 1 is not in the source"),
        ("Ferns of Fernhollow", "Fougères", "fr", "kept: `Fernhollow` is missing"),
        ("Hello {name}", "Bonjour", "fr", "kept: `{name}` is missing"),
        ("A <b>tall</b> fern", "Une grande<1></1> fougère", "fr", "tags: tag 1 (b) has lost what it stands around"),
        ("A <b>tall</b> fern", "Une grande<1> </1> fougère", "fr", "tags: tag 1 (b) has lost what it stands around"),
        ("Use <code>init</code> now", "Maintenant", "fr", "tags: `init` is missing"),
        ("From 1912", "Depuis 1921", "fr", "numbers: 1912 is missing, and 1921 is not in the source"),
        ("3 of 4 ferns", "4 fougères", "fr", "numbers: 3 is missing"),
        ("Many ferns", "400 fougères", "fr", "numbers: 400 is not in the source"),
        ("A fern", "Une très grande fougère", "fr", "length: it has 23 characters; at most 20 fit"),
        ("A royal garden", "a  royal garden", "fr", "copy: it is the source text again"),
        (
            "The royal fern",
            "La fougère royale",
            "fr",
            "terms: `royal fern` is to be `osmonde royale`; terms: `fougère royale` is not to be said for `royal fern`",
        ),
        ("A bed", "Un lit", "fr", "terms: `bed` is to be `massif` or `parterre`"),
        ("A fern", " Une fougère", "fr", "space: it begins with a space, and the source does not"),
        ("A fern", "Une fougère ", "fr", "space: it ends with a space, and the source does not"),
        ("A fern", "Une <b>fougère&lt;/b>", "fr", "plain: `<b>` stands in it as text, and will be seen so"),
        ("A fern", "Une foug&amp;egrave;re", "fr", "plain: `&egrave;` stands in it as text, and will be seen so"),
        ("A fern", "Paporotnik", "ru", "script: it is not in Cyrillic letters"),
        ("A fern", "Папоротник", "fr", "script: it is not in Latin letters"),
        ("A fern", "የባህር fern plant", "am", "script: it is not in Ethiopic letters"),
        ("A fern", "A plant 蕨", "zh-Hant", "script: it is not in Chinese letters"),
    ] {
        assert_eq!(defects(source, target, into, Some(20)), expected, "{source} → {target}");
    }
}

#[test]
fn policies_turn_checks_off() {
    let policies = BTreeMap::from([(Check::Numbers, CheckPolicy::Off), (Check::Copy, CheckPolicy::Tell)]);
    let terms = Terms::default();
    let (from, into) = ("en".parse().unwrap(), "fr".parse().unwrap());
    let checker = Checker { from: &from, into: &into, terms: &terms, policies: &policies };
    let text = Inline::text("From 1912 on");
    assert_eq!(checker.check(&text, &[], None, &Inline::text("Depuis 1921")), []);
    assert_eq!(checker.check(&text, &[], None, &text)[0].check, Check::Copy);
    assert_eq!(checker.policy(Check::Copy), CheckPolicy::Tell);
}

#[test]
fn glossaries() {
    let en = "en".parse().unwrap();
    let tbx = r#"<?xml version="1.0"?><martif type="TBX-Basic" xml:lang="en"><text><body>
      <termEntry id="c1"><langSet xml:lang="en"><tig><term>royal fern</term></tig></langSet>
        <langSet xml:lang="fr"><tig><term>osmonde royale</term><termNote type="administrativeStatus">preferredTerm-admn-sts</termNote></tig>
        <tig><term>foug&#232;re royale</term><termNote type="administrativeStatus">deprecatedTerm-admn-sts</termNote></tig></langSet></termEntry>
      </body></text></martif>"#;
    let expected = TermRow {
        term: "royal fern".into(),
        language: "fr".parse().unwrap(),
        say: vec!["osmonde royale".into()],
        avoid: vec!["fougère royale".into()],
    };
    assert_eq!(terms_from_tbx(tbx, &en).unwrap(), std::slice::from_ref(&expected));
    let newer = tbx.replace("termEntry", "conceptEntry").replace("langSet", "langSec").replace("tig>", "termSec>");
    assert_eq!(terms_from_tbx(&newer, &en).unwrap(), std::slice::from_ref(&expected));
    assert_eq!(terms_from_csv(GLOSSARY).unwrap()[0], expected);
    assert!(terms_from_tbx("<martif><a></martif>", &en).unwrap_err().contains("at byte"));
    assert!(terms_from_tbx("<termEntry><term>&secret;", &en).unwrap_err().contains("`&secret;` is not read"));
    assert_eq!(terms_from_tbx("<tbx><conceptEntry>", &en).unwrap_err(), "it ends in the middle");
    for (csv, expected) in [
        ("word,lang\n", "a glossary has the headings `term,language,say,avoid`"),
        ("term,language,say\nfern,fr,\n", "line 2: a row needs a term, and what to say or to avoid"),
        ("term,language,say\nfern,french language,x\n", "line 2: `french language` is not a BCP 47 language tag"),
    ] {
        assert_eq!(terms_from_csv(csv).unwrap_err(), expected);
    }
}

#[test]
fn glossaries_by_region_and_in_the_style_of_elements() {
    let tbx = r#"<tbx type="TBX-Basic" style="dct" xml:lang="en" xmlns="urn:iso:std:iso:30042:ed-2" xmlns:min="http://www.tbxinfo.net/ns/min"><text><body>
      <conceptEntry id="c1"><langSec xml:lang="en-GB"><termSec><term>royal fern</term></termSec></langSec>
        <langSec xml:lang="fr"><termSec><term>osmonde royale</term><min:administrativeStatus>preferredTerm-admn-sts</min:administrativeStatus></termSec>
        <termSec><term>fougère royale</term><min:administrativeStatus>deprecatedTerm-admn-sts</min:administrativeStatus></termSec></langSec></conceptEntry>
      </body></text></tbx>"#;
    let rows = terms_from_tbx(tbx, &"en".parse().unwrap()).unwrap();
    assert_eq!(
        (rows[0].say.as_slice(), rows[0].avoid.as_slice()),
        (&["osmonde royale".to_owned()][..], &["fougère royale".to_owned()][..])
    );
    let terms = Terms::new(rows).unwrap();
    let found = |into: &str, target: &str| terms.check(&into.parse().unwrap(), "The royal fern", target);
    assert_eq!(found("fr", "L'osmonde royale"), [""; 0]);
    assert_eq!(found("fr-CA", "La fougère"), ["`royal fern` is to be `osmonde royale` (the glossary says so for fr)"]);
    assert_eq!(found("cy", "Rhedyn"), [""; 0]);
    // A row of the language's own comes before that of any region.
    let own = TermRow {
        term: "royal fern".into(),
        language: "fr-CA".parse().unwrap(),
        say: vec!["fougère".into()],
        avoid: vec![],
    };
    let terms = Terms::new(terms.rows().into_iter().chain([own]).collect()).unwrap();
    assert_eq!(terms.check(&"fr-CA".parse().unwrap(), "The royal fern", "La fougère"), [""; 0]);
}
