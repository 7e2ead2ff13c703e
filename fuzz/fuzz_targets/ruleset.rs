//! Any bytes as a ruleset file: it is read, or every fault is reported; nothing else happens.
#![no_main]

use hypotheke::{Ruleset, World};
use libfuzzer_sys::fuzz_target;

/// Worlds with more slots than this take long to make, and add nothing.
const MAX_SLOTS: u64 = 100_000;

fuzz_target!(|bytes: &[u8]| {
    let table = |name: &str| Ok((name.to_owned(), b"id,weight\nrope,3.2\n".to_vec()));
    match Ruleset::from_bytes("rules.toml", bytes.to_vec(), table) {
        Ok(rules) => {
            let slots = |def: &hypotheke::ContainerDef| u64::from(def.slot_bounds().1) * (def.instances().count() as u64 + 1);
            assert_eq!(rules.fingerprint().len(), 16);
            if rules.containers().iter().map(slots).sum::<u64>() < MAX_SLOTS {
                let world = World::new(&rules.into());
                assert_eq!(world.check_indexes(), vec![]);
            }
        }
        Err(errors) => assert!(!errors.to_string().is_empty()),
    }
});
