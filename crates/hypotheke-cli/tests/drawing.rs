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

wide  wide                                                                       2 of 40 slots taken
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
fn a_failure_shows_the_stacks_that_are_now_on_the_ground() {
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

      place            at the start  at the end
      ground, stack 1  nothing       2 k at 1.5,-2

1 of 1 scenario FAILED, 0 passed   1 step, 1 check
next: hypotheke verify - --steps --only Ground

"#]]);
}

#[test]
fn a_failure_shows_the_changes_in_containers_and_in_their_packs() {
    let folder = folder(
        "[mark.wet]\n[kind.map]\n[kind.bag]\npack = \"bag\"\n[container.bag]\nslots = 2\n[container.dry]\nslots = 2\n\
         admits = \"not wet\"\ndeep = true\n[start]\ndry = [\"1 bag\", \"1 map\"]\n\"dry/0/\" = [\"1 map\"]\n",
    );
    let play = "scenario Wet maps\n steps\n  mark dry/1 wet\n  mark dry/0/0 wet\n end\n  dry: nothing\n";
    std::fs::write(folder.path().join("wet.scenario"), play).expect("written");
    let drawn = output(hypotheke(folder.path()).args(["verify", "wet.scenario", "--steps"]), 1);
    assert!(drawn.contains("dry/1 became wet"), "{drawn}");
    let changes = drawn.split_once("at the start").expect("the changes").1;
    snapbox::assert_data_eq!(
        changes,
        str![[r#"
  at the end
      dry/0/0  1 map         1 map (wet)
      dry/1    1 map         1 map (wet)

1 of 1 scenario FAILED, 0 passed   2 steps, 1 check

"#]]
    );
}

#[test]
fn unfit_stacks_are_marked() {
    let folder = folder(
        "[mark.wet]\n[kind.map]\n[container.dry]\nslots = 2\nadmits = \"not wet\"\n[start]\ndry = [\"1 map\"]\n",
    );
    output(hypotheke(folder.path()).args(["ask", "mark dry/0 wet", "--save", "wet.json"]), 0);
    hypotheke(folder.path()).args(["show", "wet.json", "dry"]).assert().success().stdout_eq(str![[r#"
Untitled ruleset   version 1   saved at revision 1

dry  dry                                                                          1 of 2 slots taken
  admits not wet
  0 ──────────────── 1 ────────────────
  map                ·
  1 of 1 *!
  * 0: 1 map (wet)
  ! 0 is unfit

"#]]);
}

#[test]
fn a_failure_shows_the_stack_that_is_now_in_a_hand() {
    let folder = folder(
        "[kind.map]\n[container.bag]\nslots = 1\n[holder.ann]\ncarries = [\"bag\"]\n[start]\n\"ann.bag\" = [\"1 map\"]\n",
    );
    let play = "scenario Maps\n steps\n  ann lifts from bag/0\n end\n  ann.bag: 1 map\n";
    std::fs::write(folder.path().join("hand.scenario"), play).expect("written");
    let drawn = output(hypotheke(folder.path()).args(["verify", "hand.scenario"]), 1);
    assert!(drawn.contains("\n      ann.hand   nothing       1 map from ann.bag/0\n"), "{drawn}");
}

#[test]
fn a_failure_without_changes_shows_the_present_contents() {
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

      contents  vault: 2 of 3 slots taken
                  0: 1 k, 1: 1 k
                ann.bag: 0 of 1 slot taken

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

ann
  wears        1 drill on right
  carries      arms: 2 of 3 slots taken

ann.arms  arms (worn)                                                             2 of 3 slots taken
  left ───────────── right ──────────── back ─────────────
  blocked            drill              ·
                     1 of 1

"#]]);
}

#[test]
fn a_sheet_shows_what_a_holder_has_and_may_have() {
    let folder = folder(
        "units = { weight = \"kg\" }\n[kind.hood]\nweight = 0.5\nattributes = { warmth = 2 }\n[kind.flare]\nweight = 1.5\ntags = [\"signal\"]\n\
         [container.head]\nslots = 1\nworn = true\n[container.bag]\nslots = 2\n\
         [holder.ann]\ncarries = [\"head\", \"bag\"]\nweight-cap = 9\nshortcuts = 2\nencumbrance = [{ at = 1, label = \"laden\" }, { at = 8, label = \"slow\" }]\n\
         caps = [{ of = \"signal\", count = 3 }]\n\
         [start]\n\"ann.head\" = [\"1 hood\"]\n\"ann.bag\" = [\"1 flare\"]\n",
    );
    let shown = show(folder.path(), &["rules.toml", "ann"]);
    let sheet = shown.split("\nann.").next().expect("the sheet");
    snapbox::assert_data_eq!(
        sheet,
        str![[r#"
Untitled ruleset   version 1

ann                                                                                 2 of 9 kg, laden
  encumbrance  laden at 1 kg, slow at 8 kg
  attributes   warmth 2
  caps         1 of at most 3 signal
  shortcuts    0: empty, 1: empty
  wears        1 hood on 0: warmth 2
  carries      head: 1 of 1 slot taken, 0.5 kg
               bag: 1 of 2 slots taken, 1.5 kg

"#]]
    );
    let json = show(folder.path(), &["rules.toml", "ann", "--format", "json"]);
    assert!(json.contains("\"present\": 1"), "{json}");
}

#[test]
fn a_page_has_the_width_that_is_asked_for() {
    let folder = super::traverse();
    let demo = folder.path().join("traverse");
    for (arguments, status) in [
        (vec!["show"], 0),
        (vec!["show", "surveyor"], 0),
        (vec!["fits"], 0),
        (vec!["fits", "--by-tag"], 0),
        (vec!["fits", "--why"], 0),
        (vec!["verify", "--list"], 0),
        (vec!["compare", "earlier/rules-1.toml", "rules.toml"], 0),
        (vec!["explore", "loopholes"], 1),
    ] {
        for (columns, most) in [("60", 60), ("90", 90), ("1", 60), ("140", 140)] {
            let drawn = output(hypotheke(&demo).args(&arguments).env("COLUMNS", columns), status);
            // What can be pasted is not broken.
            let lines = drawn.lines().filter(|line| !line.starts_with("next: "));
            let widest = lines.map(|line| line.chars().count()).max().unwrap_or(0);
            assert!(widest <= most, "{arguments:?} has {widest} columns of {most}:\n{drawn}");
        }
    }
}

/// A terminal may show bright black as black.
#[test]
fn nothing_that_must_be_read_is_bright_black() {
    let folder = super::traverse();
    let demo = folder.path().join("traverse");
    for (arguments, status) in
        [(vec!["show"], 0), (vec!["fits"], 0), (vec!["verify", "failing"], 1), (vec!["explore", "loopholes"], 1)]
    {
        let drawn = output(hypotheke(&demo).args(&arguments).args(["--color", "always"]), status);
        for faint in drawn.split("\u{1b}[90m").skip(1).filter_map(|rest| rest.split('\u{1b}').next()) {
            assert!(faint.chars().all(|c| !c.is_alphanumeric()), "{faint:?} in {arguments:?}");
        }
    }
}

#[test]
fn errors_of_usage_have_the_colours_of_other_errors() {
    let folder = folder("[kind.k]\n");
    for arguments in [vec!["show", "nowhere"], vec!["verify", "--nonsense"]] {
        let found = hypotheke(folder.path()).args(&arguments).env("CLICOLOR_FORCE", "1").assert().code(2);
        let text = String::from_utf8_lossy(&found.get_output().stderr).into_owned();
        assert!(text.starts_with("\u{1b}[1m\u{1b}[91merror"), "{arguments:?}: {text:?}");
    }
}

#[test]
fn the_failed_rows_of_a_table_share_a_header() {
    let folder = folder("[kind.k]\nstack-limit = 3\n[container.c]\nslots = 2\n[container.d]\nslots = 1\n");
    let scenario = "scenario Rows\n  table count | answer\n    1 | moved 1\n    2 | refused\n    3 | moved 2\n  start\n    c: 3 k\n  \
                    steps\n    move $count k from c to d -> $answer\n";
    hypotheke(folder.path()).args(["verify", "-"]).stdin(scenario).assert().code(1).stdout_eq(str![[r#"
  FAILED  <stdin>                                         2 of 3 scenarios failed, 3 steps, 0 checks
  FAILED  Rows                                                 2 of 3 rows failed, 3 steps, 0 checks
          count  answer
  FAILED  2      refused                                                            1 step, 0 checks

    <stdin>:9:5  step 1
    9 | move $count k from c to d -> $answer
      | ^^^^^^^^^^^^^^^^^^^^^^^^^^^^^^^^^^^^
      expected  refused
      found     moved 2

      place  before the step  after the step
      c/0    3 k              1 k
      d/0    nothing          2 k

  FAILED  3      moved 2                                                            1 step, 0 checks

    <stdin>:9:5  step 1
    9 | move $count k from c to d -> $answer
      | ^^^^^^^^^^^^^^^^^^^^^^^^^^^^^^^^^^^^
      expected  moved 2
      found     moved 3

      place  before the step  after the step
      c/0    3 k              nothing
      d/0    nothing          3 k

2 of 3 scenarios FAILED, 1 passed   3 steps, 0 checks
next: hypotheke verify - --steps --only Rows

"#]]);
}

#[test]
fn columns_and_rows_that_admit_nothing_are_folded() {
    let folder = folder(
        "[kind.map]\ntags = [\"paper\"]\n[kind.axe]\ntags = [\"tool\"]\n[kind.core]\n[container.rack]\nslots = 2\nadmits = \"tool\"\n\
         [container.shut]\nslots = 1\nput-by = \"nobody\"\n[container.case]\nslots = 3\nadmits = \"paper\"\n",
    );
    let fits = |arguments: &[&str]| output(hypotheke(folder.path()).arg("fits").args(arguments), 0);
    snapbox::assert_data_eq!(
        fits(&[]),
        str![[r#"
kind  stack  rack  case
map   1      -f    3s
axe   1      2s    -f
rejected by all of these: core

admits none of these kinds: shut

12s  12 fit in the container; limited by: s the slots
-f  rejected: f by the filter of the container, p because nothing may be put in

"#]]
    );
    snapbox::assert_data_eq!(
        fits(&["--why"]),
        str![[r#"
rack
  rejected by the filter of rack, `tool`: 2 kinds
    map, core
  admitted, limited by the slots: 1 kind
    2 axe

shut
  rejected: nobody may put items into shut: 3 kinds
    map, axe, core

case
  admitted, limited by the slots: 1 kind
    3 map
  rejected by the filter of case, `paper`: 2 kinds
    axe, core

The number before a kind is how many of it fit in the empty container

"#]]
    );
}

#[test]
fn a_failure_that_changes_three_containers_fits_a_screen() {
    let folder = folder(
        "[kind.k]\n[container.a]\nslots = 24\n[container.b]\nslots = 24\n[container.c]\nslots = 24\n[start]\na = [\"20 k\"]\nb = [\"20 k\"]\n",
    );
    let scenario = "scenario Many\n  steps\n    move from a to c\n    move 4 k from b to c\n  end\n    a: 20 k\n    b: 20 k\n    c: nothing\n";
    let drawn = output(hypotheke(folder.path()).args(["verify", "-"]).stdin(scenario), 1);
    for shown in
        ["\n      a/3 ", "\n      b/3 ", "\n      c/3 ", "and 16 more places of a\n", "and 20 more places of c\n"]
    {
        assert!(drawn.contains(shown), "{shown:?}: {drawn}");
    }
    assert!(drawn.lines().count() <= 40, "{} lines:\n{drawn}", drawn.lines().count());
}

#[test]
fn who_may_is_drawn_where_the_ruleset_says_so() {
    let folder = folder(
        "[kind.tin]\n[container.pantry]\nslots = 2\nput-by = [\"owner\", \"crew\"]\nowner = \"mara\"\ntake-by = \"crew\"\n\
         [container.press]\nslot = [{ name = \"feed\", put-by = \"mara\" }, { name = \"tray\", put-by = \"nobody\" }]\n\
         [container.bag]\nslots = 1\n[holder.mara]\ngroups = [\"crew\"]\ncarries = [\"bag\"]\n",
    );
    let shown = |arguments: &[&str]| output(hypotheke(folder.path()).args(arguments), 0);
    snapbox::assert_data_eq!(
        shown(&["show", "--part", "containers"]),
        str![[r#"
Untitled ruleset   version 1

pantry  pantry                                                                    0 of 2 slots taken
  owner mara; put-by owner, crew; take-by crew
  0 to 1 empty

press  press                                                                      0 of 2 slots taken
  feed ───────────── tray ─────────────
  ·                  ·
  feed put-by mara; tray put-by nobody

mara.bag  bag                                                                      0 of 1 slot taken
  0 empty

mara
  groups       crew
  carries      bag: 0 of 1 slot taken

"#]]
    );
    snapbox::assert_data_eq!(
        shown(&["show", "mara"]),
        str![[r#"
Untitled ruleset   version 1

mara
  groups       crew
  carries      bag: 0 of 1 slot taken

mara.bag  bag                                                                      0 of 1 slot taken
  0 empty

"#]]
    );
    snapbox::assert_data_eq!(
        shown(&["fits"]),
        str![[r#"
                     press
kind  stack  pantry  feed   bag
tin   1      2s      2s     1s

admits none of these kinds: press (tray)

12s  12 fit in the container; limited by: s the slots
-f  rejected: p because nothing may be put in
put-by  pantry by owner, crew; press (feed) by mara

"#]]
    );
}
