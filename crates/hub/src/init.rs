//! Init: a hub folder to start from.

use std::io;
use std::path::{Path, PathBuf};

use crate::config::FILE;

/// The files of a new hub, each with its content.
pub const FILES: [(&str, &str); 3] = [
    (FILE, include_str!("../templates/diaporos.toml")),
    ("profiles/example-site.toml", include_str!("../templates/example-site.toml")),
    (
        ".gitignore",
        "# The hub's store. Pulling brings the entries back; what was delivered where, accepted translations, withdrawals\n# and the ledger are in it alone: back it up.\n.diaporos/\n\n\
         # What is secret stays on this machine.\n.env\n.env.*\nsecrets/\n*.pem\n*.key\n*.token\n*.secret\n",
    ),
];

/// Writes the files of a new hub into a folder. A file that is there is never written over.
///
/// # Errors
/// Where a file is there already, or cannot be written.
pub fn init(folder: &Path) -> io::Result<Vec<PathBuf>> {
    for (name, _) in FILES {
        if folder.join(name).exists() {
            let message = format!("{} is there already; nothing was written", folder.join(name).display());
            return Err(io::Error::new(io::ErrorKind::AlreadyExists, message));
        }
    }
    let mut written = Vec::new();
    for (name, text) in FILES {
        let file = folder.join(name);
        if let Some(parent) = file.parent() {
            std::fs::create_dir_all(parent)?;
        }
        std::fs::write(&file, text)?;
        written.push(file);
    }
    Ok(written)
}
