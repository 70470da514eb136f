#![no_main]

use diaporos_systems::untrusted::read_glossary;

libfuzzer_sys::fuzz_target!(|text: &str| {
    read_glossary(text);
});
