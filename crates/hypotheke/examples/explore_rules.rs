//! Exploration in the tests of a game: a claim about its rules holds in every order of operations,
//! or here is the shortest way to break it.
//!
//! ```text
//! cargo run -p hypotheke --example explore_rules
//! ```

use std::error::Error;
use std::sync::Arc;

use hypotheke::Ruleset;
use hypotheke::explore::{Bounds, ClaimsFile, Exploration, Status};
use hypotheke::text::Source;

const RULES: &str = r#"
format = 1
title = "Camp"

[kind.stove]
tags = ["hot"]

[kind.fuel-can]
tags = ["fuel"]
stack-limit = 2

[kind.crate]
pack = "crate"

[container.crate]
slots = 1

[container.tent]
slots = 2
admits = "not fuel"

[container.sled]
slots = 3

[start]
sled = ["1 fuel-can", "1 crate"]
tent = ["1 stove"]
"#;

const CLAIMS: &str = "
always
  no fuel in tent

possible
  tent has: 1 crate
";

fn explore(rules: &str) -> Result<(), Box<dyn Error>> {
    let rules = Arc::new(Ruleset::from_toml("rules.toml", rules)?);
    let claims = ClaimsFile::parse(Source::new("camp.claims", CLAIMS))?;
    let found = Exploration::new(&rules, &claims)?.within(Bounds { depth: Some(6), ..Bounds::default() }).search();
    for verdict in &found.verdicts {
        match &verdict.status {
            Status::Violated(trace) | Status::Reachable(trace) => {
                println!("{}: {}\n  {}", verdict.claim, trace.message, trace.steps.join("\n  "));
            }
            status => println!("{}: {status:?}", verdict.claim),
        }
    }
    println!("{} states, complete: {}", found.states, found.complete);
    Ok(())
}

fn main() -> Result<(), Box<dyn Error>> {
    explore(RULES)?;
    println!("With `deep`, the filter also checks the contents of packs:");
    explore(&RULES.replace("admits = \"not fuel\"", "admits = \"not fuel\"\ndeep = true"))
}
