use super::trying::is_shaped_alike;
use super::*;
use crate::translate::Keep;
use proptest::prelude::*;

fn drawn(form: Form, text: &str) -> String {
    let protected = Protected::new(Keep { names: &["Fernhollow".to_owned()], ..Keep::default() }).unwrap();
    let shape = TextStructure::of(form, text, &protected);
    let mut lines = Vec::new();
    for block in shape.blocks() {
        let tags: Vec<String> = block.tags.iter().map(|tag| format!("{}…{}", tag.original, tag.original_end)).collect();
        lines.push(format!("{}: {} [{}]", block.within, block.source.coded(), tags.join(" ")));
    }
    lines.join("\n")
}

#[test]
fn blocks_of_rich_text() {
    insta::assert_snapshot!(
        [
            "<p>The <b>royal</b> fern<br>of <a href=\"/f\" title=\"Our garden\">Fernhollow</a>.</p>\n<ul><li>One</li><li>Two<ul><li>Three</li></ul></li></ul>",
            "<p><img src=\"a.jpg\" alt=\"A frond\"></p><p>12.50</p><p>Use <code>init</code> &amp; go</p>",
            "<table><tbody><tr><td>Bog</td><td> <b>Wall</b> </td></tr></tbody></table>",
            "loose text<p>then a block</p>and   more\n text",
            "<pre>two\n  lines</pre><a href=\"/x\"><div>linked block</div></a>",
            "<p translate=\"no\">Osmunda regalis</p><p>Say <span class=\"notranslate\">yes</span> &lt;now&gt;</p><!-- aside -->",
            "<input type=\"Submit\" value=\" Send it\"><input type=\"text\" value=\"kept\" placeholder=\"Your name \">",
            "<select name=\"s\"><option value=\"a\">Bog</option><optgroup label=\"Dry\"><option translate=\"no\">Osmunda</option></optgroup></select>",
            "<p>See <svg viewBox=\"0 0 1 1\"><title>A frond</title><g><text x=\"1\"><a xlink:href=\"#f\">Frond</a></text><path d=\"M0\"></path></g></svg> here</p>",
            "<noscript><p>Please <b>scroll</b></p></noscript><div translate=\"no\">Kept <p translate=\"yes\">Said</p></div>",
            "<p>Hello {name}</p><script>alert('x')</script><p>{only}</p>",
        ]
        .map(|html| format!("{html}\n{}", drawn(Form::Html, html)))
        .join("\n\n")
    );
}

#[test]
fn plain_text_and_markdown() {
    assert_eq!(drawn(Form::Plain, "  A <b> fern\nof Fernhollow "), "text: A &lt;b> fern\nof <1/> [Fernhollow…]");
    assert_eq!(drawn(Form::Plain, "12.50"), "");
    assert_eq!(drawn(Form::Plain, "a\u{1}b\r\nc"), "text: a<1/>b<2/>\nc [\u{1}… \r…]");
    assert_eq!(
        drawn(Form::Markdown, "# Ferns\n\n*Tall* and [green](/g)"),
        "h1: Ferns []\np: <1>Tall</1> and <2>green</2> [*…* […](/g)]"
    );
}

#[test]
fn what_cannot_be_joined() {
    let shape = TextStructure::of(Form::Html, "<p>One <a href=\"/\">two</a></p>", &Protected::default());
    let join = |coded: &str| shape.join(&[Inline::from_coded(coded)]);
    assert_eq!(join("Un <1>deux</1>").unwrap(), "<p>Un <a href=\"/\">deux</a></p>");
    assert_eq!(join("<i>&amp;"), Ok("<p>&lt;i&gt;&amp;</p>".to_owned()), "text is never markup");
    assert_eq!(join("<2>x</2>"), Err(JoinError::UnknownTag(2)));
    assert_eq!(join("<1>a<1>b</1></1>"), Err(JoinError::IllFormed), "a link within a link");
    assert_eq!(join("<1>a"), Err(JoinError::IllFormed));
    assert_eq!(shape.join(&[]), Err(JoinError::Count { expected: 1, found: 0 }));
}

#[test]
fn attributes_keep_their_order() {
    let html = "<p style=\"a\" id=\"z\" class=\"b\">Moss <a title=\"Fern\" rel=\"x\" href=\"/\">fern</a></p>";
    let shape = TextStructure::of(Form::Html, html, &Protected::default());
    assert_eq!(shape.join(&shape.sources()).as_deref(), Ok(html));
}

/// HTML of any kind, sound or not.
pub(crate) fn any_html() -> impl Strategy<Value = String> {
    let piece = prop_oneof![
        6 => "[a-zé &;.0-9]{0,12}",
        6 => "<(p|b|i|em|a href=\"/x\" title=\"A frond\"|li|ul|ol|table|tr|td|h2|div|span|pre|code|script|svg|blockquote|select|option|optgroup label=\"Moss\"|noscript|title|text|p translate=\"yes\"|form|button)>",
        6 => "</(p|b|i|em|a|li|ul|ol|table|tr|td|h2|div|span|pre|code|script|svg|blockquote|select|option|optgroup|noscript|title|text|form|button)>",
        2 => "(<br>|<img src=\"a\" alt=\"Moss\">|<hr>|<!-- c -->|<input>|&nbsp;|&lt;|\n|\t|\\{name\\}|<p translate=\"no\">)",
    ];
    prop::collection::vec(piece, 0..24).prop_map(|pieces| pieces.concat())
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(2_000))]

    #[test]
    fn joined_with_its_own_blocks_a_text_is_as_it_was(html in any_html()) {
        let protected = Protected::default();
        let shape = TextStructure::of(Form::Html, &html, &protected);
        let own: Vec<Inline> = shape.blocks().iter().map(|block| block.source.clone()).collect();
        let joined = shape.join(&own);
        // What is put in order anew by every reading cannot be vouched for, and is refused.
        let mut normal = html.clone();
        for _ in 0..5 { normal = normal_html(&normal); }
        if normal_html(&normal) == normal {
            let joined = joined.unwrap();
            let again = TextStructure::of(Form::Html, &joined, &protected);
            prop_assert_eq!(&again, &shape, "{}", joined);
            let space = |html: &str| html.split_ascii_whitespace().collect::<String>();
            prop_assert_eq!(space(&joined), space(&normal));
        }
    }

    #[test]
    fn what_is_shaped_like_its_source_is_as_sound(html in any_html(), words in prop::collection::vec("[ \u{a0}a-zé<>&\"'=/;!-]{1,8}", 1..6)) {
        let shape = TextStructure::of(Form::Html, &html, &Protected::default());
        if shape.join(&shape.sources()).is_err() {
            return Ok(());
        }
        for (place, block) in shape.blocks().iter().enumerate() {
            let mut words = words.iter().cycle();
            let target = block.source.map_text(|_| words.next().unwrap().clone());
            if is_shaped_alike(&block.source, &target) {
                prop_assert_eq!(shape.try_whole(place, &target), Ok(()), "{:?}", target);
            }
        }
    }

    #[test]
    fn plain_text_comes_back(text in "\\PC{0,20}[ \\n]{0,2}[a-z{}<&\\x01\\r]{0,10}") {
        let shape = TextStructure::of(Form::Plain, &text, &Protected::default());
        let own: Vec<Inline> = shape.blocks().iter().map(|block| block.source.clone()).collect();
        prop_assert_eq!(shape.join(&own).unwrap(), text);
    }
}
