//! Recipes that take time, as rulesets write them, and as waits, saves, copies and new rules meet
//! them.

use std::sync::Arc;

use hypotheke::explore::{Canonical, ClaimsFile, Exploration, Status, Walks};
use hypotheke::save::Save;
use hypotheke::text::Source;
use hypotheke::{Difference, Law, NamedOperation, Operation, Reason, Ruleset, World, audit};

use crate::faults::faults_after;

const RULES: &str = "format = 1\n[kind.snow]\nstack-limit = 9\nweight = 1\n[kind.water]\nstack-limit = 4\nweight = 1\n\
                     [kind.ice]\n[kind.kit]\npack = \"kit\"\n[container.kit]\nslots = 1\n[container.stove]\nslots = 2\n\
                     min-slots = 1\n[container.bag]\nslots = 3\n[holder.mara]\ncarries = [\"bag\"]\n";
const MELT: &str = "[recipe.melt]\nat = [\"stove\", \"bag\"]\ninputs = [\"2 snow\"]\noutputs = [\"1 water\"]\n";
const SLOW: &str = "duration = 10\n";

pub(crate) fn rules(text: &str) -> Arc<Ruleset> {
    Arc::new(Ruleset::from_toml("rules.toml", text).unwrap_or_else(|errors| panic!("{errors}")))
}

pub(crate) fn operation(world: &World, sentence: &str) -> Operation {
    let operation: NamedOperation = sentence.parse().unwrap_or_else(|error| panic!("{sentence}: {error}"));
    operation.resolve(world).unwrap_or_else(|error| panic!("{sentence}: {error}"))
}

pub(crate) fn perform(world: &mut World, sentence: &str) -> Result<u64, Reason> {
    let outcome = world.perform(&operation(world, sentence));
    assert_eq!(world.check_indexes(), vec![], "{sentence}");
    outcome.map(hypotheke::Outcome::done).map_err(|refusal| refusal.reason())
}

/// A world in which the stove works for 8 more ticks and has no room for what it makes, and the bag
/// for 3.
fn at_work(rules: &Arc<Ruleset>) -> World {
    let mut world = World::new(rules);
    for sentence in [
        "create 5 snow in stove/0",
        "create 1 ice in stove/1",
        "create 2 snow in mara.bag/1",
        "craft melt at mara.bag",
        "wait 10",
        "create 3 snow in mara.bag",
        "craft melt at mara.bag",
        "wait 5",
        "move from stove/1 to mara.bag",
        "craft 2 melt at stove",
        "create 1 ice in stove/1",
        "wait 2",
    ] {
        perform(&mut world, sentence).unwrap_or_else(|reason| panic!("{sentence}: {reason}"));
    }
    world
}

fn works_on(world: &World, container: &str) -> Option<String> {
    world.job(world.container(container)?).map(|job| world.job_text(job))
}

#[test]
fn each_fault_of_a_duration_has_its_place_and_a_remedy() {
    let items = "inputs = [\"2 snow\"]\noutputs = [\"1 water\"]\n";
    for (recipe, expected) in [
        (format!("[recipe.r]\nat = \"stove\"\n{items}duration = \"long\""), "5 wrong-type: `duration` of recipe `r`"),
        (format!("[recipe.r]\n{items}duration = 5"), "4 missing-key: recipe `r` takes time and has no `at`"),
        (
            format!("[recipe.r]\nat = [\"stove\", \"kit\"]\n{items}duration = 5"),
            "2 not-supported: recipe `r` takes time, and `kit` is the inside of a pack",
        ),
        (
            format!("[recipe.r]\nat = \"stove\"\n{items}when-full = \"hold\""),
            "5 missing-key: recipe `r` has `when-full` and no `duration`",
        ),
        (format!("[recipe.r]\nat = \"stove\"\n{items}duration = 5\nwhen-full = \"wait\""), "6 unknown-choice: "),
    ] {
        let found = faults_after(RULES, &recipe);
        assert!(found.len() == 1 && found[0].starts_with(expected), "{recipe}\n{found:#?}\nis not {expected}");
    }
}

/// Its place in texts is that of what a container works on.
#[test]
fn no_slot_is_named_work() {
    let text = format!("{RULES}[container.shelf]\nslot = [{{ name = \"work\" }}]\n");
    let errors = Ruleset::from_toml("rules.toml", &text).expect_err("a reserved word").to_string();
    assert!(errors.contains("invalid name `work` of a slot: this word is reserved"), "{errors}");
}

#[test]
fn a_duration_is_a_whole_number_of_ticks() {
    for wrong in ["0", "-1", "1.5", "9999999999"] {
        let text = format!("{RULES}{MELT}duration = {wrong}\n");
        let errors = Ruleset::from_toml("rules.toml", &text).expect_err(wrong).to_string();
        let expected = "`duration` of recipe `melt` must be a whole number from 1 to 4294967295";
        assert!(errors.contains(expected), "{errors}");
    }
}

#[test]
fn both_forms_of_a_save_keep_the_clock_and_what_is_in_work() {
    let rules = rules(&format!("{RULES}{MELT}{SLOW}"));
    let world = at_work(&rules);
    assert_eq!(works_on(&world, "stove").as_deref(), Some("2 melt for 8"));
    let save = Save::of(&world);
    for bytes in [save.to_json().into_bytes(), save.to_bytes()] {
        let mut read = Save::read(&bytes).and_then(|save| save.world(&rules)).expect("a save");
        assert_eq!(read.snapshot(), world.snapshot());
        assert_eq!(read.check_indexes(), vec![]);
        assert_eq!(works_on(&read, "mara.bag").as_deref(), Some("melt for 3"));
        let mut here = world.clone();
        for world in [&mut here, &mut read] {
            perform(world, "wait 9").expect("time passes");
            assert_eq!(works_on(world, "stove").as_deref(), Some("2 melt for 0"));
        }
        assert_eq!(read.snapshot(), here.snapshot(), "it goes on as if it had never been saved");
        for end in (0..bytes.len()).step_by(7) {
            assert!(Save::read(&bytes[..end]).is_err(), "cut off after {end} bytes");
        }
    }
}

#[test]
fn what_no_container_can_work_on_is_no_world_and_no_lawful_snapshot() {
    let rules = rules(&format!(
        "{RULES}{MELT}{SLOW}[recipe.fast]\nat = \"stove\"\ninputs = [\"1 snow\"]\noutputs = [\"1 ice\"]\n"
    ));
    let lawful = at_work(&rules).snapshot();
    assert_eq!(audit(&rules, &lawful), vec![]);
    type Change = fn(&mut hypotheke::snapshot::Container);
    let changes: [(Change, &str); 8] = [
        (|stove| stove.stacks.retain(|lying| !lying.in_work), "it holds nothing for `melt`"),
        (|stove| stove.job = None, "it works on nothing from this slot"),
        (|stove| stove.job.as_mut().unwrap().recipe = "boil".to_owned(), "unknown recipe `boil`"),
        (|stove| stove.job.as_mut().unwrap().recipe = "fast".to_owned(), "no container works on `fast` here"),
        (|stove| stove.job.as_mut().unwrap().times = 0, "it works on `melt` 0 times"),
        (|stove| stove.job.as_mut().unwrap().left = u64::MAX, "would take too long to count"),
        (|stove| stove.stacks.last_mut().unwrap().slot = 2, "it works on nothing from this slot"),
        (|stove| stove.stacks.last_mut().unwrap().stack.kind = "kit".to_owned(), "no container works on a pack"),
    ];
    for (change, expected) in changes {
        let mut snapshot = lawful.clone();
        change(&mut snapshot.containers[0]);
        let error = World::from_snapshot(&rules, &snapshot).expect_err(expected).to_string();
        assert!(error.contains(expected), "{error} is not {expected}");
        let found = audit(&rules, &snapshot);
        let is_found = found.iter().any(|violation| violation.law() == Law::Work);
        assert!(is_found || expected.contains("too long"), "{expected}: {found:?}");
    }
}

#[test]
fn a_start_a_wait_and_a_cancelled_recipe_are_undone_whole() {
    let rules = rules(&format!("{RULES}{MELT}{SLOW}"));
    let mut world = at_work(&rules);
    world.set_undo_limit(9);
    world.enable_hash();
    for sentence in ["wait 3", "mara cancels melt at bag", "mara moves from stove/1 to bag", "wait 4000000000"] {
        let (before, hash) = (world.snapshot(), world.contents_hash());
        let revision = world.revision();
        let _ = perform(&mut world, sentence);
        let after = world.snapshot();
        if world.revision() > revision {
            world.undo(world.revision()).expect("undone");
            assert_eq!((world.snapshot(), world.contents_hash()), (before, hash), "{sentence}");
            assert_eq!(world.check_indexes(), vec![], "{sentence}");
            perform(&mut world, sentence).expect("again");
        }
        assert_eq!(world.snapshot(), after, "{sentence}");
    }
}

#[test]
fn a_wait_costs_what_falls_due_and_not_the_ticks() {
    let rules = rules(&format!("{RULES}{MELT}{SLOW}"));
    let mut world = at_work(&rules);
    perform(&mut world, "wait 4294967295").expect("time passes");
    assert_eq!(world.clock(), 17 + 4_294_967_295);
    assert_eq!(works_on(&world, "mara.bag"), None);
    let mut late = world.snapshot();
    late.clock = 1 << 62;
    let mut late = World::from_snapshot(&rules, &late).expect("a world");
    assert_eq!(perform(&mut late, "wait 4294967295"), Ok(4_294_967_295));
    late = World::from_snapshot(&rules, &hypotheke::Snapshot { clock: 1 << 62, ..late.snapshot() }).expect("a world");
    assert!(World::from_snapshot(&rules, &hypotheke::Snapshot { clock: (1 << 62) + 1, ..late.snapshot() }).is_err());
}

/// As many as there are: no other world has as many.
#[test]
fn a_wait_that_would_try_too_much_is_refused_with_the_figure() {
    let count = 500;
    let copies: Vec<String> = (0..count).map(|nth| format!("\"oven-{nth}\"")).collect();
    let text = format!(
        "format = 1\n[kind.snow]\nstack-limit = 9\n[kind.water]\n[container.oven]\nslots = 1\ncopies = [{}]\n\
         [recipe.melt]\nat = [{}]\ninputs = [\"1 snow\"]\noutputs = [\"1 water\"]\nduration = 1\nwhen-full = \"hold\"\n",
        copies.join(", "),
        copies.join(", ")
    );
    let rules = rules(&text);
    let mut world = World::new(&rules);
    let mut steps = Vec::new();
    for nth in 0..count {
        steps.push(format!("create 2 snow in oven-{nth}"));
        steps.push(format!("craft melt at oven-{nth}"));
    }
    for step in steps {
        let operation = operation(&world, &step);
        assert!(world.perform(&operation).is_ok(), "{step}");
    }
    // All wait for room: a wait looks at each once.
    assert_eq!(perform(&mut world, "wait 5"), Ok(5));
    let job = |world: &World| works_on(world, "oven-0");
    assert_eq!(job(&world).as_deref(), Some("melt for 0"));
    let before = world.snapshot();
    // With something due at each of many ticks, each tick tries all of them again.
    let mut crowded = before.clone();
    for (nth, container) in crowded.containers.iter_mut().enumerate().skip(50) {
        container.job.as_mut().expect("at work").left = nth as u64;
    }
    let mut crowded = World::from_snapshot(&rules, &crowded).expect("a world");
    let refused = crowded.perform(&operation(&crowded, "wait 900")).map(|_| ()).expect_err("refused");
    assert_eq!(refused.reason(), Reason::BadAmount);
    let (due, most) = refused.cause().figures().expect("figures");
    assert!(due > most && most == 100_000.into(), "{due} of {most}");
}

#[test]
fn a_container_that_departs_takes_its_work_to_another_world() {
    let rules = rules(&format!("{RULES}{MELT}{SLOW}"));
    let mut here = at_work(&rules);
    perform(&mut here, "consume from stove/1").expect("room");
    let _ = here.perform(&Operation::departing(here.holder("mara").expect("a holder"))).expect("departed");
    let record = here.departed()[0].clone();
    let record: hypotheke::Departure = serde_json::from_str(&serde_json::to_string(&record).unwrap()).unwrap();
    assert_eq!(perform(&mut here, "wait 50"), Ok(50), "nothing of it falls due here");
    let mut there = World::empty(&rules).numbered(5, 0);
    let _ = there.perform(&Operation::departing(there.holder("mara").expect("a holder"))).expect("departed");
    perform(&mut there, "wait 1000").expect("time passes");
    let _ = there.perform(&Operation::arriving(record)).expect("arrived");
    assert_eq!(works_on(&there, "mara.bag").as_deref(), Some("melt for 3"));
    perform(&mut there, "wait 3").expect("time passes");
    assert_eq!(works_on(&there, "mara.bag"), None);
    assert_eq!(there.count(rules.find_kind("water").unwrap(), None), 2);
}

/// The world under other rules, and its differences.
fn migrated(world: &World, text: &str) -> (World, Vec<String>) {
    let rules = rules(text);
    let (save, differences) = Save::of(world).migrate(&rules).expect("migrated");
    let after = save.world(&rules).expect("a world");
    assert_eq!(after.check_indexes(), vec![]);
    assert_eq!(audit(&rules, &after.snapshot()), vec![]);
    (after, differences.iter().map(Difference::to_string).collect())
}

#[test]
fn a_recipe_that_is_gone_is_stopped_and_nothing_is_lost() {
    let start = format!("{RULES}{MELT}{SLOW}");
    let world = at_work(&rules(&start));
    let snow = |world: &World| world.rules().find_kind("snow").map_or(0, |snow| world.count(snow, None));
    let before = snow(&world);
    for (text, said) in [
        (RULES.to_owned(), "stove: melt stopped: an unknown recipe; moved"),
        (format!("{RULES}{MELT}"), "stove: melt stopped: it takes no time; moved"),
        (start.replace("[\"stove\", \"bag\"]", "\"bag\""), "stove: melt stopped: it is carried out elsewhere; moved"),
    ] {
        let (after, differences) = migrated(&world, &text);
        assert!(differences.iter().any(|it| it == said), "{said}: {differences:#?}");
        assert_eq!((works_on(&after, "stove"), snow(&after)), (None, before), "{differences:#?}");
    }
    // What takes longer now keeps the time that is left.
    let (after, differences) = migrated(&world, &start.replace("duration = 10", "duration = 99"));
    assert_eq!((works_on(&after, "mara.bag").as_deref(), differences), (Some("melt for 3"), vec![]));
    // A recipe with another name goes on.
    let renamed = start.replace("recipe.melt", "recipe.thaw").replace("format = 1\n", "format = 1\nversion = 2\n");
    let renamed = format!("{renamed}[migration.2]\nrenamed.recipe = {{ melt = \"thaw\" }}\n");
    let (after, differences) = migrated(&world, &renamed);
    assert_eq!(works_on(&after, "mara.bag").as_deref(), Some("thaw for 3"));
    assert_eq!(differences, ["melt: renamed to thaw, in 2 containers"]);
    // A container with fewer slots holds the stacks of its former slots.
    let (after, _) = migrated(&world, &start.replace("slots = 2\nmin-slots = 1", "slots = 1"));
    assert_eq!(snow(&after), before);
    // Unknown kinds are set aside, and come back.
    let gone = start.replace("kind.snow", "kind.slush").replace("2 snow", "2 slush");
    let (after, _) = migrated(&world, &gone);
    assert_eq!(works_on(&after, "stove"), None);
    let orphans: u64 = after.snapshot().orphans.iter().map(hypotheke::snapshot::Orphan::items).sum();
    assert_eq!(orphans, before);
    let (back, _) = migrated(&after, &start);
    assert_eq!(snow(&back), before);
}

#[test]
fn a_reload_of_the_same_rules_changes_nothing_and_one_of_others_keeps_the_work() {
    let text = format!("{RULES}{MELT}{SLOW}");
    let mut world = at_work(&rules(&text));
    for text in [text.clone(), format!("{text}[kind.rope]\n")] {
        world.reload(&rules(&text)).expect("reloaded");
        assert_eq!(works_on(&world, "mara.bag").as_deref(), Some("melt for 3"));
    }
    perform(&mut world, "wait 3").expect("time passes");
    assert_eq!(works_on(&world, "mara.bag"), None);
}

pub(crate) fn explore(rules: &Arc<Ruleset>, claims: &str) -> Exploration {
    let file = ClaimsFile::parse(Source::new("a.claims", claims)).unwrap_or_else(|errors| panic!("{errors}"));
    Exploration::new(rules, &file).unwrap_or_else(|errors| panic!("{errors}"))
}

fn name(status: &Status) -> String {
    format!("{status:?}").chars().take_while(|letter| letter.is_alphabetic()).collect()
}

const START: &str = "[start]\nstove = [\"2 snow\"]\n";

#[test]
fn a_search_waits_to_what_is_due_and_finds_what_only_time_brings() {
    let rules = rules(&format!("{RULES}{MELT}{SLOW}{START}"));
    let claims = "explore\n  verbs craft, cancel, wait\n  containers stove\nalways\n  count of water = 0\n\
                  possible\n  stove works on melt for 10\n  stove: 1 water\n  stove works on melt for 4\n";
    let found = explore(&rules, claims).search();
    assert!(found.complete);
    let Status::Violated(trace) = &found.verdicts[0].status else { panic!("{:?}", found.verdicts[0].status) };
    assert_eq!(trace.steps, ["craft melt at stove", "wait 10"]);
    let said: Vec<String> = found.verdicts[1..].iter().map(|verdict| name(&verdict.status)).collect();
    assert_eq!(said, ["Reachable", "Reachable", "Unreachable"]);
    let left_out: Vec<&str> = found.not_searched.iter().map(hypotheke::explore::NotSearched::code).collect();
    assert!(left_out.contains(&"ticks-between"), "{left_out:?}");
    // Tick by tick it is found as well, and nothing is left out.
    let each = claims.replace("  containers", "  wait each-tick\n  containers");
    let found = explore(&rules, &each).search();
    let said: Vec<String> = found.verdicts[1..].iter().map(|verdict| name(&verdict.status)).collect();
    assert_eq!(said, ["Reachable"; 3]);
    assert!(!found.not_searched.iter().any(|what| what.code() == "ticks-between"));
}

#[test]
fn walks_and_a_search_of_the_same_scope_agree_about_time() {
    let rules = rules(&format!("{RULES}{MELT}{SLOW}{START}"));
    let claims = "explore\n  verbs craft, cancel, wait, move\n  containers stove, mara.bag\nalways\n  count of water <= 1\n  \
                  count of snow <= 2\nforbidden\n  cancel stove\npossible\n  mara.bag: 1 water\n";
    let searched: Vec<String> = explore(&rules, claims).search().verdicts.iter().map(|it| name(&it.status)).collect();
    assert_eq!(searched, ["Holds", "Holds", "Violated", "Reachable"]);
    let walked = explore(&rules, claims).walk(Walks { count: 200, ..Walks::default() }, &mut |_| None);
    let walked: Vec<String> = walked.verdicts.iter().map(|it| name(&it.status)).collect();
    assert_eq!(walked, ["NoViolationFound", "NoViolationFound", "Violated", "Reachable"]);
}

/// In a search two worlds are the same if as much is left of what they work on, whatever the clock
/// says.
#[test]
fn states_count_what_is_left_and_not_the_clock() {
    let rules = rules(&format!("{RULES}{MELT}{SLOW}"));
    let state_after = |sentences: &[&str]| {
        let mut world = World::new(&rules);
        for sentence in sentences {
            perform(&mut world, sentence).unwrap_or_else(|reason| panic!("{sentence}: {reason}"));
        }
        Canonical::of(&rules, &world.snapshot())
    };
    let (snow, melt) = ("create 2 snow in stove", "craft melt at stove");
    let started = state_after(&[snow, melt]);
    assert_eq!(started, state_after(&["wait 3", snow, melt]));
    assert_ne!(started, state_after(&[snow, melt, "wait 3"]));
    assert_eq!(state_after(&[snow, melt, "wait 3"]), state_after(&["wait 7", snow, melt, "wait 3"]));
}

/// The holder still has what its bag works on, so a search binds it.
#[test]
fn a_search_binds_what_a_container_of_the_holder_works_on() {
    let text = format!("{RULES}{MELT}{SLOW}").replace("carries = [\"bag\"]\n", "carries = [\"bag\"]\nshortcuts = 1\n");
    let rules = rules(&text);
    let mut world = World::new(&rules);
    for sentence in ["create 2 snow in mara.bag", "craft melt at mara.bag"] {
        perform(&mut world, sentence).unwrap_or_else(|reason| panic!("{sentence}: {reason}"));
    }
    let claims = "explore\n  verbs bind\npossible\n  mara.shortcuts/0 points at snow\n";
    let found = explore(&rules, claims).starting_at(world).search();
    let Status::Reachable(trace) = &found.verdicts[0].status else { panic!("{:?}", found.verdicts[0].status) };
    assert_eq!(trace.steps, ["bind snow to mara.shortcuts/0"]);
}
