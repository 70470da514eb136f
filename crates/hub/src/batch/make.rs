//! Making a batch: texts that lack a translation become units. What is out already, or known from
//! before, is not sent.

mod made;

use std::collections::HashSet;

use diaporos_core::change::{Fingerprint, fingerprint_texts};
use diaporos_core::expr::is_true;
use diaporos_core::translate::{
    Band, Block, Inline, MemoryPair, NearMatch, TextKey, TextStructure, Unit, UnitContext, UnitId, UnitPlace,
    nearness_of, words,
};
use diaporos_core::value::LanguageTag;
use diaporos_store::{
    BatchStanding, NewText, OpenUnit, Origin, Store, StoreError, StoredEntry, Translation, UnitCount, UnitStanding,
    WantedLanguage,
};
use jiff::Timestamp;

use super::BatchError;
use super::complete::{joined, known_blocks, translation};
use super::machine::characters;
use super::near::NearMemory;
use super::texts::{Freshness, Texts, entries};
use crate::config::{Brief, BriefField};
use crate::look::{Glance, LookError, title, value_for};

pub use made::{Made, MakeOptions, Making};

/// Texts that are written to the store together.
const TOGETHER: usize = 500;
/// The most characters of a neighbour that a translator sees.
const SHOWN: usize = 200;

/// What an entry adds to a batch.
#[derive(Default)]
struct Share {
    texts: Vec<NewText>,
    values: Vec<Translation>,
    learnt: Vec<MemoryPair>,
}

/// Makes a batch for each carrier of the languages.
///
/// # Errors
/// Where the store fails, or a condition has no value; of that carrier there is no batch then.
pub fn make(
    store: &mut Store,
    library: &diaporos_core::expr::Library,
    brief: &Brief,
    options: &MakeOptions,
    now: Timestamp,
) -> Result<Made, BatchError> {
    let languages = if options.into.is_empty() { &brief.into } else { &options.into };
    let mut made = Made::default();
    for of_carrier in brief.by_carrier(languages) {
        let options = MakeOptions { into: of_carrier.into_iter().cloned().collect(), ..options.clone() };
        made.add(make_one(store, library, brief, &options, now)?);
    }
    Ok(made)
}

fn make_one(
    store: &mut Store,
    library: &diaporos_core::expr::Library,
    brief: &Brief,
    options: &MakeOptions,
    now: Timestamp,
) -> Result<Made, BatchError> {
    let languages = options.into.as_slice();
    let due = brief.due.and_then(|due| now.checked_add(due).ok());
    let started = if options.making == Making::DryRun {
        None
    } else {
        Some(store.begin_batch(&brief.name, (&brief.from, languages), due, now)?)
    };
    let (made, near) = (Made::default(), NearMemory::default());
    let mut maker = Maker { brief, languages, made, sent: HashSet::new(), near };
    // What is written meanwhile does not alter what is gone through.
    let listed = store.another()?;
    let glance = Glance { store: &listed, library, now };
    let (mut texts, mut values) = (Vec::new(), Vec::new());
    entries(glance, brief, |entry| {
        if !is_wanted(options, entry, glance)? {
            return Ok(());
        }
        // What was learnt of an entry before counts for those after it.
        let share = maker.share(store, entry, glance)?;
        let Some((batch, name)) = &started else { return Ok(()) };
        if !share.learnt.is_empty() {
            store.remember(&share.learnt, name, now)?;
        }
        if !share.values.is_empty() {
            values.push((entry.number, share.values));
        }
        texts.extend(share.texts);
        if texts.len() + values.len() >= TOGETHER {
            store.add_texts(*batch, &std::mem::take(&mut texts), now)?;
            maker.made.values += store.take_translations(*batch, &std::mem::take(&mut values), now)? as u64;
        }
        Ok(())
    })?;
    let mut made = Made { is_cut: maker.near.is_cut, ..maker.made };
    if let Some((batch, name)) = started {
        store.add_texts(batch, &texts, now)?;
        made.values += store.take_translations(batch, &values, now)? as u64;
        let finished = if options.making == Making::Sent { BatchStanding::Sending } else { BatchStanding::Made };
        // Values that came of what was known before belong to it, so it stays for them too.
        if store.finish_batch(batch, made.values > 0, finished)? {
            made.batches.extend(Some(name).filter(|_| !made.counts.is_empty()));
        }
    }
    Ok(made)
}

fn is_wanted(options: &MakeOptions, entry: &StoredEntry, glance: Glance<'_>) -> Result<bool, LookError> {
    let Some((condition, slots)) = &options.holds else { return Ok(true) };
    let value = value_for(condition, slots, &entry.row, glance)?;
    let address = entry.row.address.clone();
    is_true(&value).map_err(|message| LookError::Expression { address, message })
}

/// A field of an entry that is translated, cut into its blocks.
struct FieldText<'a> {
    name: &'a str,
    field: &'a BriefField,
    source: &'a str,
    structure: TextStructure,
}

/// Whether a block is with translators in another batch.
fn is_out(open: &[OpenUnit], field: &str, into: &LanguageTag, block: &Block) -> bool {
    let key = block.key();
    open.iter().any(|unit| {
        unit.field == field
            && unit.language == *into
            && unit.source == key.as_str()
            && matches!(unit.standing, UnitStanding::Out | UnitStanding::Pending | UnitStanding::Rejected)
    })
}

/// Where an entry is seen as it is read.
fn references(brief: &Brief, entry: &StoredEntry, glance: Glance<'_>) -> Result<Vec<(String, String)>, LookError> {
    let mut references = Vec::new();
    for (name, expression) in &brief.references {
        let value = value_for(&expression.program, &brief.slots, &entry.row, glance)?;
        let address = value.scalar_text().filter(|address| !address.trim().is_empty());
        references.extend(address.map(|address| (name.clone(), address.into_owned())));
    }
    Ok(references)
}

struct Maker<'a> {
    brief: &'a Brief,
    languages: &'a [LanguageTag],
    made: Made,
    /// What is in the batch, by language and text.
    sent: HashSet<Fingerprint>,
    near: NearMemory,
}

impl Maker<'_> {
    fn share(&mut self, store: &Store, entry: &StoredEntry, glance: Glance<'_>) -> Result<Share, BatchError> {
        let texts = Texts::new(store, self.brief, entry);
        let open = store.open_units(entry.number)?;
        let mut share = Share::default();
        for (name, field, source) in texts.sources() {
            // A text in which nothing can be translated, such as a name alone, is the same in any language.
            let text = FieldText { name, field, source, structure: texts.shape(field, source) };
            self.text(&texts, &text, &open, &mut share)?;
        }
        if !share.texts.is_empty() {
            let references = references(self.brief, entry, glance)?;
            share.texts.iter_mut().for_each(|text| text.unit.context.references.clone_from(&references));
            self.made.entries.insert(entry.number);
        }
        Ok(share)
    }

    /// One field of an entry, in all languages.
    fn text(
        &mut self,
        texts: &Texts<'_>,
        text: &FieldText<'_>,
        open: &[OpenUnit],
        share: &mut Share,
    ) -> Result<(), StoreError> {
        if let Some(fault) = text.structure.fault() {
            self.made.broken.push((texts.place(text.name), fault.to_owned()));
            return Ok(());
        }
        self.near.begin_text();
        let blocks = text.structure.blocks();
        let mut wanted: Vec<Vec<WantedLanguage>> = vec![Vec::new(); blocks.len()];
        for into in self.languages {
            let freshness = texts.freshness(text.name, text.source, into)?;
            if freshness == Freshness::Fresh {
                continue;
            }
            let earlier = earlier_blocks(self.brief, text.field, &freshness, &text.structure);
            let known = known_blocks(texts, (text.name, text.field), &text.structure, into)?;
            self.made.of_others.extend(known.of_others);
            let (mut known, is_own) = (known.targets, known.is_own);
            share.learnt.extend(self.kept_beside(texts, text, into, known.iter_mut().zip(&earlier)));
            if known.iter().all(Option::is_some)
                && let Some(value) = joined(self.brief, into, &text.structure, known.clone())
            {
                let of_language = blocks.iter().zip(&is_own).filter(|(block, _)| block.is_for(into));
                of_language.for_each(|(block, is_own)| self.carry(into, block, *is_own));
                share.values.push(translation(self.brief, text.name, into, text.source, value));
                continue;
            }
            let all = blocks.iter().zip(&mut wanted).zip(known.iter().zip(earlier)).enumerate();
            for (at, ((block, wanted), (known, earlier))) in all {
                if !block.is_for(into) {
                    continue;
                }
                if known.is_some() {
                    self.carry(into, block, is_own.get(at).copied().unwrap_or_default());
                } else if is_out(open, text.name, into, block) {
                    *self.made.out.entry(into.clone()).or_default() += 1;
                } else {
                    let near = self.near.matches((texts.store, self.brief), into, (at, block))?;
                    let wish = self.want(into, block, earlier, near);
                    if wish.origin != Origin::Repeated {
                        let characters = characters(texts.store, self.brief, block, (into, wish.percent))?;
                        *self.made.machine.entry(into.clone()).or_default() += characters;
                    }
                    wanted.push(wish);
                }
            }
        }
        for (at, languages) in wanted.into_iter().enumerate().filter(|(_, languages)| !languages.is_empty()) {
            share.texts.push(new_text(texts, text, at, languages));
        }
        Ok(())
    }

    /// A paragraph that did not change keeps the translation that stands beside it: fills it in, and gives
    /// the pairs that are learnt by that.
    fn kept_beside<'k>(
        &self,
        texts: &Texts<'_>,
        text: &FieldText<'_>,
        into: &LanguageTag,
        blocks: impl Iterator<Item = (&'k mut Option<Inline>, &'k Option<(Inline, Inline)>)>,
    ) -> Vec<MemoryPair> {
        let mut learnt = Vec::new();
        for (block, (known, earlier)) in text.structure.blocks().iter().zip(blocks) {
            let Some((said, target)) = earlier.as_ref().filter(|(said, _)| known.is_none() && *said == block.source)
            else {
                continue;
            };
            learnt.push(MemoryPair {
                from: self.brief.from.clone(),
                into: into.clone(),
                source: said.clone(),
                target: target.clone(),
                cases: block.cases.clone(),
                place: Some(texts.place(text.name)),
            });
            *known = Some(target.clone());
        }
        learnt
    }

    /// Counts a block whose translation is known.
    fn carry(&mut self, into: &LanguageTag, block: &Block, is_own: bool) {
        let carried = self.made.carried.entry(into.clone()).or_default();
        let of = if is_own { &mut carried.in_context } else { &mut carried.exact };
        *of = (of.0 + 1, of.1 + words(&block.source));
    }

    /// A block that goes out; the same text goes once.
    fn want(
        &mut self,
        into: &LanguageTag,
        block: &Block,
        earlier: Option<(Inline, Inline)>,
        near: Vec<NearMatch>,
    ) -> WantedLanguage {
        let before = earlier.as_ref().and_then(|(said, _)| nearness_of(&block.source, said, 70));
        let percent = near.first().map(|near| near.percent).max(before.map(|before| before.percent));
        let is_new = self.sent.insert(fingerprint_texts([into.as_str(), block.key().as_str()]));
        let origin = match (is_new, &earlier) {
            (false, _) => Origin::Repeated,
            (true, Some(_)) => Origin::Changed,
            (true, None) => Origin::New,
        };
        self.count(into, (origin, Band::of(percent)), words(&block.source));
        WantedLanguage { language: into.clone(), origin, earlier, near, percent }
    }

    fn count(&mut self, into: &LanguageTag, (origin, band): (Origin, Band), words: u64) {
        let counts = &mut self.made.counts;
        let is_alike = |count: &&mut UnitCount| count.language == *into && (count.origin, count.band) == (origin, band);
        match counts.iter_mut().find(is_alike) {
            Some(count) => {
                count.units += 1;
                count.words += words;
            }
            None => {
                counts.push(UnitCount {
                    language: into.clone(),
                    origin,
                    band,
                    standing: UnitStanding::Out,
                    units: 1,
                    words,
                });
            }
        }
    }
}

/// For each block what it said before, with its translation, where the text and its translation were
/// of one shape then: block stands beside block.
fn earlier_blocks(
    brief: &Brief,
    field: &BriefField,
    freshness: &Freshness,
    shape: &TextStructure,
) -> Vec<Option<(Inline, Inline)>> {
    let nothing = vec![None; shape.blocks().len()];
    let Freshness::Stale(Some(said), target) = freshness else { return nothing };
    let said = TextStructure::of(field.form, said, &brief.protected);
    let target = TextStructure::of(field.form, target, &brief.protected);
    if !said.is_like(&target) {
        return nothing;
    }
    let pairs: Vec<(TextKey, (Inline, Inline))> = said
        .blocks()
        .iter()
        .zip(target.blocks())
        .filter(|(said, target)| said.tags == target.tags)
        .map(|(said, target)| (said.key(), (said.source.clone(), target.source.clone())))
        .collect();
    let same_count = said.blocks().len() == shape.blocks().len() && pairs.len() == said.blocks().len();
    let of = |(at, block): (usize, &Block)| {
        let key = block.key();
        let unchanged = pairs.iter().find(|(said, _)| *said == key);
        // Of a block that is not the same as any, the one in its place is what it was.
        unchanged.or_else(|| pairs.get(at).filter(|_| same_count)).map(|(_, pair)| pair.clone())
    };
    shape.blocks().iter().enumerate().map(of).collect()
}

fn new_text(texts: &Texts<'_>, text: &FieldText<'_>, at: usize, languages: Vec<WantedLanguage>) -> NewText {
    let FieldText { name, field, structure, .. } = text;
    let blocks = structure.blocks();
    let block = &blocks[at];
    let number = u32::try_from(at + 1).unwrap_or(u32::MAX);
    let row = &texts.entry.row;
    let place = UnitPlace { address: row.address.clone(), field: (*name).to_owned(), block: number };
    let neighbour = |at: Option<usize>| {
        let text = blocks.get(at?)?.source.plain().into_owned();
        Some(diaporos_core::text::shorten(&text, SHOWN, diaporos_core::text::Cut::Words))
    };
    let context = UnitContext {
        entry: row.address.to_string(),
        title: title(&row.fields).map(str::to_owned),
        within: if blocks.len() == 1 { (*name).to_owned() } else { format!("{name}, {}", block.within) },
        before: neighbour(at.checked_sub(1)),
        after: neighbour(Some(at + 1)),
        cases: block.cases.clone(),
        limit: field.limit,
        references: Vec::new(),
        notes: texts.brief.notes.iter().chain(&field.note).cloned().collect(),
        earlier: None,
        near: Vec::new(),
        machine: None,
    };
    NewText {
        entry: texts.entry.number,
        version: row.version,
        field: (*name).to_owned(),
        block: number,
        words: words(&block.source),
        unit: Unit {
            id: UnitId::of(&place),
            name: place.to_string(),
            source: block.source.clone(),
            tags: block.tags.clone(),
            context,
        },
        languages,
    }
}
