//! Searches for bytes that break a reader: `cargo xtask fuzz READER MINUTES`.

#![no_main]

use std::sync::OnceLock;

use libfuzzer_sys::fuzz_target;
use wayodos_fuzz::{READERS, Reader};

static READER: OnceLock<&Reader> = OnceLock::new();

fuzz_target!(|bytes: &[u8]| {
    let reader = READER.get_or_init(|| {
        let name = std::env::var("WAYODOS_READER").unwrap_or_default();
        READERS
            .iter()
            .find(|reader| reader.name == name)
            .expect("WAYODOS_READER names a reader")
    });
    (reader.read)(bytes);
});
