#![no_main]

use diaporos_systems::untrusted::read_front_matter;

libfuzzer_sys::fuzz_target!(|text: &str| {
    read_front_matter(text);
});
