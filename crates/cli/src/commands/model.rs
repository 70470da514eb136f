//! `model`.

use std::io::Write;

use clap::{Args, Subcommand};
use diaporos_core::lane::TypeRef;
use diaporos_core::model::{Field, FieldKind, Observed, compare, to_schema};
use diaporos_core::value::{LanguageTag, SystemName, TypeName};
use diaporos_hub::Connector;
use diaporos_hub::align::alignment;
use diaporos_hub::config::{Config, model_file};
use diaporos_hub::model::{Known, declared, fields, misfits, observe, types};
use indexmap::IndexMap;

use super::{lane, unknown};
use crate::context::Context;
use crate::error::{Exit, Failure};
use crate::output::{Cell, Column, Summary, Tint, out};

/// Look at content models: the types of systems and their fields.
#[derive(Debug, Args)]
#[command(
    after_help = "Examples:\n  diaporos model list\n  diaporos model infer catalogue/plant-profile\n  diaporos model compare catalogue/plant-profile visitor-site/page"
)]
pub(crate) struct Model {
    #[command(subcommand)]
    what: What,
}

#[derive(Debug, Subcommand)]
enum What {
    /// List every type of every system.
    #[command(after_help = "Example:\n  diaporos model list")]
    List,
    /// Show the fields of a type: as they are declared, or else as entries show them.
    #[command(
        after_help = "Examples:\n  diaporos model show visitor-site/page\n  diaporos model show visitor-site/page --schema"
    )]
    Show {
        /// The type, as `system/type`.
        #[arg(value_name = "TYPE")]
        kind: String,
        /// Print it as JSON Schema (2020-12).
        #[arg(long)]
        schema: bool,
    },
    /// Keep the model of a type as a file, `models/SYSTEM/TYPE.json`: as the system describes it, or
    /// is declared, or as entries show it. `check --models` tells when it drifts.
    #[command(after_help = "Example:\n  diaporos model keep catalogue/plant-profile")]
    Keep {
        /// The type, as `system/type`.
        #[arg(value_name = "TYPE")]
        kind: String,
    },
    /// Ask a system that describes itself (GraphQL) for its types and their fields.
    #[command(after_help = "Example:\n  diaporos model ask plants")]
    Ask {
        /// The system.
        #[arg(value_name = "SYSTEM")]
        system: String,
    },
    /// Find the fields of a type from its entries: how often each is there, its languages, its longest value.
    #[command(after_help = "Example:\n  diaporos model infer catalogue/plant-profile")]
    Infer {
        /// The type, as `system/type`.
        #[arg(value_name = "TYPE")]
        kind: String,
    },
    /// Make at a lane's destination what it lacks: languages, the type, its fields, in that order.
    #[command(after_help = "Examples:\n  diaporos model align profiles --dry-run\n  diaporos model align profiles")]
    Align {
        /// The lane.
        #[arg(value_name = "LANE")]
        lane: String,
        /// Only say what would be made, and by which request.
        #[arg(long)]
        dry_run: bool,
    },
    /// Name for each field of a type the likely partner in another, and what stands in the way.
    #[command(after_help = "Example:\n  diaporos model compare catalogue/plant-profile visitor-site/page")]
    Compare {
        /// The type that content comes from, as `system/type`.
        #[arg(value_name = "FROM")]
        from: String,
        /// The type that it goes to.
        #[arg(value_name = "TO")]
        to: String,
    },
}

const LACKS: &[Column] = &[
    Column::text("lacks", "lacks"),
    Column::text("outcome", "outcome"),
    Column::prose("request", "request"),
    Column::prose("message", "message"),
];

/// Makes what a lane's destination lacks; what cannot be made is named.
async fn align(config: &Config, name: &str, dry_run: bool, context: &Context) -> Result<Exit, Failure> {
    let configured = lane(config, name)?;
    let kind = &configured.lane.to.kind;
    let writer = Connector::new(config, &Context::variable).writer(&configured.lane.to.system)?;
    let mut sheet = context.sheet(LACKS).within("lacks");
    let (mut made, mut left) = (0_u64, 0_u64);
    for (lack, request) in alignment(configured, writer.as_ref()).await? {
        let drawn = request.as_ref().map(|request| format!("{} {}", request.method.word(), request.shown_url()));
        let (outcome, message) = match (&request, dry_run) {
            (None, _) => ("by hand", Some("the profile does not say how to make it".to_owned())),
            (Some(_), true) => ("would be made", None),
            (Some(_), false) => match writer.make(kind, &lack).await {
                Ok(()) => ("made", None),
                Err(error) => ("refused", Some(error.to_string())),
            },
        };
        match outcome {
            "made" | "would be made" => made += 1,
            _ => left += 1,
        }
        sheet.row(vec![Cell::text(lack.to_string()), Cell::word(outcome), Cell::maybe(drawn), Cell::maybe(message)]);
    }
    let sentence = match (made, left, dry_run) {
        (0, 0, _) => format!("the destination has what `{name}` needs"),
        (_, 0, true) => format!("Dry run, nothing was made: {made} would be"),
        (_, _, true) => format!("Dry run, nothing was made: {made} would be, {left} cannot be made from here"),
        (_, 0, false) => format!("{made} made; the destination has what `{name}` needs"),
        (_, _, false) => format!("{made} made, {left} not"),
    };
    let counts = [("made".to_owned(), made.into()), ("left".to_owned(), left.into())].into_iter().collect();
    sheet.end_with(Summary { counts, sentence })?;
    Ok(if left > 0 { Exit::Partly } else { Exit::Done })
}

const TYPES: &[Column] = &[
    Column::text("type", "type"),
    Column::number("entries", "entries"),
    Column::number("declared_fields", "declared fields"),
    Column::text("use", "use"),
];
const FIELDS: &[Column] = &[
    Column::text("field", "field"),
    Column::text("kind", "kind"),
    Column::text("more", "more"),
    Column::text("known", "known"),
];
const INFERRED: &[Column] = &[
    Column::text("field", "field"),
    Column::text("kind", "kind"),
    Column::text("more", "more"),
    Column::number("present", "present"),
    Column::number("share", "share"),
    Column::text("languages", "languages"),
    Column::number("longest", "longest"),
    Column::text("declared", "declared"),
    Column::number("held", "would be held"),
];
const PARTNERS: &[Column] = &[
    Column::text("to", "to"),
    Column::text("to_kind", "kind"),
    Column::text("from", "from"),
    Column::text("from_kind", "kind"),
    Column::prose("differs", "in the way"),
];

pub(crate) async fn run(args: &Model, context: &Context) -> Result<Exit, Failure> {
    let config = context.config()?;
    match &args.what {
        What::List => list(&config, context),
        What::Show { kind, schema: false } => show(&config, &end(&config, kind)?, context),
        What::Show { kind, schema: true } => show_schema(&config, &end(&config, kind)?),
        What::Keep { kind } => keep(&config, &end(&config, kind)?).await,
        What::Align { lane, dry_run } => return align(&config, lane, *dry_run, context).await,
        What::Ask { system } => ask(&config, system, context).await,
        What::Infer { kind } => infer(&config, &end(&config, kind)?, context),
        What::Compare { from, to } => partners(&config, &end(&config, from)?, &end(&config, to)?, context),
    }?;
    Ok(Exit::Done)
}

/// A type of a system that there is.
fn end(config: &Config, text: &str) -> Result<TypeRef, Failure> {
    let parts = text.split_once('/').map(|(system, kind)| (SystemName::new(system), TypeName::new(kind)));
    let Some((Ok(system), Ok(kind))) = parts else {
        return Err(Failure::wrong(format!("`{text}` is not a type of a system")).advise("write `system/type`"));
    };
    super::system(config, system.as_str())?;
    let end = TypeRef { system, kind };
    let known = config.systems[&end.system].profile();
    let is_there =
        known.map_or(end.kind.as_str() == "item", |profile| profile.type_names().any(|name| *name == end.kind));
    if is_there {
        return Ok(end);
    }
    let names: Vec<&str> = known.map_or(vec!["item"], |profile| profile.type_names().map(TypeName::as_str).collect());
    Err(unknown(&format!("type in `{}`", end.system), end.kind.as_str(), names.into_iter()))
}

fn list(config: &Config, context: &Context) -> Result<(), Failure> {
    let store = Context::store(config)?;
    let mut sheet = context.sheet(TYPES);
    for row in types(config, &store)? {
        let uses = [(row.reads, "read"), (row.writes, "written")];
        let uses: Vec<&str> = uses.into_iter().filter(|(does, _)| *does).map(|(_, word)| word).collect();
        sheet.row(vec![
            Cell::text(row.end.to_string()),
            Cell::count(row.entries),
            row.declared.map_or_else(Cell::nothing, |count| Cell::count(count as u64)),
            Cell::text(uses.join(", ")),
        ]);
    }
    sheet.end("no types; add a table `[systems.NAME]` to diaporos.toml")
}

/// What a field is beside its kind.
fn more(field: &Field) -> String {
    let to = match &field.kind {
        FieldKind::Reference(to) => Some(format!("to {to}")),
        _ => None,
    };
    let flags = [(field.many, "many"), (field.localised, "localised"), (field.required, "required")];
    let flags = flags.into_iter().filter(|(is, _)| *is).map(|(_, word)| word.to_owned());
    let most = field.max_length.map(|most| format!("at most {most}"));
    to.into_iter().chain(flags).chain(most).collect::<Vec<_>>().join(", ")
}

fn show(config: &Config, end: &TypeRef, context: &Context) -> Result<(), Failure> {
    let store = Context::store(config)?;
    let (model, known) = fields(config, &store, end)?;
    let known = if known == Known::Declared { "declared" } else { "inferred" };
    let mut sheet = context.sheet(FIELDS);
    for (name, field) in &model.fields {
        sheet.row(vec![
            Cell::text(name),
            Cell::text(field.kind.word()),
            Cell::text(more(field)),
            Cell::text(known).tint(Tint::Faint),
        ]);
    }
    sheet.end("no fields are known; `diaporos pull` takes in entries that show them")
}

fn show_schema(config: &Config, end: &TypeRef) -> Result<(), Failure> {
    let (model, _) = fields(config, &Context::store(config)?, end)?;
    writeln!(out(), "{:#}", to_schema(&end.kind, &model))?;
    Ok(())
}

async fn keep(config: &Config, end: &TypeRef) -> Result<(), Failure> {
    let described = describe(config, &end.system).await?;
    let said = described.and_then(|model| model.get(&end.kind).cloned());
    let (of, from) = match said {
        Some(said) => (said, "as the system describes it"),
        None => match fields(config, &Context::store(config)?, end)? {
            (of, Known::Declared) => (of, "as it is declared"),
            (of, Known::Inferred) => (of, "as entries show it"),
        },
    };
    if of.fields.is_empty() {
        return Err(Failure::failed(format!("nothing is known of the fields of `{end}`"))
            .advise("`diaporos pull` takes in entries that show them"));
    }
    let file = model_file(&config.folder, end);
    if let Some(folder) = file.parent() {
        std::fs::create_dir_all(folder)?;
    }
    std::fs::write(&file, format!("{:#}\n", to_schema(&end.kind, &of)))?;
    let name = file.strip_prefix(&config.folder).unwrap_or(&file).display();
    writeln!(out(), "{name}: {} fields, {from}", of.fields.len())?;
    Ok(())
}

/// What a system says of itself, where it does.
pub(super) async fn describe(
    config: &Config,
    system: &SystemName,
) -> Result<Option<diaporos_core::model::Model>, Failure> {
    if !config.systems.get(system).is_some_and(|known| known.describes_itself()) {
        return Ok(None);
    }
    Ok(Connector::new(config, &Context::variable).reader(system)?.described().await?)
}

const DESCRIBED: &[Column] = &[
    Column::text("type", "type"),
    Column::text("field", "field"),
    Column::text("kind", "kind"),
    Column::text("more", "more"),
];

async fn ask(config: &Config, name: &str, context: &Context) -> Result<(), Failure> {
    let name = super::system(config, name)?;
    let reader = Connector::new(config, &Context::variable).reader(name)?;
    let Some(model) = reader.described().await? else {
        return Err(Failure::failed(format!("`{name}` is of a kind that does not describe itself"))
            .advise(format!("`diaporos model infer {name}/TYPE` finds fields from entries")));
    };
    let mut sheet = context.sheet(DESCRIBED);
    for (kind, of) in &model.types {
        for (field_name, field) in &of.fields {
            let cells = [kind.as_str(), field_name, field.kind.word()].map(Cell::text);
            sheet.row(cells.into_iter().chain([Cell::text(more(field))]).collect());
        }
    }
    sheet.end("it describes no type that holds content")
}

fn infer(config: &Config, end: &TypeRef, context: &Context) -> Result<(), Failure> {
    let store = Context::store(config)?;
    let observer = observe(&store, end)?;
    let entries = observer.entries().max(1);
    let mut sheet = context.sheet(INFERRED);
    let observed = observer.fields();
    let is_declared = declared(config, end);
    let assumed = |(name, seen): (&String, &Observed)| {
        let known = is_declared.and_then(|known| known.fields.get(name)).cloned();
        let field = known.unwrap_or_else(|| match seen.field.kind {
            FieldKind::Anything => Field { kind: seen.usual_kind(), ..seen.field.clone() },
            _ => seen.field.clone(),
        });
        (name.clone(), Field { required: false, ..field })
    };
    let assumed: IndexMap<String, Field> = observed.iter().map(assumed).collect();
    let misfits = misfits(&store, end, &assumed)?;
    for (name, seen) in &observed {
        let share = seen.present * 100 / entries;
        let declared = is_declared.map(|known| match known.fields.get(name) {
            None => "no".to_owned(),
            Some(field) if field.kind == seen.field.kind => "yes".to_owned(),
            Some(field) => format!("as {}", field.kind.word()),
        });
        sheet.row(vec![
            Cell::text(name),
            Cell::text(seen.field.kind.word()),
            Cell::text(more(&seen.field)),
            Cell::count(seen.present),
            Cell { shown: format!("{share} %"), ..Cell::count(share) },
            Cell::list(seen.languages.iter().map(LanguageTag::to_string).collect()),
            if seen.longest == 0 { Cell::nothing() } else { Cell::count(seen.longest as u64) },
            Cell::maybe(declared).tint(Tint::Faint),
            match (misfits.get(name), assumed.get(name)) {
                (Some(count), Some(field)) => {
                    Cell { shown: format!("{count} as {}", field.kind.word()), ..Cell::count(*count) }.tint(Tint::Warn)
                }
                _ => Cell::nothing(),
            },
        ]);
    }
    sheet.end("no entries of this type were taken in; `diaporos pull` does that")
}

fn partners(config: &Config, from: &TypeRef, to: &TypeRef, context: &Context) -> Result<(), Failure> {
    let store = Context::store(config)?;
    let (from_model, _) = fields(config, &store, from)?;
    let (to_model, _) = fields(config, &store, to)?;
    let kind = |field: Option<&Field>| Cell::maybe(field.map(|field| field.kind.word())).tint(Tint::Faint);
    let mut sheet = context.sheet(PARTNERS);
    let partners = compare(&from_model, &to_model);
    for partner in &partners {
        let from_field = partner.from.as_ref().and_then(|name| from_model.fields.get(name));
        sheet.row(vec![
            Cell::text(&partner.to),
            kind(to_model.fields.get(&partner.to)),
            Cell::maybe(partner.from.clone()),
            kind(from_field),
            Cell::list(partner.differs.clone()).tint(Tint::Warn),
        ]);
    }
    for (name, field) in &from_model.fields {
        if !partners.iter().any(|partner| partner.from.as_ref() == Some(name)) {
            sheet.row(vec![
                Cell::nothing(),
                Cell::nothing(),
                Cell::text(name),
                kind(Some(field)),
                Cell::list(vec!["has no partner".to_owned()]).tint(Tint::Faint),
            ]);
        }
    }
    sheet.end("no fields are known of either")
}
