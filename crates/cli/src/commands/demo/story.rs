//! The steps of the demo: a reason, a change in the world, a command.

use diaporos_demo::{Fault, Rule, Slip, World};
use serde_json::json;

/// One step.
pub(super) struct Step {
    /// Why it is shown.
    pub(super) why: &'static str,
    /// What happens in the world before.
    pub(super) before: fn(&World),
    /// The command, as typed after `diaporos`.
    pub(super) command: &'static str,
    /// How it ends.
    pub(super) ending: Ending,
}

/// How a step's command ends.
#[derive(Clone, Copy, PartialEq, Eq)]
pub(super) enum Ending {
    /// By itself, with this exit code.
    Code(i32),
    /// Killed between the site's write and its answer.
    Killed,
}

pub(super) const fn step(why: &'static str, command: &'static str, code: i32) -> Step {
    Step { why, before: |_| {}, command, ending: Ending::Code(code) }
}

pub(super) const fn after(before: fn(&World), why: &'static str, command: &'static str, code: i32) -> Step {
    Step { why, before, command, ending: Ending::Code(code) }
}

pub(super) const STORY: &[Step] = &[
    step("The whole configuration is read, and every fault in it would be named.", "check", 0),
    step("Two feeds and a content platform in three languages are taken in.", "pull", 0),
    step("Pull again: every entry is as it was.", "pull", 0),
    step("What came in.", "entries --type plant-profile --most 6", 0),
    step(
        "One entry becomes a row per language on the site, which has other names for everything.",
        "preview profiles catalogue/plant-profile/p-002",
        0,
    ),
    step("The plan of a push: what would be sent, and why. Nothing is.", "push news --dry-run", 3),
    step("The push. A page that the site had already is adopted, not doubled; what cannot go is held.", "push", 3),
    step("Push again: nothing is sent.", "push", 3),
    step("What is held, why, and what to do.", "holds", 0),
    after(
        |world| {
            world.plants.edit("p-002", &json!({ "latin_name": "Asplenium scolopendrium", "habitat": "shaded wall" }));
        },
        "An editor moves the hart's-tongue to another habitat.",
        "pull catalogue",
        0,
    ),
    after(
        |world| world.visitor_site.fail(Rule::once(Fault::LoseAnswer, "PATCH")),
        "Only that is sent. The site writes it and drops the connection: the answer is lost, not the work.",
        "push profiles",
        3,
    ),
    after(
        |world| {
            world.plants.edit("p-003", &json!({ "habitat": "stream bank" }));
            world.plants.set_status("p-004", "retired");
        },
        "One plant moves, another is retired at the source.",
        "pull catalogue",
        0,
    ),
    Step {
        why: "A push is killed after the site wrote, before we knew.",
        before: |_| {},
        command: "push profiles",
        ending: Ending::Killed,
    },
    step("The next push asks the site what was done, and sends only the rest.", "push profiles", 3),
    after(
        |world| {
            for page in world.pages.with_slug("bog-myrtle") {
                world.pages.edit(page["id"].as_u64().unwrap_or_default(), &json!({ "teaser": "Smells of resin." }));
            }
            if let Some(id) = world.pages.with_slug("royal-fern").first().and_then(|page| page["id"].as_u64()) {
                world.pages.lock(id, "Nia Parry", "2026-05-01T10:00:00Z");
            }
            world.plants.edit("p-001", &json!({ "habitat": "old wall" }));
            world.plants.edit("p-007", &json!({ "habitat": "old wall" }));
        },
        "At the site an editor rewrites one page and has another open; both change at the source too.",
        "pull catalogue",
        0,
    ),
    step(
        "What only they changed stays, what only we changed goes, and nobody's lock is broken.",
        "push profiles --verify",
        3,
    ),
    after(
        |world| {
            world.bulletins.fail(Rule {
                path: Some("fernhollow".to_owned()),
                times: Some(1),
                ..Rule::always(Fault::Html)
            });
        },
        "A feed answers with a page of HTML: told, and nothing is taken for gone.",
        "pull bulletins",
        3,
    ),
    step("Well again: the next pull repairs all.", "pull bulletins", 0),
    after(
        |world| {
            let ferns = "<p>Undivided fronds, glossy as wet leather, on the shaded wall below the old mill.</p>\
                <p>Wardens count its <em>312 plants</em> each spring.</p>";
            world.plants.edit_text("p-002", "description", "eng", ferns);
            let grass = "<p>White plumes in May and June tell walkers where not to tread.</p>";
            world.plants.edit_text("p-010", "description", "eng", grass);
        },
        "An editor adds a paragraph to one English text and mends another. Their French and Welsh are out of date.",
        "pull catalogue",
        0,
    ),
    step("What is translated, and what is not.", "batch coverage", 0),
    step(
        "Only what lacks a translation becomes a batch: the paragraph that did not change keeps the one it has.",
        "batch make plants",
        0,
    ),
    after(
        |world| world.agency.fail(Rule { path: Some("/orders".to_owned()), ..Rule::once(Fault::LoseAnswer, "POST") }),
        "The batch goes to the agency. The answer to the order is lost; nothing is ordered twice.",
        "batch send plants-1",
        0,
    ),
    after(|world| world.translators.work(60), "How far the translators are.", "batch progress", 0),
    after(
        |world| {
            world.translators.work(100);
            world.translators.spoil(Slip::AltersNumber, "312 plants", Some("fr"));
            world.translators.spoil(Slip::Copies, "Its label", Some("cy"));
        },
        "All is back, and two units are faulty. They are named; the good ones go on.",
        "batch collect",
        3,
    ),
    step("What goes back to the translators, with the reasons.", "batch reject-note plants-1 --in handover", 0),
    after(|world| world.translators.mend(), "They mend it.", "batch collect", 0),
    step("The French and Welsh pages go live by the ordinary push.", "push profiles", 3),
    step("All is translated.", "batch coverage", 0),
    step("How the entries of each lane stand.", "status", 0),
    step("What was sent, last of all.", "ledger --most 8", 0),
];
