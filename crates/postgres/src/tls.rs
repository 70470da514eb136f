//! TLS to a server, by rustls.

use std::io;
use std::pin::Pin;
use std::sync::Arc;
use std::task::{Context, Poll};

use futures::future::BoxFuture;
use rustls::ClientConfig;
use rustls::RootCertStore;
use rustls::pki_types::ServerName;
use rustls::pki_types::pem::PemObject;
use rustls_platform_verifier::BuilderVerifierExt;
use tokio::io::{AsyncRead, AsyncWrite, ReadBuf};
use tokio_postgres::tls::{ChannelBinding, MakeTlsConnect, TlsConnect, TlsStream};
use tokio_rustls::TlsConnector;

/// How a connection is made safe.
#[derive(Clone)]
pub(super) struct Tls(Arc<ClientConfig>);

impl Tls {
    /// Trusts those authorities, or, where none are given, those of the machine.
    pub(super) fn trusting(authorities: Option<&[u8]>) -> Result<Tls, String> {
        tls_config(authorities).map(Tls)
    }
}

/// What makes a connection safe by TLS: those authorities are trusted, or, where none are given, those of the machine.
///
/// # Errors
/// Says what is wrong with the authorities.
pub fn tls_config(authorities: Option<&[u8]>) -> Result<Arc<ClientConfig>, String> {
    let provider = Arc::new(rustls::crypto::ring::default_provider());
    let builder = ClientConfig::builder_with_provider(provider).with_safe_default_protocol_versions();
    let builder = builder.map_err(|error| error.to_string())?;
    let config = match authorities {
        None => builder.with_platform_verifier().map_err(|error| error.to_string())?.with_no_client_auth(),
        Some(pem) => {
            let mut roots = RootCertStore::empty();
            for certificate in rustls::pki_types::CertificateDer::pem_slice_iter(pem) {
                let certificate = certificate.map_err(|error| format!("the certificates cannot be read: {error}"))?;
                roots.add(certificate).map_err(|error| format!("a certificate cannot be trusted: {error}"))?;
            }
            if roots.is_empty() {
                return Err("there is no certificate in it".to_owned());
            }
            builder.with_root_certificates(roots).with_no_client_auth()
        }
    };
    Ok(Arc::new(config))
}

impl MakeTlsConnect<tokio_postgres::Socket> for Tls {
    type Stream = Secured;
    type TlsConnect = TlsTo;
    type Error = io::Error;

    fn make_tls_connect(&mut self, domain: &str) -> io::Result<TlsTo> {
        let name = ServerName::try_from(domain.to_owned()).map_err(io::Error::other)?;
        Ok(TlsTo { config: Arc::clone(&self.0), name })
    }
}

/// TLS to the server of that name.
pub(super) struct TlsTo {
    config: Arc<ClientConfig>,
    name: ServerName<'static>,
}

impl TlsConnect<tokio_postgres::Socket> for TlsTo {
    type Stream = Secured;
    type Error = io::Error;
    type Future = BoxFuture<'static, io::Result<Secured>>;

    fn connect(self, stream: tokio_postgres::Socket) -> Self::Future {
        Box::pin(async move { Ok(Secured(TlsConnector::from(self.config).connect(self.name, stream).await?)) })
    }
}

/// A connection that is safe.
pub(super) struct Secured(tokio_rustls::client::TlsStream<tokio_postgres::Socket>);

impl TlsStream for Secured {
    fn channel_binding(&self) -> ChannelBinding {
        ChannelBinding::none()
    }
}

impl AsyncRead for Secured {
    fn poll_read(mut self: Pin<&mut Self>, context: &mut Context<'_>, into: &mut ReadBuf<'_>) -> Poll<io::Result<()>> {
        Pin::new(&mut self.0).poll_read(context, into)
    }
}

impl AsyncWrite for Secured {
    fn poll_write(mut self: Pin<&mut Self>, context: &mut Context<'_>, bytes: &[u8]) -> Poll<io::Result<usize>> {
        Pin::new(&mut self.0).poll_write(context, bytes)
    }

    fn poll_flush(mut self: Pin<&mut Self>, context: &mut Context<'_>) -> Poll<io::Result<()>> {
        Pin::new(&mut self.0).poll_flush(context)
    }

    fn poll_shutdown(mut self: Pin<&mut Self>, context: &mut Context<'_>) -> Poll<io::Result<()>> {
        Pin::new(&mut self.0).poll_shutdown(context)
    }
}
