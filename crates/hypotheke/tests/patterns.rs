//! Patterns of recipes: as rulesets write them, and as questions, searches and new rules meet them.

use hypotheke::explore::Status;
use hypotheke::{Reason, World};

use crate::faults::faults_after;
use crate::working::{explore, operation, perform, rules};

const RULES: &str = "
[tag.wood]
[mark.wet]
[kind.plank]
tags = [\"wood\"]
stack-limit = 9
[kind.ski]
tags = [\"wood\"]
stack-limit = 9
[kind.sled]
[container.bench]
slots = 6
columns = 3
[container.shelf]
slots = 2
[container.bag]
slots = 2
[holder.mara]
carries = [\"bag\"]
";

const SLED: &str = "
[recipe.sled]
at = \"bench\"
pattern = [\"plank f\", \". ski\"]
legend = { f = \"wood and not wet\" }
outputs = [\"1 sled\"]
";

#[test]
fn each_fault_of_a_pattern_has_its_place_and_a_remedy() {
    let recipe = |lines: &str| format!("[recipe.r]\n{lines}\noutputs = [\"1 sled\"]");
    let at_bench = |lines: &str| recipe(&format!("at = \"bench\"\n{lines}"));
    for (recipe, expected) in [
        (
            at_bench("pattern = [\"ski\", \"ski ski\"]"),
            "3 bad-pattern: the rows of the pattern of recipe `r` differ in length",
        ),
        (at_bench("pattern = [\". .\"]"), "3 bad-pattern: the pattern of recipe `r` has no inputs"),
        (at_bench("pattern = []"), "3 bad-pattern: the pattern of recipe `r` has no inputs"),
        (at_bench("pattern = \"ski\""), "3 wrong-type: `pattern` of recipe `r` must be a list of rows"),
        (at_bench("pattern = [\"sky ski\"]"), "3 unknown-name: unknown tag, mark or kind `sky`"),
        (at_bench("pattern = [\"f\"]\nlegend = { f = \"wood and\" }"), "4 bad-filter: syntax error in a filter"),
        (
            at_bench("pattern = [\"ski ski ski ski\"]"),
            "3 out-of-range: the pattern of recipe `r` has 1 rows of 4; `bench` has 6 slots in 3 columns",
        ),
        (
            at_bench("pattern = [\"ski\", \"ski\", \"ski\"]"),
            "3 out-of-range: the pattern of recipe `r` has 3 rows of 1; `bench` has 6 slots in 3 columns",
        ),
        (
            at_bench("inputs = [\"1 ski\"]\npattern = [\"ski\"]"),
            "3 not-supported: recipe `r` has `inputs` and `pattern`",
        ),
        (recipe("pattern = [\"ski\"]"), "2 missing-key: recipe `r` has a pattern and no `at`"),
    ] {
        let found = faults_after(RULES, &recipe);
        assert!(found.len() == 1 && found[0].starts_with(expected), "{recipe}\n{found:#?}\nis not {expected}");
    }
}

#[test]
fn a_refusal_shows_the_pattern() {
    let rules = rules(&format!("{RULES}{SLED}[start]\nbench = [\"1 plank\", \"2 ski\"]\n"));
    let mut world = World::new(&rules);
    let crafting = operation(&world, "craft sled at bench");
    let causes = world.ask(&crafting).causes().to_vec();
    assert_eq!(causes.iter().map(hypotheke::Cause::reason).collect::<Vec<_>>(), [Reason::NoPattern]);
    assert_eq!(world.explain_cause(causes[0]), "the items in bench do not match the pattern of sled");
    let remedy = world.remedy(causes[0]).expect("a remedy");
    assert_eq!(remedy, "Arrange them in bench, row by row: plank `wood and not wet` / . ski");
    let bench = world.container("bench").unwrap();
    assert_eq!(world.craftable(bench, None), vec![]);
    perform(&mut world, "move 1 ski from bench/1 to bench/4").expect("moved");
    assert_eq!(world.craftable(bench, None).len(), 1);
    perform(&mut world, "craft sled at bench").expect("crafted");
}

/// With exchanged slots a state is a different one, so that a search finds the moves.
#[test]
fn a_search_arranges_the_items() {
    let rules = rules(&format!("{RULES}{SLED}[start]\nbench = [\"1 plank\", \"2 ski\"]\n"));
    let claims = "explore\n  verbs craft, move\n  containers bench\npossible\n  bench has: 1 sled\nalways\n  count of sled <= 1\n";
    let found = explore(&rules, claims).search();
    assert!(found.complete);
    let Status::Reachable(trace) = &found.verdicts[0].status else { panic!("{:?}", found.verdicts[0].status) };
    assert_eq!(trace.steps.len(), 2, "{:?}", trace.steps);
    assert!(matches!(found.verdicts[1].status, Status::Holds));
}

/// Columns are for drawings, unless a recipe has a pattern.
#[test]
fn columns_are_rules_only_with_a_pattern() {
    let fingerprint = |text: &str| rules(text).fingerprint();
    let wider = |text: &str| text.replace("columns = 3", "columns = 2");
    assert_eq!(fingerprint(RULES), fingerprint(&wider(RULES)));
    let with = format!("{RULES}{SLED}");
    assert_ne!(fingerprint(&with), fingerprint(&wider(&with)));
}
