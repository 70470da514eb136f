#![no_main]

use diaporos_systems::untrusted::read_feed;

libfuzzer_sys::fuzz_target!(|bytes: &[u8]| {
    let _ = read_feed(bytes);
});
