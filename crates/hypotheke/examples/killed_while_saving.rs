//! Kills a process at random while it saves, again and again, and checks the result.
//!
//! The process is this program itself: it saves a world, moves a flare, saves, and reports each
//! save that is safe. After it is killed, the last safe save or the next one must be present; each
//! is loaded and audited.
//!
//!     cargo run --release -p hypotheke --features sqlite --example killed_while_saving -- 100

use std::error::Error;
use std::io::{BufRead, BufReader, Write};
use std::path::Path;
use std::process::{Command, Stdio};
use std::sync::Arc;
use std::time::Duration;

use hypotheke::save::Save;
use hypotheke::store::{FolderStore, Key, SqliteStore, Store, StoreError};
use hypotheke::{Amount, Operation, Ruleset, World, audit};
use rand_core::{Rng, SeedableRng};
use rand_xoshiro::Xoshiro256PlusPlus;

type Outcome<T> = Result<T, Box<dyn Error>>;

/// The maximum life of a child in microseconds after its first save begins.
const LONGEST: u64 = 6_000;

fn rules() -> Outcome<Arc<Ruleset>> {
    let rules = Ruleset::builder()
        .kind("flare", |kind| kind.stack_limit(60))
        .container("depot", |depot| depot.slots(2))
        .container("sled", |sled| sled.slots(2))
        .start("depot", ["50 flare"])
        .build()?;
    Ok(rules.into())
}

fn open(sort: &str, place: &Path) -> Result<Box<dyn Store>, StoreError> {
    match sort {
        "sqlite" => Ok(Box::new(SqliteStore::open(place.join("worlds.sqlite"))?)),
        _ => Ok(Box::new(FolderStore::open(place.join("worlds"))?)),
    }
}

/// The world after a number of saves: one flare moves with each, and all move back at the end.
fn world_after(rules: &Arc<Ruleset>, saves: u64) -> Outcome<World> {
    let mut world = World::new(rules);
    let place = |world: &World, name: &str| world.container(name).ok_or("the rules have both");
    let (depot, sled) = (place(&world, "depot")?, place(&world, "sled")?);
    for count in 0..saves {
        let (from, to) = if count / 50 % 2 == 0 { (depot, sled) } else { (sled, depot) };
        let moving = Operation::moving(Amount::Exactly(1), from, to);
        let _ = world.perform(&moving).map_err(|refusal| world.explain(&refusal))?;
    }
    Ok(world)
}

/// Saves until it is killed.
fn save_on_and_on(sort: &str, place: &Path) -> Outcome<()> {
    let (rules, key) = (rules()?, Key::new("the camp")?);
    let store = open(sort, place)?;
    let lease = store.lease(&key, &format!("process {}", std::process::id()), 0, 0)?;
    let mut safe = lease.revision;
    let mut out = std::io::stdout();
    writeln!(out, "{safe}")?;
    loop {
        let save = Save::of(&world_after(&rules, safe + 1)?);
        safe = store.save(&key, &save.to_bytes(), safe, lease.number)?;
        writeln!(out, "{safe}")?;
        out.flush()?;
    }
}

/// Starts a process that saves, kills it after a while, and says which save it called safe.
fn kill_one(sort: &str, place: &Path, microseconds: u64) -> Outcome<u64> {
    let program = std::env::current_exe()?;
    let mut child = Command::new(program).args(["--save", sort]).arg(place).stdout(Stdio::piped()).spawn()?;
    let mut lines = BufReader::new(child.stdout.take().ok_or("it has an output")?).lines();
    let mut safe: u64 = lines.next().ok_or("it said nothing")??.parse()?;
    std::thread::sleep(Duration::from_micros(microseconds));
    child.kill()?;
    child.wait()?;
    for line in lines {
        // It may have been killed in the middle of a line.
        safe = line?.parse().unwrap_or(safe).max(safe);
    }
    Ok(safe)
}

/// The present save: the last safe one, or the next, and nothing else.
fn look(sort: &str, place: &Path, safe: u64) -> Outcome<u64> {
    let rules = rules()?;
    let stored = open(sort, place)?.load(&Key::new("the camp")?)?;
    let Some(stored) = stored else {
        return if safe == 0 { Ok(0) } else { Err(format!("save {safe} is gone").into()) };
    };
    if !(safe..=safe + 1).contains(&stored.revision) {
        return Err(format!("save {safe} was safe, but {} is present", stored.revision).into());
    }
    let world = Save::read(&stored.bytes)?.world(&rules)?;
    let is_as_saved = world.snapshot() == world_after(&rules, stored.revision)?.snapshot();
    if !is_as_saved || !audit(&rules, &world.snapshot()).is_empty() {
        return Err(format!("save {} is another world than was saved", stored.revision).into());
    }
    Ok(stored.revision)
}

fn main() -> Outcome<()> {
    let given: Vec<String> = std::env::args().skip(1).collect();
    if let [flag, sort, place] = &given[..]
        && flag == "--save"
    {
        return save_on_and_on(sort, Path::new(place));
    }
    let times: u32 = given.first().map_or(Ok(20), |times| times.parse())?;
    let mut random = Xoshiro256PlusPlus::seed_from_u64(7);
    for sort in ["folder", "sqlite"] {
        let place = tempfile::tempdir()?;
        let (mut saved, mut finished) = (0, 0);
        for _ in 0..times {
            let safe = kill_one(sort, place.path(), random.next_u64() % LONGEST)?;
            let found = look(sort, place.path(), safe)?;
            finished += u64::from(found > safe);
            saved = found;
        }
        eprintln!(
            "{sort}: {saved} saves, {finished} of them finished but not yet reported when the process was killed"
        );
        println!("{sort}: killed {times} times while it saved; each time the last save or the next one was intact");
    }
    Ok(())
}
