//! Any text as a scenario file: what can be read is laid out, read again as the same, checked and
//! played.
#![no_main]

use std::sync::{Arc, LazyLock};

use hypotheke::scenario::Trace;
use hypotheke::text::Source;
use hypotheke::{Ruleset, ScenarioFile};
use libfuzzer_sys::fuzz_target;

static RULES: LazyLock<Arc<Ruleset>> = LazyLock::new(|| {
    let table = |name: &str| Ok((name.to_owned(), include_bytes!("../../crates/hypotheke-cli/demo/items.csv").to_vec()));
    let rules = include_bytes!("../../crates/hypotheke-cli/demo/rules.toml").to_vec();
    Arc::new(Ruleset::from_bytes("rules.toml", rules, table).expect("the demo's rules"))
});

/// Lists may multiply the steps.
const MAX_STEPS: usize = 2_000;

fuzz_target!(|text: &str| {
    let Ok(file) = ScenarioFile::parse(Source::new("a.scenario", text)) else { return };
    let laid_out = file.to_string();
    let again = ScenarioFile::parse(Source::new("a.scenario", &*laid_out)).expect("what was laid out");
    assert_eq!(again.to_string(), laid_out);
    if text.len() > MAX_STEPS {
        return;
    }
    if let Ok(checked) = file.check(&RULES) {
        for report in checked.play(Trace::Steps) {
            let _ = report.passed();
        }
    }
});
