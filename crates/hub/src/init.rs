//! Init: a hub folder to start from.

use std::io;
use std::path::{Path, PathBuf};

use diaporos_core::settings::{Form, Table};
use diaporos_systems::Kind;
use diaporos_systems::rest::Rest;

use crate::config::{CONFIGURATION, FILE};

/// The files of a new hub, each with its template.
const FILES: [(&str, &str); 3] = [
    (FILE, include_str!("../templates/diaporos.toml")),
    ("profiles/example-site.toml", include_str!("../templates/example-site.toml")),
    (
        ".gitignore",
        "# The hub's store. Pulling brings the entries back; what was delivered where, accepted translations, withdrawals\n# and the ledger are in it alone: back it up.\n.diaporos/\n\n\
         # What is secret stays on this machine.\n.env\n.env.*\nsecrets/\n*.pem\n*.key\n*.token\n*.secret\n",
    ),
];

/// A template whose empty comments say what the description of their line's setting says, each above its
/// line.
fn commented(template: &str, described: &'static Table) -> String {
    let (mut header, mut text) = (Vec::new(), String::new());
    for line in template.lines() {
        if let Some(name) = line.strip_prefix('[').and_then(|rest| rest.split(']').next()) {
            header = name.split('.').collect();
        }
        let Some(setting) = line.strip_suffix("  #") else {
            text += &format!("{line}\n");
            continue;
        };
        let key = setting.split('=').next().unwrap_or_default().trim();
        let path: Vec<&str> = header.iter().copied().chain([key]).collect();
        if let Some(setting) = described.at(&path) {
            let words = match setting.form {
                Form::Word { of, .. } => format!(" ({})", of().join(", ")),
                _ => String::new(),
            };
            text += &format!("# `{key}`: {}{words}.\n", setting.says);
        }
        text += &format!("{setting}\n");
    }
    text
}

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
    let profile = Rest.profile_rules().map(|rules| rules.settings);
    for (name, text) in FILES {
        let file = folder.join(name);
        if let Some(parent) = file.parent() {
            std::fs::create_dir_all(parent)?;
        }
        let text = match (name, profile) {
            (FILE, _) => commented(text, &CONFIGURATION),
            (name, Some(profile)) if name.starts_with("profiles/") => commented(text, profile),
            _ => text.to_owned(),
        };
        std::fs::write(&file, text)?;
        written.push(file);
    }
    Ok(written)
}
