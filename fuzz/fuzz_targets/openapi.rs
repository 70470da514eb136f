#![no_main]

use diaporos_systems::untrusted::read_openapi;

libfuzzer_sys::fuzz_target!(|text: &str| {
    read_openapi(text);
});
