#![no_main]

use diaporos_systems::untrusted::read_message;

libfuzzer_sys::fuzz_target!(|bytes: &[u8]| {
    read_message(bytes);
});
