//! `ask`.

mod drawn;

use std::io::Write;
use std::time::{Duration, Instant};

use clap::Args;
use diaporos_hub::Connector;
use diaporos_systems::asked::{Access, Asker};
use diaporos_systems::http::{Answer, Method, Request};
use diaporos_systems::rest::{Fact, facts, found_at};
use serde_json::{Value as Json, json};

use super::system;
use crate::context::{Context, can_answer, says_yes};
use crate::error::{Exit, Failure};
use crate::output::{Format, note, one_line, out};

/// Send a system one request by hand, with its credential, and show what comes back.
#[derive(Debug, Args)]
#[command(
    after_help = "Examples:\n  diaporos ask catalogue \"GET /entries?type=plant-profile\"\n  diaporos ask catalogue \"GET /entries?type=plant-profile\" --at '$.entries[*].id'\n  diaporos ask catalogue \"GET /entries?type=plant-profile\" --as-curl\n  diaporos ask visitor-site \"PATCH /api/pages/9001\" --write --body '{\"section\":\"bog\"}'\n\nNothing is kept here. Exit code 1 where no answer came, or one of 400 and above."
)]
pub(crate) struct AskCommand {
    /// The system.
    #[arg(value_name = "SYSTEM")]
    system: String,
    /// The method and the path, which follows the system's address.
    #[arg(value_name = "CALL")]
    call: String,
    /// Print only what a JSONPath (RFC 9535) leads to in a good answer, a line each.
    #[arg(long, value_name = "JSONPATH")]
    at: Option<String>,
    /// A body of JSON, or `@FILE` with one.
    #[arg(long, value_name = "JSON")]
    body: Option<String>,
    /// Another header, `NAME: VALUE`; credentials are the configuration's alone.
    #[arg(long = "header", value_name = "HEADER")]
    headers: Vec<String>,
    /// Send nothing; print the request for a shell, secrets as the variables they come from.
    #[arg(long)]
    as_curl: bool,
    /// Show the whole body, however long it is.
    #[arg(long)]
    whole: bool,
    /// This POST changes nothing, as a search or a query.
    #[arg(long)]
    reads: bool,
    /// Use the credential for writing. It is asked about first.
    #[arg(long)]
    write: bool,
    /// With `--write`: do not ask.
    #[arg(long, requires = "write")]
    yes: bool,
}

/// What came back, and how long it took.
struct Came {
    answer: Answer,
    took: Duration,
    facts: Vec<Fact>,
}

pub(crate) async fn run(args: &AskCommand, context: &Context) -> Result<Exit, Failure> {
    let config = context.config()?;
    let name = system(&config, &args.system)?;
    let access = if args.write { Access::Write } else { Access::Read };
    let connector = Connector::new(&config, &Context::variable);
    let asker = connector.asker(name, access)?.ok_or_else(|| {
        Failure::wrong(format!("`{name}` is not reached at one address over HTTP"))
            .advise("`diaporos probe` looks at it")
    })?;
    let mut request = asker.request(&args.call, body(args)?).map_err(Failure::wrong)?;
    for header in &args.headers {
        request = with_header(request, header)?;
    }
    if args.as_curl {
        let mut out = out();
        writeln!(out, "{}", request.as_curl())?;
        out.flush()?;
        return Ok(Exit::Done);
    }
    context.confirm_reach(&config)?;
    may_be_sent(args, &request)?;
    let came = sent(&asker, &request).await?;
    let found = args.at.as_ref().map(|path| found_at(&came.answer, path)).transpose();
    match context.format {
        Format::Table => drawn::draw(args, &came, found.as_ref().ok().and_then(Option::as_ref))?,
        format => as_json(format, &request, &came, found.as_ref().ok().and_then(Option::as_ref))?,
    }
    let is_good = came.answer.status < 400;
    match found {
        Err(why) if is_good => Err(Failure::failed(why)),
        _ => Ok(if is_good { Exit::Done } else { Exit::Failed }),
    }
}

/// The request with a header of the caller's. A secret on a command line is seen by every process and kept by shells.
fn with_header(request: Request, header: &str) -> Result<Request, Failure> {
    let wrong =
        |why: &str| Failure::wrong(format!("`{header}` {why}")).advise("for example `--header 'if-match: \"3\"'`");
    let (name, value) = header.split_once(':').ok_or_else(|| wrong("is not a header, `NAME: VALUE`"))?;
    let name = name.trim().to_lowercase();
    if matches!(name.as_str(), "authorization" | "proxy-authorization" | "cookie") {
        return Err(wrong("is a credential, which the configuration refers to and nobody types"));
    }
    Ok(request.header(&name, value.trim()))
}

fn body(args: &AskCommand) -> Result<Option<Json>, Failure> {
    let Some(text) = &args.body else { return Ok(None) };
    let text = match text.strip_prefix('@') {
        Some(file) => std::fs::read_to_string(file)
            .map_err(|error| Failure::wrong(format!("the body in {file} cannot be read: {error}")))?,
        None => text.clone(),
    };
    let json = serde_json::from_str(&text).map_err(|error| Failure::wrong(format!("the body is not JSON: {error}")))?;
    Ok(Some(json))
}

/// A method that may change something goes with the credential for writing alone, and a person's word.
fn may_be_sent(args: &AskCommand, request: &Request) -> Result<(), Failure> {
    let reads = request.method.reads() || (args.reads && request.method == Method::Post);
    if !args.write {
        if reads {
            return Ok(());
        }
        let advice = match request.method {
            Method::Post => {
                "where it changes nothing, say `--reads`; `--write` sends it with the credential for writing"
            }
            _ => "`--write` sends it with the credential for writing",
        };
        let may = format!("{} may change something there", request.method.word());
        return Err(Failure::wrong(may).advise(advice));
    }
    if args.yes {
        return Ok(());
    }
    let what = format!("{} {}", request.method.word(), request.shown_url());
    if !can_answer() {
        return Err(Failure::wrong(format!("nobody can be asked about {what}")).advise("`--yes` sends it"));
    }
    note(&one_line(&format!("with the credential for writing: {what}")));
    if says_yes()? { Ok(()) } else { Err(Failure::wrong("nothing was sent")) }
}

async fn sent(asker: &Asker, request: &Request) -> Result<Came, Failure> {
    let began = Instant::now();
    let answer = asker.ask(request).await?;
    Ok(Came { took: began.elapsed(), facts: facts(&answer), answer })
}

fn as_json(format: Format, request: &Request, came: &Came, found: Option<&Vec<Json>>) -> Result<(), Failure> {
    let Came { answer, took, facts } = came;
    let headers: Vec<Json> =
        answer.headers.iter().map(|(name, value)| json!({ "name": name, "value": value })).collect();
    let facts: Vec<Json> = facts.iter().map(|fact| json!({ "about": fact.about, "told": fact.told })).collect();
    let body = answer.json().unwrap_or_else(|_| String::from_utf8_lossy(&answer.body).into());
    let mut told = json!({
        "request": format!("{} {}", request.method.word(), request.shown_url()),
        "status": answer.status,
        "took_ms": u64::try_from(took.as_millis()).unwrap_or(u64::MAX),
        "headers": headers,
        "facts": facts,
    });
    match found {
        Some(found) => told["found"] = found.clone().into(),
        None => told["body"] = body,
    }
    let mut out = out();
    match format {
        Format::Jsonl => writeln!(out, "{told}")?,
        _ => writeln!(out, "{told:#}")?,
    }
    out.flush()?;
    Ok(())
}
