//! Any bytes as the body of a save in binary form, behind a head with the right checksum.
#![no_main]

#[path = "../common.rs"]
mod common;

use hypotheke::save::Save;
use libfuzzer_sys::fuzz_target;

fuzz_target!(|bytes: &[u8]| {
    let _ = Save::read(bytes);
    let mut whole = rmp_serde::to_vec(&("hypotheke-save", 1, crc32fast::hash(bytes))).expect("a head");
    whole.extend(bytes);
    if let Ok(save) = Save::read(&whole) {
        common::check(&save);
    }
});
