#![no_main]

use diaporos_systems::untrusted::read_records;

libfuzzer_sys::fuzz_target!(|bytes: &[u8]| {
    read_records(bytes);
});
