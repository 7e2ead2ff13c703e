//! The checks of saves see what they are there to see.

use std::sync::Arc;

use hypotheke::save::Save;
use hypotheke::save_checks::{check_migration, check_round_trips, check_round_trips_through};
use hypotheke::text::Source;
use hypotheke::{MigrationPolicy, MigrationRules, Ruleset, ScenarioFile, Snapshot};

use super::camp;

const PLAY: &str = "\
scenario A walk
  steps
    move 1 flare from depot to surveyor.pockets
    move all rope from depot to surveyor.pockets
    save then load
    surveyor lifts from surveyor.pockets/0
  end
    depot: 3 flare
";

fn file(text: &str) -> ScenarioFile {
    ScenarioFile::parse(Source::new("walk.scenario", text)).unwrap()
}

#[test]
fn every_step_is_saved_and_read_back() {
    let file = file(PLAY);
    let found = check_round_trips(&[file.check(&camp()).unwrap()]);
    assert_eq!(found.failure, None);
    assert_eq!((found.scenarios, found.unfinished, found.worlds, found.departures), (1, 0, 4, 4));
    assert!(found.bytes.0 > found.bytes.1 && found.bytes.1 > 400, "{found:?}");
}

#[test]
fn a_failed_scenario_ends_early() {
    let file = file(&PLAY.replace("depot: 3 flare", "depot: 9 flare"));
    let found = check_round_trips(&[file.check(&camp()).unwrap()]);
    assert_eq!((found.failure, found.unfinished, found.worlds), (None, 1, 4));
}

/// A way of keeping that changes a snapshot once it looks so.
fn corrupted(corrupt: impl Fn(&mut Snapshot) -> bool) -> Option<(Vec<String>, String)> {
    let (file, rules) = (file(PLAY), camp());
    let found = check_round_trips_through(&[file.check(&rules).unwrap()], &mut |save| {
        let mut snapshot = save.snapshot().clone();
        if !save.is_world() || !corrupt(&mut snapshot) {
            return Ok(vec![(save.clone(), 0)]);
        }
        Ok(vec![(Save::of_snapshot(&rules, snapshot), 0)])
    });
    found.failure.map(|failure| (failure.trace, failure.found))
}

#[test]
fn a_changed_save_is_reported_with_its_trace() {
    let rope_in_pockets = |snapshot: &Snapshot| snapshot.holders[0].containers[0].stacks.len() == 2;
    let (trace, found) = corrupted(|snapshot| {
        let changes = rope_in_pockets(snapshot);
        if changes {
            snapshot.holders[0].containers[0].stacks.pop();
        }
        changes
    })
    .unwrap();
    let way = ["scenario A walk", "move 1 flare from depot to surveyor.pockets"];
    assert_eq!(trace, [&way[..], &["move all rope from depot to surveyor.pockets"]].concat());
    assert_eq!(found, "rope: 1 were saved, 0 were loaded");

    let (_, found) = corrupted(|snapshot| {
        snapshot.containers[0].stacks.reverse();
        snapshot.containers[0].stacks.iter_mut().for_each(|lying| lying.slot = 2 - lying.slot);
        true
    })
    .unwrap();
    assert_eq!(found, "the loaded world has different counters, ids or open containers");
    let (trace, _) = corrupted(|snapshot| {
        snapshot.revision += 1;
        true
    })
    .unwrap();
    assert_eq!(trace, ["scenario A walk"]);
    assert_eq!(corrupted(|_| false), None);
}

/// The camp when some things are no longer as they were.
fn later(migration: MigrationRules) -> Arc<Ruleset> {
    let rules = Ruleset::builder()
        .version(2)
        .kind("flare", |kind| kind.stack_limit(3))
        .container("depot", |depot| depot.slots(3))
        .container("pockets", |pockets| pockets.slots(2))
        .holder("surveyor", ["pockets"], |surveyor| surveyor)
        .migration(migration);
    rules.build().unwrap().into()
}

#[test]
fn every_save_migrates_to_the_next_rules() {
    let file = file(PLAY);
    let files = [file.check(&camp()).unwrap()];
    let found = check_migration(&files, &later(MigrationRules::default()));
    assert_eq!(found.failure, None);
    assert_eq!((found.saves, found.changed, found.orphans), (4, 4, 4));
    let treated: Vec<(MigrationPolicy, u64)> = found.actions.into_iter().collect();
    assert_eq!(treated, [(MigrationPolicy::Stay, 1), (MigrationPolicy::Orphan, 4)]);

    let same = check_migration(&files, &camp());
    assert_eq!((same.saves, same.changed, same.failure), (4, 0, None));
}

#[test]
fn a_refused_migration_is_reported_with_its_trace() {
    let file = file(PLAY);
    let migration = MigrationRules { over_limit: MigrationPolicy::Refuse, ..MigrationRules::default() };
    let found = check_migration(&[file.check(&camp()).unwrap()], &later(migration));
    let failure = found.failure.unwrap();
    assert_eq!(failure.trace, ["scenario A walk"]);
    assert!(failure.found.ends_with("; refused"), "{}", failure.found);
}
