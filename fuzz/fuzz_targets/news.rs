#![no_main]

use diaporos_systems::untrusted::read_news;

libfuzzer_sys::fuzz_target!(|bytes: &[u8]| {
    read_news(bytes);
});
