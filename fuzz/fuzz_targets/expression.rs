#![no_main]

use diaporos_core::expr::{Library, Slots, compile, parse};

libfuzzer_sys::fuzz_target!(|text: &str| {
    if let Ok(tree) = parse(text) {
        let printed = tree.to_string();
        let again = parse(&printed).map(|tree| tree.to_string());
        assert_eq!(again.as_deref().ok(), Some(printed.as_str()), "{text}");
        let _ = compile(&tree, None, &Library::default(), &mut Slots::default());
    }
});
