//! The story of a launch: on a copy of the demo's hub that makes the visitor guide besides.

use std::io::Write;
use std::path::Path;

use diaporos_demo::{World, add_guide, write_hub};
use diaporos_hub::config::store_file;
use diaporos_store::{Store, StorePlace};

use super::act;
use super::story::{Step, after, step};
use crate::error::Failure;
use crate::output::out;

const LONG: &str =
    "Sundew of the upper bog, which the wardens of Highmoss counted three times in the wet spring of that year";

const LAUNCH: &[Step] = &[
    after(
        |world| world.plants.photograph(&world.catalogue.url()),
        "The catalogue has photographs now, and the hub a visitor guide: static pages, with a menu and a front page.",
        "pull catalogue",
        0,
    ),
    step("Pages, pictures, feeds: what the site has already, the guide gets now.", "push guide", 3),
    step(
        "The screens in the gardens have a database of documents; a service in between gives each its tags, in each language.",
        "push kiosk",
        0,
    ),
    step("The front page fills itself with what is on view there.", "list show season", 0),
    step("The menu, and how each entry in it stands.", "outline show menu", 0),
    after(
        |world| {
            world.plants.edit_text("p-009", "common_name", "eng", "Spring Sphagnum");
            world.plants.edit_text("p-011", "common_name", "eng", "Spring Anemone");
            world.plants.edit_text("p-008", "common_name", "eng", LONG);
        },
        "Spring is to be launched as one, on the site and in the guide: nothing of it may go before its hour.",
        "slate new spring --keep-back --lane profiles --lane guide",
        0,
    ),
    step("What they wrote comes in.", "pull catalogue", 0),
    step(
        "Three plants are put together.",
        "slate add spring catalogue/plant-profile/p-009 catalogue/plant-profile/p-008 catalogue/plant-profile/p-011",
        0,
    ),
    step("An ordinary push leaves them alone, and says so.", "push profiles guide", 3),
    step("The whole set is judged: one name is too long, for both outputs.", "slate check spring", 3),
    after(
        |world| world.plants.edit_text("p-008", "common_name", "eng", "Spring Sundew"),
        "It is mended at the source.",
        "pull catalogue",
        0,
    ),
    step("And noted anew.", "slate add spring catalogue/plant-profile/p-008", 0),
    step("All of it, on two outputs.", "slate launch spring", 0),
    step("How each entry stands on each lane.", "slate show spring", 0),
    step("In the guide it was too early. There, and there alone, it is as it was.", "undo spring --lane guide", 0),
    step("What is kept as it was, till somebody releases it.", "undo --list", 0),
];

/// Tells the story, on a copy of the hub that is left in `copy`.
pub(super) async fn tell(world: &World, folder: &Path, copy: &Path, bold: (&str, &str)) -> Result<(), Failure> {
    write_hub(copy)?;
    add_guide(copy)?;
    let (from, to) = (StorePlace::File(store_file(folder)), StorePlace::File(store_file(copy)));
    to.make_folder()?;
    Store::open(&from)?.back_up(&store_file(copy))?;
    for step in LAUNCH {
        writeln!(out(), "# {}\n{}$ diaporos {}{}", step.why, bold.0, step.command, bold.1)?;
        (step.before)(world);
        let went_well = act(step, world, copy).await?;
        writeln!(out())?;
        if !went_well {
            return Err(Failure::failed(format!("`diaporos {}` did not end as the demo expects", step.command)));
        }
    }
    Ok(())
}
