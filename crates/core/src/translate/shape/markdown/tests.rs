use proptest::prelude::*;

use crate::translate::shape::Form;
use crate::translate::{Inline, Protected, TextStructure};

const SAMPLES: &[&str] = &[
    "# Ferns\n\n*Tall* and [green](/g \"Our *garden*\")",
    "Setext *one*\n============\n\nTwo\n---\n",
    "~~Old~~ new, H<sub>2</sub>O and x<sup>2</sup>",
    "```rust,ignore\nfn main() {}\n```\n\n~~~\ncode\n~~~\n\n    indented\n",
    "| Name | Height |\n|:-----|-------:|\n| Royal *fern* | 1 m |\n| a \\| b | `x|y` |\n",
    "Name | Height\n--- | ---\nMoss |\n",
    "A note[^1] and another[^long].\n\n[^1]: It is *wet*.\n[^long]: Two paragraphs.\n\n    The second.\n",
    "<div class=\"a\" data-b='c'>\n  <p align=center>Text &amp; more<br/>end</P>\n</div>\n\nAfter",
    "Hello {{ user_name }}, {name} %s and {{ a_b }} *{{ c_d }}*",
    "---\ntitle: Ferns\ntags: [a, b]\n---\n\nBody text\n",
    "+++\ntitle = \"Ferns\"\n+++\nBody text\n",
    "[one](</a b> 'A title') [two][ref] [three][] [four] <https://ostrel.example/> <hello@ostrel.example>\n\n[ref]: /r \"Ref title\"\n[three]: /3\n[four]: /4 (Title)\n",
    "![A frond](a.jpg \"In spring\") and ![x][ref] ![ref]\n\n[ref]: /a.png\n",
    "[![Badge](b.svg)](/status)\n",
    "> Quoted *text*\n> over lines\n>\n> > Deeper  \n> > broken\n",
    "> [!NOTE]\n> Mind the moss.\n",
    "- One\n- Two\n  - Three\n\n    More\n1. First\n2) Second\n* [ ] To do\n* [x] Done\n",
    "Hard  \nbreak\\\nagain<br>and *emph\nover lines*\n",
    "Escapes: \\*not\\* \\# \\[a\\] 1\\. &copy; &amp; &#65; a_b_c \\\\ end\\",
    "***\n\n- - -\n\n___\n",
    "Term\n: What it *means*\n\nOther\n: One\n: Two\n",
    "## Title {#id .class}\n\n### Closed ###\n",
    "<!-- a comment -->\n\nText <!-- inline --> here <span translate=\"no\">Osmunda *regalis*</span> and <code>x</code>\n",
    "<details>\n<summary>More *here*</summary>\n\nInner **text**\n\n</details>\n",
    "<script>\nvar a = \"Text\";\n</script>\n\n<pre>\n  Text\n</pre>\n",
    "Text with `code`, ``co`de`` and **bold `code`**\n",
    "<img src=x.png alt=\"A frond\" title='It\"s'>\n\nAn <img alt=\"inline\" src=y> picture\n",
    "Tabs\tand  two spaces   \r\nCRLF *line*\r\n\r\n- item\r\n",
    "**Bold**text and *em*phasis and ***both*** and _under_\n",
    "\u{feff}# With a mark\n",
    "1. a\n\n   b\n\n2. c\n\n   ```\n   x\n   ```\n",
    "Line one\nLine two\n  Line three\n",
    "<a href=\"/x\"><b>Bold</b> link</a>\n\n<p>Open only\n\n</b> stray\n",
    "![alt *with* mark](x)\n\n$a_b$ and $5\n",
    "Mail [a@b](mailto:a@b), {% include \"x\" %} and :smile:\n",
];

fn shape(text: &str) -> TextStructure {
    TextStructure::of(
        Form::Markdown,
        text,
        &Protected::new(crate::translate::Keep { names: &["Osmunda".to_owned()], ..Default::default() }).unwrap(),
    )
}

/// The text with its words in other letters.
fn pseudo(source: &Inline) -> Inline {
    source.map_text(|text| text.chars().map(|c| if c.is_ascii_alphabetic() { 'é' } else { c }).collect())
}

#[test]
fn samples_as_they_are_cut() {
    let drawn = SAMPLES.iter().map(|sample| {
        let blocks = shape(sample);
        let lines: Vec<String> = blocks
            .blocks()
            .iter()
            .map(|block| {
                let tags: Vec<_> =
                    block.tags.iter().map(|tag| format!("{:?}…{:?}", tag.original, tag.original_end)).collect();
                format!("{}: {} [{}]", block.within, block.source.coded(), tags.join(" "))
            })
            .collect();
        format!("{sample:?}\n{}", lines.join("\n"))
    });
    insta::assert_snapshot!(drawn.collect::<Vec<_>>().join("\n\n"));
}

#[test]
fn what_is_not_translated_stays_byte_for_byte() {
    for sample in SAMPLES {
        let shape = shape(sample);
        assert_eq!(shape.join(&shape.sources()).as_deref(), Ok(*sample));
        let targets: Vec<Inline> = shape.blocks().iter().map(|block| pseudo(&block.source)).collect();
        let joined = shape.join(&targets).unwrap_or_else(|error| panic!("{error}: {sample:?}"));
        let again = TextStructure::of(Form::Markdown, &joined, &shape.protected);
        let read: Vec<Inline> = again.sources();
        assert_eq!(read, targets, "{joined:?}");
    }
}

#[test]
fn what_a_translator_writes_is_text() {
    let shape = shape("A *tall* fern, [see](/f)\n\n| One |\n|-----|\n| Cell |\n\n[short]\n\n[short]: /s\n");
    let join = |coded: &str| {
        let mut targets = shape.sources();
        targets[0] = Inline::from_coded(coded);
        shape.join(&targets).map(|joined| joined.lines().next().unwrap_or_default().to_owned())
    };
    for (coded, written) in [
        ("1. Un <1>grand</1> <2>lien</2>", "1\\. Un *grand* [lien](/f)"),
        ("# Un <1>grand</1> <2>lien</2>", "\\# Un *grand* [lien](/f)"),
        ("Regarde!<2>ici</2> <1>grand</1>", "Regarde\\![ici](/f) *grand*"),
        ("これは<1>「強調」</1>です<2>リンク</2>", "これは<em>「強調」</em>です[リンク](/f)"),
        ("a<1> b </1>c <2>d</2>", "a<em> b </em>c [d](/f)"),
        ("a &lt;script> `b` [c](d) <1>e</1> <2>f</2>", "a \\<script> \\`b\\` \\[c\\](d) *e* [f](/f)"),
        ("two\n\nparagraphs <1>e</1> <2>f</2>", "two  paragraphs *e* [f](/f)"),
    ] {
        assert_eq!(join(coded).as_deref(), Ok(written), "{coded}");
    }
    assert!(join("<1>a <2>b</1> c</2>").is_err(), "tags that cross");
    assert!(join("<1>a").is_err());
    let mut targets = shape.sources();
    targets[2] = Inline::text("a | b");
    targets[3] = Inline::from_coded("<1>kurz</1>");
    let joined = shape.join(&targets).unwrap();
    assert!(joined.contains("| a \\| b |") && joined.contains("[kurz][short]"), "{joined}");
}

/// Markdown of any kind.
pub(crate) fn any_markdown() -> impl Strategy<Value = String> {
    let piece = prop_oneof![
        6 => "[a-zé .,0-9]{0,12}",
        4 => "(\\*|\\*\\*|_|__|~~|`|``|\\[|\\]|\\]\\(/a\\)|\\]\\(/a \"t u\"\\)|!\\[|<b>|</b>|<br>|\\\\|&amp;|\\{x\\}|\\[\\^1\\])",
        4 => "(\n|\n\n|  \n|\\\\\n)",
        3 => "(\n# |\n> |\n- |\n  - |\n1\\. |\n    |\n```\n|\n\\| a \\| b \\|\n\\|---\\|---\\|\n\\| |\n\\[\\^1\\]: |\n<div>\n|\n</div>\n\n|\n---\n|\n: |\r\n)",
        1 => "(---\n|\u{0}|\u{a0}|<!-- c -->|<p title=\"T\">|<img alt='T' src=x>|<br title = \"T u\"/>|<script>|</script>|\\[a\\]: /x \"T u\"\n)",
    ];
    prop::collection::vec(piece, 0..24).prop_map(|pieces| pieces.concat())
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(2_000))]

    #[test]
    fn joined_with_its_own_blocks_markdown_is_as_it_was(text in any_markdown()) {
        let shape = shape(&text);
        prop_assert_eq!(shape.join(&shape.sources()), Ok(text));
    }

    #[test]
    fn a_translation_is_read_as_it_was_meant_or_refused(text in any_markdown(), words in prop::collection::vec("[a-zé *_\\[\\]()!#>|`~&;<\\\\.\n-]{1,8}", 1..6)) {
        let shape = shape(&text);
        let mut words = words.iter().cycle();
        let targets: Vec<Inline> =
            shape.blocks().iter().map(|block| block.source.map_text(|_| format!("w{}w", words.next().unwrap()))).collect();
        if let Ok(joined) = shape.join(&targets) {
            let again = TextStructure::of(Form::Markdown, &joined, &shape.protected);
            prop_assert_eq!(again.blocks().len(), shape.blocks().len(), "{}", joined);
            for (read, meant) in again.blocks().iter().zip(&targets) {
                let space = |inline: &Inline| inline.plain().split_whitespace().collect::<Vec<_>>().join(" ");
                prop_assert_eq!(space(&read.source), space(meant), "{}", joined);
            }
        }
    }

    #[test]
    fn a_paragraph_takes_any_text(text in "[a-zé *_\\[\\]()!#>|`~&;<\\\\.\n0-9+=:{}$-]{0,30}") {
        let shape = shape("Moss\n\n- Fern\n");
        let said = format!("w {text} w");
        let own = Inline::text(&text);
        let joined = shape.join(&[Inline::text(&said), Inline::text("x")]);
        prop_assert!(joined.is_ok(), "{:?}", said);
        if text.chars().any(char::is_alphabetic) {
            prop_assert!(shape.join(&[own.clone(), own]).is_ok(), "{:?}", text);
        }
    }

    #[test]
    fn prose_that_is_alike_is_as_sound(text in any_markdown(), words in prop::collection::vec("[ a-zé,.1]{1,6}", 1..6)) {
        let shape = shape(&text);
        for (place, block) in shape.blocks().iter().enumerate() {
            let mut words = words.iter().cycle();
            let target = block.source.map_text(|_| words.next().unwrap().clone());
            if shape.try_block(place, &target).is_ok() {
                prop_assert_eq!(shape.try_whole(place, &target), Ok(()), "{:?} {:?}", text, target);
            }
        }
    }
}
