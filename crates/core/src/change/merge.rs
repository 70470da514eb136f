//! Merging three ways: what was delivered, what is to be delivered, and what is there now.
//!
//! What only they changed stays, what only we changed goes, and what both changed is a conflict,
//! unless a policy says whose it is. Lists are merged by their items, localised values language by
//! language; anything else, rich text too, is taken whole.

use std::collections::BTreeMap;

use super::alike;
use super::list_merge::items;
use super::policy::{MergePolicies, MergePolicy};
use crate::value::{Localised, Record, Value};

/// A field whose value there is known to be another than what we delivered.
#[derive(Debug, Clone, PartialEq)]
pub enum Divergence {
    /// The destination's own way of storing ours.
    Stored(Value),
    /// Somebody else's, which stands.
    Kept(Value),
}

impl Divergence {
    /// The value that is there.
    #[must_use]
    pub fn value(&self) -> &Value {
        match self {
            Divergence::Stored(value) | Divergence::Kept(value) => value,
        }
    }
}

/// The fields of a document that are apart from what we delivered.
pub type Divergences = BTreeMap<String, Divergence>;

/// What was last delivered, and what was there after it.
#[derive(Debug, Clone, Copy)]
pub struct Base<'a> {
    /// What was delivered.
    pub delivered: &'a Record,
    /// Where what was there is known to be something else.
    pub divergences: &'a Divergences,
}

/// What a merge comes to.
#[derive(Debug, Clone, PartialEq, Default)]
pub struct Merge {
    /// What is to be written: ours and what was merged, without what stays theirs.
    pub fields: Record,
    /// What will be apart from ours after that.
    pub divergences: Divergences,
    /// Whether anything is not there yet.
    pub owes: bool,
    /// Fields that both sides changed and no policy decides.
    pub conflicts: Vec<String>,
    /// Fields that somebody else changed since it was last looked at.
    pub drifted: Vec<String>,
}

/// Merges what is to be there with what is there now, field by field of ours; what we do not map is
/// not looked at. `untouched` says that the destination's version is the one that we wrote, so that
/// what differs is its own way of storing ours.
#[must_use]
pub fn merge(base: Base<'_>, ours: &Record, now: &Record, untouched: bool, policies: &MergePolicies) -> Merge {
    let mut merge = Merge::default();
    for (name, ours) in ours {
        let null = Value::Null;
        let field = Field {
            base: base.delivered.get(name),
            divergences: base.divergences.get(name),
            ours,
            now: now.get(name).unwrap_or(&null),
            untouched,
            policy: policies.of(name),
        };
        if field.they_changed() {
            merge.drifted.push(name.clone());
        }
        match field.side() {
            Side::Agreed => drop(merge.fields.insert(name.clone(), ours.clone())),
            Side::Ours => {
                merge.owes = true;
                merge.fields.insert(name.clone(), ours.clone());
            }
            Side::Stored => {
                merge.fields.insert(name.clone(), ours.clone());
                merge.divergences.insert(name.clone(), Divergence::Stored(field.now.clone()));
            }
            Side::Theirs => drop(merge.divergences.insert(name.clone(), Divergence::Kept(field.now.clone()))),
            Side::Both(value) => {
                merge.owes |= !same(&value, field.now);
                merge.divergences.insert(name.clone(), Divergence::Kept(value.clone()));
                merge.fields.insert(name.clone(), value);
            }
            Side::Conflict => merge.conflicts.push(name.clone()),
        }
    }
    merge
}

/// What merges with a document start from that was there before us: that nothing of ours ever was.
#[must_use]
pub fn found_base(ours: &Record) -> Record {
    let nothing = |value: &Value| match value {
        Value::Localised(_) => Value::Localised(Localised::new()),
        _ => Value::Null,
    };
    ours.iter().map(|(name, value)| (name.clone(), nothing(value))).collect()
}

/// Merges with a document that was there before us, by our key. What it lacks is ours to fill in; what
/// differs is theirs until a person or a policy says otherwise; what says the same is ours in their form.
#[must_use]
pub fn merge_found(ours: &Record, now: &Record, policies: &MergePolicies) -> Merge {
    let (base, none) = (found_base(ours), Divergences::new());
    let mut merge = merge(Base { delivered: &base, divergences: &none }, ours, now, false, &policies.when_adopting());
    let is_form = |name: &String| alike(ours.get(name).unwrap_or(&Value::Null), now.get(name).unwrap_or(&Value::Null));
    let (forms, conflicts) = merge.conflicts.into_iter().partition(is_form);
    merge.conflicts = conflicts;
    for name in Vec::<String>::into_iter(forms) {
        let (ours, theirs) = (ours.get(&name).cloned(), now.get(&name).cloned());
        merge.divergences.insert(name.clone(), Divergence::Stored(theirs.unwrap_or_default()));
        merge.fields.insert(name, ours.unwrap_or_default());
    }
    let stays = |(_, divergences): &(&String, &Divergence)| matches!(divergences, Divergence::Kept(_));
    merge.drifted = merge.divergences.iter().filter(stays).map(|(name, _)| name.clone()).collect();
    merge
}

/// One field with all that decides about it.
struct Field<'a> {
    base: Option<&'a Value>,
    divergences: Option<&'a Divergence>,
    ours: &'a Value,
    now: &'a Value,
    untouched: bool,
    policy: MergePolicy,
}

enum Side {
    /// It is there as ours.
    Agreed,
    /// Ours is to be written.
    Ours,
    /// It is there, in the destination's own spelling.
    Stored,
    /// Theirs stays.
    Theirs,
    /// Something of each.
    Both(Value),
    /// Nobody can tell.
    Conflict,
}

impl Field<'_> {
    fn they_changed(&self) -> bool {
        // A field that the lane did not map before is ours from now on.
        let Some(base) = self.base else { return false };
        !self.untouched && !same(self.now, self.divergences.map_or(base, Divergence::value))
    }

    fn side(&self) -> Side {
        if same(self.now, self.ours) {
            return Side::Agreed;
        }
        let we_changed = self.base.is_none_or(|base| !same(base, self.ours));
        let they_changed = self.they_changed() || matches!(self.divergences, Some(Divergence::Kept(_)));
        match (we_changed, they_changed, self.policy) {
            (false, false, _) => Side::Stored,
            (true, false, _) | (_, true, MergePolicy::Ours) => Side::Ours,
            (_, true, MergePolicy::Theirs) | (false, true, MergePolicy::Hold) => Side::Theirs,
            (true, true, MergePolicy::Hold) => self.base.map_or(Side::Conflict, |base| {
                let stored = self.divergences.filter(|of| matches!(of, Divergence::Stored(_)));
                let there = stored.map_or(base, Divergence::value);
                both((base, there), self.ours, self.now).map_or(Side::Conflict, Side::Both)
            }),
        }
    }
}

/// A missing field is null.
fn same(a: &Value, b: &Value) -> bool {
    a == b || (a.is_null() && b.is_null())
}

/// A value with the changes of both sides, where they do not meet. `there` is what was there after `base` was
/// delivered.
fn both((base, there): (&Value, &Value), ours: &Value, theirs: &Value) -> Option<Value> {
    match (base, ours, theirs) {
        _ if same(ours, theirs) || same(base, theirs) => Some(ours.clone()),
        _ if same(base, ours) => Some(theirs.clone()),
        (Value::List(base), Value::List(ours), Value::List(theirs)) => {
            let there = if let Value::List(there) = there { there } else { base };
            items((base, there), ours, theirs).map(Value::List)
        }
        (Value::Localised(base), Value::Localised(ours), Value::Localised(theirs)) => {
            let null = Value::Null;
            let mut merged = Localised::new();
            for tag in ours.keys().chain(theirs.keys()) {
                let of = |side: &Localised| side.get(tag).unwrap_or(&null).clone();
                let there = if let Value::Localised(there) = there { of(there) } else { of(base) };
                let value = both((&of(base), &there), &of(ours), &of(theirs))?;
                if !value.is_null() {
                    merged.insert(tag.clone(), value);
                }
            }
            Some(Value::Localised(merged))
        }
        _ => None,
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::value::from_stored;
    use crate::value::tests::any_value;
    use proptest::prelude::*;
    use serde_json::json;

    fn field(value: Option<Value>) -> Record {
        value.into_iter().map(|value| ("f".to_owned(), value)).collect()
    }

    fn outcome(merge: &Merge) -> &'static str {
        match (merge.conflicts.is_empty(), merge.owes, merge.divergences.get("f")) {
            (false, ..) => "conflict",
            (_, true, None) => "ours goes",
            (_, true, Some(_)) => "both go",
            (_, false, None) => "as it is",
            (_, false, Some(Divergence::Kept(_))) => "theirs stays",
            (_, false, Some(Divergence::Stored(_))) => "their spelling",
        }
    }

    /// Every pattern of equal and different among what was delivered, ours and theirs, under every
    /// policy and every kind of knowledge about what was there.
    #[test]
    fn every_pattern() {
        let text = |word: &str| (word != "-").then(|| Value::from(word));
        let mut table = String::new();
        for (base, ours, now) in
            ["aaa", "aab", "aba", "abb", "abc", "-aa", "-ab", "a-a", "aa-", "ab-", "--a"].map(|row| {
                let cell = |at: usize| row.get(at..=at).unwrap_or_default();
                (cell(0), cell(1), cell(2))
            })
        {
            let divergences = |kept: Option<bool>| -> Divergences {
                let value = Value::from(now);
                kept.map(|kept| {
                    ("f".to_owned(), if kept { Divergence::Kept(value) } else { Divergence::Stored(value) })
                })
                .into_iter()
                .collect()
            };
            for (known, untouched, word) in [
                (divergences(None), false, "-"),
                (divergences(None), true, "untouched"),
                (divergences(Some(false)), false, "stored so"),
                (divergences(Some(true)), false, "kept"),
            ] {
                let delivered = field(text(base));
                // A lane that maps a field without a value says so with null.
                let ours_now = field(Some(text(ours).unwrap_or_default()));
                let cells = MergePolicy::WORDS.map(|(_, otherwise)| {
                    let policies = MergePolicies { otherwise, ..MergePolicies::default() };
                    let base = Base { delivered: &delivered, divergences: &known };
                    outcome(&merge(base, &ours_now, &field(text(now)), untouched, &policies))
                });
                table += &format!("{base} {ours} {now} {word:9} | {}\n", cells.join(" | "));
            }
        }
        insta::assert_snapshot!(table);
    }

    #[test]
    fn what_was_there_before_us_is_theirs_till_somebody_says_otherwise() {
        let of = |json| match from_stored(json).unwrap() {
            Value::Record(record) => record,
            other => panic!("{other:?}"),
        };
        let ours = of(json!({
            "slug": "fern", "heading": "Fern", "teaser": "Tall & green", "body": "new", "section": null,
            "names": { "@languages": { "en": "Fern", "fr": "Fougère" } },
        }));
        let now = of(json!({
            "slug": "fern", "heading": "Old fern", "teaser": "Tall &amp; green ", "body": null, "section": "Woods",
            "names": { "@languages": { "en": "Fern", "cy": "Rhedyn" } },
        }));
        let merged = |on_adopt| merge_found(&ours, &now, &MergePolicies { on_adopt, ..MergePolicies::default() });
        let held = merged(MergePolicy::Hold);
        assert_eq!(held.conflicts, ["heading"]);
        assert_eq!(held.divergences["teaser"], Divergence::Stored("Tall &amp; green ".into()), "ours in their form");
        assert_eq!((held.fields.get("body"), held.owes), (Some(&"new".into()), true), "what is lacking is filled in");
        assert_eq!(held.divergences["section"], Divergence::Kept("Woods".into()));
        let names = of(json!({ "n": { "@languages": { "en": "Fern", "fr": "Fougère", "cy": "Rhedyn" } } }));
        assert_eq!(held.fields["names"], names["n"], "languages one by one");
        let all_ours = merged(MergePolicy::Ours);
        assert!(all_ours.conflicts.is_empty() && all_ours.fields["heading"] == "Fern".into());
        let theirs = merged(MergePolicy::Theirs);
        assert_eq!((theirs.fields.get("heading"), theirs.conflicts.len()), (None, 0));
        let same = merge_found(&ours, &ours, &MergePolicies::default());
        assert!(!same.owes && same.divergences.is_empty() && same.conflicts.is_empty() && same.drifted.is_empty());
    }

    #[test]
    fn lists_by_items_and_languages_one_by_one() {
        let of = |json| from_stored(json).unwrap();
        for (base, ours, theirs, expected) in [
            (json!(["a", "b"]), json!(["a", "b", "c"]), json!(["b", "d"]), Some(json!(["b", "c", "d"]))),
            (json!(["a"]), json!([]), json!(["a", "b"]), Some(json!(["b"]))),
            (json!(["a", "a"]), json!(["a"]), json!(["a", "a", "b"]), Some(json!(["a", "b"]))),
            (json!([]), json!(["a"]), json!(["a"]), Some(json!(["a"]))),
            // Theirs moved, ours put in and took out: their order, each of ours after the one before it.
            (json!(["a", "b", "c"]), json!(["a", "x", "b"]), json!(["c", "b", "a"]), Some(json!(["b", "a", "x"]))),
            (json!(["a", "b"]), json!(["x", "a", "b"]), json!(["b", "a"]), Some(json!(["x", "b", "a"]))),
            // Ours moved, theirs put in: our order, theirs at the end.
            (json!(["a", "b"]), json!(["b", "a"]), json!(["a", "b", "x"]), Some(json!(["b", "a", "x"]))),
            // Both moved: the same way, and not.
            (
                json!(["a", "b", "c"]),
                json!(["c", "b", "a"]),
                json!(["c", "b", "a", "x"]),
                Some(json!(["c", "b", "a", "x"])),
            ),
            (json!(["a", "b", "c"]), json!(["b", "a", "c"]), json!(["a", "c", "b"]), None),
            (
                json!({ "@languages": { "en": "Fern", "cy": "Rhedyn" } }),
                json!({ "@languages": { "en": "Tall fern", "cy": "Rhedyn" } }),
                json!({ "@languages": { "en": "Fern", "cy": "Rhedynen" } }),
                Some(json!({ "@languages": { "en": "Tall fern", "cy": "Rhedynen" } })),
            ),
            (
                json!({ "@languages": { "en": "Fern" } }),
                json!({ "@languages": { "en": "Tall fern" } }),
                json!({ "@languages": { "en": "Old fern" } }),
                None,
            ),
            (json!("<p>a</p>"), json!("<p>a b</p>"), json!("<p>c a</p>"), None),
        ] {
            let base = of(base);
            assert_eq!(both((&base, &base), &of(ours), &of(theirs)), expected.map(of));
        }
    }

    proptest! {
        #[test]
        fn what_one_side_alone_changed_is_never_lost(base in any_value(), other in any_value()) {
            let policies = MergePolicies::default();
            let (delivered, divergences) = (field(Some(base.clone())), Divergences::new());
            let base = Base { delivered: &delivered, divergences: &divergences };
            let ours = merge(base, &field(Some(other.clone())), &delivered, false, &policies);
            prop_assert_eq!(ours.conflicts.len(), 0);
            prop_assert_eq!(ours.fields.get("f"), Some(&other));
            let theirs = merge(base, &delivered, &field(Some(other.clone())), false, &policies);
            prop_assert!(theirs.conflicts.is_empty() && !theirs.owes);
            if !same(&other, &delivered["f"]) {
                prop_assert_eq!(theirs.fields.get("f"), None);
                prop_assert_eq!(theirs.divergences.get("f").map(Divergence::value), Some(&other));
            }
        }
    }
}
