//! The ways by which a system is reached: by the usual route, past proxies, or to the open network alone.

use std::sync::{Arc, OnceLock};

use reqwest::redirect::Policy;
use url::Url;

use super::limits::Limits;
use super::network::{OpenNetwork, Way, is_loopback, is_special};
use super::retry::causes;
use crate::ErrorKind;

/// A client for each way, made when the first request goes by it.
#[derive(Debug)]
pub(super) struct Ways {
    limits: Limits,
    usual: OnceLock<reqwest::Client>,
    direct: OnceLock<reqwest::Client>,
    guarded: OnceLock<reqwest::Client>,
}

impl Ways {
    pub(super) fn new(limits: Limits) -> Ways {
        Ways { limits, usual: OnceLock::new(), direct: OnceLock::new(), guarded: OnceLock::new() }
    }

    fn of(&self, way: Way) -> &OnceLock<reqwest::Client> {
        match way {
            Way::Usual => &self.usual,
            Way::Direct => &self.direct,
            Way::Guarded => &self.guarded,
        }
    }

    /// The client that goes that way.
    ///
    /// # Errors
    /// Where TLS cannot be set up.
    pub(super) fn client(&self, way: Way) -> Result<reqwest::Client, ErrorKind> {
        let place = self.of(way);
        if let Some(made) = place.get() {
            return Ok(made.clone());
        }
        let network = &self.limits.network;
        let failed =
            |error: &reqwest::Error| ErrorKind::Unreachable(format!("TLS cannot be set up: {}", causes(error)));
        let mut builder = reqwest::Client::builder()
            .user_agent(concat!("diaporos/", env!("CARGO_PKG_VERSION")))
            .connect_timeout(self.limits.connect)
            .timeout(self.limits.whole)
            .redirect(Policy::none());
        if way != Way::Usual || network.no_proxy {
            builder = builder.no_proxy();
        }
        if way == Way::Guarded {
            builder = builder.dns_resolver(Arc::new(OpenNetwork));
        } else {
            if let Some(pem) = &network.ca_bundle {
                for certificate in reqwest::Certificate::from_pem_bundle(pem).map_err(|error| failed(&error))? {
                    builder = builder.add_root_certificate(certificate);
                }
            }
            if let Some(pem) = &network.client_certificate {
                let identity = reqwest::Identity::from_pem(pem.expose().as_bytes()).map_err(|error| failed(&error))?;
                builder = builder.identity(identity);
            }
        }
        let made = builder.build().map_err(|error| failed(&error))?;
        Ok(place.get_or_init(|| made).clone())
    }

    /// A client for the place where a credential is fetched.
    pub(super) fn to_fetch(&self, url: &Url) -> Result<reqwest::Client, ErrorKind> {
        self.client(way_of(url, true)?)
    }
}

/// By which way an address is asked.
pub(super) fn way_of(url: &Url, is_trusted: bool) -> Result<Way, ErrorKind> {
    match (is_trusted, is_loopback(url)) {
        (true, true) => Ok(Way::Direct),
        (true, false) => Ok(Way::Usual),
        (false, _) if is_special(url) => {
            let host = url.host_str().unwrap_or_default();
            Err(ErrorKind::Refused(format!("it leads to {host}, which is no address of the open network")))
        }
        (false, _) => Ok(Way::Guarded),
    }
}
