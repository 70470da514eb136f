//! Ctrl-C: the first asks to end, the second ends.

use std::io::Write;
use std::sync::Arc;
use std::sync::atomic::{AtomicBool, Ordering};

/// Whether a person asked to end.
#[derive(Debug, Clone, Default)]
pub(crate) struct Interrupt(Arc<AtomicBool>);

impl Interrupt {
    /// Listens from now on. The second Ctrl-C ends the program at once, which is as safe as a crash.
    pub(crate) fn listen() -> Interrupt {
        let interrupt = Interrupt::default();
        let asked = interrupt.clone();
        tokio::spawn(async move {
            if tokio::signal::ctrl_c().await.is_err() {
                return;
            }
            asked.0.store(true, Ordering::Relaxed);
            // Nobody is left to tell where stderr is closed.
            let _ = std::io::stderr()
                .write_all(b"stopping: what is under way is finished and noted; Ctrl-C again ends at once\n");
            if tokio::signal::ctrl_c().await.is_ok() {
                std::process::exit(130);
            }
        });
        interrupt
    }

    /// Whether it is to end.
    pub(crate) fn is_asked(&self) -> bool {
        self.0.load(Ordering::Relaxed)
    }
}
