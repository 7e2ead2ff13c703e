//! What recipes make by chance, and what only the game finds: as rulesets write it, and as draws,
//! saves, servers, new rules and searches meet it.

use std::collections::BTreeMap;
use std::sync::Arc;

use hypotheke::explore::{ExplorationReport, Status};
use hypotheke::replication::{Request, Server, ToClient, ToServer};
use hypotheke::save::Save;
use hypotheke::{NamedOperation, Reason, Ruleset, World};

use crate::faults::faults_after;
use crate::working::{explore, operation, perform, rules};

const RULES: &str = "
[kind.gravel]
stack-limit = 99
[kind.sand]
stack-limit = 99
[kind.garnet]
stack-limit = 9
[kind.rope]
stack-limit = 2
[container.tray]
slots = 4
[container.crate]
slots = 2
[container.bag]
slots = 2
[holder.mara]
carries = [\"bag\"]
";

const SIEVE: &str = "
[recipe.sieve]
at = \"tray\"
inputs = [\"1 gravel\"]
outputs = [\"1 sand\"]
yields = [{ weight = 6 }, { weight = 3, outputs = [\"1 garnet\"] }, { weight = 1, outputs = [\"2 garnet\", \"1 rope\"] }]
";

fn count(world: &World, kind: &str) -> u64 {
    world.count(world.rules().find_kind(kind).unwrap(), None)
}

fn sieve() -> Arc<Ruleset> {
    rules(&format!("{RULES}{SIEVE}[start]\ntray = [\"90 gravel\"]\n"))
}

#[test]
fn each_fault_of_chance_has_its_place_and_a_remedy() {
    let items = "inputs = [\"2 gravel\"]\noutputs = [\"1 sand\"]\n";
    let recipe = |lines: &str| format!("[recipe.r]\nat = \"tray\"\n{lines}");
    for (recipe, expected) in [
        (
            recipe(&format!("{items}yields = [{{ weight = 0 }}]")),
            "5 out-of-range: `weight` of a yield of recipe `r` must be a whole number from 1",
        ),
        (recipe(&format!("{items}yields = [{{}}]")), "5 missing-key: a yield of recipe `r` has no `weight`"),
        (
            recipe(&format!("{items}yields = \"1 sand\"")),
            "5 wrong-type: `yields` of recipe `r` must be a list of tables",
        ),
        (
            recipe(&format!("{items}yields = [{{ weight = 1, of = 2 }}]")),
            "5 unknown-key: a yield of recipe `r` has no key `of`",
        ),
        (
            recipe(&format!("{items}yields = [{{ weight = 1, outputs = [\"1 rubi\"] }}]")),
            "5 unknown-kind: unknown kind `rubi`",
        ),
        (
            recipe(&format!("{items}yields = [{{ weight = 4000000000 }}, {{ weight = 4000000000 }}]")),
            "5 bad-number: the weights of the yields of recipe `r` sum to 8000000000",
        ),
        (
            recipe(
                "inputs = [\"1 rope\"]\noutputs = [\"4000000000 sand\"]\nyields = [{ weight = 1, outputs = [\"4000000000 sand\"] }]",
            ),
            "5 out-of-range: recipe `r` makes more than 4294967295 items of one kind",
        ),
        (recipe("outputs = [\"1 sand\"]\nloot = \"yes\""), "4 wrong-type: `loot` of recipe `r` must be true or false"),
        (recipe("outputs = [\"1 sand\"]"), "1 missing-key: recipe `r` has no `inputs`"),
        (recipe("inputs = [\"1 sand\"]\nyields = [{ weight = 1 }]"), "1 missing-key: recipe `r` has no `outputs`"),
        (recipe(&format!("{items}loot = true\nby = \"mara\"")), "6 not-supported: recipe `r` is loot, and has `by`"),
        (
            recipe("outputs = [\"1 sand\"]\nloot = true\nduration = 5"),
            "5 not-supported: recipe `r` takes time, and has no `inputs`",
        ),
    ] {
        let found = faults_after(RULES, &recipe);
        assert!(found.len() == 1 && found[0].starts_with(expected), "{recipe}\n{found:#?}\nis not {expected}");
    }
}

/// Of 900 draws by weights of 6, 3 and 1.
#[test]
fn each_yield_is_drawn_as_often_as_its_weight_says() {
    let rules = sieve();
    let mut drawn: BTreeMap<u64, u32> = BTreeMap::new();
    for seed in 0..9 {
        let start = World::new(&rules).numbered(0, seed);
        let mut world = start.clone();
        for _ in 0..100 {
            let mut next = world.clone();
            perform(&mut next, "craft sieve at tray").expect("drawn");
            *drawn.entry(count(&next, "garnet") - count(&world, "garnet")).or_default() += 1;
            // What was found is taken out, so that there is always room.
            for kind in ["sand", "garnet", "rope"] {
                let _none = perform(&mut next, &format!("consume all {kind} from tray"));
            }
            perform(&mut next, "create 1 gravel in tray").expect("refilled");
            world = next;
        }
    }
    let number = |garnets: u64| drawn.get(&garnets).copied().unwrap_or(0);
    assert_eq!(number(0) + number(1) + number(2), 900);
    // Each is within four standard deviations.
    for (garnets, expected, within) in [(0, 540, 59), (1, 270, 55), (2, 90, 36)] {
        assert!(number(garnets).abs_diff(expected) <= within, "{drawn:?}");
    }
}

#[test]
fn a_refusal_a_question_and_a_named_yield_draw_nothing_and_undo_draws_again() {
    let rules = sieve();
    let mut world = World::new(&rules);
    world.set_undo_limit(9);
    let random = world.snapshot().random;
    assert_eq!(perform(&mut world, "craft 2 sieve at tray"), Err(Reason::BadAmount));
    assert!(world.dry_run(&operation(&world, "craft sieve at tray")).is_ok());
    perform(&mut world, "craft sieve at tray with yield 3").expect("crafted");
    assert_eq!((world.snapshot().random, count(&world, "rope")), (random.clone(), 1));

    perform(&mut world, "craft sieve at tray").expect("crafted");
    let after = world.snapshot();
    assert_ne!(after.random, random);
    world.undo(world.revision()).expect("undone");
    assert_eq!(world.snapshot().random, random);
    perform(&mut world, "craft sieve at tray").expect("crafted");
    assert_eq!(world.snapshot().containers, after.containers);
}

#[test]
fn what_was_drawn_at_the_start_is_saved_copied_and_made_at_the_end() {
    let slow = format!("{RULES}{SIEVE}duration = 9\n[start]\ntray = [\"5 gravel\"]\n");
    let rules = rules(&slow);
    let mut world = World::new(&rules);
    perform(&mut world, "craft sieve at tray with yield 3").expect("started");
    let save = Save::of(&world);
    for bytes in [save.to_json().into_bytes(), save.to_bytes()] {
        let read = Save::read(&bytes).expect("a save");
        let mut copy = read.world(&rules).expect("a world");
        let job = copy.job(copy.container("tray").unwrap()).expect("at work");
        assert_eq!(job.yield_number(), Some(3));
        perform(&mut copy, "wait 9").expect("time passes");
        assert_eq!((count(&copy, "garnet"), count(&copy, "rope")), (2, 1));
    }
    // A world with a yield that the recipe does not have is none, and new rules stop such work.
    let fewer = slow.replace(", { weight = 1, outputs = [\"2 garnet\", \"1 rope\"] }", "");
    let fewer = Arc::new(Ruleset::from_toml("rules.toml", &fewer).expect("rules"));
    let errors = World::from_snapshot(&fewer, &world.snapshot()).expect_err("no such yield").to_string();
    assert!(errors.contains("with yield 3, which the recipe does not have"), "{errors}");
    let (migrated, differences) = save.migrate(&fewer).expect("migrated");
    let migrated = migrated.world(&fewer).expect("a world");
    assert_eq!(count(&migrated, "gravel"), 5);
    let lines: Vec<String> = differences.iter().map(ToString::to_string).collect();
    assert!(lines.iter().any(|it| it.contains("sieve stopped: it yields something else")), "{lines:?}");
}

#[test]
fn a_client_does_not_choose_what_is_drawn() {
    let rules = sieve();
    let mut server = Server::new(World::new(&rules), 8);
    let mut send = |sentence: &str| {
        let operation: NamedOperation = sentence.parse().expect("an operation");
        let message = ToServer::Request(Box::new(Request::new(operation)));
        let replies = server.receive_from("mara", &message);
        let Some(ToClient::Answer { answer, .. }) = replies.to_sender.into_iter().next() else { panic!("no answer") };
        answer.reason()
    };
    assert_eq!(send("craft sieve at tray with yield 3"), Some(Reason::NotAllowed));
    assert_eq!(send("together (sort tray; craft sieve at tray with yield 3)"), Some(Reason::NotAllowed));
    assert_eq!(send("craft sieve at tray"), None);
}

#[test]
fn a_search_tries_each_yield() {
    let rules = rules(&format!("{RULES}{SIEVE}[start]\ntray = [\"2 gravel\"]\n"));
    let claims = "explore\n  verbs craft\n  containers tray\nalways\n  count of garnet <= 3\n\
                  possible\n  count of garnet = 0\n  count of garnet = 3\n  count of garnet = 5\n";
    let found = explore(&rules, claims).search();
    assert!(found.complete);
    let Status::Violated(trace) = &found.verdicts[0].status else { panic!("{:?}", found.verdicts[0].status) };
    assert_eq!(trace.steps, ["craft sieve at tray with yield 3"; 2]);
    let why = "The recipe sieve with yield 3 makes 1 sand and 2 garnet and 1 rope from 1 gravel";
    assert!(trace.explanation.iter().any(|said| said == why), "{:#?}", trace.explanation);
    let reached = |verdict: usize| matches!(found.verdicts[verdict].status, Status::Reachable(..));
    assert_eq!([reached(1), reached(2), reached(3)], [true, true, false]);
}

#[test]
fn a_search_finds_loot_as_the_game() {
    let loot = "[recipe.open]\nat = \"crate\"\nloot = true\nyields = [{ weight = 1, outputs = [\"1 rope\"] }, { weight = 1 }]\n";
    let rules = rules(&format!("{RULES}{loot}"));
    let claims = "explore\n  verbs craft\n  containers crate\n  actors game\nalways\n  count of rope <= 3\n";
    let found = explore(&rules, claims).search();
    let Status::Violated(trace) = &found.verdicts[0].status else { panic!("{:?}", found.verdicts[0].status) };
    assert_eq!(trace.steps, ["craft open at crate with yield 1"; 4]);
}

/// The way back needs the yield of 1 in 4.
#[test]
fn a_way_back_may_need_luck_and_the_verdict_says_so() {
    let smelt = "[recipe.smelt]\nat = \"tray\"\ninputs = [\"1 sand\"]\n\
                 yields = [{ weight = 3, outputs = [\"1 sand\"] }, { weight = 1, outputs = [\"1 gravel\"] }]\n";
    let crush = "[recipe.crush]\nat = \"tray\"\ninputs = [\"1 gravel\"]\noutputs = [\"1 sand\"]\n";
    let rules = rules(&format!("{RULES}{smelt}{crush}[start]\ntray = [\"1 gravel\"]\n"));
    let claims = "explore\n  verbs craft\n  containers tray\n";
    let found = explore(&rules, &format!("{claims}recoverable\n  tray: 1 gravel\n")).search();
    assert!(matches!(found.verdicts[0].status, Status::Holds), "{:?}", found.verdicts[0].status);
    let left_out = |report: &ExplorationReport| report.not_searched.iter().any(|what| what.code() == "bad-luck");
    assert!(left_out(&found));
    assert!(!left_out(&explore(&rules, &format!("{claims}always\n  count of sand <= 1\n")).search()));
}

#[test]
fn what_a_recipe_makes_fills_a_container_for_nobody() {
    let find = "[recipe.find]\nat = \"hole\"\nloot = true\noutputs = [\"1 rope\"]\n";
    let hole = format!("{RULES}[container.hole]\nslots = 1\nput-by = \"nobody\"\n");
    let warns = |text: &str| rules(text).lint().iter().any(|found| found.code() == "never-filled");
    assert_eq!((warns(&hole), warns(&format!("{hole}{find}"))), (true, false));
}

/// Of what a holder can gain in a cycle, the best yield counts; what only the game finds does not.
#[test]
fn a_cycle_gains_if_it_may_gain_by_chance() {
    let split = "[recipe.split]\nat = \"tray\"\ninputs = [\"1 garnet\"]\n\
                 yields = [{ weight = 9 }, { weight = 1, outputs = [\"2 garnet\"] }]\n";
    let warnings = |text: &str| {
        let found = rules(text).lint().iter().map(|found| found.message().to_owned()).collect::<Vec<_>>();
        found.into_iter().filter(|message| message.contains("cycle")).collect::<Vec<String>>()
    };
    assert_eq!(warnings(&format!("{RULES}{split}")), ["a cycle gains 1 garnet"]);
    assert_eq!(warnings(&format!("{RULES}{split}loot = true\n")), Vec::<String>::new());
}
