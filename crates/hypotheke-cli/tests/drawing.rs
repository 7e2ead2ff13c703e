//! How containers and tables are drawn when they are not as tidy as the demo's.

use std::path::Path;

use snapbox::str;

use super::{hypotheke, output};

fn folder(rules: &str) -> tempfile::TempDir {
    let folder = tempfile::tempdir().expect("a folder");
    std::fs::write(folder.path().join("rules.toml"), rules).expect("written");
    folder
}

fn show(folder: &Path, arguments: &[&str]) -> String {
    output(hypotheke(folder).arg("show").args(arguments), 0)
}

fn widest(text: &str) -> usize {
    text.lines().map(|line| line.chars().count()).max().unwrap_or(0)
}

#[test]
fn wide_containers_are_folded_into_bands() {
    let folder = folder(
        "[kind.k]\n[container.wide]\nslots = 40\ncolumns = 20\n[start]\n\"wide/0\" = [\"1 k\"]\n\"wide/19\" = [\"1 k\"]\n",
    );
    let drawn = show(folder.path(), &["rules.toml", "wide"]);
    assert!(widest(&drawn) <= 100, "{drawn}");
    hypotheke(folder.path()).args(["show", "rules.toml", "wide"]).assert().success().stdout_eq(str![[r#"
Untitled ruleset   version 1

wide  wide                                                                   2 of 40 slots taken · 0
  0 ───────── 1 ───────── 2 ───────── 3 ───────── 4 ───────── 5 ───────── 6 ───────── 7 ─────────
  k           ·           ·           ·           ·           ·           ·           ·
  1 of 1
  8 to 15 empty
  16 ──────── 17 ──────── 18 ──────── 19 ────────
  ·           ·           ·           k
                                      1 of 1
  20 to 39 empty

"#]]);
}

#[test]
fn long_names_are_cut_and_long_filters_too() {
    let long = "a".repeat(60);
    let filter = [long.as_str(); 9].join(" or ");
    let rules = format!(
        "title = \"{}\"\n[kind.{long}]\nname = \"{}\"\nweight = 123456789012.125\nvalue = -999999999999.999\nstack-limit = 4294967295\ntags = [\"{}\"]\n\
         [container.c]\nname = \"{}\"\nslots = 2\nadmits = \"{filter}\"\n[start]\nc = [\"70000 {long}\"]\n",
        "long ".repeat(40),
        "Name ".repeat(30),
        format_args!("t{}", "x".repeat(50)),
        "Container ".repeat(20)
    );
    let folder = folder(&rules);
    let drawn = show(folder.path(), &[]);
    assert!(widest(&drawn) <= 100, "{drawn}");
    assert!(drawn.contains("70000 of 429496") && drawn.contains('…'), "{drawn}");
}

/// The heading of a container was cut at a byte within the `…` that stands for the rest of a long
/// name.
#[test]
fn a_name_of_any_length_is_cut_between_characters() {
    for length in 1..=64 {
        let (holder, container) = ("h".repeat(length), "c".repeat(40));
        let name = format!("{holder}.{container}");
        let folder = folder(&format!(
            "[kind.k]\n[container.{container}]\nname = \"Ä\"\nslots = 1\n[holder.{holder}]\ncarries = [\"{container}\"]\n"
        ));
        let drawn = show(folder.path(), &["rules.toml", &name]);
        assert!(widest(&drawn) <= 100, "{length}: {drawn}");
        let scenario = format!("scenario nothing is there\n  end\n    {name}: 1 k\n");
        std::fs::write(folder.path().join("a.scenario"), scenario).expect("written");
        output(hypotheke(folder.path()).args(["verify", "a.scenario"]), 1);
    }
}

#[test]
fn letters_of_double_width_keep_their_columns() {
    let folder = folder("[kind.k]\nname = \"氷床コア\"\n[kind.l]\nname = \"Core\"\n");
    let drawn = show(folder.path(), &["--part", "kinds"]);
    // Each of the four letters takes two columns, so the line has four characters less.
    let ends: Vec<usize> = drawn.lines().skip(3).map(|line| line.chars().count()).collect();
    assert_eq!(ends, [32, 36], "{drawn}");
}

#[test]
fn an_empty_ruleset_has_little_to_show() {
    let folder = folder("title = \"Empty\"\n");
    assert_eq!(show(folder.path(), &["--part", "containers"]), "Empty   version 1\n");
    hypotheke(folder.path()).arg("check").assert().success().stdout_eq(str![[r#"
ok     Empty   version 1
       0 kinds, 0 tags, 0 containers, 0 holders
next: hypotheke verify rules.toml

"#]]);
}

#[test]
fn what_lies_on_the_ground_is_drawn_with_a_failure() {
    let folder = folder("[kind.k]\nstack-limit = 3\n[container.c]\nslots = 2\n");
    let scenario =
        "scenario Ground\n  start\n    c: 3 k\n  steps\n    drop 2 k from c at 1.5,-2\n  end\n    ground: 3 k\n";
    hypotheke(folder.path()).args(["verify", "-"]).stdin(scenario).assert().code(1).stdout_eq(str![[r#"
  FAILED  <stdin>                                            1 of 1 scenario failed, 1 step, 1 check
  FAILED  Ground                                                                     1 step, 1 check

    <stdin>:7:5  at the end
    7 | ground: 3 k
      | ^^^^^^^^^^^
      ground   expected   found
      k               3       2   differs

ground  0
  #2 at 1.5,-2  2 k

1 of 1 scenario FAILED, 0 passed   1 step, 1 check
next: hypotheke verify - --steps --only Ground

"#]]);
}

#[test]
fn unfit_stacks_and_the_insides_of_packs_are_drawn() {
    let folder = folder(
        "[mark.wet]\n[kind.map]\n[kind.bag]\npack = \"bag\"\n[container.bag]\nslots = 2\n[container.dry]\nslots = 2\n\
         admits = \"not wet\"\ndeep = true\n[start]\ndry = [\"1 bag\", \"1 map\"]\n\"dry/0/\" = [\"1 map\"]\n",
    );
    let play = "scenario Wet maps\n steps\n  mark dry/1 wet\n  mark dry/0/0 wet\n end\n  dry: nothing\n";
    std::fs::write(folder.path().join("wet.scenario"), play).expect("written");
    let drawn = output(hypotheke(folder.path()).args(["verify", "wet.scenario", "--steps"]), 1);
    assert!(drawn.contains("dry/1 became wet"), "{drawn}");
    let container = drawn.split_once("dry  dry").expect("the container is drawn").1;
    snapbox::assert_data_eq!(
        container,
        str![[r#"
                                                                      2 of 2 slots taken · 0
  admits not wet
  the filter also checks the contents of packs
  0 ──────────────── 1 ────────────────
  bag                ▸map
  1 of 1             1 of 1

dry/0/  bag                                                                   1 of 2 slots taken · 0
  0 ──────────────── 1 ────────────────
  ▸map               ·
  1 of 1

at the end; ▸ marks differences
dry  dry                                                                      2 of 2 slots taken · 0
  admits not wet
  the filter also checks the contents of packs
  0 ──────────────── 1 ────────────────
  bag                ▸map
  1 of 1             1 of 1 *!
  * slot 1 map: wet
  ! slot 1 is unfit

dry/0/  bag                                                                   1 of 2 slots taken · 0
  0 ──────────────── 1 ────────────────
  ▸map               ·
  1 of 1 *!
  * slot 0 map: wet
  ! slot 0 is unfit

1 of 1 scenario FAILED, 0 passed   2 steps, 1 check

"#]]
    );
}

#[test]
fn what_is_in_a_hand_is_drawn() {
    let folder = folder(
        "[kind.map]\n[container.bag]\nslots = 1\n[holder.ann]\ncarries = [\"bag\"]\n[start]\n\"ann.bag\" = [\"1 map\"]\n",
    );
    let play = "scenario Maps\n steps\n  ann lifts from bag/0\n end\n  ann.bag: 1 map\n";
    std::fs::write(folder.path().join("hand.scenario"), play).expect("written");
    let drawn = output(hypotheke(folder.path()).args(["verify", "hand.scenario"]), 1);
    assert!(drawn.contains("\nann.hand  1 map\n"), "{drawn}");
}

#[test]
fn what_is_resized_and_open_is_drawn_as_it_is_then() {
    let folder = folder(
        "[kind.k]\n[container.vault]\nslots = 2\nmax-slots = 3\nmust-open = true\nexclusive = true\n[container.bag]\nslots = 1\n\
         [holder.ann]\ncarries = [\"bag\"]\nshortcuts = 2\n",
    );
    std::fs::create_dir(folder.path().join("scenarios")).expect("a folder");
    let scenario = "scenario x\n  start\n    vault: 2 k\n  steps\n    ann opens vault\n    resize vault to 3\n    \
                    ann moves 3 k from vault to ann.bag\n";
    std::fs::write(folder.path().join("scenarios/x.scenario"), scenario).expect("written");
    hypotheke(folder.path()).arg("verify").assert().code(1).stdout_eq(str![[r#"
  FAILED  scenarios/x.scenario                             1 of 1 scenario failed, 3 steps, 0 checks
  FAILED  x                                                                        3 steps, 0 checks

    scenarios/x.scenario:7:5  step 3
    7 | ann moves 3 k from vault to ann.bag
      | ^^^^^^^^^^^^^^^^^^^^^^^^^^^^^^^^^^^
      expected  moved in full
      found     refused: not-enough: vault contains 2; 3 were requested; up to 1
      also      no-room: ann.bag has room for 1 of 2

vault  vault                                                                  2 of 3 slots taken · 0
  must be opened; exclusive; resizable from 2 to 3 slots; open to ann
  0 ──────────────── 1 ────────────────
  k                  k
  1 of 1             1 of 1
  2 empty

ann.bag  bag                                                                   0 of 1 slot taken · 0
  0 empty

1 of 1 scenario FAILED, 0 passed   3 steps, 0 checks
next: hypotheke verify --steps --only x

"#]]);
}

#[test]
fn a_slot_that_is_blocked_is_not_drawn_as_an_empty_one() {
    let folder = folder(
        "[kind.drill]\noccupies-slots = [\"left\", \"right\"]\n[container.arms]\nworn = true\n\
         slot = [{ name = \"left\" }, { name = \"right\" }, { name = \"back\" }]\n[holder.ann]\ncarries = [\"arms\"]\n\
         [start]\n\"ann.arms/right\" = [\"1 drill\"]\n",
    );
    hypotheke(folder.path()).args(["show", "rules.toml", "ann"]).assert().success().stdout_eq(str![[r#"
Untitled ruleset   version 1

ann.arms  arms (worn)                                                         2 of 3 slots taken · 0
  left ───────────── right ──────────── back ─────────────
  blocked            drill              ·
                     1 of 1

"#]]);
}
