//! Where `serve` listens.

use std::net::SocketAddr;

use diaporos_core::diagnostic::Report;
use diaporos_core::settings;
use diaporos_core::settings::{Form, Section, Table, TextForm};

const LISTEN: Form = Form::Text(&TextForm { name: "an address and a port", pattern: Some("^.+:[0-9]+$") });

/// What is said of `serve`.
pub(super) static SERVE: Table = Table::new(
    "serve",
    &[settings![
        listen: LISTEN, usual "127.0.0.1:4740", "where `serve` listens: loopback, unless hooks come from another machine and nothing stands between", "127.0.0.1:8090";
    ]],
);

/// Where `serve` listens.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Serving {
    /// The address and the port.
    pub listen: SocketAddr,
}

/// Where `serve` listens where nothing is said.
const USUAL: SocketAddr = SocketAddr::new(std::net::IpAddr::V4(std::net::Ipv4Addr::LOCALHOST), 4740);

/// Reads what is said of `serve`.
pub(super) fn serving(file: &mut Section<'_>, report: &mut Report) -> Serving {
    let Some(mut table) = file.section("serve", report) else { return Serving { listen: USUAL } };
    let listen = table.text("listen", report).and_then(|item| match item.value.as_str().parse() {
        Ok(listen) => Some(listen),
        Err(_) => {
            table.refuse("listen", item.span, "this is not an address and a port", report);
            None
        }
    });
    table.finish(report);
    Serving { listen: listen.unwrap_or(USUAL) }
}
