//! Recipes that start as soon as they have their inputs, as rulesets write them, and as starts,
//! copies, new rules, searches and coverage meet them.

use hypotheke::coverage::ChangeVerdict;
use hypotheke::explore::{Status, Walks};
use hypotheke::save::Save;
use hypotheke::{Difference, Operation, World, audit};

use crate::coverage::{described, look, unnoticed};
use crate::faults::faults_after;
use crate::working::{explore, perform, rules};

const RULES: &str = "format = 1\n[kind.snow]\nstack-limit = 9\n[kind.water]\nstack-limit = 4\n[kind.tea]\n\
                     [container.stove]\nslots = 3\n[container.bag]\nslots = 3\n[holder.mara]\ncarries = [\"bag\"]\n";
const MELT: &str = "[recipe.melt]\nat = \"stove\"\ninputs = [\"2 snow\"]\noutputs = [\"1 water\"]\n";
const AUTOMATIC: &str = "duration = 10\nautomatic = true\n";
const START: &str = "[start]\nstove = [\"3 snow\"]\nbag = [\"1 snow\"]\n";

fn text() -> String {
    format!("{RULES}{MELT}{AUTOMATIC}")
}

fn works_on(world: &World) -> Option<String> {
    world.job(world.container("stove")?).map(|job| world.job_text(job))
}

#[test]
fn each_fault_of_an_automatic_recipe_has_its_place_and_a_remedy() {
    let recipe = |keys: &str| format!("{MELT}{keys}automatic = true");
    for (recipe, expected) in [
        (recipe(""), "5 missing-key: recipe `melt` is automatic and has no `duration`: it would start again without"),
        (
            recipe("duration = 5\nwhen-full = \"refuse\"\n"),
            "6 not-supported: recipe `melt` is automatic and refuses to start without room",
        ),
        (
            recipe("duration = 5\nyields = [{ weight = 1, outputs = [\"1 tea\"] }]\n"),
            "6 not-supported: recipe `melt` is automatic and yields by chance",
        ),
        (recipe("duration = 5\nloot = true\n"), "6 not-supported: recipe `melt` is automatic and is loot"),
        (
            recipe("duration = 5\n").replace("at = \"stove\"\n", ""),
            "4 missing-key: recipe `melt` takes time and has no `at`",
        ),
        (format!("{MELT}duration = 5\nautomatic = 1"), "6 wrong-type: `automatic` of recipe `melt`"),
    ] {
        let found = faults_after(RULES, &recipe);
        assert!(found.len() == 1 && found[0].starts_with(expected), "{recipe}\n{found:#?}\nis not {expected}");
    }
    // To hold its outputs is allowed.
    assert_eq!(faults_after(RULES, &recipe("duration = 5\nwhen-full = \"hold\"\n")), Vec::<String>::new());
}

#[test]
fn a_world_begins_with_what_can_start_and_undo_brings_back_what_was() {
    let rules = rules(&format!("{}{START}", text()));
    let mut world = World::new(&rules);
    world.set_undo_limit(9);
    assert_eq!((world.revision(), works_on(&world).as_deref()), (0, Some("melt for 10")));
    let start = world.snapshot();
    perform(&mut world, "wait 10").expect("time passes");
    assert_eq!(works_on(&world), None);
    perform(&mut world, "move 1 snow from mara.bag to stove").expect("moved");
    assert_eq!(works_on(&world).as_deref(), Some("melt for 10"));
    assert_eq!(audit(&rules, &world.snapshot()), vec![]);
    world.undo(world.revision()).expect("undone");
    assert_eq!(works_on(&world), None);
    world.undo(world.revision()).expect("undone");
    assert_eq!(world.snapshot(), hypotheke::Snapshot { next_stack: start.next_stack, ..start });
}

/// A plan changes nothing, and lists what would start.
#[test]
fn a_dry_run_names_what_it_would_start() {
    let rules = rules(&text());
    let world = World::new(&rules);
    let operation = crate::working::operation(&world, "create 4 snow in stove");
    let events: Vec<String> =
        world.plan(&operation).expect("room").events().iter().map(|it| world.describe_event(it)).collect();
    assert!(events.iter().any(|event| event.contains("starts melt")), "{events:?}");
    assert_eq!(works_on(&world), None);
}

/// Ten thousand stoves that start again at each tick: a wait looks at what is due, and ends.
#[test]
fn many_that_start_again_in_one_wait_end_in_it() {
    let copies: Vec<String> = (0..2_000).map(|nth| format!("\"oven-{nth}\"")).collect();
    let copies = copies.join(", ");
    let text = format!(
        "format = 1\n[kind.snow]\nstack-limit = 20\n[kind.water]\nstack-limit = 20\n[container.oven]\nslots = 2\n\
         copies = [{copies}]\n[recipe.melt]\nat = [{copies}]\ninputs = [\"1 snow\"]\noutputs = [\"1 water\"]\n\
         duration = 1\nautomatic = true\n[start]\n{}",
        (0..2_000).map(|nth| format!("oven-{nth} = [\"12 snow\"]\n")).collect::<String>()
    );
    let rules = rules(&text);
    let mut world = World::new(&rules);
    let outcome = world.perform(&Operation::waiting(1_000_000)).map(|_| ());
    assert!(outcome.is_ok(), "{outcome:?}");
    let water = rules.find_kind("water").expect("a kind");
    assert_eq!(world.count(water, None), 24_000);
    assert_eq!(world.check_indexes(), vec![]);
}

/// One makes what the other needs: that never ends, so the wait is refused with the figure.
#[test]
fn a_wait_that_would_never_rest_is_refused_with_the_figure() {
    let freeze = "[recipe.freeze]\nat = \"stove\"\ninputs = [\"1 water\"]\noutputs = [\"2 snow\"]\n";
    let rules = rules(&format!("{}{freeze}{AUTOMATIC}", text()).replace("duration = 10", "duration = 1"));
    let mut world = World::new(&rules);
    perform(&mut world, "create 2 snow in stove").expect("room");
    perform(&mut world, "wait 50000").expect("time passes");
    let refused = world.perform(&Operation::waiting(1_000_000)).map(|_| ()).expect_err("refused");
    let (due, most) = refused.cause().figures().expect("figures");
    assert!(due > most && most == 100_000.into(), "{due} of {most}");
}

#[test]
fn a_save_and_new_rules_keep_what_started_and_start_what_can() {
    let by_command = text().replace("automatic = true\n", "");
    let mut world = World::new(&rules(&by_command));
    perform(&mut world, "create 4 snow in stove").expect("room");
    assert_eq!(works_on(&world), None);
    let rules = rules(&text());
    let (save, differences) = Save::of(&world).migrate(&rules).expect("migrated");
    let differences: Vec<String> = differences.iter().map(Difference::to_string).collect();
    assert_eq!(differences, ["stove: it starts melt"]);
    let mut after = save.world(&rules).expect("a world");
    assert_eq!(works_on(&after).as_deref(), Some("melt for 10"));
    assert_eq!(after.check_indexes(), vec![]);
    perform(&mut after, "wait 4").expect("time passes");
    for bytes in [Save::of(&after).to_json().into_bytes(), Save::of(&after).to_bytes()] {
        let mut read = Save::read(&bytes).and_then(|save| save.world(&rules)).expect("a save");
        assert_eq!(works_on(&read).as_deref(), Some("melt for 6"));
        perform(&mut read, "wait 16").expect("time passes");
        assert_eq!(works_on(&read), None);
    }
    world.reload(&rules).expect("reloaded");
    assert_eq!(works_on(&world).as_deref(), Some("melt for 10"));
}

/// No verb of the scope names the recipe, and no container is symmetric: the stove takes its inputs
/// in slot order.
#[test]
fn a_search_finds_what_a_move_starts() {
    let rules = rules(&format!("{}[start]\n\"mara.bag\" = [\"3 snow\"]\n", text()));
    let claims = "explore\n  verbs move, wait\n  amounts every\nalways\n  count of water = 0\npossible\n\
                  \x20 stove works on melt for 10\n  stove works on melt for 0\n";
    for exploration in [explore(&rules, claims), explore(&rules, claims).without_symmetry()] {
        let found = exploration.search();
        assert!(found.complete);
        let Status::Violated(trace) = &found.verdicts[0].status else { panic!("{:?}", found.verdicts[0].status) };
        assert_eq!(trace.steps, ["move 2 snow from mara.bag/0 to stove/0", "wait 10"]);
        assert!(matches!(found.verdicts[1].status, Status::Reachable(_)), "{:?}", found.verdicts[1].status);
        assert_eq!(format!("{:?}", found.verdicts[2].status), "Unreachable");
    }
    let walks = Walks { count: 200, ..Walks::default() };
    let walked = explore(&rules, claims).walk(walks, &mut |_| None);
    let Status::Violated(trace) = &walked.verdicts[0].status else { panic!("{:?}", walked.verdicts[0].status) };
    assert_eq!(trace.steps.len(), 2, "{:?}", trace.steps);
}

#[test]
fn coverage_notices_whether_a_recipe_starts_by_command() {
    let untested = "scenario Nothing\n  steps\n    create 1 snow in stove\n";
    let tested = "scenario Melting\n  steps\n    create 2 snow in stove\n    wait 10\n  end\n    stove: 1 water\n";
    let automatic = "melt: automatic: by command".to_owned();
    let is_noticed = |scenarios: &str| {
        let found = look(&text(), scenarios, 1);
        let seen = described(&found, |verdict| matches!(verdict, ChangeVerdict::Detected { .. }));
        let unseen = unnoticed(&found);
        assert!(seen.contains(&automatic) != unseen.contains(&automatic), "{seen:?}\n{unseen:?}");
        seen.contains(&automatic)
    };
    assert!(!is_noticed(untested) && is_noticed(tested));
    // One was found that would notice it.
    let found = look(&text(), untested, 1);
    let changes = found.rules().iter().flat_map(|rule| &rule.changes);
    let suggested = changes.filter(|change| change.text == "by command").map(|change| &change.verdict);
    let is_suggested = |verdict: &ChangeVerdict| matches!(verdict, ChangeVerdict::Undetected { suggestion: Some(_) });
    assert!(suggested.into_iter().all(is_suggested));
}

/// Who works on the snow shows in no slot, whatever the verbs.
#[test]
fn states_that_differ_in_what_has_started_are_different() {
    let both = text()
        .replace("at = \"stove\"", "at = [\"stove\", \"pot\"]")
        .replace("[kind.snow]\n", "[kind.snow]\nweight = 1\n");
    let rules = rules(&format!("{both}[container.pot]\nslots = 3\n[start]\n\"mara.bag\" = [\"2 snow\"]\n"));
    let claims = "explore\n  verbs move\npossible\n  weight of stove >= 2\n  weight of pot >= 2\n";
    let found = explore(&rules, claims).search();
    assert!(found.verdicts.iter().all(|it| matches!(it.status, Status::Reachable(_))), "{:?}", found.verdicts);
}
