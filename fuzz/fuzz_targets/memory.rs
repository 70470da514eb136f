#![no_main]

use diaporos_systems::untrusted::read_memory;

libfuzzer_sys::fuzz_target!(|bytes: &[u8]| {
    read_memory(bytes);
});
