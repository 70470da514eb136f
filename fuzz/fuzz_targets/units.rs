#![no_main]

use diaporos_systems::untrusted::read_returned_units;

libfuzzer_sys::fuzz_target!(|bytes: &[u8]| {
    read_returned_units(bytes);
});
