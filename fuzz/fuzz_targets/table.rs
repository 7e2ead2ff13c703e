//! Any bytes as a table of kinds.
#![no_main]

use hypotheke::Ruleset;
use libfuzzer_sys::fuzz_target;

const RULES: &str = "format = 1\ntables = [\"items.csv\"]\n[container.box]\nslots = 1\n[container.pack]\nslots = 2\n";

fuzz_target!(|bytes: &[u8]| {
    let table = |name: &str| Ok((name.to_owned(), bytes.to_vec()));
    match Ruleset::from_bytes("rules.toml", RULES.as_bytes().to_vec(), table) {
        Ok(rules) => assert!(rules.kinds().all(|kind| rules.find_kind(kind.id()) == Some(kind.handle()))),
        Err(errors) => assert!(!errors.to_string().is_empty()),
    }
});
