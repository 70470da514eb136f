#![no_main]

use diaporos_systems::untrusted::read_list_of_feeds;

libfuzzer_sys::fuzz_target!(|text: &str| {
    read_list_of_feeds(text);
});
