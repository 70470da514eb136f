//! The one rule for paths that a configuration names: inside the hub's folder, and over no link that
//! leads out of it.

use std::path::{Component, Path, PathBuf};

use diaporos_core::diagnostic::{Code, Diagnostic};
use diaporos_core::settings::{InnerText, Item};

/// Why a path is not taken.
#[derive(Debug, Clone, Copy, PartialEq, Eq, thiserror::Error)]
pub enum PathFault {
    /// It leads out by `..` or from the root.
    #[error("leads out of the hub's folder")]
    Out,
    /// A link in it leads out.
    #[error("is a link that leads out of the hub's folder")]
    Link,
    /// Nothing is there.
    #[error("is not there")]
    Missing,
}

/// The path of a file that a configuration names, relative to the hub's folder.
///
/// # Errors
/// Where it leads out of the folder.
pub fn within(folder: &Path, name: &str) -> Result<PathBuf, PathFault> {
    let relative = Path::new(name);
    let stays = relative.components().all(|step| matches!(step, Component::Normal(_) | Component::CurDir));
    if name.is_empty() || !stays {
        return Err(PathFault::Out);
    }
    let path = folder.join(relative);
    // What is not there leads nowhere; whoever reads it says that it is missing.
    let (Ok(real), Ok(root)) = (path.canonicalize(), folder.canonicalize()) else { return Ok(path) };
    if real.starts_with(root) { Ok(path) } else { Err(PathFault::Link) }
}

/// Reads a text file that a configuration names.
///
/// # Errors
/// Where it leads out of the folder, or cannot be read.
pub fn read_within(folder: &Path, name: &str) -> Result<String, std::io::Error> {
    let path = within(folder, name).map_err(|fault| std::io::Error::other(format!("it {fault}")))?;
    std::fs::read_to_string(path)
}

impl PathFault {
    /// What is said of the path; `what` is what is kept there.
    #[must_use]
    pub fn told(self, item: &Item<InnerText>, what: &str) -> Diagnostic {
        let message = format!("`{}` {self}", item.value.as_str());
        Diagnostic::error(Code::MissingFile, item.span.clone(), message)
            .label(what)
            .help("name a file inside the hub's folder, relative to it")
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn paths_stay_inside() {
        let (hub, other) = (tempfile::tempdir().unwrap(), tempfile::tempdir().unwrap());
        std::fs::write(other.path().join("x.toml"), "x").unwrap();
        std::fs::create_dir(hub.path().join("profiles")).unwrap();
        std::fs::write(hub.path().join("profiles/x.toml"), "x").unwrap();
        for (name, expected) in [
            ("profiles/x.toml", None),
            ("./profiles/x.toml", None),
            ("profiles/none.toml", None),
            ("../x.toml", Some(PathFault::Out)),
            ("profiles/../../x.toml", Some(PathFault::Out)),
            ("/etc/passwd", Some(PathFault::Out)),
            ("", Some(PathFault::Out)),
        ] {
            assert_eq!(within(hub.path(), name).err(), expected, "{name}");
        }
        #[cfg(unix)]
        {
            std::os::unix::fs::symlink(other.path(), hub.path().join("out")).unwrap();
            std::os::unix::fs::symlink("profiles/x.toml", hub.path().join("in.toml")).unwrap();
            assert_eq!(within(hub.path(), "out/x.toml"), Err(PathFault::Link));
            assert!(read_within(hub.path(), "in.toml").is_ok());
        }
    }
}
