//! A unit of XLIFF that is being read: a tool may have cut it into segments.

use quick_xml::events::BytesStart;

use super::Returned;
use super::xml_read::attribute;
use crate::translate::{Inline, StageTold};

/// An attribute as it stands there, for words that have nothing to unescape.
pub(super) fn says<'a>(tag: &'a BytesStart<'_>, name: &str) -> Option<std::borrow::Cow<'a, str>> {
    let found = tag.attributes().with_checks(false).flatten().find(|attribute| attribute.key.as_ref() == name)?;
    Some(found.value)
}

#[derive(Default)]
pub(super) struct Unit {
    returned: Returned,
    /// Whether a segment lacks its translation.
    lacks: bool,
    /// What XLIFF 1.2 says of the unit as a whole.
    approved: Option<String>,
    has_segments: bool,
    /// The targets of its segments, each with the place at which it is read.
    targets: Vec<(u32, Inline)>,
    pub(super) segment: Segment,
    pub(super) size: usize,
}

#[derive(Default)]
pub(super) struct Segment {
    pub(super) source: Option<Inline>,
    pub(super) target: Option<Inline>,
    /// Whether it is the source that is being read.
    pub(super) in_source: bool,
    /// Whether it says that nobody has come to it.
    untouched: bool,
    is_ignorable: bool,
    stage: Option<StageTold>,
    /// At which place among the unit's its target is read.
    order: Option<u32>,
}

impl Unit {
    pub(super) fn begin(tag: &BytesStart<'_>, at: u64) -> Unit {
        let returned = Returned { id: attribute(tag, "id"), at, ..Returned::default() };
        Unit { returned, approved: attribute(tag, "approved"), ..Unit::default() }
    }

    /// A segment of XLIFF 2 begins.
    pub(super) fn begin_segment(&mut self, tag: &BytesStart<'_>, is_ignorable: bool) {
        let state = says(tag, "state");
        let untouched = state.as_deref().is_none_or(|state| state == "initial");
        let stage = StageTold::of_xliff2(state.as_deref(), says(tag, "subState").as_deref());
        self.segment = Segment { untouched, is_ignorable, stage, ..Segment::default() };
    }

    /// A target begins, which in XLIFF 1.2 says how far it is, and in XLIFF 2 where it is read.
    pub(super) fn begin_target(&mut self, tag: &BytesStart<'_>, is_of_unit: bool) {
        if !is_of_unit {
            self.segment.order = says(tag, "order").and_then(|order| order.parse().ok());
            return;
        }
        let (state, qualifier) = (says(tag, "state"), says(tag, "state-qualifier"));
        self.segment.untouched = matches!(state.as_deref(), Some("new" | "needs-translation"));
        self.segment.stage = StageTold::of_xliff1(state.as_deref(), qualifier.as_deref(), self.approved.as_deref());
    }

    /// A unit may have been cut into segments, which are read as one.
    pub(super) fn end_segment(&mut self) {
        let unit = self;
        let Segment { source, target, untouched, is_ignorable, stage, order, .. } = std::mem::take(&mut unit.segment);
        if !is_ignorable {
            unit.returned.stage = match std::mem::replace(&mut unit.has_segments, true) {
                false => stage,
                true => StageTold::lesser(unit.returned.stage.take(), stage),
            };
        }
        let source = source.unwrap_or_default();
        let target = match target {
            Some(target) if target.pieces().is_empty() && untouched => None,
            None if is_ignorable => Some(source.clone()),
            target => target,
        };
        add(&mut unit.returned.source, source);
        match target {
            None => unit.lacks = true,
            Some(target) => {
                let own = u32::try_from(unit.targets.len() + 1).unwrap_or(u32::MAX);
                unit.targets.push((order.unwrap_or(own), target));
            }
        }
    }

    /// What came back, once the unit ends.
    pub(super) fn returned(self, at: u64) -> Returned {
        let Unit { mut returned, lacks, mut targets, .. } = self;
        returned.at = at;
        if !lacks {
            // Segments may be read in another order in the target (XLIFF 2.1, `order`).
            targets.sort_by_key(|(order, _)| *order);
            targets.into_iter().for_each(|(_, target)| add(&mut returned.target, target));
        }
        returned
    }
}

/// Adds a segment to those before it.
fn add(into: &mut Option<Inline>, segment: Inline) {
    match into {
        None => *into = Some(segment),
        Some(before) => segment.pieces().iter().for_each(|piece| before.push(piece.clone())),
    }
}
