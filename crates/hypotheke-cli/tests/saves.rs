//! Saves from the command line: drawn, audited, compared; and the saves of the demo.

use std::path::{Path, PathBuf};
use std::sync::Arc;

use hypotheke::save::Save;
use hypotheke::{NamedOperation, Ruleset, World};
use serde_json::Value;
use snapbox::str;

use super::{golden, hypotheke, output, traverse};

const MORNING: [&str; 5] = [
    "move 3 fuel-drum from depot to sled",
    "move 2 ration-box from depot to sled",
    "surveyor binds flare to shortcuts/0",
    "surveyor opens depot",
    "surveyor lifts half from depot/9",
];

const AFTERNOON: [&str; 6] = [
    "resize sled to 24",
    "consume 1 ration-box from sled",
    "surveyor puts 1 in pockets",
    "move ice-axe from surveyor.harness/back/ to driver.hold",
    "drop 1 fuel-drum from sled at 3,-1.5",
    "mark freezer/0 contaminated",
];

fn demo() -> PathBuf {
    Path::new(env!("CARGO_MANIFEST_DIR")).join("demo")
}

fn play(world: &mut World, steps: &[&str]) {
    for step in steps {
        let operation: NamedOperation = step.parse().unwrap_or_else(|error| panic!("{step}: {error}"));
        let resolved = operation.resolve(world).unwrap_or_else(|error| panic!("{step}: {error}"));
        let outcome = world.perform(&resolved).unwrap_or_else(|no| panic!("{step}: {}", world.explain(&no)));
        assert!(outcome.is_complete(), "{step}");
    }
}

/// `SNAPSHOTS=overwrite cargo test` saves the day anew.
#[test]
fn the_demo_s_saves_are_of_its_rules() {
    let rules = Arc::new(Ruleset::load(demo().join("rules.toml")).expect("the demo's rules"));
    let mut world = World::new(&rules);
    for (name, steps) in [("noon.json", &MORNING[..]), ("night.json", &AFTERNOON[..])] {
        play(&mut world, steps);
        let kept = snapbox::Data::read_from(&demo().join("saves").join(name), None).raw();
        snapbox::Assert::new().action_env("SNAPSHOTS").eq(Save::of(&world).to_json(), kept);
    }
    let autumn = Arc::new(Ruleset::load(demo().join("earlier/rules-1.toml")).expect("the first rules"));
    let mut world = World::new(&autumn);
    play(
        &mut world,
        &[
            "surveyor binds smoke-pot to shortcuts/1",
            "guide lifts 2 from pockets/0",
            "drop 1 canister from depot/29 at 4,2",
        ],
    );
    let kept = snapbox::Data::read_from(&demo().join("saves/autumn.json"), None).raw();
    snapbox::Assert::new().action_env("SNAPSHOTS").eq(Save::of(&world).to_json(), kept);
    let mut world = World::new(&rules);
    play(&mut world, &MORNING);
    play(&mut world, &AFTERNOON);
    // The night is over, and the day goes on where it ended.
    let save = Save::load(demo().join("saves/night.json"), hypotheke::save::Trust::Unchanged).expect("the save");
    let mut resumed = save.world(&rules).expect("a world");
    play(&mut resumed, &["surveyor returns", "driver picks up 1 fuel-drum to sled"]);
    play(&mut world, &["surveyor returns", "driver picks up 1 fuel-drum to sled"]);
    assert_eq!(resumed.snapshot(), world.snapshot());
}

#[test]
fn a_save_is_drawn_audited_and_compared() {
    let folder = traverse();
    let rules = folder.path().join("traverse");
    hypotheke(&rules)
        .args(["show", "saves/night.json", "sled", "surveyor"])
        .assert()
        .success()
        .stdout_eq(golden("show-save.txt"));
    let all = output(hypotheke(&rules).args(["show", "saves/night.json"]), 0);
    assert!(all.contains("\n  hand         2 flare\n") && all.contains("1 fuel-drum"), "{all}");
    hypotheke(&rules).args(["check", "saves/night.json"]).assert().success().stdout_eq(str![[r#"
ok     saves/night.json   Ice traverse   version 3
       revision 11, 33 stacks, 15 containers, 3 holders
next: hypotheke show saves/night.json

"#]]);
    hypotheke(&rules)
        .args(["compare", "saves/noon.json", "saves/night.json"])
        .assert()
        .success()
        .stdout_eq(golden("compare-saves.txt"));
    let same = output(hypotheke(&rules).args(["compare", "saves/noon.json", "saves/noon.json"]), 0);
    assert_eq!(same, "in total\n  no item gained or lost\n0 places with different contents   revision 5 to 5\n");
    hypotheke(&rules).args(["compare", "saves/noon.json", "rules.toml"]).assert().code(2).stderr_eq(str![[r#"
error: `rules.toml` is not a save, but the other file is
  help: Compare two saves or two rulesets

"#]]);
}

#[test]
fn time_passes_only_in_the_save_of_a_world() {
    let folder = traverse();
    let rules = folder.path().join("traverse");
    let later = output(hypotheke(&rules).args(["show", "saves/night.json", "sled", "--away", "1"]), 0);
    assert!(later.starts_with("Ice traverse   version 3   1 tick after revision 11\n"), "{later}");
    let needs_a_save = "error: `--away` needs the save of a world\n  help: Name such a save\n";
    for arguments in [&["show", "--away", "5"][..], &["ask", "consume 1 flare from depot", "--away", "5"]] {
        hypotheke(&rules).args(arguments).assert().code(2).stdout_eq("").stderr_eq(needs_a_save);
    }
}

#[test]
fn both_forms_are_read() {
    let folder = traverse();
    let rules = folder.path().join("traverse");
    let save = Save::load(rules.join("saves/night.json"), hypotheke::save::Trust::Unchanged).expect("the save");
    std::fs::write(rules.join("saves/night.bin"), save.to_bytes()).expect("written");
    let shown = |name: &str| output(hypotheke(&rules).args(["show", name]), 0);
    assert_eq!(shown("saves/night.bin"), shown("saves/night.json"));
    let same = output(hypotheke(&rules).args(["compare", "saves/night.json", "saves/night.bin"]), 0);
    assert!(same.contains("no item gained or lost"));
}

#[test]
fn faults_of_a_save_are_reported() {
    let folder = traverse();
    let rules = folder.path().join("traverse");
    let path = rules.join("saves/night.json");
    let text = std::fs::read_to_string(&path).expect("the save");
    let write = |text: &str| std::fs::write(&path, text).expect("written");
    write(&text.replacen("\"count\": 2", "\"count\": 7", 1));
    hypotheke(&rules).args(["check", "saves/night.json"]).assert().code(2).stdout_eq("").stderr_eq(str![[r#"
error: cannot load `saves/night.json`: checksum mismatch: the file says 1961be7e, its contents give 36801c8a
  help: If it was edited on purpose, add `--allow-edited`

"#]]);
    let described = output(hypotheke(&rules).args(["check", "saves/night.json", "--allow-edited"]), 1);
    assert!(
        described.starts_with("FAILED saves/night.json") && described.contains("conservation    the world: "),
        "{described}"
    );
    let json: Value = serde_json::from_str(&output(
        hypotheke(&rules).args(["check", "saves/night.json", "--allow-edited", "--format", "json"]),
        1,
    ))
    .expect("JSON");
    assert_eq!(json["violations"][0]["law"], "conservation");
    write(&text[..text.len() / 2]);
    hypotheke(&rules).args(["show", "saves/night.json"]).assert().code(2).stderr_eq(str![[r#"
error: cannot load `saves/night.json`: line [..], column [..]: the text ends too early
  help: Try an earlier save of the same world

"#]]);
    write(&text);
    let changed = std::fs::read_to_string(rules.join("rules.toml"))
        .expect("the rules")
        .replace("weight-cap = 180", "weight-cap = 170");
    std::fs::write(rules.join("rules.toml"), changed).expect("written");
    hypotheke(&rules).args(["check", "saves/night.json"]).assert().code(2).stderr_eq(str![[r#"
error: cannot load `saves/night.json`: the save is of the ruleset `Ice traverse` version 3 (b04eaaf3f2637767), not of `Ice traverse` version 3 (7581b8edc81b431e)
  help: Name its ruleset with `--rules FILE`, or migrate it: `hypotheke migrate SAVE`

"#]]);
}

#[test]
fn a_save_is_migrated_and_each_difference_listed() {
    let folder = traverse();
    let rules = folder.path().join("traverse");
    hypotheke(&rules).args(["migrate", "saves/autumn.json"]).assert().success().stdout_eq(golden("migrate.txt"));
    let before = std::fs::read(rules.join("saves/autumn.json")).expect("the save");
    // Through the version in between, everything has the same place as after a direct migration.
    let chain = ["migrate", "saves/autumn.json", "earlier/rules-2.toml", "rules.toml"];
    let described = output(hypotheke(&rules).args(chain), 0);
    assert!(described.contains("A direct migration to the last version gives the same result"), "{described}");
    // With a different ruleset it is not shown.
    let refused = hypotheke(&rules).args(["show", "saves/autumn.json", "--rules", "rules.toml"]).assert().code(2);
    assert!(String::from_utf8_lossy(&refused.get_output().stderr).contains("hypotheke migrate SAVE"));

    let described = output(
        hypotheke(&rules).args(["migrate", "saves/autumn.json", "saves/night.json", "rules.toml", "--in-place"]),
        0,
    );
    assert!(described.contains("wrote  saves/autumn.json, backup as saves/autumn.version-1.json"), "{described}");
    assert!(!described.contains("wrote  saves/night.json"), "{described}");
    assert_eq!(std::fs::read(rules.join("saves/autumn.version-1.json")).expect("kept"), before);
    let checked = output(hypotheke(&rules).args(["check", "saves/autumn.json"]), 0);
    assert!(checked.contains("8 items set aside as orphans"), "{checked}");
    let shown = output(hypotheke(&rules).args(["show", "saves/autumn.json"]), 0);
    assert!(shown.contains("surveyor.pockets/3              1 smoke-pot"), "{shown}");
}

#[test]
fn what_can_t_be_carried_over_stays_as_it_is() {
    let folder = traverse();
    let rules = folder.path().join("traverse");
    let strict = std::fs::read_to_string(rules.join("rules.toml")).expect("the rules");
    let strict = strict.replace("not-admitted = \"spill\"", "not-admitted = \"spill\"\nunknown-kinds = \"refuse\"");
    std::fs::write(rules.join("strict.toml"), strict).expect("written");
    let before = std::fs::read(rules.join("saves/autumn.json")).expect("the save");
    let described = output(hypotheke(&rules).args(["migrate", "saves/autumn.json", "strict.toml", "--in-place"]), 1);
    assert!(described.contains("refused     driver.hand"), "{described}");
    assert_eq!(std::fs::read(rules.join("saves/autumn.json")).expect("the save"), before);
    let json = output(
        hypotheke(&rules).args(["migrate", "saves/autumn.json", "--rules", "strict.toml", "--format", "json"]),
        1,
    );
    let json: Value = serde_json::from_str(&json).expect("JSON");
    assert_eq!(json["saves"][0]["refused"], true);
    // A file that is there is not written over, be it the one to write to or the one to keep.
    let taken = ["migrate", "saves/autumn.json", "--output", "saves/night.json"];
    hypotheke(&rules).args(taken).assert().code(2).stdout_eq("").stderr_eq(str![[r#"
error: cannot write `saves/night.json`: it already exists
  help: Name a new file

"#]]);
    std::fs::write(rules.join("saves/autumn.version-1.json"), "mine").expect("written");
    hypotheke(&rules).args(["migrate", "saves/autumn.json", "--in-place"]).assert().code(2);
    assert_eq!(std::fs::read(rules.join("saves/autumn.json")).expect("the save"), before);
    assert_eq!(std::fs::read(rules.join("saves/autumn.version-1.json")).expect("mine"), b"mine");
    output(hypotheke(&rules).args(["migrate", "saves/autumn.json", "--output", "saves/spring.json"]), 0);
    output(hypotheke(&rules).args(["check", "saves/spring.json"]), 0);
}

#[test]
fn one_who_has_departed_is_shown_and_checked() {
    let folder = traverse();
    let rules_path = folder.path().join("traverse");
    let rules = Arc::new(Ruleset::load(rules_path.join("rules.toml")).expect("the rules"));
    let mut world = World::new(&rules).numbered(3, 0);
    play(&mut world, &["depart surveyor"]);
    let save = Save::of_departure(&rules, &world.departed()[0]);
    std::fs::write(rules_path.join("surveyor.bin"), save.to_bytes()).expect("written");
    let shown = output(hypotheke(&rules_path).args(["show", "surveyor.bin"]), 0);
    assert!(
        shown.contains("departed") && shown.contains("surveyor.harness/back/") && !shown.contains("depot"),
        "{shown}"
    );
    let checked = output(hypotheke(&rules_path).args(["check", "surveyor.bin"]), 0);
    assert!(checked.contains("departed, 6 stacks, 2 containers, 1 holder"), "{checked}");
}

/// One after the other, in either form: noticed, or it says nothing.
#[test]
fn every_bit_of_the_demo_s_save_that_flips_is_noticed_or_harmless() {
    let save = Save::load(demo().join("saves/night.json"), hypotheke::save::Trust::Unchanged).expect("the save");
    for bytes in [save.to_json().into_bytes(), save.to_bytes()] {
        let mut harmless = 0;
        for at in 0..bytes.len() * 8 {
            let mut flipped = bytes.clone();
            flipped[at / 8] ^= 1 << (at % 8);
            if let Ok(read) = Save::read(&flipped) {
                assert_eq!(read, save, "bit {at}");
                harmless += 1;
            }
        }
        assert!(harmless * 100 < bytes.len() * 8, "only blanks that became other blanks: {harmless}");
    }
}
