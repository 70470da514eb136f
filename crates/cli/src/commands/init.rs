//! `init`.

use std::io::Write;
use std::path::PathBuf;

use clap::Args;
use diaporos_core::value::SystemName;
use diaporos_hub::openapi::{DraftError, profile_from};
use serde_json::json;

use crate::context::Context;
use crate::error::{Exit, Failure};
use crate::output::{Cell, Column, Format, Sheet};

/// Make a new hub: a commented configuration, an example profile, a `.gitignore` for the store.
///
/// Or, with --from-openapi, a first profile for a system that describes itself so.
#[derive(Debug, Args)]
#[command(
    after_help = "Examples:\n  diaporos init gardens\n  diaporos init --from-openapi herbarium.yaml --system herbarium\n\nFiles that are there are never written over."
)]
pub(crate) struct Init {
    /// The new hub's folder.
    #[arg(value_name = "DIR", required_unless_present = "from_openapi")]
    folder: Option<PathBuf>,
    /// An OpenAPI 3 document, a file or an address, to draw a first profile from.
    #[arg(long, value_name = "FILE", requires = "system", conflicts_with = "folder")]
    from_openapi: Option<String>,
    /// What the system of the document is to be called.
    #[arg(long, value_name = "NAME", requires = "from_openapi")]
    system: Option<String>,
}

const COLUMNS: &[Column] = &[Column::text("written", "written")];

pub(crate) async fn run(args: &Init, context: &Context) -> Result<Exit, Failure> {
    if let (Some(document), Some(name)) = (&args.from_openapi, &args.system) {
        return from_openapi(document, name, context).await;
    }
    let Some(folder) = &args.folder else { return Err(Failure::wrong("a folder is needed")) };
    let written = diaporos_hub::init::init(folder).map_err(|error| match error.kind() {
        std::io::ErrorKind::AlreadyExists => {
            Failure::failed(error.to_string()).advise("choose another folder, or take that file away")
        }
        _ => Failure::failed(format!("{}: {error}", folder.display())),
    })?;
    let mut sheet = Sheet::new(context, COLUMNS);
    for file in &written {
        sheet.row(vec![Cell { json: json!(file), ..Cell::text(file.display().to_string()) }]);
    }
    sheet.end("nothing was written")?;
    if context.format == Format::Table {
        let folder = folder.display();
        writeln!(Context::out(), "\nNext: edit {folder}/diaporos.toml, then `diaporos check --hub {folder}`")?;
    }
    Ok(Exit::Done)
}

async fn from_openapi(document: &str, name: &str, context: &Context) -> Result<Exit, Failure> {
    let system =
        SystemName::new(name).map_err(|error| Failure::wrong(format!("`{name}` cannot name a system: {error}")))?;
    let folder = context.folder()?;
    let (file, draft) = profile_from(document, &system, &folder).await.map_err(|error| match error {
        DraftError::System(error) => error.into(),
        other => Failure::failed(other.to_string()),
    })?;
    let mut sheet = Sheet::new(context, COLUMNS);
    sheet.row(vec![Cell { json: json!(file), ..Cell::text(file.display().to_string()) }]);
    sheet.end("")?;
    if context.format == Format::Table {
        let url = draft.url.unwrap_or_else(|| "https://…".to_owned());
        let types = draft.types.join(", ");
        writeln!(
            Context::out(),
            "\nTypes: {types}. Go over the profile, add these lines to diaporos.toml, then `diaporos check`:\n\n\
             [systems.{system}]\nkind    = \"rest\"\nurl     = \"{url}\"\nprofile = \"profiles/{system}.toml\"\n\
             # read  = {{ bearer = \"env:{}_TOKEN\" }}",
            system.as_str().to_uppercase().replace('-', "_")
        )?;
    }
    Ok(Exit::Done)
}
