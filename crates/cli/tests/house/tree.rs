//! The files of the workspace as modules.

use std::collections::HashMap;
use std::path::{Path, PathBuf};

use syn::{Attribute, Item};

/// A module's path, its crate first: `["core", "plan", "decide"]`.
pub(crate) type ModulePath = Vec<String>;

/// One file and what stands in it, without its tests.
pub(crate) struct SourceFile {
    /// Below the workspace: `crates/core/src/plan/decide.rs`.
    pub(crate) path: String,
    pub(crate) module: ModulePath,
    pub(crate) items: Vec<Item>,
    pub(crate) lines: usize,
}

pub(crate) fn workspace() -> PathBuf {
    Path::new(env!("CARGO_MANIFEST_DIR")).ancestors().nth(2).unwrap().to_owned()
}

/// Every file of every crate's `src`, but for tests.
pub(crate) fn source_files() -> Vec<SourceFile> {
    let root = workspace();
    let mut files = Vec::new();
    for (krate, _) in crate::FLOORS {
        let source = root.join("crates").join(krate).join("src");
        let mut folders = vec![source.clone()];
        while let Some(folder) = folders.pop() {
            for entry in std::fs::read_dir(folder).unwrap() {
                let path = entry.unwrap().path();
                if path.is_dir() {
                    folders.push(path);
                    continue;
                }
                let is_test = path.file_stem().is_some_and(|stem| stem == "tests")
                    || path.parent().is_some_and(|folder| folder.ends_with("tests"));
                if path.extension().is_none_or(|ending| ending != "rs") || is_test {
                    continue;
                }
                let text = std::fs::read_to_string(&path).unwrap();
                let parsed = syn::parse_file(&text).unwrap_or_else(|error| panic!("{}: {error}", path.display()));
                let below = path.strip_prefix(&source).unwrap();
                files.push(SourceFile {
                    path: path.strip_prefix(&root).unwrap().to_str().unwrap().to_owned(),
                    module: module_path(krate, below),
                    items: parsed.items.into_iter().filter(|item| !is_for_tests(item)).collect(),
                    lines: text.lines().count(),
                });
            }
        }
    }
    files.sort_by(|one, other| one.path.cmp(&other.path));
    files
}

fn module_path(krate: &str, below: &Path) -> ModulePath {
    let mut path = vec![krate.to_owned()];
    path.extend(below.with_extension("").iter().map(|step| step.to_str().unwrap().to_owned()));
    if path.last().is_some_and(|last| matches!(last.as_str(), "mod" | "lib" | "main")) {
        path.pop();
    }
    path
}

/// Whether an item is there for tests alone.
fn is_for_tests(item: &Item) -> bool {
    attributes(item).iter().any(|attribute| {
        attribute.path().is_ident("cfg")
            && attribute.meta.require_list().is_ok_and(|list| list.tokens.to_string() == "test")
    })
}

fn attributes(item: &Item) -> &[Attribute] {
    match item {
        Item::Const(item) => &item.attrs,
        Item::Enum(item) => &item.attrs,
        Item::Fn(item) => &item.attrs,
        Item::Impl(item) => &item.attrs,
        Item::Macro(item) => &item.attrs,
        Item::Mod(item) => &item.attrs,
        Item::Static(item) => &item.attrs,
        Item::Struct(item) => &item.attrs,
        Item::Trait(item) => &item.attrs,
        Item::Type(item) => &item.attrs,
        Item::Use(item) => &item.attrs,
        _ => &[],
    }
}

/// The name that an item gives to what it defines.
pub(crate) fn defined(item: &Item) -> Option<String> {
    let name = match item {
        Item::Const(item) => &item.ident,
        Item::Enum(item) => &item.ident,
        Item::Fn(item) => &item.sig.ident,
        Item::Macro(item) => item.ident.as_ref()?,
        Item::Static(item) => &item.ident,
        Item::Struct(item) => &item.ident,
        Item::Trait(item) => &item.ident,
        Item::Type(item) => &item.ident,
        _ => return None,
    };
    Some(name.to_string())
}

/// Files by their modules.
pub(crate) fn by_module(files: &[SourceFile]) -> HashMap<ModulePath, usize> {
    files.iter().enumerate().map(|(place, file)| (file.module.clone(), place)).collect()
}
