use proptest::prelude::*;

use super::*;
use crate::translate::{Form, Inline, TextStructure};
use crate::value::LanguageTag;

fn of(text: &str) -> TextStructure {
    TextStructure::of(Form::Message, text, &Protected::default())
}

/// The blocks that a language needs, each with its case.
fn listed(shape: &TextStructure, language: &str) -> Vec<String> {
    let language: LanguageTag = language.parse().unwrap();
    let wanted = shape.blocks().iter().filter(|block| block.is_for(&language));
    wanted.map(|block| format!("{}: {}", block.within, block.source.coded())).collect()
}

/// The text in a language, each block by its case.
fn joined(shape: &TextStructure, language: &str, said: &[(&str, &str)]) -> Result<String, JoinError> {
    let language: LanguageTag = language.parse().unwrap();
    let targets: Vec<Inline> = shape
        .blocks()
        .iter()
        .map(|block| {
            if !block.is_for(&language) {
                return Inline::default();
            }
            let own = said.iter().find(|(case, _)| *case == block.within);
            own.map_or_else(|| block.source.clone(), |(_, text)| Inline::from_coded(text))
        })
        .collect();
    shape.join(&targets)
}

const FERNS: &str = "{count, plural, =0 {No ferns} one {# fern} other {# ferns}} in {place}";

#[test]
fn branches_are_blocks_in_the_forms_of_the_language() {
    let shape = of(FERNS);
    let common = ["text: <1/> in <2/>", "count=0: No ferns"];
    for (language, forms) in [
        ("fr", vec!["one: <1/> fern", "many: <1/> ferns", "other: <1/> ferns"]),
        ("ja", vec!["other: <1/> ferns"]),
        ("pl", vec!["one: <1/> fern", "few: <1/> ferns", "many: <1/> ferns", "other: <1/> ferns"]),
    ] {
        let found: Vec<String> =
            listed(&shape, language).iter().map(|text| text.replace("count==0", "count=0")).collect();
        let expected: Vec<String> = common.iter().chain(&forms).map(ToString::to_string).collect();
        let sorted = |mut texts: Vec<String>| {
            texts.sort();
            texts
        };
        assert_eq!(sorted(found), sorted(expected), "{language}");
    }
    // The same words in another case are another text.
    let keys: std::collections::BTreeSet<_> = shape.blocks().iter().map(super::super::Block::key).collect();
    assert_eq!(keys.len(), shape.blocks().len());
}

#[test]
fn a_text_is_joined_in_the_forms_of_its_language() {
    let shape = of(FERNS);
    let polish = [
        ("text", "<1/> w <2/>"),
        ("count==0", "Brak paproci"),
        ("one", "<1/> paproć"),
        ("few", "<1/> paprocie"),
        ("many", "<1/> paproci"),
        ("other", "<1/> paproci"),
    ];
    assert_eq!(
        joined(&shape, "pl", &polish).unwrap(),
        "{count, plural, =0 {Brak paproci} one {# paproć} few {# paprocie} many {# paproci} other {# paproci}} w {place}"
    );
    assert_eq!(
        joined(&shape, "ja", &[("text", "<2/>に<1/>"), ("count==0", "シダなし"), ("other", "シダ<1/>本")]).unwrap(),
        "{place}に{count, plural, =0 {シダなし} other {シダ#本}}"
    );
    // French apostrophes quote nothing, unless a mark follows.
    let shape = of("The fern of {name}");
    assert_eq!(joined(&shape, "fr", &[("text", "L'été d'<1/> # 'x'")]).unwrap(), "L'été d''{name} # 'x''");
}

#[test]
fn what_is_not_translated_stays_as_it_is() {
    for text in [
        FERNS,
        "Plain words, no variables",
        "  {n,plural,offset:1 =0{nobody} =1{{who}} one{{who} and one more} other{{who} and # more}}  ",
        "{gender, select, male {He came} female {She came} other {They came}} on {day, date, ::yMMMd}",
        "{n, selectordinal, one {#st} two {#nd} few {#rd} other {#th}} bed",
        "It''s '{not a variable}' and {n, plural, one {'#' of one} other {# ferns}}",
        "{a, plural, one {{b, select, x {one x} other {one other}}} other {{b, select, x {many x} other {many}}}}",
        "{n, number} {t, time, HH'h'mm} {p, number, ::currency/EUR}",
    ] {
        let shape = of(text);
        assert_eq!(shape.fault(), None, "{text}");
        let own: Vec<Inline> = shape
            .blocks()
            .iter()
            .map(|block| if block.is_added { Inline::default() } else { block.source.clone() })
            .collect();
        assert_eq!(shape.join(&own).unwrap(), text);
        for (at, block) in shape.blocks().iter().enumerate() {
            shape.try_block(at, &block.source).unwrap();
        }
    }
}

#[test]
fn a_broken_message_is_told_and_left_alone() {
    for (text, fault) in [
        ("{count, plural, one {# fern}}", "`{count, …}` has no `other`, at character 29"),
        (
            "{count, plural, one {# fern} other {# ferns}",
            "`{count, …}` is not closed at the end of the text, at character 45",
        ),
        ("{name", "`{name` is not closed at the end of the text, at character 6"),
        ("a } b", "a `}` closes nothing, at character 3"),
        ("{} b", "a `{` is not followed by the name of a variable, at character 2"),
        ("{n, plural, some {x} other {y}}", "`{n, …}` has a case that is none: `some`, at character 17"),
        ("{n, plural, one {x} one {y} other {z}}", "`{n, …}` has `one` twice, at character 29"),
        ("{n, choice, 0#none|1#one}", "`choice` is not read: write it as `plural`, at character 11"),
        ("{n, plural, offset:x other {z}}", "the offset of `{n, …}` is no number, at character 21"),
        ("{n, select, a x other {z}}", "`a` of `{n, …}` has no text in braces, at character 15"),
    ] {
        let shape = of(text);
        assert_eq!(shape.fault(), Some(fault), "{text}");
        assert!(shape.blocks().is_empty());
        assert_eq!(shape.join(&[]).unwrap(), text);
    }
    let deep = "{a, select, other {".repeat(40);
    assert!(of(&deep).fault().unwrap().contains("too deep"));
    let wide = "{a, plural, other {x ".repeat(8) + &"}}".repeat(8);
    assert!(of(&wide).fault().unwrap().contains("more than 1000 texts"), "{:?}", of(&wide).fault());
}

#[test]
fn variables_are_tags_and_braces_no_text() {
    let shape = of("Hello {name}");
    assert_eq!(shape.try_block(0, &Inline::from_coded("Bonjour {nom}")), Err(JoinError::Brace('{')));
    assert_eq!(shape.blocks()[0].tags[0].shown.as_deref(), Some("{name}"));
    let quoted = of("Write '{' here");
    assert_eq!(joined(&quoted, "fr", &[("text", "Écrivez { ici")]).unwrap(), "Écrivez '{' ici");
}

/// Messages as they may be.
fn any_message() -> impl Strategy<Value = String> {
    let text = "[a-z '#é]{0,6}";
    let leaf =
        prop_oneof![text.prop_map(|text| text.replace('\'', "''")), Just("{name}".to_owned()), Just("'{'".to_owned())];
    leaf.prop_recursive(2, 12, 4, |inner| {
        let texts = prop::collection::vec(inner.clone(), 0..3).prop_map(|texts| texts.concat());
        prop_oneof![
            (texts.clone(), texts.clone())
                .prop_map(|(one, other)| format!("{{n, plural, one {{{one}}} other {{{other}}}}}")),
            (texts.clone(), texts.clone()).prop_map(|(x, other)| format!("{{g, select, x {{{x}}} other {{{other}}}}}")),
            texts,
        ]
    })
}

proptest! {
    #[test]
    fn a_message_is_joined_as_it_was_and_in_every_language(text in any_message(), language in prop::sample::select(vec!["ja", "fr", "ar", "pl", "en"])) {
        let shape = of(&text);
        prop_assert_eq!(shape.fault(), None);
        let own: Vec<Inline> = shape.blocks().iter().map(|block| if block.is_added { Inline::default() } else { block.source.clone() }).collect();
        prop_assert_eq!(shape.join(&own).unwrap(), text.clone());
        let made = joined(&shape, language, &[]).unwrap();
        let read = of(&made);
        prop_assert_eq!(read.fault(), None, "{}", made);
    }

    #[test]
    fn nothing_is_read_as_anything_else(text in "[a-z{}',#= ]{0,20}") {
        let shape = of(&text);
        if shape.fault().is_some() {
            prop_assert_eq!(shape.join(&[]).unwrap(), text);
        }
    }
}
