#![no_main]

use diaporos_systems::untrusted::read_a_profile;

libfuzzer_sys::fuzz_target!(|text: &str| {
    read_a_profile(text);
});
