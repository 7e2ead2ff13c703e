//! Saves from the command line: drawn, audited, compared; and the demo's, which tell of one day.

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
        assert!(outcome.is_whole(), "{step}");
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
    assert!(all.contains("surveyor.hand  2 flare") && all.contains("1 fuel-drum"), "{all}");
    hypotheke(&rules).args(["check", "saves/night.json"]).assert().success().stdout_eq(str![[r#"
good   saves/night.json   Ice traverse   version 1
       revision 11, 33 stacks, 15 containers, 3 holders
next   `hypotheke show` draws it, `hypotheke compare` tells what differs from another

"#]]);
    hypotheke(&rules)
        .args(["compare", "saves/noon.json", "saves/night.json"])
        .assert()
        .success()
        .stdout_eq(golden("compare-saves.txt"));
    let same = output(hypotheke(&rules).args(["compare", "saves/noon.json", "saves/noon.json"]), 0);
    assert_eq!(same, "in all\n  nothing gained, nothing lost\n0 places with other contents   revision 5 to 5\n");
    hypotheke(&rules).args(["compare", "saves/noon.json", "rules.toml"]).assert().code(2).stderr_eq(str![[r#"
error: `rules.toml` is no save, but the other one is
  help: two saves are compared, or two rulesets

"#]]);
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
    assert!(same.contains("nothing gained, nothing lost"));
}

#[test]
fn what_is_wrong_with_a_save_is_told() {
    let folder = traverse();
    let rules = folder.path().join("traverse");
    let path = rules.join("saves/night.json");
    let text = std::fs::read_to_string(&path).expect("the save");
    let write = |text: &str| std::fs::write(&path, text).expect("written");
    write(&text.replacen("\"count\": 2", "\"count\": 7", 1));
    hypotheke(&rules).args(["check", "saves/night.json"]).assert().code(2).stdout_eq("").stderr_eq(str![[r#"
error: `saves/night.json` can't be loaded: it was edited, or is damaged: its checksum is [..], but [..] is counted
  help: if it was edited on purpose: `--edited`

"#]]);
    let told = output(hypotheke(&rules).args(["check", "saves/night.json", "--edited"]), 1);
    assert!(told.starts_with("bad    saves/night.json") && told.contains("conservation    the world: "), "{told}");
    let json: Value = serde_json::from_str(&output(
        hypotheke(&rules).args(["check", "saves/night.json", "--edited", "--format", "json"]),
        1,
    ))
    .expect("JSON");
    assert_eq!(json["violations"][0]["law"], "conservation");
    write(&text[..text.len() / 2]);
    hypotheke(&rules).args(["show", "saves/night.json"]).assert().code(2).stderr_eq(str![[r#"
error: `saves/night.json` can't be loaded: line [..], column [..]: EOF while parsing [..]
  help: an earlier save of the same world may be whole

"#]]);
    write(&text);
    let changed = std::fs::read_to_string(rules.join("rules.toml"))
        .expect("the rules")
        .replace("weight-cap = 180", "weight-cap = 170");
    std::fs::write(rules.join("rules.toml"), changed).expect("written");
    hypotheke(&rules).args(["check", "saves/night.json"]).assert().code(2).stderr_eq(str![[r#"
error: `saves/night.json` can't be loaded: it was saved under `Ice traverse` version 1 ([..]), not under `Ice traverse` version 1 ([..])
  help: name the ruleset by which it was played: `--rules FILE`

"#]]);
}
