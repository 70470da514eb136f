//! How a system is reached: by which way, and where an address may lead that others gave.

use std::net::{IpAddr, Ipv4Addr, Ipv6Addr, SocketAddr};
use std::path::PathBuf;

use reqwest::dns::{Addrs, Name, Resolve, Resolving};
use url::{Host, Url};

use super::HeaderText;
use crate::Secret;

/// How a system is reached.
#[derive(Debug, Clone, Default)]
pub struct Network {
    /// Other hosts that its answers may lead to.
    pub hosts: Vec<String>,
    /// Whether proxies of the environment are passed by.
    pub no_proxy: bool,
    /// Certificates that are trusted beside those of the machine (PEM).
    pub ca_bundle: Option<Vec<u8>>,
    /// A certificate of ours, with its key (PEM).
    pub client_certificate: Option<Secret>,
    /// Headers that every request to it has.
    pub headers: Vec<(String, HeaderText)>,
    /// Hosts that files of entries may be fetched from although they are special ones.
    pub asset_hosts: Vec<String>,
    /// Whether pictures that are documents (SVG) are delivered, cleaned.
    pub svg: bool,
    /// Where the hub keeps attachments, each by what is in it.
    pub attachments: Option<PathBuf>,
}

impl Network {
    /// Whether an answer of the system at `base` may lead to an address: to the same host, or to one
    /// that is named.
    #[must_use]
    pub fn allows(&self, base: &Url, target: &Url) -> bool {
        base.host() == target.host() || is_named(&self.hosts, target)
    }
}

/// Whether an address's host is one of those.
pub(crate) fn is_named(hosts: &[String], url: &Url) -> bool {
    url.host_str().is_some_and(|host| hosts.iter().any(|known| known.eq_ignore_ascii_case(host)))
}

/// By which way a request goes.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum Way {
    /// As the environment says: by a proxy, where one is set.
    Usual,
    /// To this machine, and by no proxy.
    Direct,
    /// To where content leads: by no proxy, and to no special address.
    Guarded,
}

/// Whether an address is this machine's own, by its name or number.
#[must_use]
pub fn is_loopback(url: &Url) -> bool {
    match url.host() {
        Some(Host::Ipv4(ip)) => ip.is_loopback(),
        Some(Host::Ipv6(ip)) => ip.is_loopback() || ip.to_ipv4_mapped().is_some_and(|ip| ip.is_loopback()),
        // Of a scheme other than the web's a number is a name.
        Some(Host::Domain(name)) => {
            let is_number = name.parse::<Ipv4Addr>().is_ok_and(|ip| ip.is_loopback());
            is_number || name == "localhost" || name.ends_with(".localhost")
        }
        None => false,
    }
}

/// Whether an address names a special network by number; a name is looked up when it is asked.
pub(super) fn is_special(url: &Url) -> bool {
    match url.host() {
        Some(Host::Ipv4(ip)) => is_special_v4(ip),
        Some(Host::Ipv6(ip)) => is_special_v6(ip),
        Some(Host::Domain(_)) => is_loopback(url),
        None => true,
    }
}

/// The special-purpose addresses of IANA's registries (RFC 6890) that are not of the open network.
fn is_special_v4(ip: Ipv4Addr) -> bool {
    let [a, b, c, _] = ip.octets();
    ip.is_loopback()
        || ip.is_private()
        || ip.is_link_local()
        || ip.is_multicast()
        || ip.is_documentation()
        || a == 0
        || a >= 240
        || (a == 100 && (64..128).contains(&b))
        || (a == 192 && b == 0 && c == 0)
        || (a == 198 && (b == 18 || b == 19))
}

fn is_special_v6(ip: Ipv6Addr) -> bool {
    let steps = ip.segments();
    let inner = |high: u16, low: u16| Ipv4Addr::from((u32::from(high) << 16) | u32::from(low));
    // Addresses that stand for one of version 4: mapped, compatible, translated, 6to4.
    let stands_for = match steps {
        [0, 0, 0, 0, 0, 0 | 0xffff, high, low] if !ip.is_loopback() && !ip.is_unspecified() => Some(inner(high, low)),
        [0x64, 0xff9b, 0, 0, 0, 0, high, low] => Some(inner(high, low)),
        [0x2002, high, low, ..] => Some(inner(high, low)),
        _ => None,
    };
    match stands_for {
        Some(ip) => is_special_v4(ip),
        None => {
            // Of the open network is 2000::/3, but for Teredo and documentation.
            !(0x2000..0x4000).contains(&steps[0]) || (steps[0] == 0x2001 && (steps[1] == 0 || steps[1] == 0xdb8))
        }
    }
}

/// Looks names up, and leaves out special addresses: the connection is made to what was looked at.
#[derive(Debug)]
pub(super) struct OpenNetwork;

impl Resolve for OpenNetwork {
    fn resolve(&self, name: Name) -> Resolving {
        Box::pin(async move {
            let found: Vec<SocketAddr> = tokio::net::lookup_host((name.as_str(), 0)).await?.collect();
            let is_open = |found: &SocketAddr| match found.ip() {
                IpAddr::V4(ip) => !is_special_v4(ip),
                IpAddr::V6(ip) => !is_special_v6(ip),
            };
            let open: Vec<SocketAddr> = found.into_iter().filter(is_open).collect();
            if open.is_empty() {
                let why = format!("{} leads into a network that is not the open one", name.as_str());
                return Err(std::io::Error::other(why).into());
            }
            Ok(Box::new(open.into_iter()) as Addrs)
        })
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn special_addresses() {
        for special in [
            "http://127.0.0.1/",
            "http://127.1/",
            "http://2130706433/",
            "http://0x7f.1/",
            "http://10.1.2.3/",
            "http://172.16.0.1/",
            "http://192.168.1.1/",
            "http://169.254.169.254/latest",
            "http://100.64.0.1/",
            "http://0.0.0.0/",
            "http://255.255.255.255/",
            "http://192.0.2.1/",
            "http://[::1]/",
            "http://[::]/",
            "http://[fd00::1]/",
            "http://[fe80::1]/",
            "http://[::ffff:10.0.0.1]/",
            "http://[64:ff9b::7f00:1]/",
            "http://[2002:a00:1::]/",
            "http://[2001:db8::1]/",
            "http://localhost/",
            "http://x.localhost/",
        ] {
            assert!(is_special(&special.parse().unwrap()), "{special}");
        }
        for open in ["http://93.184.216.34/", "http://[2606:2800:220:1::1]/", "http://a.example/", "http://172.32.0.1/"]
        {
            assert!(!is_special(&open.parse().unwrap()), "{open}");
        }
    }

    #[tokio::test]
    async fn a_name_that_leads_inside_is_not_connected_to() {
        let inside = OpenNetwork.resolve("localhost".parse().unwrap()).await;
        assert!(inside.err().unwrap().to_string().contains("not the open one"));
    }
}
