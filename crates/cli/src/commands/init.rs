//! `init`.

use std::io::Write;
use std::path::PathBuf;

use clap::Args;
use diaporos_core::text::shell_word;
use diaporos_core::value::SystemName;
use diaporos_hub::first_profile::{DraftError, profile_from, profile_of_answer};
use diaporos_systems::feed::{Outline, read_opml};
use diaporos_systems::openapi::Draft;
use serde_json::{Value as Json, json};

use crate::context::Context;
use crate::error::{Exit, Failure};
use crate::output::{Cell, Column, Format, out};

/// Make a new hub: a commented configuration, an example profile, a `.gitignore` for the store.
///
/// Or, with --from-openapi, a first profile for a system that describes itself so; with --from-answer,
/// one from what a listing answered; with --from-opml, the lines for a system of feeds.
#[derive(Debug, Args)]
#[command(
    after_help = "Examples:\n  diaporos init gardens\n  diaporos init --from-openapi herbarium.yaml --system herbarium\n  diaporos init --from-answer plants.json --path \"/v1/plants\" --system catalogue\n  diaporos init --from-opml gardens.opml --system bulletins >> diaporos.toml\n\nFiles that are there are never written over."
)]
pub(crate) struct Init {
    /// The new hub's folder.
    #[arg(value_name = "DIR", required_unless_present_any = ["from_openapi", "from_answer", "from_opml"])]
    folder: Option<PathBuf>,
    /// An OpenAPI 3 document, a file or an address, to draw a first profile from.
    #[arg(long, value_name = "FILE", requires = "system", conflicts_with = "folder")]
    from_openapi: Option<String>,
    /// What a listing answered, a file of JSON or an address, to draw a first profile from.
    #[arg(long, value_name = "FILE", requires_all = ["system", "path"], conflicts_with_all = ["folder", "from_openapi"])]
    from_answer: Option<String>,
    /// The path that answered, which follows the system's address.
    #[arg(long, value_name = "PATH", requires = "from_answer")]
    path: Option<String>,
    /// A list of feeds (OPML), a file, to print a system of feeds from.
    #[arg(long, value_name = "FILE", requires = "system", conflicts_with_all = ["folder", "from_openapi", "from_answer"])]
    from_opml: Option<String>,
    /// What the system of the document is to be called.
    #[arg(long, value_name = "NAME")]
    system: Option<String>,
}

const COLUMNS: &[Column] = &[Column::text("written", "written")];

pub(crate) async fn run(args: &Init, context: &Context) -> Result<Exit, Failure> {
    if let (Some(document), Some(name)) = (&args.from_openapi, &args.system) {
        return from_openapi(document, name, context).await;
    }
    if let (Some(answer), Some(path), Some(name)) = (&args.from_answer, &args.path, &args.system) {
        return from_answer((answer, path), name, context).await;
    }
    if let (Some(document), Some(name)) = (&args.from_opml, &args.system) {
        return from_opml(document, name);
    }
    let Some(folder) = &args.folder else { return Err(Failure::wrong("a folder is needed")) };
    let written = diaporos_hub::init::init(folder).map_err(|error| match error.kind() {
        std::io::ErrorKind::AlreadyExists => {
            Failure::failed(error.to_string()).advise("choose another folder, or take that file away")
        }
        _ => Failure::failed(format!("{}: {error}", folder.display())),
    })?;
    let mut sheet = context.sheet(COLUMNS);
    for file in &written {
        sheet.row(vec![Cell { json: json!(file), ..Cell::text(file.display().to_string()) }]);
    }
    sheet.end("nothing was written")?;
    if context.format == Format::Table {
        let hub = folder.display().to_string();
        let hub = shell_word(&hub);
        writeln!(out(), "\nNext: edit {}/diaporos.toml, then `diaporos check --hub {hub}`", folder.display())?;
    }
    Ok(Exit::Done)
}

fn system_of(name: &str) -> Result<SystemName, Failure> {
    SystemName::new(name).map_err(|error| Failure::wrong(format!("`{name}` cannot name a system: {error}")))
}

fn no_draft(error: DraftError) -> Failure {
    match error {
        DraftError::System(error) => error.into(),
        other => Failure::failed(other.to_string()),
    }
}

async fn from_openapi(document: &str, name: &str, context: &Context) -> Result<Exit, Failure> {
    let system = system_of(name)?;
    let drawn = profile_from(document, &system, &context.folder()?).await;
    told(&system, drawn.map_err(no_draft)?, context)
}

async fn from_answer(answer: (&str, &str), name: &str, context: &Context) -> Result<Exit, Failure> {
    let system = system_of(name)?;
    let drawn = profile_of_answer(answer, &system, &context.folder()?).await;
    told(&system, drawn.map_err(no_draft)?, context)
}

/// Says where the profile is, and what is to be done with it.
fn told(system: &SystemName, (file, draft): (PathBuf, Draft), context: &Context) -> Result<Exit, Failure> {
    let mut sheet = context.sheet(COLUMNS);
    sheet.row(vec![Cell { json: json!(file), ..Cell::text(file.display().to_string()) }]);
    sheet.end("")?;
    if context.format == Format::Table {
        let url = draft.url.unwrap_or_else(|| "https://…".to_owned());
        let types = draft.types.join(", ");
        writeln!(
            out(),
            "\nTypes: {types}. Go over the profile, add these lines to diaporos.toml, then `diaporos check`:\n\n\
             [systems.{system}]\nkind    = \"rest\"\nurl     = \"{url}\"\nprofile = \"profiles/{system}.toml\"\n\
             # read  = {{ bearer = \"env:{}_TOKEN\" }}",
            system.as_str().to_uppercase().replace('-', "_")
        )?;
    }
    Ok(Exit::Done)
}

/// Prints the lines of a system of feeds; the configuration is the user's to change.
fn from_opml(document: &str, name: &str) -> Result<Exit, Failure> {
    let system = system_of(name)?;
    let text = std::fs::read_to_string(document).map_err(|error| Failure::failed(format!("{document}: {error}")))?;
    let outlines = read_opml(&text).map_err(|error| Failure::failed(format!("{document}: {error}")))?;
    if outlines.is_empty() {
        return Err(Failure::failed(format!("{document}: there is no feed in it")));
    }
    let mut out = out();
    writeln!(out, "\n[systems.{system}]\nkind = \"feed\"\n\n[systems.{system}.feeds]")?;
    for Outline { name, title, url } in outlines {
        let quoted = |text: &str| Json::from(text).to_string();
        let label =
            title.filter(|title| *title != name).map_or(String::new(), |title| format!(", label = {}", quoted(&title)));
        writeln!(out, "{name} = {{ at = {}{label} }}", quoted(&url))?;
    }
    out.flush()?;
    Ok(Exit::Done)
}
