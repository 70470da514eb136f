//! Models that the hub keeps: `models/SYSTEM/TYPE.json`, a JSON Schema each.

use std::path::{Path, PathBuf};

use diaporos_core::diagnostic::{Code, Diagnostic, Report, Source};
use diaporos_core::lane::TypeRef;
use diaporos_core::model::{EntryType, from_schema};
use diaporos_core::value::{SystemName, TypeName};
use indexmap::IndexMap;

/// The types that are kept.
pub type KeptModels = IndexMap<TypeRef, EntryType>;

/// The most bytes of a model's file.
const LARGEST: u64 = 4 << 20;

/// Where the model of a type is kept in a hub's folder.
#[must_use]
pub fn model_file(folder: &Path, end: &TypeRef) -> PathBuf {
    folder.join("models").join(end.system.as_str()).join(format!("{}.json", end.kind))
}

/// Reads every model of a system; what cannot be read is reported by file.
pub(super) fn kept_models<'a>(
    folder: &Path,
    systems: impl Iterator<Item = &'a SystemName>,
    reports: &mut Vec<Report>,
) -> KeptModels {
    let mut kept = KeptModels::new();
    for system in systems {
        let Ok(files) = std::fs::read_dir(folder.join("models").join(system.as_str())) else { continue };
        let mut names: Vec<PathBuf> = files.flatten().map(|file| file.path()).collect();
        names.sort();
        for path in names.iter().filter(|path| path.extension().is_some_and(|ending| ending == "json")) {
            let kind = path.file_stem().and_then(|name| name.to_str()).unwrap_or_default();
            match TypeName::new(kind).map_err(|error| error.to_string()).and_then(|kind| Ok((kind, read(path)?))) {
                Ok((kind, of)) => drop(kept.insert(TypeRef { system: system.clone(), kind }, of)),
                Err(message) => {
                    let name = path.strip_prefix(folder).unwrap_or(path).display().to_string();
                    let mut report = Report::new(Source { name, text: String::new() });
                    report.add(Diagnostic::error(
                        Code::BadValue,
                        0..0,
                        format!("this is no model of a type: {message}"),
                    ));
                    reports.push(report);
                }
            }
        }
    }
    kept
}

fn read(path: &Path) -> Result<EntryType, String> {
    let size = std::fs::metadata(path).map_err(|error| error.to_string())?.len();
    if size > LARGEST {
        return Err(format!("it has {size} bytes; at most {LARGEST} are read"));
    }
    let text = std::fs::read_to_string(path).map_err(|error| error.to_string())?;
    let schema = serde_json::from_str(&text).map_err(|error| format!("it is not JSON: {error}"))?;
    from_schema(&schema)
}
