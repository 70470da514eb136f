//! `demo`.

mod hour;
mod launch;
mod story;

use std::io::Write;
use std::path::{Path, PathBuf};
use std::process::Stdio;
use std::time::Duration;

use clap::Args;
use diaporos_core::text::shell_word;
use diaporos_demo::{Fault, Rule, World, add_guide, write_hub};
use diaporos_hub::config::FILE;

use crate::context::Context;
use crate::error::{Exit, Failure};
use crate::output::drawn_out;
use story::{Ending, STORY, Step};

/// Tell the whole story on made-up systems: pull, map, push, and nothing the second time.
///
/// The stand-ins listen on loopback only, and each command is run for real.
#[derive(Debug, Args)]
#[command(
    after_help = "Examples:\n  diaporos demo\n  diaporos demo --serve --in gardens     then, in another terminal: cd gardens"
)]
pub(crate) struct Demo {
    /// The hub's folder; a temporary one where not given. Files that are there stay as they are.
    #[arg(long = "in", value_name = "DIR")]
    folder: Option<PathBuf>,
    /// Only run the stand-ins, in the foreground, until Ctrl-C. Prints the variables that the hub needs.
    #[arg(long, requires = "folder")]
    serve: bool,
    /// Add the visitor guide to the hub: static pages in three languages, with a front page, a menu, feeds and pictures.
    #[arg(long, requires = "serve")]
    guide: bool,
    /// Add so many made-up plant profiles to the catalogue.
    #[arg(long, value_name = "N", default_value_t = 0, requires = "serve")]
    plants: usize,
}

/// How fast the translators are whom nobody tells to work, in percent.
const TRANSLATED_A_SECOND: f64 = 2.0;

pub(crate) async fn run(args: &Demo, context: &Context) -> Result<Exit, Failure> {
    let world = World::start(args.plants).await?;
    if args.serve {
        world.translators.keep_working(TRANSLATED_A_SECOND);
    }
    let temporary = tempfile::tempdir()?;
    let folder = args.folder.clone().unwrap_or_else(|| temporary.path().to_owned());
    let is_new = !folder.join(FILE).exists();
    write_hub(&folder)?;
    if args.guide {
        world.plants.photograph(&world.catalogue.url());
        if is_new {
            add_guide(&folder)?;
        }
    }
    if args.serve { serve(&world, &folder).await } else { tell(&world, &folder, args.folder.is_some(), context).await }
}

async fn serve(world: &World, folder: &Path) -> Result<Exit, Failure> {
    let mut out = drawn_out();
    for (name, value) in world.variables() {
        writeln!(out, "export {name}={}", shell_word(&value))?;
    }
    out.flush()?;
    let hub = folder.display().to_string();
    let hub = shell_word(&hub);
    writeln!(
        std::io::stderr(),
        "The stand-ins run until Ctrl-C. In another terminal: paste the lines above, then\n  \
         cd {hub}\n  diaporos pull\n  diaporos push\nWhat a stand-in was asked: GET /_log. To make it fail: POST /_faults, a list of rules."
    )?;
    tokio::signal::ctrl_c().await?;
    writeln!(std::io::stderr(), "the stand-ins are stopped")?;
    Ok(Exit::Done)
}

async fn tell(world: &World, folder: &Path, stays: bool, context: &Context) -> Result<Exit, Failure> {
    let mut out = drawn_out();
    writeln!(out, "Ostrel Gardens, a made-up network of botanic gardens. Its hub is in {}\n", folder.display())?;
    out.flush()?;
    let bold = anstyle::Style::new().bold();
    let (on, off) = if context.terminal.colour {
        (bold.render().to_string(), bold.render_reset().to_string())
    } else {
        Default::default()
    };
    for step in STORY {
        let killed =
            if step.ending == Ending::Killed { "     (killed while it waits for the site's answer)" } else { "" };
        writeln!(out, "# {}\n{on}$ diaporos {}{off}{killed}", step.why, step.command)?;
        out.flush()?;
        (step.before)(world);
        let went_well = act(step, world, folder).await?;
        writeln!(out)?;
        out.flush()?;
        if !went_well {
            return Err(Failure::failed(format!("`diaporos {}` did not end as the demo expects", step.command)));
        }
    }
    hour::tell(world, folder, folder, context).await?;
    let around = tempfile::tempdir()?;
    let copy = if stays { folder.join("launch") } else { around.path().join("launch") };
    launch::tell(world, folder, &copy, (&on, &off)).await?;
    if stays {
        writeln!(
            out,
            "Left to look at: the guide, {}, the page of the hub's state at the end of its hour, {}, and a report, {}",
            copy.join("guide/public/en/index.html").display(),
            folder.join("status.html").display(),
            folder.join("report.html").display()
        )?;
        let hub = folder.display().to_string();
        writeln!(out, "The hub stays in {hub}. To go on by hand: `diaporos demo --serve --in {}`", shell_word(&hub))?;
    } else {
        writeln!(out, "To try it by hand: `diaporos demo --serve --in DIR`")?;
    }
    out.flush()?;
    Ok(Exit::Done)
}

/// Runs a step's command, the real program in a process of its own, and says whether it ended as
/// it should.
async fn act(step: &Step, world: &World, folder: &Path) -> Result<bool, Failure> {
    let mut command = tokio::process::Command::new(Context::program()?);
    let folder = std::fs::canonicalize(folder)?;
    command.args(step.command.split_whitespace()).arg("--hub").arg(&folder).current_dir(&folder);
    command.envs(world.variables()).kill_on_drop(true);
    match step.ending {
        Ending::Code(code) => Ok(command.status().await?.code() == Some(code)),
        Ending::Killed => {
            world.visitor_site.forget();
            world.visitor_site.fail(Rule::once(Fault::StallAfter { millis: 30_000 }, "PATCH"));
            let mut child = command.stdout(Stdio::null()).stderr(Stdio::null()).spawn()?;
            let mut waited = 0;
            while !world.visitor_site.asked().iter().any(diaporos_demo::Asked::writes) {
                tokio::time::sleep(Duration::from_millis(20)).await;
                waited += 1;
                if waited > 1_000 {
                    return Ok(false);
                }
            }
            child.kill().await?;
            world.visitor_site.mend();
            Ok(true)
        }
    }
}
