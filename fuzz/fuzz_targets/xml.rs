#![no_main]

use diaporos_systems::untrusted::read_xml;

libfuzzer_sys::fuzz_target!(|text: &str| {
    read_xml(text);
});
