//! `tell`.

use clap::Args;
use diaporos_core::value::SystemName;
use diaporos_hub::Connector;
use diaporos_hub::config::{Config, TellConfig};
use diaporos_hub::tell::{TellRun, message_of, sample};
use diaporos_store::{Leased, Message};
use diaporos_systems::told::Telling;

use super::{counted, unknown};
use crate::context::Context;
use crate::error::{Exit, Failure};
use crate::output::{Cell, Column, Summary, Tint, note, one_line, out};

/// List what others were to be told and were not, and tell them again.
#[derive(Debug, Args)]
#[command(
    after_help = "Examples:\n  diaporos tell\n  diaporos tell --try build\n  diaporos tell --again\n\n`serve` tells by itself: at least once, in order for each entry, for a day. Where it does not run, `tell --now` does."
)]
pub(crate) struct Tell {
    /// Who is told; all where none is named.
    #[arg(value_name = "NAME")]
    name: Option<String>,
    /// Send somebody a made-up sample.
    #[arg(long = "try", requires = "name", conflicts_with_all = ["again", "now"])]
    try_it: bool,
    /// Try again what waits or was given up.
    #[arg(long)]
    again: bool,
    /// Decide and send now what is to be told.
    #[arg(long)]
    now: bool,
}

const COLUMNS: &[Column] = &[
    Column::text("tell", "tell"),
    Column::text("event", "event"),
    Column::text("subject", "subject"),
    Column::text("standing", "standing"),
    Column::number("attempts", "attempts"),
    Column::text("made", "made"),
    Column::prose("problem", "problem"),
];

pub(crate) async fn run(args: &Tell, context: &Context) -> Result<Exit, Failure> {
    let config = context.config()?;
    let chosen: Vec<(&SystemName, &TellConfig)> = match &args.name {
        None => config.tells.iter().collect(),
        Some(name) => {
            let found = config.tells.iter().find(|(known, _)| known.as_str() == name);
            let known = || unknown("tell", name, config.tells.keys().map(SystemName::as_str));
            vec![found.ok_or_else(known)?]
        }
    };
    if args.try_it {
        return try_it(&config, &chosen).await;
    }
    if args.again {
        let mut store = Context::store_for_change(&config)?;
        let again = store.tell_again(args.name.as_deref(), Context::now())?;
        note(&format!("{} tried again", counted(again, "message is", "messages are")));
    }
    if args.now || args.again {
        tell_now(&config, &chosen).await?;
    }
    list(&config, args.name.as_deref(), context)
}

/// Sends a sample, signed and in the shape that counts.
async fn try_it(config: &Config, chosen: &[(&SystemName, &TellConfig)]) -> Result<Exit, Failure> {
    let connector = Connector::new(config, &Context::variable);
    let store = Context::store(config)?;
    for (name, tell) in chosen {
        // The condition is not asked: the sample is to arrive.
        let tell = TellConfig { when: None, ..(*tell).clone() };
        let Some(topic) = tell.on.first() else { continue };
        let now = Context::now();
        let message = message_of(config, &store, &tell, &sample(*topic, now), "sample")
            .map_err(|error| Failure::failed(error.to_string()))?;
        let Some(message) = message else { continue };
        let recipient = connector.recipient(name, &tell)?;
        let id = format!("{name}-sample-{}", now.as_millisecond());
        let (media, headers, body) = (&message.media, &message.headers, &message.body);
        recipient.tell(Telling { id: &id, second: now.as_second(), media, headers, body }).await?;
        std::io::Write::write_fmt(&mut out(), format_args!("`{name}` took a sample of `{}`:\n{body}\n", topic.word()))?;
    }
    Ok(Exit::Done)
}

/// Decides and sends, as `serve` does.
async fn tell_now(config: &Config, chosen: &[(&SystemName, &TellConfig)]) -> Result<(), Failure> {
    let leases: Vec<Leased> = chosen.iter().map(|(name, _)| Leased::Tell(name.to_string())).collect();
    let mut store = Context::store_leased(config, &leases, "tell")?;
    let connector = Connector::new(config, &Context::variable);
    for (name, tell) in chosen {
        let run = TellRun { config, name, tell, clock: &Context::now };
        let tally = run.run(&mut store, &connector).await??;
        note(&format!("{name}: {} told", tally.told));
        if let Some((count, why)) = tally.unsaid {
            let events = counted(count, "event has", "events have");
            note(&one_line(&format!("{name}: {events} no value for an expression, the last: {why}")));
        }
    }
    Ok(())
}

fn list(config: &Config, name: Option<&str>, context: &Context) -> Result<Exit, Failure> {
    let store = Context::store(config)?;
    let mut sheet = context.sheet(COLUMNS).within("messages");
    let mut given_up = 0;
    for message in store.untold()?.into_iter().filter(|message| name.is_none_or(|name| message.tell == name)) {
        given_up += u64::from(message.given_up);
        sheet.row(cells(message, context));
    }
    let waiting = sheet.rows() - given_up;
    let sentence = match (waiting, given_up) {
        (0, 0) => "nothing waits to be told".to_owned(),
        (waiting, 0) => format!("{} to be told", counted(waiting, "message waits", "messages wait")),
        (_, given_up) => format!(
            "{} given up; `diaporos tell --again` tries them again",
            counted(given_up, "message was", "messages were")
        ),
    };
    let counts = [("waiting".to_owned(), waiting.into()), ("given_up".to_owned(), given_up.into())];
    sheet.end_with(Summary { counts: counts.into_iter().collect(), sentence })?;
    Ok(if given_up > 0 { Exit::Partly } else { Exit::Done })
}

fn cells(message: Message, context: &Context) -> Vec<Cell> {
    let (standing, tint) = if message.given_up { ("given up", Tint::Bad) } else { ("waits", Tint::Warn) };
    vec![
        Cell::text(message.tell),
        Cell::text(message.message.kind),
        Cell::text(message.message.subject),
        Cell::text(standing).tint(tint),
        Cell::count(u64::from(message.attempts)),
        Cell::moment(message.made, &context.zone),
        Cell::maybe(message.problem.map(|problem| one_line(&problem))),
    ]
}
