//! What comes back from translators and their tools, in every way in which it has gone wrong: named, and
//! never taken in silence.

use serde_json::Value as Json;

use crate::batch::text;
use crate::harness::Hub;

/// The source of the unit that everything is done to, and a sound translation of it, as PO has them.
const SOURCE: &str = "The <1>royal</1> fern of <2/>, 3 m tall.";
const SOUND: &str = "Y rhedyn <1>brenhinol</1> o <2/>, 3 m.";

/// A hub with that text out, as PO.
fn out(format: &str) -> (Hub, String) {
    let hub = Hub::pulled();
    hub.alter("diaporos.toml", "due      = \"10d\"\n", "due      = \"10d\"\naccept_from = \"translated\"\n");
    hub.world.plants.edit_text("p-005", "description", "eng", "<p>The <b>royal</b> fern of {name}, 3 m tall.</p>");
    hub.good(&["pull", "catalogue"]);
    hub.good(&["batch", "make", "plants", "--into", "cy", "--where", "entry.id == \"p-005\""]);
    hub.good(&["batch", "send", "plants-1", "--to", "handover", "--as", format]);
    let extension = if format == "po" { "po" } else { "xlf" };
    let file = std::fs::read_to_string(hub.path().join(format!("handover/out/plants-1.cy.{extension}"))).unwrap();
    (hub, file)
}

#[test]
fn a_message_with_ids_without_end_is_one_message() {
    let (hub, file) = out("po");
    let (heading, _) = file.split_once("\n\n").unwrap();
    let ids = "u0123456789abcdef ".repeat(20_000);
    let bomb = format!(
        "{heading}\n\nmsgctxt \"{ids}\"\nmsgid \"a\"\nmsgid_plural \"{}\"\nmsgstr[0] \"b\"\n",
        "x".repeat(100_000)
    );
    let said = told(&hub, &bomb, "bomb.po");
    assert!(said.len() < 100_000 && said.contains("it is not in this batch"), "{} bytes", said.len());
    let (hub, file) = out("xliff-2.1");
    let long = format!("<segment id=\"s1\" state=\"{}\"", "z".repeat(100_000));
    let bent = file.replace("<segment id=\"s1\"", &long).replace("</source>", "</source><target>Rhedyn</target>");
    assert!(told(&hub, &bent, "bent.xlf").len() < 10_000);
}

/// Collects a file, which must not go in silence, and gives what is told of it.
fn told(hub: &Hub, file: &str, name: &str) -> String {
    hub.write(name, file);
    let ran = hub.run(&["batch", "collect", "plants-1", "--again", "--from", name]);
    let is_told = ran.code != Some(0) || ran.stdout.contains("not translated yet");
    assert!(is_told, "exit {:?}: {}", ran.code, ran.stdout);
    assert_eq!(text(hub, "p-005", "description", "cy"), Json::Null, "{}", ran.stdout);
    ran.stdout + &ran.stderr
}

#[test]
fn translations_that_are_none() {
    let (hub, file) = out("po");
    let own = format!("msgid \"{SOURCE}\"\nmsgstr \"\"");
    assert!(file.contains(&own), "{file}");
    for (target, why) in [
        (" ", "it is empty"),
        ("<1></1><2/>", "it is empty"),
        ("…", "tag 1 (b) is missing"),
        ("Y rhedyn brenhinol o <2/>, 3 m.", "tag 1 (b) is missing"),
        ("Y rhedyn <1>brenhinol o <2/>, 3 m.", "tag 1 (b) is not closed"),
        ("Y rhedyn brenhinol</1> o <2/>, 3 m.", "tag 1 is closed before it is opened"),
        ("Y rhedyn </1>brenhinol<1> o <2/>, 3 m.", "tag 1 is closed before it is opened"),
        ("Y rhedyn <1>brenhinol</1> <1>iawn</1> o <2/>, 3 m.", "tag 1 (b) stands there more than once"),
        ("Y rhedyn <1/>brenhinol o <2/>, 3 m.", "tag 1 (b) has lost what it stands around"),
        ("Y rhedyn brenhinol<1></1> o <2/>, 3 m.", "tag 1 (b) has lost what it stands around"),
        ("Y rhedyn <1>brenhinol</1> o, 3 m.", "`{name}` is missing"),
        ("Y rhedyn <1>brenhinol</1> o {enw}, 3 m.", "`{name}` is missing"),
        ("Y rhedyn <1>brenhinol</1> o <2>x</2>, 3 m.", "stands around text, which it cannot"),
        ("Y rhedyn <1>brenhinol</1> o <2/> a <2/>, 3 m.", "`{name}` stands there more than once"),
        ("Y rhedyn <1>brenhinol</1> o <2/> <3/>, 3 m.", "tag 3 is not in the source"),
        ("Y rhedyn <1>brenhinol</1> o <2/>, 33 m.", "3 is missing, and 33 is not in the source"),
        ("Y rhedyn <1>brenhinol</1> o <2/>.", "3 is missing"),
        ("Y rhedyn <1>brenhinol</1> o <2/>, 3 m, 4 oed.", "4 is not in the source"),
        ("The <1>royal</1> fern of <2/>, 3 m tall.", "it is the source text again"),
        (" Y rhedyn <1>brenhinol</1> o <2/>, 3 m.", "it begins with a space"),
        ("Y rhedyn <1>brenhinol</1> o <2/>, 3 m. ", "it ends with a space"),
        ("Папоротник <1>королевский</1> <2/>, 3 м.", "it is not in Latin letters"),
        ("王立<1>の</1>シダ<2/>、3メートル。", "it is not in Latin letters"),
    ] {
        let filled = file.replace(&own, &format!("msgid \"{SOURCE}\"\nmsgstr \"{target}\""));
        let said = told(&hub, &filled, "back.po");
        assert!(said.contains(why), "{target}\n{said}");
    }
    let long = format!("Y rhedyn <1>brenhinol</1> o <2/>, 3 m. {}", "hir ".repeat(2_000));
    let said = told(&hub, &file.replace(&own, &format!("msgid \"{SOURCE}\"\nmsgstr \"{long}\"")), "long.po");
    assert!(said.contains("characters, and its source"), "{said}");
}

#[test]
fn files_that_are_not_what_went_out() {
    let (hub, file) = out("po");
    let sound =
        file.replace(&format!("msgid \"{SOURCE}\"\nmsgstr \"\""), &format!("msgid \"{SOURCE}\"\nmsgstr \"{SOUND}\""));
    let id = |near: &str| {
        let before = &file[..file.find(near).unwrap()];
        let at = before.rfind("msgctxt \"").unwrap() + 9;
        file[at..at + 17].to_owned()
    };
    let (own, other) = (id(&format!("msgid \"{SOURCE}\"")), id("msgid \"Oak Fern\""));
    for (from, to, why) in [
        (
            "The <1>royal</1> fern of <2/>, 3 m tall.",
            "The <1>regal</1> fern of <2/>, 3 m tall.",
            "its source is not what was sent",
        ),
        ("The <1>royal</1> fern of <2/>, 3 m tall.", "", "its source is not what was sent"),
        (own.as_str(), "u0123456789abcdef", "it is not in this batch"),
        (own.as_str(), "description", "it is not in this batch"),
        (own.as_str(), other.as_str(), "it stands there twice, with different texts"),
        ("X-Batch: plants-1", "X-Batch: plants-9", "it is of the batch `plants-9`, not of `plants-1`"),
        ("\"Language: cy\\n\"", "\"Language: fr\\n\"", "it is into fr, and the batch is into cy"),
        ("X-Source-Language: en", "X-Source-Language: de", "it is from de, and the batch is from en"),
    ] {
        let altered = sound.replacen(from, to, 1);
        assert_ne!(altered, sound, "{from}");
        let said = told(&hub, &altered, "altered.po");
        assert!(said.contains(why), "{from} → {to}\n{said}");
    }
    let fuzzy = sound.replace("msgctxt", "#, fuzzy\nmsgctxt");
    assert!(told(&hub, &fuzzy, "fuzzy.po").contains("its file marks it `fuzzy`"));
    let twice = format!("{sound}\n{}", sound[sound.find("\n\n").unwrap()..].replace("brenhinol", "mawr"));
    assert!(told(&hub, &twice, "twice.po").contains("it stands there twice, with different texts"));
    for (broken, why) in [
        (sound.replace("msgstr \"Y", "msgstr \"Y \\q"), "has an escape that is not read"),
        (sound.replace("3 m.\"", "3 m."), "a text is not closed"),
        (sound.replace("msgid", "msgd"), "no line of a PO file"),
        ("<html><body>Please sign in</body></html>".to_owned(), "this is no XLIFF, PO or CSV"),
        ("{\"error\": \"expired\"}".to_owned(), "this is no XLIFF, PO or CSV"),
        (String::new(), "this is no XLIFF, PO or CSV"),
    ] {
        assert!(told(&hub, &broken, "broken.po").contains(why), "{why}");
    }
}

#[test]
fn xliff_as_tools_have_bent_it() {
    for format in ["xliff-2.1", "xliff-1.2"] {
        let (hub, file) = out(format);
        let (start, end) = (file.find("royal").unwrap(), file.len());
        let source =
            &file[file[..start].rfind("<source>").unwrap() + 8..start + file[start..end].find("</source>").unwrap()];
        let target = source
            .replace("The ", "Y ")
            .replace("royal", "brenhinol")
            .replace(" fern of ", " rhedyn o ")
            .replace(" tall", "");
        let sound = file.replace(
            &format!("<source>{source}</source>"),
            &format!("<source>{source}</source><target>{target}</target>"),
        );
        let state = |state: &str| match format {
            "xliff-2.1" => sound.replace("<segment id=\"s1\">", &format!("<segment id=\"s1\" {state}>")),
            _ => sound.replace("<target>", &format!("<target {state}>")),
        };
        let mut rows = vec![
            (sound.replace("<target>", "<target>33 "), "33 is not in the source"),
            (sound.replace(&target, "brenhinol"), "is missing"),
            (sound.replace("brenhinol", ""), "has lost what it stands around"),
            (sound.replace("royal", "regal"), "its source is not what was sent"),
            (sound.replace("</target>", ""), "ill-formed"),
            (sound[..sound.len() - 60].to_owned(), "it ends in the middle"),
            (
                sound.replace("<?xml version=\"1.0\" encoding=\"UTF-8\"?>", "<!DOCTYPE x [<!ENTITY a \"b\">]>"),
                "it declares entities",
            ),
            (sound.replace("brenhinol", "&a;"), "is not read"),
            (sound.replace("brenhinol", "&lt;script&gt;x&lt;/script&gt; Папоротник папоротник папоротник"), "letters"),
            (sound.replace("plants-1", "plants-7"), "it is of the batch `plants-7`"),
            (sound.replace("=\"cy\"", "=\"de\""), "it is into de, and the batch is into cy"),
            (state("state=\"initial\""), "`initial`"),
            (state("state=\"nonsense\""), "`nonsense`"),
        ];
        match format {
            "xliff-2.1" => rows.extend([
                (state("state=\"translated\" subState=\"x:mt\""), "`x:mt`"),
                (state("state=\"final\" subState=\"x:rejected\""), "`x:rejected`"),
                (sound.replace("version=\"2.1\"", "version=\"4.0\""), "XLIFF 4.0 is not read"),
            ]),
            _ => rows.extend([
                (state("state=\"needs-l10n\""), "`needs-l10n`"),
                (state("state=\"translated\" state-qualifier=\"mt-suggestion\""), "`mt-suggestion`"),
                (state("state=\"final\" state-qualifier=\"rejected-grammar\""), "`rejected-grammar`"),
                (state("state-qualifier=\"fuzzy-match\""), "`fuzzy-match`"),
            ]),
        }
        for (bent, why) in rows {
            assert_ne!(bent, sound, "{why}");
            let said = told(&hub, &bent, "bent.xlf");
            assert!(said.contains(why), "{format}: {why}\n{said}");
        }
    }
}
