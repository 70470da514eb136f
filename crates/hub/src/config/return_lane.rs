//! The lane on which a brief's translations go back to where their texts came from.

use diaporos_core::change::MergePolicies;
use diaporos_core::diagnostic::{Code, Diagnostic, Report};
use diaporos_core::expr::{KnownFields, Slots, compile, parse};
use diaporos_core::lane::{Documents, FieldExpression, Lane, ReferencePolicy, Target};
use diaporos_core::model::Model;
use diaporos_core::plan::GonePolicy;
use diaporos_core::settings::Section;
use diaporos_core::value::LaneName;
use indexmap::IndexMap;

use super::ends::Around;
use super::pushed::{ByHand, Pushed, Pushing};
use super::{Back, Brief, ConfiguredLane};

/// Adds the lane of a brief.
pub(super) fn add_return(
    file: &Section<'_>,
    brief: &Brief,
    around: &Around<'_>,
    lanes: &mut IndexMap<LaneName, ConfiguredLane>,
    report: &mut Report,
) {
    if brief.back == Back::Lanes {
        return;
    }
    // Without a way to write it, which was said, there is no lane.
    let profile = around.systems.get(&brief.of.system).and_then(Option::as_ref).and_then(|system| system.profile());
    let (Some(profile), Ok(name)) = (profile, LaneName::new(format!("{}-back", brief.name))) else { return };
    let Some(target) = profile.target(&brief.of.kind) else { return };
    let fault = if target.documents != Documents::One {
        let message = format!(
            "`{}` has a document per language, and translations go back into the one that they are of",
            brief.of
        );
        Some((message, "say `back = \"lanes\"`, and map a lane to the other languages"))
    } else if lanes.contains_key(&name) {
        let message =
            format!("`{name}` is the lane on which the brief's translations go back, and there is one of that name");
        Some((message, "give the lane another name"))
    } else {
        None
    };
    if let Some((message, help)) = fault {
        let span = file.place(&["briefs", &brief.name]).unwrap_or_default();
        report.add(Diagnostic::error(Code::Lane, span, message).help(help));
        return;
    }
    if let Some(lane) = returning(name.clone(), brief, (profile.model(), target), around) {
        lanes.insert(name, lane);
    }
}

/// A lane that maps each field of the brief to itself.
fn returning(
    name: LaneName,
    brief: &Brief,
    (model, target): (&Model, Target),
    around: &Around<'_>,
) -> Option<ConfiguredLane> {
    let mut slots = Slots::default();
    let field = |name: &String| {
        let tree = parse(name).or_else(|_| parse(&format!("`{name}`"))).ok()?;
        let known = KnownFields { model, kind: &brief.of.kind };
        let (program, _) = compile(&tree, Some(known), around.library, &mut slots);
        Some((name.clone(), FieldExpression { text: name.clone(), tree, program: program? }))
    };
    let fields = brief.fields.keys().map(field).collect::<Option<IndexMap<_, _>>>()?;
    let lane = Lane {
        name: name.clone(),
        from: brief.of.clone(),
        to: brief.of.clone(),
        key: None,
        language: None,
        when: None,
        require: Vec::new(),
        protect: Vec::new(),
        gone: GonePolicy::Keep,
        changed_there: MergePolicies::default(),
        references: ReferencePolicy::default(),
        fields,
        defaults: IndexMap::new(),
        slots,
        library: around.library.clone(),
    };
    let pushing = Pushing { when: Pushed::AfterPull, by_hand: ByHand::Allowed };
    let configured = ConfiguredLane::of(lane, (target, model.clone()), pushing, around.now);
    Some(ConfiguredLane { siblings: vec![name], returns: Some(brief.into.clone()), ..configured })
}
