//! Builds a ruleset in code, moves things about, and reads a refusal.
//!
//! ```text
//! cargo run -p hypotheke --example first_steps
//! ```

use std::error::Error;
use std::sync::Arc;

use hypotheke::{Amount, NamedOperation, Operation, Reason, Ruleset, World};

fn main() -> Result<(), Box<dyn Error>> {
    // The rules: drums stack by fours, and the sled bears 180 kg.
    let rules = Ruleset::builder()
        .title("First steps")
        .weight_unit("kg")
        .tag("fuel", |tag| tag.stack_limit(4))
        .kind("fuel-drum", |kind| kind.name("Fuel drum").tags(["fuel"]).weight("46".parse().unwrap_or_default()))
        .kind("flare", |kind| kind.name("Flare").weight("0.3".parse().unwrap_or_default()).stack_limit(6))
        .container("depot", |depot| depot.slots(8))
        .container("sled", |sled| sled.slots(4).weight_cap(180.into()))
        .start("depot", ["6 fuel-drum", "8 flare"])
        .build()?;

    // A world in which they hold. Containers and kinds are looked up once and then named by cheap
    // handles.
    let mut world = World::new(&Arc::new(rules));
    let depot = world.container("depot").ok_or("no depot")?;
    let sled = world.container("sled").ok_or("no sled")?;
    let drum = world.rules().find_kind("fuel-drum").ok_or("no drum")?;

    // Four drums are too many. Nothing has changed; the refusal has the reason and the largest
    // amount that fits.
    let four = Operation::moving(Amount::Exactly(4), depot, sled).only(drum);
    match world.perform(&four) {
        Ok(outcome) => println!("moved {}", outcome.done()),
        Err(refusal) => {
            assert_eq!(refusal.reason(), Reason::WeightCap);
            println!("refused: {}; up to {}", world.explain(&refusal), refusal.max_amount());
        }
    }

    // Up to four takes what fits. Events say what changed.
    let outcome = world.perform(&Operation::moving(Amount::UpTo(4), depot, sled).only(drum)).map_err(|_| "refused")?;
    println!("{}", outcome.text("moved"));
    for event in world.events() {
        println!("  {}", world.describe_event(event));
    }

    // The same by names, as scenarios, requests and the command line write it.
    let sentence: NamedOperation = "move 5 flare from depot to sled".parse()?;
    let operation = sentence.resolve(&world)?;
    let outcome = world.perform(&operation).map_err(|_| "refused")?;
    println!("{sentence}: moved {}", outcome.done());

    for (slot, stack) in world.stacks(sled) {
        println!("sled/{slot}: {} {}", stack.count(), stack.kind().name());
    }
    println!("the sled weighs {}", world.rules().weight_text(world.container_weight(sled)));
    Ok(())
}
