//! Certificates of one's own: an authority that only the hub trusts, and a client that shows who it is.

use std::io::{Read, Write};
use std::net::TcpListener;
use std::sync::Arc;

use rcgen::{BasicConstraints, CertificateParams, CertifiedIssuer, IsCa, KeyPair};
use rustls::pki_types::{CertificateDer, PrivateKeyDer};
use rustls::server::WebPkiClientVerifier;
use rustls::{RootCertStore, ServerConfig, ServerConnection, StreamOwned};

use crate::harness::{hub_of, run};

/// An authority of one's own.
pub(crate) fn authority() -> CertifiedIssuer<'static, KeyPair> {
    let mut params = CertificateParams::new(Vec::new()).unwrap();
    params.is_ca = IsCa::Ca(BasicConstraints::Unconstrained);
    CertifiedIssuer::self_signed(params, KeyPair::generate().unwrap()).unwrap()
}

/// A key and what an authority says of it, in PEM.
pub(crate) fn signed(authority: &CertifiedIssuer<'_, KeyPair>, name: &str) -> (KeyPair, rcgen::Certificate) {
    let key = KeyPair::generate().unwrap();
    let certificate = CertificateParams::new(vec![name.to_owned()]).unwrap().signed_by(&key, authority).unwrap();
    (key, certificate)
}

/// Answers whoever shows a certificate of the authority with an empty list, until the test ends.
fn serve(authority: &CertificateDer<'static>, key: &KeyPair, certificate: CertificateDer<'static>) -> String {
    let _ = rustls::crypto::ring::default_provider().install_default();
    let mut roots = RootCertStore::empty();
    roots.add(authority.clone()).unwrap();
    let verifier = WebPkiClientVerifier::builder(Arc::new(roots)).build().unwrap();
    let key = PrivateKeyDer::try_from(key.serialize_der()).unwrap();
    let config = ServerConfig::builder().with_client_cert_verifier(verifier);
    let config = Arc::new(config.with_single_cert(vec![certificate], key).unwrap());
    let listener = TcpListener::bind("127.0.0.1:0").unwrap();
    let url = format!("https://localhost:{}", listener.local_addr().unwrap().port());
    std::thread::spawn(move || {
        for socket in listener.incoming().flatten() {
            let config = Arc::clone(&config);
            std::thread::spawn(move || {
                let mut stream = StreamOwned::new(ServerConnection::new(config).unwrap(), socket);
                if matches!(stream.read(&mut [0; 4096]), Ok(read) if read > 0) {
                    let head = "HTTP/1.1 200 OK\r\ncontent-type: application/json\r\ncontent-length: 2\r\nconnection: close\r\n\r\n[]";
                    drop(stream.write_all(head.as_bytes()));
                    stream.conn.send_close_notify();
                    drop(stream.flush());
                }
            });
        }
    });
    url
}

#[test]
fn a_system_with_an_authority_of_its_own_is_read_by_who_shows_a_certificate() {
    let authority = authority();
    let (server_key, server) = signed(&authority, "localhost");
    let (hub_key, hub) = signed(&authority, "hub.example");
    let url = serve(authority.der(), &server_key, server.der().clone());
    let profile = "[types.notice.read]\nlist = \"/notices\"\nitems = \"$[*]\"\nid = \"$.id\"\n[types.notice.fields]\ntitle = \"text\"\n";
    let config = |keys: &str| {
        format!(
            "[systems.board]\nkind = \"rest\"\nurl = \"{url}\"\nprofile = \"board.toml\"\nretries = 0\nproxy = false\n{keys}"
        )
    };
    let shown = format!("{}{}", hub.pem(), hub_key.serialize_pem());
    let folder = hub_of(&[("board.toml", profile), ("authority.pem", &authority.pem()), ("hub.pem", &shown)]);
    let pulled = |keys: &str| {
        std::fs::write(folder.path().join("diaporos.toml"), config(keys)).unwrap();
        run(folder.path(), &["pull"], &[])
    };
    let unknown = pulled("").ends(1);
    assert!(unknown.stderr.contains("certificate"), "{}", unknown.stderr);
    assert_ne!(pulled("ca_bundle = \"authority.pem\"").code, Some(0), "nobody without a certificate is let in");
    let _ = pulled("ca_bundle = \"authority.pem\"\nclient_certificate = \"file:hub.pem\"").ends(0);
}
