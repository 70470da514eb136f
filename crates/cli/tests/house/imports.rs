//! Which file takes a name from which other, seen through re-exports.

use std::collections::{BTreeMap, BTreeSet, HashMap};

use syn::visit::Visit;
use syn::{Item, ItemUse, UseTree, Visibility};

use crate::tree::{ModulePath, SourceFile, by_module, defined};

/// Names by the pair of files: who takes them, and whence.
pub(crate) type Imports = BTreeMap<(usize, usize), BTreeSet<String>>;

/// One name that a `use` brings in.
struct Brought {
    /// What it is called here; none for `*`.
    name: Option<String>,
    path: Vec<String>,
    is_passed_on: bool,
}

struct House<'a> {
    files: &'a [SourceFile],
    places: HashMap<ModulePath, usize>,
    defined: Vec<BTreeSet<String>>,
    brought: Vec<Vec<Brought>>,
}

/// All imports of the workspace.
pub(crate) fn imports(files: &[SourceFile]) -> Imports {
    let brought = files.iter().map(|file| {
        let mut all = Vec::new();
        for item in &file.items {
            if let Item::Use(item) = item {
                flatten(&item.tree, &mut Vec::new(), is_passed_on(item), &mut all);
            }
        }
        all
    });
    let house = House {
        files,
        places: by_module(files),
        defined: files.iter().map(|file| file.items.iter().filter_map(defined).collect()).collect(),
        brought: brought.collect(),
    };
    let mut found = Imports::new();
    for (place, file) in files.iter().enumerate() {
        let mut paths = Paths(Vec::new());
        file.items.iter().filter(|item| !matches!(item, Item::Use(_))).for_each(|item| paths.visit_item(item));
        let used =
            house.brought[place].iter().filter(|brought| !brought.is_passed_on).map(|brought| brought.path.clone());
        // A single step is a name of this file's own, or one that it brought in, counted already; but for
        // those that it passes on.
        let passed_on = |name: &String| {
            house.brought[place].iter().any(|brought| brought.is_passed_on && brought.name.as_ref() == Some(name))
        };
        let named = paths.0.into_iter().filter(|path| path.len() > 1 || path.first().is_some_and(passed_on));
        for path in used.chain(named) {
            let Some((from, name)) = house.resolve(&house.absolute(place, &path), 0) else { continue };
            if from != place {
                found.entry((place, from)).or_default().insert(name);
            }
        }
    }
    found
}

fn is_passed_on(item: &ItemUse) -> bool {
    !matches!(item.vis, Visibility::Inherited)
}

fn flatten(tree: &UseTree, before: &mut Vec<String>, is_passed_on: bool, all: &mut Vec<Brought>) {
    let brought = |name: Option<String>, path: Vec<String>| Brought { name, path, is_passed_on };
    match tree {
        UseTree::Path(step) => {
            before.push(step.ident.to_string());
            flatten(&step.tree, before, is_passed_on, all);
            before.pop();
        }
        UseTree::Group(group) => group.items.iter().for_each(|tree| flatten(tree, before, is_passed_on, all)),
        UseTree::Glob(_) => all.push(brought(None, before.clone())),
        UseTree::Name(name) if name.ident == "self" => all.push(brought(before.last().cloned(), before.clone())),
        UseTree::Name(name) => {
            let path = [before.as_slice(), &[name.ident.to_string()]].concat();
            all.push(brought(path.last().cloned(), path));
        }
        UseTree::Rename(rename) => {
            let path = [before.as_slice(), &[rename.ident.to_string()]].concat();
            all.push(brought(Some(rename.rename.to_string()), path));
        }
    }
}

impl House<'_> {
    /// A path from the crate down, as a file's own module writes it.
    fn absolute(&self, place: usize, path: &[String]) -> Vec<String> {
        let own = &self.files[place].module;
        match path.first().map(String::as_str) {
            Some("crate") => [&own[..1], &path[1..]].concat(),
            Some("self") => [own.as_slice(), &path[1..]].concat(),
            Some("super") => {
                let up = path.iter().take_while(|step| *step == "super").count();
                [&own[..own.len().saturating_sub(up).max(1)], &path[up..]].concat()
            }
            Some(name) if name.starts_with("diaporos_") => {
                let krate = vec![name.trim_start_matches("diaporos_").to_owned()];
                [krate.as_slice(), &path[1..]].concat()
            }
            _ => [own.as_slice(), path].concat(),
        }
    }

    /// The file in which the item that a path names is defined, and its name.
    fn resolve(&self, path: &[String], depth: usize) -> Option<(usize, String)> {
        // The longest module that the path begins with.
        let known = (1..=path.len()).rev().find(|length| self.places.contains_key(&path[..*length]))?;
        let place = self.places[&path[..known]];
        let Some(name) = path.get(known) else { return Some((place, path.last()?.clone())) };
        if self.defined[place].contains(name) || depth > 12 {
            return Some((place, name.clone()));
        }
        let rest = &path[known + 1..];
        for brought in &self.brought[place] {
            let target = match &brought.name {
                Some(known) if known == name => [self.absolute(place, &brought.path).as_slice(), rest].concat(),
                Some(_) => continue,
                None => [self.absolute(place, &brought.path).as_slice(), &path[known..]].concat(),
            };
            let found = self.resolve(&target, depth + 1);
            if brought.name.is_some() || found.as_ref().is_some_and(|(at, name)| self.defined[*at].contains(name)) {
                return found;
            }
        }
        None
    }
}

/// Every path that code names.
struct Paths(Vec<Vec<String>>);

impl<'ast> Visit<'ast> for Paths {
    fn visit_path(&mut self, path: &'ast syn::Path) {
        self.0.push(path.segments.iter().map(|step| step.ident.to_string()).collect());
        syn::visit::visit_path(self, path);
    }

    fn visit_visibility(&mut self, _: &'ast Visibility) {}

    fn visit_macro(&mut self, used: &'ast syn::Macro) {
        let read = syn::punctuated::Punctuated::<syn::Expr, syn::Token![,]>::parse_terminated;
        if let Ok(expressions) = used.parse_body_with(read) {
            let expressions: Vec<syn::Expr> = expressions.into_iter().collect();
            let mut inner = Paths(Vec::new());
            for expression in &expressions {
                inner.visit_expr(expression);
            }
            self.0.append(&mut inner.0);
        }
    }

    fn visit_item_mod(&mut self, _: &'ast syn::ItemMod) {}
}
