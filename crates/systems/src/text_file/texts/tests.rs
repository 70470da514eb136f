use super::*;

/// The texts of a file, a line each, and its problems; or why it cannot be read.
fn drawn(form: TextsForm, bytes: &[u8]) -> Vec<String> {
    let read = match parse(form, bytes) {
        Ok(read) => read,
        Err(why) => return vec![format!("! {why}")],
    };
    let text = |text: &Json| {
        let said = ["text", "html", "plural"].into_iter().filter_map(|member| {
            let said = text.get(member)?;
            Some(format!(" {member}={}", said.as_str().map_or_else(|| said.to_string(), str::to_owned)))
        });
        let note = text.get("note").map(|note| format!(" ({})", note.as_str().unwrap_or_default()));
        let kept = if text["translatable"] == Json::Bool(false) { " kept" } else { "" };
        format!(
            "{}:{}{}{kept}",
            text["key"].as_str().unwrap_or_default(),
            said.collect::<String>(),
            note.unwrap_or_default()
        )
    };
    let texts = read["texts"].as_array().into_iter().flatten().map(text);
    let problems = read["problems"].as_array().into_iter().flatten();
    texts.chain(problems.map(|problem| format!("? {}", problem["why"].as_str().unwrap_or_default()))).collect()
}

#[test]
fn texts_of_android() {
    let file = r#"<?xml version="1.0" encoding="utf-8"?>
<resources xmlns:xliff="urn:oasis:names:tc:xliff:document:1.2">
    <!-- On the front page -->
    <string name="hello">It\'s a
       \"fern\"\n &amp; moss \u2764</string>
    <string name="kept" translatable="false">" two  spaces "</string>
    <string name="rich">A <b>big &amp; old</b> <a href="/x?a&amp;b">fern</a> "it\'s"</string>
    <string name="named">Hello, <xliff:g id="who" example="Ann">%1$s</xliff:g>!</string>
    <plurals name="ferns"><item quantity="one">%d fern, it\'s {one} #1</item><item quantity="other">%d ferns</item></plurals>
    <plurals name="odd"><item quantity="one">x</item></plurals>
    <string-array name="days"><item>Monday</item><item>Tuesday</item></string-array>
    <string name="hello">again</string>
    <color name="green">#0f0</color>
    <string name="cdata"><![CDATA[<i>x</i>]]></string>
</resources>"#;
    assert_eq!(
        drawn(TextsForm::Android, file.as_bytes()),
        [
            "hello: text=It's a \"fern\"\n & moss ❤ (On the front page)",
            "kept: text= two  spaces  kept",
            "rich: html=A <b>big &amp; old</b> <a href='/x?a&amp;b'>fern</a> it's",
            "named: text=Hello, %1$s!",
            "ferns: plural={n, plural, one {%d fern, it''s '{'one'}' '#'1} other {%d ferns}}",
            "days/0: text=Monday",
            "days/1: text=Tuesday",
            "cdata: text=<i>x</i>",
            "? `odd` lacks the form `other`, or has one that no language has",
            "? `hello` stands there twice; the first counts",
        ]
    );
    assert_eq!(drawn(TextsForm::Android, b"<root/>"), ["! has `root` for its outermost element, and not `resources`"]);
    let bomb = "<a>".repeat(100_000);
    assert!(drawn(TextsForm::Android, bomb.as_bytes())[0].contains("more elements than are read"));
    let outer = "<!DOCTYPE x [<!ENTITY a SYSTEM \"file:///etc/passwd\">]><resources><string name=\"a\">&a;</string></resources>";
    assert!(drawn(TextsForm::Android, outer.as_bytes())[0].contains("the entity `&a;` is not read"));
}

#[test]
fn texts_of_resource_files() {
    let file = r#"<root><resheader name="version"><value>2.0</value></resheader>
<data name="Hello" xml:space="preserve"><value> A fern
&amp; moss</value><comment>On the front page</comment></data>
<data name="Logo" type="System.Resources.ResXFileRef"><value>logo.png</value></data>
<data name="Name"><value>Ostrel</value><comment>{Locked}</comment></data></root>"#;
    assert_eq!(
        drawn(TextsForm::Resx, file.as_bytes()),
        ["Hello: text= A fern\n& moss (On the front page)", "Name: text=Ostrel ({Locked}) kept"]
    );
}

#[test]
fn texts_of_java() {
    let file = "# Front page\n! twice\nhello = A fern \\\n    and moss\nkey\\ with\\:marks:caf\\u00e9\\n\nempty\n\n# not of the next\n\nplain value\nsmile=\\uD83D\\uDE00\\t.\nhello=again\nlast=\\";
    assert_eq!(
        drawn(TextsForm::Properties, file.as_bytes()),
        [
            "hello: text=A fern and moss (Front page\ntwice)",
            "key with:marks: text=café\n",
            "empty: text=",
            "plain: text=value",
            "smile: text=😀\t.",
            "last: text=",
            "? `hello` stands there twice; the first counts",
        ]
    );
    assert_eq!(drawn(TextsForm::Properties, b"a=caf\xe9"), ["a: text=café"], "as programs before Java 9 read it");
}

#[test]
fn texts_of_apples_systems() {
    let file = "/* On the front page */\n\"Hello %@!\" = \"It is \\\"a fern\\\"\\U00e9\\n\"; // after\nbare_word=\"x\";\n\"alone\";\n";
    let expected =
        ["Hello %@!: text=It is \"a fern\"é\n (On the front page)", "bare_word: text=x (after)", "alone: text=alone"];
    assert_eq!(drawn(TextsForm::Strings, file.as_bytes()), expected);
    let wide: Vec<u8> = file.encode_utf16().flat_map(u16::to_le_bytes).collect();
    assert_eq!(drawn(TextsForm::Strings, &wide), expected, "without a byte order mark");
    assert_eq!(drawn(TextsForm::Strings, &[b"\xff\xfe".as_slice(), &wide].concat()), expected);
    let list = "<?xml version=\"1.0\"?><plist version=\"1.0\"><dict><key>a</key><string>A &lt; B</string><key>n</key><integer>3</integer></dict></plist>";
    assert_eq!(drawn(TextsForm::Strings, list.as_bytes()), ["a: text=A < B", "? `n` is no text"]);
    for (broken, why) in [
        ("\"a\" = \"b\"", "a `;` is missing (line 1)"),
        ("\n\"a\" = \"b;", "a quote is not closed (line 2)"),
        ("/* a", "a comment is not closed (line 1)"),
        ("= 3", "neither a text between quotes nor a word (line 1)"),
    ] {
        assert_eq!(drawn(TextsForm::Strings, broken.as_bytes()), [format!("! {why}")]);
    }
    assert!(drawn(TextsForm::Strings, b"bplist00\x00")[0].contains("binary property list"));
}

#[test]
fn texts_of_string_catalogues() {
    let file = r#"{"sourceLanguage": "en", "version": "1.0", "strings": {
 "Hello": {"comment": "On the front page", "localizations": {"fr": {"stringUnit": {"state": "translated", "value": "Bonjour"}}, "cy": {"stringUnit": {"state": "new", "value": ""}}}},
 "ferns": {"localizations": {"en": {"variations": {"plural": {"one": {"stringUnit": {"state": "translated", "value": "%lld fern"}}, "other": {"stringUnit": {"state": "translated", "value": "%lld ferns"}}}}}}},
 "Ostrel": {"shouldTranslate": false},
 "both": {"localizations": {"en": {"substitutions": {}}, "fr": {"stringUnit": {"value": "oui"}}}}
}}"#;
    assert_eq!(
        drawn(TextsForm::Catalogue, file.as_bytes()),
        [
            "Hello: text={\"fr\":\"Bonjour\",\"en\":\"Hello\"} (On the front page)",
            "ferns: plural={\"en\":\"{n, plural, one {%lld fern} other {%lld ferns}}\"}",
            "Ostrel: text={\"en\":\"Ostrel\"} kept",
            "both: text={\"fr\":\"oui\"}",
            "? `both` depends on several numbers in `en`, and is not read there",
        ]
    );
}

#[test]
fn texts_in_json() {
    let file = r#"{"@@locale": "en", "title": "Ferns", "@title": {"description": "On the front page"}, "menu": {"open": "Open {n}", "items": ["One", "Two"]}, "menu.open": "again", "size": 3, "none": null}"#;
    assert_eq!(
        drawn(TextsForm::Json, file.as_bytes()),
        [
            "title: text=Ferns (On the front page)",
            "menu.open: text=Open {n}",
            "menu.items.0: text=One",
            "menu.items.1: text=Two",
            "? `menu.open` stands there twice; the first counts",
            "? `size` is no text",
        ]
    );
    assert_eq!(drawn(TextsForm::Json, b"[]"), ["! is JSON, and no object of texts by key"]);
}

#[test]
fn the_language_in_a_path() {
    let is_known = |code: &str| ["en", "fr", "cy", "pt-BR", "fil"].contains(&code);
    for (form, path, stem, language) in [
        (TextsForm::Android, "res/values/strings.xml", "res/values/strings", None),
        (TextsForm::Android, "res/values-fr/strings.xml", "res/values/strings", Some("fr")),
        (TextsForm::Android, "res/values-pt-rBR/strings.xml", "res/values/strings", Some("pt-BR")),
        (TextsForm::Android, "res/values-b+sr+Latn/strings.xml", "res/values/strings", Some("sr-Latn")),
        (
            TextsForm::Android,
            "res/values-mcc310-es-rUS-night/strings.xml",
            "res/values-mcc310-night/strings",
            Some("es-US"),
        ),
        (TextsForm::Android, "res/values-car-v21/strings.xml", "res/values-car-v21/strings", None),
        (TextsForm::Strings, "App/fr.lproj/Main.strings", "App/Main", Some("fr")),
        (TextsForm::Strings, "Base.lproj/Main.strings", "Main", None),
        (TextsForm::Strings, "Main.strings", "Main", None),
        (TextsForm::Resx, "Pages/Home.resx", "Pages/Home", None),
        (TextsForm::Resx, "Pages/Home.pt-BR.resx", "Pages/Home", Some("pt-BR")),
        (TextsForm::Resx, "Pages/Home.Designer.resx", "Pages/Home.Designer", None),
        (TextsForm::Properties, "messages.properties", "messages", None),
        (TextsForm::Properties, "messages_pt_BR.properties", "messages", Some("pt-BR")),
        (TextsForm::Properties, "error_messages_fr.properties", "error_messages", Some("fr")),
        (TextsForm::Properties, "error_messages.properties", "error_messages", None),
        // One that is not known is told, and not taken for another file.
        (TextsForm::Properties, "messages_de.properties", "messages", Some("de")),
        (TextsForm::Json, "locales/fr.json", "locales", Some("fr")),
        (TextsForm::Json, "fr.json", "", Some("fr")),
        (TextsForm::Json, "locales/cy/home.json", "locales/home", Some("cy")),
        (TextsForm::Json, "js/home.fr.json", "js/home", Some("fr")),
        (TextsForm::Json, "lib/app_fil.arb", "lib/app", Some("fil")),
        (TextsForm::Json, "js/faq.json", "js/faq", None),
        (TextsForm::Catalogue, "fr/Main.xcstrings", "fr/Main", None),
    ] {
        let expected = InPath { stem: stem.to_owned(), language: language.map(str::to_owned) };
        assert_eq!(language_in(form, path, &is_known), expected, "{path}");
    }
}
