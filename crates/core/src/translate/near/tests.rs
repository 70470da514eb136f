use super::*;

fn percent(one: &str, other: &str) -> Option<(u8, String)> {
    let near = nearness_of(&Inline::from_coded(one), &Inline::from_coded(other), 0)?;
    let differs: Vec<&str> = near.differs.iter().map(|difference| difference.word()).collect();
    Some((near.percent, differs.join(" ")))
}

#[test]
fn what_differs_is_measured_and_told() {
    for (one, other, expected) in [
        ("The royal fern likes wet soil", "The royal fern likes wet soil.", (95, "marks")),
        ("The royal fern likes wet soil", "the royal fern likes wet soil", (99, "marks")),
        ("The royal fern likes wet soil", "The royal fern likes dry soil", (83, "words")),
        ("The royal fern likes wet soil", "The royal ferns like wet soil", (93, "words")),
        ("Plant 3 ferns per row", "Plant 12 ferns per row", (96, "numbers")),
        ("The <1>royal</1> fern", "The royal fern", (93, "tags")),
        ("The royal fern", "A tree in the distance", (10, "words")),
        ("王立のシダ", "王立の木", (75, "words")),
    ] {
        let (found, differs) = percent(one, other).unwrap();
        assert!(found.abs_diff(expected.0) <= 2, "{one} / {other}: {found}, expected {}", expected.0);
        assert_eq!(differs, expected.1, "{one} / {other}");
        assert_eq!(percent(other, one).unwrap().0, found, "it is the same both ways");
    }
    assert_eq!(percent("<1/>", ""), Some((0, "tags".to_owned())));
    assert_eq!(nearness_of(&Inline::text("A fern"), &Inline::text("Something else altogether"), 70), None);
}

/// Sentences as they stand in a catalogue, so many.
fn catalogue(count: usize) -> Vec<Inline> {
    const WHO: [&str; 12] = [
        "royal fern",
        "oak fern",
        "marsh orchid",
        "bog myrtle",
        "sundew",
        "cotton grass",
        "heather",
        "birch",
        "rowan",
        "sedge",
        "willow",
        "moss",
    ];
    const DOES: [&str; 10] = [
        "likes wet soil",
        "grows up to {n} m tall",
        "flowers in May",
        "is planted in row {n}",
        "needs shade",
        "stands by the pond",
        "was found in {n}",
        "spreads slowly",
        "turns red in autumn",
        "is rare here",
    ];
    const WHERE: [&str; 10] = [
        "near the gate",
        "in the north bed",
        "along the path",
        "behind the glasshouse",
        "at Tarnside",
        "on the slope",
        "under the oaks",
        "by the well",
        "in every garden",
        "beside the wall",
    ];
    let mut seed = 7_u64;
    let mut next = |most: usize| {
        seed = seed.wrapping_mul(6_364_136_223_846_793_005).wrapping_add(1_442_695_040_888_963_407);
        (seed >> 33) as usize % most
    };
    (0..count)
        .map(|_| {
            let (who, other) = (WHO[next(12)], WHO[next(12)]);
            let text = format!(
                "The {who} {} {}, and the {other} {} {}",
                DOES[next(10)],
                WHERE[next(10)],
                DOES[next(10)],
                WHERE[next(10)]
            );
            Inline::text(&text.replace("{n}", &next(2_000).to_string()))
        })
        .collect()
}

#[test]
fn the_best_are_found_as_by_looking_at_all() {
    let texts = catalogue(1_500);
    let mut index = NearIndex::default();
    texts.iter().skip(60).for_each(|text| index.add(text));
    let (mut wanted, mut found) = (0, 0);
    for text in &texts[..60] {
        let all = texts[60..].iter().filter_map(|other| nearness_of(text, other, 70));
        let Some(best) = all.map(|near| near.percent).max() else { continue };
        wanted += 1;
        found += u32::from(index.nearest(text, 70, 3).first().is_some_and(|near| near.percent == best));
    }
    assert!(wanted > 40 && found * 100 >= wanted * 98, "{found} of {wanted}");
}

#[test]
fn nothing_near_is_nothing_found() {
    let mut index = NearIndex::default();
    assert!(index.nearest(&Inline::text("A fern"), 70, 3).is_empty() && index.is_empty());
    index.add(&Inline::text("A fern by the pond"));
    index.add(&Inline::default());
    assert!(index.nearest(&Inline::text("12.50"), 70, 3).is_empty());
    assert!(index.nearest(&Inline::default(), 70, 3).is_empty());
    let found = index.nearest(&Inline::from_coded("A <1>fern</1> by a pond"), 70, 3);
    assert_eq!((found.len(), found[0].percent), (1, 76));
    assert_eq!(index.len(), 2);
}
