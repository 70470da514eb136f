//! Near matches: texts of the memory that are nearly the same, found by the letters that they share
//! (overlap of three letters in a row; Ukkonen, "Approximate string-matching with q-grams", 1992), and
//! ranked by what they differ in.

mod measure;

use std::cmp::Reverse;
use std::collections::HashMap;

use serde::{Deserialize, Serialize};

use super::Inline;
use measure::Measured;

pub use measure::Difference;

/// How many texts are measured for one that is looked for.
const MEASURED: usize = 64;
/// How many places of letters are looked up for one text: those that few texts have come first.
const LOOKED_UP: usize = 250_000;
/// Longer texts are looked for by their beginning alone.
const LONGEST: usize = 4_000;

/// How near the nearest known text is to one that is sent.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Default)]
pub enum Band {
    /// Nothing is near.
    #[default]
    New,
    /// 70 to 84 %.
    From70,
    /// 85 to 94 %.
    From85,
    /// 95 % and more.
    From95,
}

impl Band {
    /// Every band with its word.
    pub const WORDS: [(&str, Band); 4] =
        [("new", Band::New), ("near_70", Band::From70), ("near_85", Band::From85), ("near_95", Band::From95)];

    /// The band of a percentage.
    #[must_use]
    pub fn of(percent: Option<u8>) -> Band {
        match percent {
            Some(95..) => Band::From95,
            Some(85..) => Band::From85,
            Some(70..) => Band::From70,
            _ => Band::New,
        }
    }
}

/// A text that is nearly the same, with its translation.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct NearMatch {
    /// The text.
    pub source: Inline,
    /// Its translation.
    pub target: Inline,
    /// How near it is, in percent.
    pub percent: u8,
    /// In what it differs.
    pub differs: Vec<Difference>,
    /// Where it comes from.
    pub origin: String,
}

/// A text that is nearly the same.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct NearText {
    /// The text.
    pub source: Inline,
    /// How near it is, in percent.
    pub percent: u8,
    /// In what it differs.
    pub differs: Vec<Difference>,
}

/// Texts that can be found by others that are nearly the same.
#[derive(Debug, Default)]
pub struct NearIndex {
    /// The texts, as they are coded.
    texts: Vec<Box<str>>,
    /// How many different groups of letters each has.
    sizes: Vec<u16>,
    by_letters: HashMap<u64, Vec<u32>>,
    /// How many groups each has in common with the one that is looked for; all nought between.
    shared: Vec<u16>,
}

/// The groups of three letters of a text, without tags, with every digit as nought.
fn letters(text: &Inline) -> Vec<u64> {
    let plain = text.plain();
    let normal = plain.chars().take(LONGEST).flat_map(char::to_lowercase);
    let normal =
        normal.map(|c| if c.is_numeric() { '0' } else { c }).filter(|c| c.is_alphanumeric() || c.is_whitespace());
    let mut padded = vec![' ', ' '];
    for c in normal {
        let c = if c.is_whitespace() { ' ' } else { c };
        if c != ' ' || padded.last() != Some(&' ') {
            padded.push(c);
        }
    }
    padded.push(' ');
    let mut groups: Vec<u64> = padded
        .windows(3)
        .map(|three| three.iter().fold(0, |group, c| (group << 21) | u64::from(u32::from(*c))))
        .collect();
    groups.sort_unstable();
    groups.dedup();
    groups
}

/// How near two texts are, in percent; none where it is less than `least`, or they are the same.
#[must_use]
pub fn nearness_of(one: &Inline, other: &Inline, least: u8) -> Option<NearText> {
    near(&Measured::of(one), one, other.clone(), least)
}

fn near(wanted: &Measured, text: &Inline, source: Inline, least: u8) -> Option<NearText> {
    let measured = Measured::of(&source);
    let percent = wanted.percent(&measured, least)?;
    // What is not the very same is no whole match, however little it differs.
    let percent = if source == *text { 100 } else { percent.min(99) };
    Some(NearText { percent, differs: wanted.differences(&measured), source })
}

impl NearIndex {
    /// Takes in a text, once.
    pub fn add(&mut self, source: &Inline) {
        let groups = letters(source);
        let number = u32::try_from(self.texts.len()).unwrap_or(u32::MAX);
        for group in &groups {
            self.by_letters.entry(*group).or_default().push(number);
        }
        self.sizes.push(u16::try_from(groups.len()).unwrap_or(u16::MAX));
        self.texts.push(source.coded().into_boxed_str());
        self.shared.push(0);
    }

    /// How many texts there are.
    #[must_use]
    pub fn len(&self) -> usize {
        self.texts.len()
    }

    /// Whether there are none.
    #[must_use]
    pub fn is_empty(&self) -> bool {
        self.texts.is_empty()
    }

    /// The texts that are at least so near, in percent, the nearest first.
    pub fn nearest(&mut self, text: &Inline, least: u8, most: usize) -> Vec<NearText> {
        let mut found = self.likely(text);
        let wanted = Measured::of(text);
        let mut near: Vec<NearText> = found
            .drain(..)
            .filter_map(|number| {
                let source = Inline::from_coded(self.texts.get(number as usize)?);
                near(&wanted, text, source, least)
            })
            .collect();
        near.sort_by_key(|near| Reverse(near.percent));
        near.truncate(most);
        near
    }

    /// The texts that have most letters in common.
    fn likely(&mut self, text: &Inline) -> Vec<u32> {
        let groups = letters(text);
        let mut places: Vec<&Vec<u32>> = groups.iter().filter_map(|group| self.by_letters.get(group)).collect();
        places.sort_by_key(|places| places.len());
        let (mut looked_up, mut used) = (0, 0_usize);
        let mut touched = Vec::new();
        for texts in places {
            // The rarest are looked up whatever they cost: without them nothing would be found.
            if used >= 3 && looked_up + texts.len() > LOOKED_UP {
                break;
            }
            used += 1;
            looked_up += texts.len();
            for number in texts {
                let Some(shared) = self.shared.get_mut(*number as usize) else { continue };
                if *shared == 0 {
                    touched.push(*number);
                }
                *shared += 1;
            }
        }
        let missing = groups.len() - used.min(groups.len());
        let mut likely: Vec<(u32, u32)> = Vec::with_capacity(touched.len());
        for number in touched {
            let at = number as usize;
            let shared = self.shared.get_mut(at).map_or(0, std::mem::take);
            let size = self.sizes.get(at).copied().unwrap_or_default();
            // Of the groups that were not looked up, it is taken to have as many as of the others.
            let longer = usize::from(size).max(groups.len()).max(1);
            let estimated = usize::from(shared) * (used + missing) / used.max(1);
            likely.push((u32::try_from(estimated * 10_000 / longer).unwrap_or(u32::MAX), number));
        }
        likely.retain(|(estimate, _)| *estimate > 2_500);
        if likely.len() > MEASURED {
            likely.select_nth_unstable_by_key(MEASURED, |(estimate, _)| Reverse(*estimate));
            likely.truncate(MEASURED);
        }
        likely.into_iter().map(|(_, number)| number).collect()
    }
}

#[cfg(test)]
mod tests;
