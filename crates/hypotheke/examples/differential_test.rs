//! Tests a game's own inventory code against this library's engine: random walks drive both, and a
//! mismatch is minimized.
//!
//! ```text
//! cargo run -p hypotheke --example differential_test
//! ```

use std::error::Error;
use std::sync::Arc;

use hypotheke::conformance::{Answer, Engine, Implementation};
use hypotheke::explore::{Exploration, Walks};
use hypotheke::{NamedOperation, Ruleset, Snapshot, SnapshotError};

const RULES: &str = r#"
format = 1
title = "Camp"

[mark.wet]

[kind.rope]
stack-limit = 3

[kind.stove]
weight = 4

[container.tent]
slots = 2
admits = "not wet"

[container.sled]
slots = 3
weight-cap = 8

[start]
sled = ["3 rope (wet)", "1 stove"]
"#;

/// The game's own code. Here it is the engine with a deliberate mistake: stacks on the ground lose
/// their marks.
struct Camp(Engine);

impl Implementation for Camp {
    fn start(&mut self, snapshot: &Snapshot) -> Result<(), SnapshotError> {
        self.0.start(snapshot)
    }

    fn perform(&mut self, operation: &NamedOperation) -> Answer {
        self.0.perform(operation)
    }

    fn snapshot(&self) -> Snapshot {
        let mut snapshot = self.0.snapshot();
        snapshot.ground.iter_mut().for_each(|landed| landed.stack.marks.clear());
        snapshot
    }
}

fn main() -> Result<(), Box<dyn Error>> {
    let rules = Arc::new(Ruleset::from_toml("rules.toml", RULES)?);
    let walks = Walks { count: 200, seed: 7, ..Walks::default() };
    let compared = Exploration::of(&rules).compare(walks, || Camp(Engine::new(&rules)), &mut |_| None);
    match compared.mismatch {
        Some(mismatch) => println!("They differ:\n{mismatch}"),
        None => println!("{} steps, and no difference", compared.steps),
    }
    let compared = Exploration::of(&rules).compare(walks, || Engine::new(&rules), &mut |_| None);
    println!("The engine itself: no difference in {} walks: {}", compared.walks, compared.mismatch.is_none());
    Ok(())
}
