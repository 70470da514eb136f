//! How large a file, a function and a list of parameters may be.

use syn::spanned::Spanned;
use syn::visit::Visit;
use syn::{Block, FnArg, Pat, Signature};

use crate::tree::source_files;

/// Lines of a file that is no table.
const LONGEST_FILE: usize = 400;
/// Lines of a function that is no table.
const LONGEST_FUNCTION: usize = 60;
/// Parameters, members of a tuple counted one by one, and `self` not.
const MOST_PARAMETERS: usize = 5;

#[derive(Default)]
struct Functions(Vec<(String, usize, usize)>);

impl Functions {
    fn add(&mut self, signature: &Signature, body: Option<&Block>) {
        let lines = body.map_or(0, |body| body.span().end().line + 1 - signature.span().start().line);
        let parameters = signature.inputs.iter().map(|input| match input {
            FnArg::Receiver(_) => 0,
            FnArg::Typed(typed) => match &*typed.pat {
                Pat::Tuple(tuple) => tuple.elems.len(),
                _ => 1,
            },
        });
        self.0.push((signature.ident.to_string(), lines, parameters.sum()));
    }
}

impl<'ast> Visit<'ast> for Functions {
    fn visit_item_fn(&mut self, item: &'ast syn::ItemFn) {
        self.add(&item.sig, Some(&item.block));
        syn::visit::visit_item_fn(self, item);
    }

    fn visit_impl_item_fn(&mut self, item: &'ast syn::ImplItemFn) {
        self.add(&item.sig, Some(&item.block));
        syn::visit::visit_impl_item_fn(self, item);
    }

    fn visit_trait_item_fn(&mut self, item: &'ast syn::TraitItemFn) {
        self.add(&item.sig, item.default.as_ref());
        syn::visit::visit_trait_item_fn(self, item);
    }
}

#[test]
fn nothing_is_too_large_to_be_read() {
    let mut told = Vec::new();
    for file in source_files() {
        if file.lines > LONGEST_FILE {
            told.push(format!("{}: a long file", file.path));
        }
        let mut functions = Functions::default();
        file.items.iter().for_each(|item| functions.visit_item(item));
        for (name, lines, parameters) in functions.0 {
            let place = format!("{}: {name}", file.path);
            if lines > LONGEST_FUNCTION {
                told.push(format!("{place}: a long function"));
            }
            if parameters > MOST_PARAMETERS {
                told.push(format!("{place}: many parameters"));
            }
        }
    }
    assert!(told.is_empty(), "\n{}", told.join("\n"));
}
