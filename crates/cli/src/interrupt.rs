//! Ctrl-C and SIGTERM: the first asks to end, the second ends. SIGHUP asks to read the configuration anew.

use std::io::Write;
use std::sync::Arc;
use std::sync::atomic::{AtomicBool, Ordering};

use diaporos_hub::serve::Asked;

/// Whether a person asked to end.
#[derive(Debug, Clone, Default)]
pub(crate) struct Interrupt(Arc<AtomicBool>);

impl Interrupt {
    /// Listens from now on. The second signal ends the program at once, which is as safe as a crash.
    pub(crate) fn listen() -> Interrupt {
        let interrupt = Interrupt::default();
        let asked = interrupt.clone();
        tokio::spawn(async move {
            if !signal().await {
                return;
            }
            asked.0.store(true, Ordering::Relaxed);
            // Nobody is left to tell where stderr is closed.
            let _ = std::io::stderr()
                .write_all(b"stopping: what is under way is finished and noted; once more ends at once\n");
            end_with_the_next().await;
        });
        interrupt
    }

    /// Whether it is to end.
    pub(crate) fn is_asked(&self) -> bool {
        self.0.load(Ordering::Relaxed)
    }
}

/// Asks a hub that runs by itself to end, and to read its configuration anew, as signals come.
pub(crate) fn ask(asked: Arc<Asked>) {
    tokio::spawn(again(Arc::clone(&asked)));
    tokio::spawn(async move {
        if signal().await {
            asked.end();
            end_with_the_next().await;
        }
    });
}

async fn end_with_the_next() {
    if signal().await {
        std::process::exit(130);
    }
}

/// Waits for Ctrl-C or SIGTERM; false where no signal can be had.
#[cfg(unix)]
async fn signal() -> bool {
    use tokio::signal::unix::{SignalKind, signal};
    let Ok(mut end) = signal(SignalKind::terminate()) else { return tokio::signal::ctrl_c().await.is_ok() };
    tokio::select! {
        asked = tokio::signal::ctrl_c() => asked.is_ok(),
        asked = end.recv() => asked.is_some(),
    }
}

#[cfg(not(unix))]
async fn signal() -> bool {
    tokio::signal::ctrl_c().await.is_ok()
}

#[cfg(unix)]
async fn again(asked: Arc<Asked>) {
    use tokio::signal::unix::{SignalKind, signal};
    let Ok(mut hang_up) = signal(SignalKind::hangup()) else { return };
    while hang_up.recv().await.is_some() {
        asked.reload();
    }
}

#[cfg(not(unix))]
async fn again(_: Arc<Asked>) {}
