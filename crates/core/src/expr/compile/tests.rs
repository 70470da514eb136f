use proptest::prelude::*;
use serde_json::json;

use super::*;
use crate::expr::ast::{Expression, Node as Tree, Operator};
use crate::expr::eval::tests::library;
use crate::expr::{NoWorld, Sight, Subject, parse};
use crate::model::{EntryType, Field, FieldKind};
use crate::value::{LanguageTag, Record, State, Value, from_json};

fn model() -> Model {
    let field = |kind| Field { kind, ..Field::default() };
    let plant = [
        ("name", Field { localised: true, required: true, max_length: Some(40), ..field(FieldKind::Text) }),
        ("text", Field { localised: true, ..field(FieldKind::Html) }),
        ("latin", field(FieldKind::Text)),
        ("height", Field { required: true, ..field(FieldKind::Integer) }),
        ("rating", field(FieldKind::Number)),
        ("rare", Field { required: true, ..field(FieldKind::Boolean) }),
        ("tags", Field { many: true, required: true, ..field(FieldKind::Text) }),
        ("planted", field(FieldKind::Date)),
        ("curator", field(FieldKind::Reference(TypeName::new("curator").unwrap()))),
        ("facts", field(FieldKind::Record)),
    ];
    let curator = [("full_name", Field { required: true, ..field(FieldKind::Text) })];
    let of =
        |fields: Vec<(&str, Field)>| EntryType { fields: fields.into_iter().map(|(n, f)| (n.to_owned(), f)).collect() };
    let kind = |name: &str| TypeName::new(name).unwrap();
    Model { types: [(kind("plant"), of(plant.into())), (kind("curator"), of(curator.into()))].into() }
}

/// What the expression gives, or its findings under the text.
fn checked(text: &str) -> String {
    let model = model();
    let kind = TypeName::new("plant").unwrap();
    let tree = match parse(text) {
        Ok(tree) => tree,
        Err(error) => return format!("{text}\n  syntax: {error}"),
    };
    let known = KnownFields { model: &model, kind: &kind };
    let (program, findings) = compile(&tree, Some(known), &library(), &mut Slots::default());
    let mut told = text.to_owned();
    for finding in findings {
        let marks = "^".repeat(finding.span.len().max(1));
        told += &format!("\n{}{marks} {}: {}", " ".repeat(finding.span.start), finding.code, finding.message);
        if !finding.label.is_empty() {
            told += &format!("\n{}  {}", " ".repeat(finding.span.start), finding.label);
        }
        if let Some(help) = finding.help {
            told += &format!("\n{}  help: {help}", " ".repeat(finding.span.start));
        }
    }
    program.map_or(told.clone(), |program| format!("{told}\n  = {}", program.gives))
}

#[test]
fn types() {
    let texts = [
        "name",
        "name@en",
        "name@en ?? \"x\"",
        "latin",
        "latin ?? \"x\"",
        "height + 1",
        "height / 2",
        "height + rating",
        "name + \"!\"",
        "latin + height",
        "tags",
        "tags | first",
        "tags | each upper",
        "tags + [\"x\"] | unique",
        "tags | count",
        "curator",
        "curator.full_name",
        "curator.state",
        "facts.soil",
        "name | slug",
        "text | plain | shorten 160",
        "text | keywords 8",
        "if rare then name else latin",
        "if rare then 1 else 2.5",
        "let x = height; { a: x, b: name@en }",
        "[1, 2.5]",
        "[name, latin]",
        "name == \"x\"",
        "rare and height > 3",
        "name != null",
        "planted | date",
        "now",
        "\"bog\" | lookup sections",
        "curator | counterpart",
        "tags | where it == \"x\"",
        "[{ a: 1 }] | each a",
        "[[1], [2]] | flatten",
        "text",
        "latin | brief 20",
        "name | loud",
        "latin | matches \"x\"",
        "latin | capture \"(\\\\d+)\"",
        "null",
        "[]",
        "entry.id",
        "previous.slug",
        "name | fallback",
        "latin | number",
    ];
    insta::assert_snapshot!(texts.map(checked).join("\n"));
}

#[test]
fn diagnostics() {
    let texts = [
        // Names.
        "nmae | slgu",
        "curator.nmae",
        "entry.idd",
        "fields.nope",
        "fields",
        "it",
        "[{ a: 1 }] | each b",
        "{ a: 1 }.b",
        // Languages.
        "latin@en",
        "tags | where name == \"x\"",
        "tags | where fields.name == it",
        // Functions and their arguments.
        "name | shorten",
        "name | shorten \"x\" 3",
        "name | shorten -1",
        "name | shorten \"x\"",
        "name | slug 3",
        "tags | join nope",
        "name | shorten 10 \"wordz\"",
        "latin | matches \"(\"",
        "latin | matches latin",
        "latin | lookup section",
        "latin | lookup 3",
        "curator | counterpart 3",
        "latin | shorten rating",
        "latin | shorten 3 latin",
        "latin | brief",
        "latin | brief \"x\"",
        "height | brief 3",
        "latin | house beds",
        "latin | normalise \"x\"",
        "tags | take latin",
        "latin | replace \"a\"",
        // Kinds.
        "tags | slug",
        "height | slug",
        "curator | slug",
        "latin | join \", \"",
        "latin | first",
        "latin.name",
        "tags.name",
        "latin[0]",
        "height == \"x\"",
        "height < latin",
        "rare > 1",
        "3 in height",
        "height in latin",
        "not latin",
        "latin and rare",
        "if latin then 1 else 2",
        "tags + 1",
        "curator + \"x\"",
        "latin - 1",
        "rating % 2",
        "tags | where height",
        "tags | each name",
        "[[1]] | join \" \"",
        "tags | sum",
        "rare | crop \"1:1\"",
        "tags | where it",
        "latin | counterpart",
        // Several at once, without echoes.
        "nmae + hieght | slgu | shorten",
    ];
    assert!(texts.len() >= 40);
    insta::assert_snapshot!(texts.map(checked).join("\n\n"));
}

#[test]
fn what_a_program_looks_at_is_known() {
    let mut slots = Slots::default();
    let tree = parse("[name@en, height | text, curator.full_name, \"x\" | lookup sections, now] | join \"\"").unwrap();
    let (program, findings) = compile(&tree, None, &library(), &mut slots);
    assert_eq!(findings, []);
    let uses = program.unwrap().uses;
    assert_eq!(uses.fields.iter().map(String::as_str).collect::<Vec<_>>(), ["curator", "height", "name"]);
    assert_eq!((uses.now, uses.previous, uses.tables.len(), uses.languages.len()), (true, false, 1, 1));
    assert_eq!(slots.len(), 3);
}

#[test]
fn functions_that_grow_without_end_are_refused() {
    let mut library = library();
    let mut body = "it + it".to_owned();
    for level in 0..30 {
        let tree = parse(&body).unwrap();
        let (gives, _) = compile_function(crate::expr::types::Kind::Text, &[], &tree, &library);
        let Some(gives) = gives else { return };
        let name = format!("f{level}");
        let takes = crate::expr::types::Kind::Text;
        let function = crate::expr::library::UserFunction { takes, parameters: vec![], text: body, body: tree, gives };
        library.functions.insert(name.clone(), function);
        body = format!("(it | {name}) + (it | {name})");
    }
    panic!("thirty levels of doubling were compiled");
}

/// Any expression: names, functions and operators, whether they make sense or not.
pub(in crate::expr) fn any_expression() -> impl Strategy<Value = Expression> {
    let made = |node| Expression { node, span: 0..0 };
    let leaf = prop_oneof![
        Just(Tree::Literal(Value::Null)),
        any::<bool>().prop_map(|truth| Tree::Literal(Value::Boolean(truth))),
        (-3i64..200).prop_map(|whole| Tree::Literal(Value::Integer(whole))),
        (-3.0f64..9.0).prop_map(|number| Tree::Literal(Value::Number(number))),
        "[ -~\u{e9}\n]{0,6}".prop_map(|text| Tree::Literal(Value::Text(text))),
        prop::sample::select(vec![
            "name", "text", "latin", "height", "rating", "rare", "tags", "planted", "curator", "facts", "state",
            "odd-name", "if", "it"
        ])
        .prop_map(|name| Tree::Name(name.to_owned())),
    ]
    .prop_map(made);
    leaf.prop_recursive(4, 24, 3, move |inner| {
        let operator = prop::sample::select(vec![
            Operator::Or,
            Operator::And,
            Operator::Equal,
            Operator::NotEqual,
            Operator::Less,
            Operator::GreaterOrEqual,
            Operator::In,
            Operator::Add,
            Operator::Subtract,
            Operator::Multiply,
            Operator::Divide,
            Operator::Remainder,
            Operator::Otherwise,
        ]);
        let function =
            prop::sample::select(crate::expr::functions::ALL.iter().map(|function| function.name).collect::<Vec<_>>());
        prop_oneof![
            prop::collection::vec(inner.clone(), 0..3).prop_map(Tree::List),
            (inner.clone(), inner.clone())
                .prop_map(|(a, b)| Tree::Record(vec![("a".to_owned(), a), ("b c".to_owned(), b)])),
            inner.clone().prop_map(|base| Tree::Member(Box::new(base), "full_name".to_owned())),
            (inner.clone(), -2i64..3).prop_map(|(base, place)| Tree::Item(Box::new(base), place)),
            inner.clone().prop_map(|base| Tree::Language(Box::new(base), "en".parse::<LanguageTag>().unwrap())),
            inner.clone().prop_map(|base| Tree::Not(Box::new(base))),
            (inner.clone(), operator, inner.clone()).prop_map(|(a, operator, b)| Tree::Binary(
                Box::new(a),
                operator,
                Box::new(b)
            )),
            (inner.clone(), inner.clone(), inner.clone()).prop_map(|(a, b, c)| Tree::If(
                Box::new(a),
                Box::new(b),
                Box::new(c)
            )),
            (inner.clone(), inner.clone()).prop_map(|(a, b)| Tree::Let("x".to_owned(), Box::new(a), Box::new(b))),
            (inner.clone(), function, prop::collection::vec(inner, 0..2)).prop_map(|(input, function, arguments)| {
                Tree::Pipe(Box::new(input), ast::Call { function: function.to_owned(), span: 0..0, arguments })
            }),
        ]
        .prop_map(made)
    })
}

/// The tree without places.
fn bare(tree: &Expression) -> Expression {
    let inner = |tree: &Expression| Box::new(bare(tree));
    let node = match &tree.node {
        Tree::List(items) => Tree::List(items.iter().map(bare).collect()),
        Tree::Record(members) => {
            Tree::Record(members.iter().map(|(name, value)| (name.clone(), bare(value))).collect())
        }
        Tree::Member(base, name) => Tree::Member(inner(base), name.clone()),
        Tree::Item(base, place) => Tree::Item(inner(base), *place),
        Tree::Language(base, tag) => Tree::Language(inner(base), tag.clone()),
        Tree::Not(base) => Tree::Not(inner(base)),
        Tree::Binary(a, operator, b) => Tree::Binary(inner(a), *operator, inner(b)),
        Tree::If(a, b, c) => Tree::If(inner(a), inner(b), inner(c)),
        Tree::Let(name, a, b) => Tree::Let(name.clone(), inner(a), inner(b)),
        Tree::Pipe(input, call) => {
            let arguments = call.arguments.iter().map(bare).collect();
            Tree::Pipe(inner(input), ast::Call { function: call.function.clone(), span: 0..0, arguments })
        }
        other => other.clone(),
    };
    Expression { node, span: 0..0 }
}

fn any_entry() -> impl Strategy<Value = Record> {
    let localised = |text: &'static str| {
        prop::collection::btree_map(prop::sample::select(vec!["en", "fr"]), text, 0..3).prop_map(|texts| {
            Value::Localised(texts.into_iter().map(|(tag, text)| (tag.parse().unwrap(), Value::Text(text))).collect())
        })
    };
    let curator = Value::Reference("s/curator/c-1".parse().unwrap());
    (
        localised("[a-z ]{0,9}"),
        localised("<p>[a-z ]{0,9}</p>"),
        prop::option::of("[a-z0-9 ]{0,9}"),
        -5i64..500,
        prop::option::of(-2.0f64..9.0),
        any::<bool>(),
        prop::collection::vec("[a-c]{0,3}", 0..3),
        prop::option::of(Just("2026-05-01")),
        prop::option::of(Just(curator)),
    )
        .prop_map(|(name, text, latin, height, rating, rare, tags, planted, curator)| {
            let list = tags.into_iter().map(Value::Text).collect();
            let facts = from_json(&json!({ "full_name": "x", "n": 3 }));
            Record::from_iter(
                [
                    ("name", name),
                    ("text", text),
                    ("latin", latin.map_or(Value::Null, Value::Text)),
                    ("height", Value::Integer(height)),
                    ("rating", rating.map_or(Value::Null, Value::Number)),
                    ("rare", Value::Boolean(rare)),
                    ("tags", Value::List(list)),
                    ("planted", planted.map_or(Value::Null, Value::from)),
                    ("curator", curator.unwrap_or_default()),
                    ("facts", facts),
                ]
                .map(|(name, value)| (name.to_owned(), value)),
            )
        })
}

/// What only the compiler may say: a value of a kind that cannot be used.
fn is_of_kind(message: &str) -> bool {
    [
        "takes",
        "wants",
        "is asked of",
        "no order",
        "cannot be added",
        "must be true or false",
        "one answer",
        "looks in",
        "looks for",
    ]
    .iter()
    .any(|words| message.contains(words))
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 2_000, max_global_rejects: 1_000_000, ..ProptestConfig::default() })]

    #[test]
    fn what_is_printed_reads_as_the_same(tree in any_expression()) {
        let text = tree.to_string();
        let again = parse(&text).map_err(|error| TestCaseError::fail(format!("{text}: {error}")))?;
        prop_assert_eq!(bare(&again), bare(&tree), "{}", text);
        prop_assert_eq!(again.to_string(), text);
    }

    /// What is compiled without a finding never fails for a value's kind, and gives what it says.
    #[test]
    fn well_typed_expressions_keep_their_word(tree in any_expression(), entry in any_entry()) {
        let text = tree.to_string();
        let tree = parse(&text).unwrap();
        let (model, kind, library, mut slots) = (model(), TypeName::new("plant").unwrap(), library(), Slots::default());
        let known = KnownFields { model: &model, kind: &kind };
        let (program, _) = compile(&tree, Some(known), &library, &mut slots);
        let Some(program) = program else { return Ok(()) };
        let address = "s/plant/p".parse().unwrap();
        let values = slots.resolve(&entry);
        let now = "2026-11-25T12:00:00Z".parse().unwrap();
        let subject = Subject { address: &address, state: State::Live, values: &values, now, previous: None };
        // What gives anything is known when it is there, and not before.
        let loose = text.contains("counterparts") || text.contains("facts") || text.contains("previous") || text.contains("capture") || text.contains("from_") || text.contains("get") || text.contains("merge");
        match program.evaluate(Sight { subject, world: &NoWorld, library: &library }) {
            Ok(found) => prop_assert!(program.gives.admits(&found.value), "{} gives {:?}, and says {}", text, found.value, program.gives),
            Err(error) => prop_assert!(loose || !is_of_kind(&error.message), "{}: {}", text, error.message),
        }
    }
}
