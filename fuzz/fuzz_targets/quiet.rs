#![no_main]
libfuzzer_sys::fuzz_target!(|data: &[u8]| emvo_trials::quiet(data));
