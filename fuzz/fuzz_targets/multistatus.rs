#![no_main]

use diaporos_systems::untrusted::read_multistatus;

libfuzzer_sys::fuzz_target!(|bytes: &[u8]| {
    read_multistatus(bytes);
});
