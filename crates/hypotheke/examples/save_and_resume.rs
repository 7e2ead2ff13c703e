//! A game loop that saves as it goes and, when it is started again, goes on where it was: under the
//! rules of the day before, or under those of a new version.
//!
//! ```text
//! cargo run -p hypotheke --example save_and_resume            # three days in a folder that goes away at the end
//! cargo run -p hypotheke --example save_and_resume -- FOLDER  # one more day each time, in a folder that stays
//! ```

use std::error::Error;
use std::io::{ErrorKind, Write};
use std::path::Path;
use std::sync::Arc;

use hypotheke::save::{Save, SaveError, Trust};
use hypotheke::{LoadError, NamedOperation, Ruleset, World};

const FIRST_RULES: &str = r#"
format = 1
title = "Camp"
version = 1

[kind.canister]
stack-limit = 4

[kind.biscuit]
stack-limit = 12

[container.tent]
slots = 5

[start]
tent = ["6 canister", "20 biscuit"]
"#;

/// A canister is called a fuel can now, and fewer biscuits go on a heap.
const LATER_RULES: &str = r#"
format = 1
title = "Camp"
version = 2

[migration]
over-limit = "split"

[migration.2]
renamed.kind = { canister = "fuel-can" }

[kind.fuel-can]
stack-limit = 4

[kind.biscuit]
stack-limit = 8

[container.tent]
slots = 5

[start]
tent = ["6 fuel-can", "20 biscuit"]
"#;

/// The latest world: the saved one, if there is one, migrated to the present rules if necessary.
fn resume(path: &Path, rules: &Arc<Ruleset>) -> Result<World, Box<dyn Error>> {
    let save = match Save::load(path, Trust::Unchanged) {
        Ok(save) => save,
        Err(LoadError::Read { source: Some(error), .. }) if error.kind() == ErrorKind::NotFound => {
            println!("  nothing was saved yet: a new world");
            return Ok(World::new(rules));
        }
        // A damaged save is no reason to start anew: the one before it may be whole.
        Err(error) => return Err(error.into()),
    };
    match save.world(rules) {
        Ok(world) => {
            println!("  resumed at revision {}", world.revision());
            Ok(world)
        }
        Err(SaveError::OtherRuleset { .. }) => {
            let (save, differences) = save.migrate(rules)?;
            println!("  resumed under other rules:");
            differences.iter().for_each(|difference| println!("    {difference}"));
            Ok(save.world(rules)?)
        }
        Err(error) => Err(error.into()),
    }
}

/// Whole or not at all: the old save is there until the new one is.
fn save(world: &World, path: &Path) -> Result<(), Box<dyn Error>> {
    let mut file = tempfile::NamedTempFile::new_in(path.parent().unwrap_or(Path::new(".")))?;
    file.write_all(&Save::of(world).to_bytes())?;
    file.as_file().sync_all()?;
    file.persist(path)?;
    println!("  saved at revision {}", world.revision());
    Ok(())
}

fn day(path: &Path, rules: &str, doings: &[&str]) -> Result<(), Box<dyn Error>> {
    let rules = Arc::new(Ruleset::from_toml("rules.toml", rules)?);
    let mut world = resume(path, &rules)?;
    for doing in doings {
        let operation = doing.parse::<NamedOperation>()?.resolve(&world)?;
        match world.perform(&operation) {
            Ok(outcome) => println!("  {doing}: {} done", outcome.done()),
            Err(refusal) => println!("  {doing}: {}", world.explain(&refusal)),
        }
    }
    save(&world, path)?;
    let tent = world.container("tent").ok_or("the tent is gone")?;
    for (slot, stack) in world.stacks(tent) {
        println!("  tent/{slot}  {} {}", stack.count(), stack.kind().id());
    }
    Ok(())
}

fn main() -> Result<(), Box<dyn Error>> {
    if let Some(folder) = std::env::args().nth(1) {
        return day(&Path::new(&folder).join("camp.save"), LATER_RULES, &["consume 1 biscuit from tent"]);
    }
    let folder = tempfile::tempdir()?;
    let path = folder.path().join("camp.save");
    println!("The first day");
    day(&path, FIRST_RULES, &["consume 1 canister from tent", "consume 2 biscuit from tent"])?;
    println!("The second day");
    day(&path, FIRST_RULES, &["consume 1 biscuit from tent"])?;
    println!("The third day, under version 2");
    day(&path, LATER_RULES, &["consume 1 fuel-can from tent", "consume 40 biscuit from tent"])
}
