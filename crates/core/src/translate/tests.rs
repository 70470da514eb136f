//! The whole way of a text: cut, written, translated, read, checked, joined.

use std::collections::BTreeMap;

use proptest::prelude::*;

use super::shape::markdown::tests::any_markdown;
use super::shape::tests::any_html;
use super::*;

/// The units of a text, in a file of a format, pseudo-translated and read again.
fn there_and_back(shape: &TextStructure, format: UnitFormat) -> Vec<Option<Inline>> {
    let heading = Heading {
        batch: "b-1".into(),
        from: "en".parse().unwrap(),
        into: "fr".parse().unwrap(),
        purpose: crate::translate::Purpose::Work,
    };
    let mut file = Vec::new();
    let mut writer = write_units(format, &heading, &mut file).unwrap();
    let mut ids = Vec::new();
    for (block, number) in shape.blocks().iter().zip(1..) {
        let place = UnitPlace { address: "s/post/1".parse().unwrap(), field: "body".into(), block: number };
        let unit = Unit {
            id: UnitId::of(&place),
            name: place.to_string(),
            source: block.source.clone(),
            tags: block.tags.clone(),
            context: UnitContext { entry: "s/post/1".into(), ..UnitContext::default() },
        };
        let target = pseudo(&unit.source, &"fr".parse().unwrap(), None);
        writer.unit(Outgoing { unit: &unit, target: Some(&target), complaints: &[] }).unwrap();
        ids.push(unit.id.to_string());
    }
    writer.end().unwrap();
    let mut back = BTreeMap::new();
    read_units(&mut file.as_slice(), &mut |incoming| {
        if let Incoming::Unit(returned) = incoming {
            back.insert(returned.id.clone().unwrap_or_default(), returned.target);
        }
        Ok(())
    })
    .unwrap();
    ids.iter().map(|id| back.get(id).cloned().flatten()).collect()
}

fn has_link_in_link(html: &str) -> bool {
    html.split("</a>").any(|before| before.matches("<a ").count() > 1)
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(500))]

    #[test]
    fn what_comes_back_has_the_structure_of_its_source(html in any_html()) {
        let protected = Protected::default();
        let mut normal = html;
        for _ in 0..5 { normal = normal_html(&normal); }
        // What every reading puts in order anew cannot be vouched for.
        prop_assume!(normal_html(&normal) == normal);
        let shape = TextStructure::of(Form::Html, &normal, &protected);
        let (from, into) = ("en".parse().unwrap(), "fr".parse().unwrap());
        let (terms, policies) = (Terms::default(), BTreeMap::new());
        let checker = Checker { from: &from, into: &into, terms: &terms, policies: &policies };
        for format in [UnitFormat::Xliff2, UnitFormat::Xliff1, UnitFormat::Po] {
            let targets: Vec<Inline> = there_and_back(&shape, format).into_iter().map(|target| target.unwrap()).collect();
            for (block, target) in shape.blocks().iter().zip(&targets) {
                prop_assert_eq!(checker.check(&block.source, &block.tags, None, target), vec![], "{}", format.word());
            }
            let joined = match shape.join(&targets) {
                // HTML has no link within a link: readers put text beside the inner one where they like.
                Err(JoinError::IllFormed) if has_link_in_link(&normal) => return Ok(()),
                joined => joined.unwrap(),
            };
            let again = TextStructure::of(Form::Html, &joined, &protected);
            prop_assert!(again.is_like(&shape), "{}\n{}\n{}", format.word(), normal, joined);
            let tags = |shape: &TextStructure| shape.blocks().iter().map(|block| block.tags.clone()).collect::<Vec<_>>();
            prop_assert_eq!(tags(&again), tags(&shape));
        }
    }

    #[test]
    fn what_comes_back_has_the_structure_of_its_markdown(text in any_markdown()) {
        let shape = TextStructure::of(Form::Markdown, &text, &Protected::default());
        for format in [UnitFormat::Xliff2, UnitFormat::Xliff1, UnitFormat::Po] {
            let targets: Vec<Inline> = there_and_back(&shape, format).into_iter().map(|target| target.unwrap()).collect();
            // What is read as something else in any way that it can be written is refused.
            let Ok(joined) = shape.join(&targets) else { continue };
            let again = TextStructure::of(Form::Markdown, &joined, &Protected::default());
            prop_assert!(again.is_like(&shape), "{}\n{}\n{}", format.word(), text, joined);
        }
    }
}
