use super::*;
use crate::expr::ast::Node;

/// The tree in full parentheses, so that one line shows how tightly things bind.
fn drawn(tree: &Expression) -> String {
    match &tree.node {
        Node::Literal(value) => crate::value::to_json(value).to_string(),
        Node::List(items) => format!("[{}]", items.iter().map(drawn).collect::<Vec<_>>().join(", ")),
        Node::Record(members) => {
            let member = |(name, value): &(String, Expression)| format!("{name}: {}", drawn(value));
            format!("{{{}}}", members.iter().map(member).collect::<Vec<_>>().join(", "))
        }
        Node::Name(name) => name.clone(),
        Node::Member(base, name) => format!("{}.{name}", drawn(base)),
        Node::Item(base, place) => format!("{}[{place}]", drawn(base)),
        Node::Language(base, tag) => format!("{}@{tag}", drawn(base)),
        Node::Not(inner) => format!("(not {})", drawn(inner)),
        Node::Binary(left, operator, right) => {
            format!("({} {} {})", drawn(left), operator.symbol(), drawn(right))
        }
        Node::If(condition, yes, no) => format!("(if {} then {} else {})", drawn(condition), drawn(yes), drawn(no)),
        Node::Let(name, value, body) => format!("(let {name} = {}; {})", drawn(value), drawn(body)),
        Node::Pipe(inner, call) => {
            let arguments: String = call.arguments.iter().map(|argument| format!(" {}", drawn(argument))).collect();
            format!("({} | {}{arguments})", drawn(inner), call.function)
        }
    }
}

fn ok(text: &str) -> String {
    drawn(&parse(text).unwrap_or_else(|error| panic!("{text}: {error}")))
}

/// The error, with a caret line under the text.
fn err(text: &str) -> String {
    let error = parse(text).expect_err(text);
    let marks = "^".repeat(error.span.len().max(1));
    let help = error.help.map_or(String::new(), |help| format!("\nhelp: {help}"));
    format!("{text}\n{}{marks} {}{help}", " ".repeat(error.span.start), error.message)
}

#[test]
fn binding() {
    for (text, tree) in [
        ("common_name@en | slug", "(common_name@en | slug)"),
        ("description | plain | shorten 160", "((description | plain) | shorten 160)"),
        (r#"state == "live" and "public" in tags"#, r#"((state == "live") and ("public" in tags))"#),
        ("a or b and not c == d", "(a or (b and (not (c == d))))"),
        ("a ?? b ?? c == d", "(((a ?? b) ?? c) == d)"),
        ("a@fr ?? a@en | trim", "((a@fr ?? a@en) | trim)"),
        ("(a | first).b[0]", "(a | first).b[0]"),
        ("tags[-1]", "tags[-1]"),
        ("[a, b | 1]", "!"),
        ("[a | trim, b]", "[(a | trim), b]"),
        ("a + b * c - 2", "((a + (b * c)) - 2)"),
        ("a -2", "!"),
        ("5-3", "(5 - 3)"),
        ("a ?? 0 + b", "((a ?? 0) + b)"),
        ("a % 2 == 0 and b", "(((a % 2) == 0) and b)"),
        ("a@fr ?? @en ?? @cy", "((a@fr ?? a@en) ?? a@cy)"),
        ("if a then b | f else c | g", "(if a then (b | f) else (c | g))"),
        ("let x = a | f; x + x", "(let x = (a | f); (x + x))"),
        ("{ a: b | f, c, \"d e\": 1 }.c", "{a: (b | f), c: c, d e: 1}.c"),
        ("x | each { n: it } | f", "((x | each {n: it}) | f)"),
        ("tags | where kind == \"open\" | first", "((tags | where (kind == \"open\")) | first)"),
        ("x | f \"a\" [1] -2", "(x | f \"a\" [1] -2)"),
        ("x | f a[1]", "(x | f a[1])"),
        ("`plant-2`.`a b`", "plant-2.a b"),
        (r#""a \"b\" \u{2026}\n""#, r#""a \"b\" …\n""#),
        ("[] ?? [1, 2.5,]", "([] ?? [1,2.5])"),
        ("heading@fr-ca", "heading@fr-CA"),
    ] {
        if tree == "!" {
            assert!(parse(text).is_err());
        } else {
            assert_eq!(ok(text).replace(", ", ","), tree.replace(", ", ","), "{text}");
        }
    }
}

#[test]
fn names_that_need_quotes_are_printed_with_them() {
    for text in ["a | `odd name` 1", "{ `if`: a }", "let `x y` = 1; `x y`", "`then`.`else`"] {
        let printed = parse(text).unwrap().to_string();
        assert_eq!(parse(&printed).unwrap().to_string(), printed, "{text}");
    }
}

#[test]
fn spans_point_at_what_they_name() {
    let text = "a == (bb | slug)";
    let Node::Binary(_, _, right) = parse(text).unwrap().node else { panic!() };
    assert_eq!(&text[right.span.clone()], "(bb | slug)");
}

#[test]
fn errors() {
    let texts = [
        "",
        "a ==",
        "a = b",
        "a | ",
        "a | 3",
        "a | slug ?? b",
        "a b",
        "(a",
        "[a",
        "a.",
        "a[x]",
        "a@english language",
        "a@toolongtag",
        "a < b < c",
        "\"open",
        "'single'",
        "a && b",
        "a ? b",
        "99999999999999999999",
        "a # b",
        "plant-2",
        "a | f \"\\q\"",
        "`open",
        "if a then b",
        "let = 3; x",
        "let x = 3",
        "{ a: 1, a: 2 }",
        "{ \"a\" }",
        "a ?? @en",
        "a -2",
        "a + ",
        "x; y",
        "{ a: 1",
    ];
    insta::assert_snapshot!(texts.map(err).join("\n\n"));
}

#[test]
fn a_nesting_bomb_is_refused() {
    for bomb in ["(".repeat(4_000), "[".repeat(4_000), "not ".repeat(2_000), "{a:".repeat(2_000), "if ".repeat(2_000)] {
        assert!(parse(&bomb).unwrap_err().message.contains("nests more than"));
    }
    for chain in ["+a".repeat(400), "|trim".repeat(400), ".b".repeat(400)] {
        assert!(parse(&format!("a{chain}")).unwrap_err().message.contains("follow each other"));
    }
    assert!(parse(&"a".repeat(10_001)).unwrap_err().message.contains("at most"));
}

proptest::proptest! {
    #[test]
    fn any_text_is_read_or_refused_with_a_place_inside_it(text in "\\PC{0,60}") {
        if let Err(error) = parse(&text) {
            proptest::prop_assert!(error.span.start <= text.len());
            proptest::prop_assert!(text.is_char_boundary(error.span.start));
        }
    }

    #[test]
    fn token_soup_never_panics(text in "(a|@en|\\.|\\[|\\]|\\(|\\)|\\{|\\}|:|;|=|0|\"x\"| \\| |not |if |then |else |let |==|\\?\\?| in |,|-|\\+|-1| ){0,20}") {
        let _ = parse(&text);
    }
}
