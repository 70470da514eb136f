//! `serve`.

mod lines;
mod plan;

use std::net::SocketAddr;
use std::sync::Arc;

use clap::Args;
use diaporos_hub::serve::{Asked, Serve};

use crate::context::Context;
use crate::error::{Exit, Failure};
use crate::interrupt;
use crate::output::{note, one_line};
pub(crate) use lines::lines;

/// Run the hub by itself: pull systems at their times, and push what lanes owe.
#[derive(Debug, Args)]
#[command(
    name = "serve",
    after_help = "Examples:\n  diaporos serve\n  diaporos serve --plan\n\nA system says when it is pulled (`every`, `at` or `cron`); a lane is pushed after its source was pulled, at times of its own, or by hand (`pushed`). The first push of a lane is a person's. Other commands work meanwhile. A changed configuration is taken over once it is sound. SIGTERM and Ctrl-C finish what is under way, within 20 s; a second one ends at once, which is as safe as a crash."
)]
pub(crate) struct ServeCommand {
    /// Print what would be done next, and when, and do nothing.
    #[arg(long)]
    plan: bool,
    /// Listen here and not where the configuration says; port 0 takes a free one, and says which.
    #[arg(long, value_name = "ADDRESS:PORT")]
    listen: Option<SocketAddr>,
}

pub(crate) async fn run(args: &ServeCommand, context: &Context) -> Result<Exit, Failure> {
    let config = context.config()?;
    if args.plan {
        return plan::plan(&config, context);
    }
    context.confirm_reach(&config)?;
    let asked = Arc::new(Asked::default());
    interrupt::ask(Arc::clone(&asked));
    let (later, zone) = (context.clone(), context.zone.clone());
    let serve = Serve {
        folder: config.folder.clone(),
        listen: args.listen,
        load: Box::new(move || later.config().map_err(|failure| failure.in_a_line())),
        worker: Arc::new(Context::worker(&config)?),
        variable: Context::variable,
        clock: Context::now,
        who: Context::who(),
        asked,
        tell: Box::new(move |told| {
            for line in lines(told) {
                let at = Context::now().to_zoned_datetime(zone.clone()).strftime("%F %T");
                note(&one_line(&format!("{at}  {line}")));
            }
        }),
    };
    serve.run(config).await?;
    Ok(Exit::Done)
}
