//! Any text as a save in JSON, without its checksum: a readable save is written as the same, and
//! becomes a world or is refused; under a different ruleset it migrates without losing an item.
#![no_main]

#[path = "../common.rs"]
mod common;

use hypotheke::save::{Save, Trust};
use libfuzzer_sys::fuzz_target;

fuzz_target!(|bytes: &[u8]| {
    if !bytes.trim_ascii_start().starts_with(b"{") {
        return;
    }
    if let Ok(save) = Save::read_with(bytes, Trust::AllowEdited) {
        common::check(&save);
    }
});
