//! Where `serve` listens.

use std::net::SocketAddr;

use diaporos_core::diagnostic::{Code, Diagnostic, Report};
use diaporos_core::settings;
use diaporos_core::settings::{Form, Section, Table, TextForm};
use diaporos_core::value::SystemName;
use diaporos_systems::SecretReference;
use diaporos_systems::settings::{PLACE, PlaceText, SECRET, place_of, secret};
use indexmap::IndexMap;

use super::SystemConfig;

const LISTEN: Form = Form::Text(&TextForm { name: "an address and a port", pattern: Some("^.+:[0-9]+$") });

/// What is said of `serve`.
pub(super) static SERVE: Table = Table::new(
    "serve",
    &[settings![
        listen: LISTEN, usual "127.0.0.1:4740", "where `serve` listens: loopback, unless hooks come from another machine and nothing stands between", "127.0.0.1:8090";
        public: PLACE, none, "the address at which others reach what listens, where they do: hubs of feeds call there", "https://hub.ostrel.example";
        token: SECRET, none, "what those must show who look at the hub's pages: as a bearer, or, in a browser, as the password of any user; needed where it listens beyond loopback", "env:HUB_TOKEN";
    ]],
);

/// Where `serve` listens.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Serving {
    /// The address and the port.
    pub listen: SocketAddr,
    /// The address at which others reach it.
    pub public: Option<PlaceText>,
    /// Where the token is kept that those must show who look.
    pub token: Option<SecretReference>,
}

/// Where `serve` listens where nothing is said.
const USUAL: SocketAddr = SocketAddr::new(std::net::IpAddr::V4(std::net::Ipv4Addr::LOCALHOST), 4740);

/// Reads what is said of `serve`.
pub(super) fn serving(
    file: &mut Section<'_>,
    systems: &IndexMap<SystemName, Option<SystemConfig>>,
    report: &mut Report,
) -> Serving {
    let serving = read(file, report);
    if serving.public.is_none() {
        check_subscribed(systems, report);
    }
    serving
}

fn read(file: &mut Section<'_>, report: &mut Report) -> Serving {
    let Some(mut table) = file.section("serve", report) else {
        return Serving { listen: USUAL, public: None, token: None };
    };
    let listen = table.text("listen", report).and_then(|item| match item.value.as_str().parse() {
        Ok(listen) => Some(listen),
        Err(_) => {
            table.refuse("listen", item.span, "this is not an address and a port", report);
            None
        }
    });
    let public = table.text("public", report).and_then(|item| place_of(&item, &["http", "https"], report));
    let token = table.text("token", report).and_then(|item| secret(&item, report));
    table.finish(report);
    let listen = listen.unwrap_or(USUAL);
    if !listen.ip().is_loopback() && token.is_none() && !report.has_errors() {
        let finding = Diagnostic::error(
            Code::MissingKey,
            table.span(),
            "where it listens beyond loopback, `serve` needs a `token`",
        );
        report.add(finding.help("for example `token = \"env:HUB_TOKEN\"`"));
    }
    Serving { listen, public, token }
}

/// Warns where a system is to be subscribed to its feeds, and no hub can call.
fn check_subscribed(systems: &IndexMap<SystemName, Option<SystemConfig>>, report: &mut Report) {
    let is_subscribed =
        |known: &Option<SystemConfig>| known.as_ref().is_some_and(|known| !known.subscribed().is_empty());
    let Some((name, _)) = systems.iter().find(|(_, known)| is_subscribed(known)) else { return };
    let message = format!("`{name}` is to be subscribed to its feeds, and `[serve]` has no `public` address");
    let finding = Diagnostic::warning(Code::MissingKey, 0..0, message);
    report.add(finding.help("say where hubs reach `serve`, as in `public = \"https://hub.ostrel.example\"`"));
}
