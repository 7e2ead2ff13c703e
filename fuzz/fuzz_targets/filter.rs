//! Any text as a filter.
#![no_main]

use hypotheke::Ruleset;
use libfuzzer_sys::fuzz_target;

fuzz_target!(|text: &str| {
    let rules = Ruleset::builder()
        .mark("wet")
        .kind("rope", |kind| kind.tags(["tool.rope"]).weight(3.into()))
        .kind("core", |kind| kind.tags(["sample"]).property("reading", 0.into()))
        .container("box", |it| it.slots(1).admits(text));
    match rules.build() {
        Ok(rules) => assert_eq!(rules.containers().len(), 1),
        Err(errors) => assert!(!errors.to_string().is_empty()),
    }
});
