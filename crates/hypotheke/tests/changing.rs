//! Use that wears, properties that fall, and changes: what can be wrong in a ruleset, limits, saves,
//! migration, the audit, and searches.

use std::sync::Arc;

use hypotheke::explore::{ClaimsFile, Exploration, Status};
use hypotheke::snapshot::InSlot;
use hypotheke::text::Source;
use hypotheke::{ChangeEffect, Decimal, Law, Operation, Reason, Ruleset, StackView, World, audit};

use crate::faults::faults_after;

fn rules(text: &str) -> Arc<Ruleset> {
    Arc::new(Ruleset::from_toml("rules.toml", text).unwrap_or_else(|errors| panic!("{errors}")))
}

const CAMP: &str = "
[mark.dull]
[kind.saw]
stack-limit = 1
weight = 2
properties = { condition = 3 }
use = { lowers = { condition = 1 } }
[kind.scrap]
stack-limit = 9
weight = 1
[kind.fish]
stack-limit = 4
properties = { freshness = 3 }
[kind.bait]
stack-limit = 9
[kind.bag]
pack = \"bag\"
[kind.crown]
protected = true
[kind.seal]
most-in-world = 3
[kind.anvil]
weight = 50
[container.bag]
slots = 2
[container.store]
slots = 4
[container.pockets]
slots = 2
[holder.mara]
carries = [\"pockets\"]
";

#[test]
fn each_fault_of_a_change_has_its_place_and_a_remedy() {
    let change = |lines: &str| format!("[change.x]\n{lines}\n");
    let cases = [
        (change("when = \"saw\"\nremove = true"), "2 changes-at-once: change `x` changes each new `saw` at once"),
        (
            change("when = \"saw and condition <= 3\"\nmark = \"dull\""),
            "2 changes-at-once: change `x` changes each new `saw` at once",
        ),
        (change("when = \"saw and dull\""), "1 missing-key: change `x` has no effect"),
        (change("remove = true"), "1 missing-key: change `x` has no `when`"),
        (change("when = \"saw and dull\"\nremove = true\nmark = \"dull\""), "1 two-effects: change `x` has 2 effects"),
        (change("when = \"saw and dull\"\nbecomes = \"scrab\""), "3 unknown-kind: unknown kind `scrab`"),
        (change("when = \"saw and dull\"\nmark = \"dul\""), "3 unknown-mark: unknown mark `dul`"),
        (change("when = \"dull\"\nremove = true"), "2 not-supported: change `x` can't remove `bag`: `bag` is a pack"),
        (
            change("when = \"crown and dull\"\nremove = true"),
            "2 not-supported: change `x` can't remove `crown`: `crown` is protected",
        ),
        (
            change("when = \"saw and dull\"\nbecomes = \"seal\""),
            "2 not-supported: change `x` can't change `saw` into `seal`: `seal` has `most-in-world`",
        ),
        (
            change("when = \"saw and dull\"\nbecomes = \"anvil\""),
            "2 not-supported: change `x` can't change `saw` into `anvil`: `anvil` is heavier",
        ),
        (
            change("when = \"bait and dull\"\nbecomes = \"fish\""),
            "2 not-supported: change `x` can't change `bait` into `fish`: `fish` has a lower stack limit",
        ),
        (
            "[kind.pole]\nweight = 9\noccupies-slots = [\"left\"]\n[container.rack]\nslot = [{ name = \"left\" }]\n\
             [change.y]\nwhen = \"pole and dull\"\nbecomes = \"scrap\""
                .to_owned(),
            "7 not-supported: change `y` can't change `pole` into `scrap`: they occupy different slots",
        ),
        (
            change("when = \"fish and dull\"\nbecomes = \"fish\""),
            "1 endless-changes: change `x` never ends: it changes what it makes",
        ),
        (
            "[property.freshness]\nfalls = { by = 0, every = 5 }".to_owned(),
            "2 out-of-range: property `freshness` falls by 0",
        ),
        (
            "[property.freshness]\nfalls = { by = 1 }".to_owned(),
            "2 missing-key: `falls` of property `freshness` has no `every`",
        ),
        (
            "[property.fresh]\nfalls = { by = 1, every = 5 }".to_owned(),
            "1 unknown-property: no kind has the property `fresh`",
        ),
        (
            "[kind.axe]\nuse = { lowers = { edge = 1 } }".to_owned(),
            "2 unknown-property: `axe` has no property `edge` that is a number",
        ),
        (
            "[kind.axe]\nproperties.edge = 3\nuse = { lowers = { edge = -1 } }".to_owned(),
            "3 out-of-range: a use lowers `edge` by -1",
        ),
        (
            "[kind.axe]\nstack-limit = 2\nproperties.edge = 3\nuse = { lowers = { edge = 1 } }".to_owned(),
            "4 not-supported: a use lowers `edge` of one `axe`, and stacks hold up to 2",
        ),
    ];
    for (text, expected) in cases {
        assert_eq!(faults_after(CAMP, &text), [expected], "{text}");
    }
}

#[test]
fn changes_that_never_end_name_the_cycle() {
    let text = "
[mark.a]
[kind.one]
[kind.two]
[kind.three]
[container.store]
slots = 1
[change.first]
when = \"one and a\"
becomes = \"two\"
[change.aside]
when = \"one and a\"
becomes = \"three\"
[change.second]
when = \"two and a\"
becomes = \"one\"
";
    let errors = Ruleset::from_toml("rules.toml", text).expect_err("a cycle").to_string();
    assert!(errors.contains("the changes `first`, `second` never end"), "{errors}");
    assert_eq!(errors.matches("never end").count(), 1, "{errors}");
}

#[test]
fn a_change_may_be_a_part_of_a_cycle_that_gains() {
    let text = "[change.worn-out]\nwhen = \"saw and condition <= 0\"\nbecomes = \"scrap\"\n\
                [recipe.forge]\nat = \"store\"\ninputs = [\"2 scrap\"]\noutputs = [\"3 saw\"]\n";
    let rules = rules(&format!("{CAMP}{text}"));
    let warnings: Vec<String> = rules.lint().iter().map(|it| format!("{}: {:?}", it.code(), it.help_text())).collect();
    let expected = "gaining-cycle: Some(\"Its steps: recipe forge; 2 times change worn-out. Let one of them take more or give less\")";
    assert!(warnings.iter().any(|line| line == expected), "{warnings:#?}");
}

const FALLING_FOOD: &str = "
[property.freshness]
falls = { by = 1, every = 5 }
[change.spoiled]
when = \"fish and freshness <= 0\"
becomes = \"bait\"
[change.worn-out]
when = \"saw and condition <= 0\"
becomes = \"scrap\"
";

fn camp() -> Arc<Ruleset> {
    rules(&format!("{CAMP}{FALLING_FOOD}[start]\nstore = [\"4 fish\"]\n\"mara.pockets\" = [\"1 saw\"]\n"))
}

fn contents(world: &World, place: &str) -> Vec<String> {
    let container = world.container(place).expect("a container");
    let described = |stack: StackView<'_>| {
        let freshness = stack.property("freshness").map(|value| format!(" {value}")).unwrap_or_default();
        format!("{} {}{freshness}", stack.count(), stack.kind().id())
    };
    world.stacks(container).map(|(_, stack)| described(stack)).collect()
}

fn wait(world: &mut World, ticks: u32) {
    let outcome = world.perform(&Operation::waiting(ticks)).expect("a wait");
    assert!(outcome.is_complete());
}

#[test]
fn a_wait_in_two_parts_is_the_same() {
    let rules = camp();
    for first in 1..20 {
        let (mut one, mut other) = (World::new(&rules), World::new(&rules));
        wait(&mut one, 20);
        for ticks in [first, 20 - first] {
            wait(&mut other, ticks);
        }
        let (mut one, mut other) = (one.snapshot(), other.snapshot());
        (one.revision, other.revision) = (0, 0);
        assert_eq!(one, other, "{first}");
    }
}

#[test]
fn undo_brings_back_what_has_changed() {
    let mut world = World::new(&camp());
    world.set_undo_limit(1);
    let before = world.snapshot();
    let revision = world.perform(&Operation::waiting(15)).expect("a wait").revision();
    assert_eq!(contents(&world, "store"), ["4 bait"]);
    world.undo(revision).expect("an undo");
    assert_eq!(world.snapshot(), before);
    assert_eq!(world.check_indexes(), []);
}

#[test]
fn saves_keep_what_has_fallen_and_time_away_counts() {
    let rules = camp();
    let mut world = World::new(&rules);
    wait(&mut world, 7);
    let mut loaded = World::from_snapshot(&rules, &world.snapshot()).expect("a world");
    for world in [&mut world, &mut loaded] {
        wait(world, 3);
        assert_eq!(contents(world, "store"), ["4 fish 1"]);
    }
}

#[test]
fn a_very_long_wait_ends_and_a_wait_with_too_much_is_refused() {
    let mut world = World::new(&camp());
    wait(&mut world, u32::MAX);
    assert_eq!(contents(&world, "store"), ["4 bait"]);
    let text = "
[kind.fish]
properties = { freshness = 20000 }
[container.store]
slots = 1
[property.freshness]
falls = { by = 1, every = 1 }
[start]
store = [\"1 fish\"]
";
    let mut world = World::new(&rules(text));
    let before = world.snapshot();
    let refusal = world.perform(&Operation::waiting(10_001)).expect_err("too much");
    assert_eq!(refusal.reason(), Reason::BadAmount);
    assert_eq!(world.explain(&refusal), "10001 things would fall due in this wait; the maximum is 10000");
    assert_eq!(world.snapshot(), before);
    wait(&mut world, 10_000);
    assert_eq!(contents(&world, "store"), ["1 fish 10000"]);
}

#[test]
fn the_audit_tells_what_is_due() {
    let rules = camp();
    let mut snapshot = World::new(&rules).snapshot();
    let store = snapshot.containers.iter_mut().find(|it| it.name == "store").expect("the store");
    let InSlot { stack, .. } = &mut store.stacks[0];
    stack.properties.insert("freshness".to_owned(), Decimal::ZERO);
    let found = audit(&rules, &snapshot);
    let found: Vec<String> = found
        .iter()
        .filter(|it| it.law() == Law::Change)
        .map(|it| format!("{}: {}", it.place(), it.message()))
        .collect();
    assert_eq!(found, ["store/0: this fish is due for the change spoiled"]);
}

#[test]
fn new_rules_change_what_is_there() {
    let before = rules(&format!("{CAMP}[start]\nstore = [\"4 fish (freshness 0)\", \"1 scrap\"]\n"));
    let mut world = World::new(&before);
    let differences = world.reload(&camp()).expect("a reload");
    let lines: Vec<String> = differences.iter().map(ToString::to_string).collect();
    assert!(lines.iter().any(|line| line.contains("store/0: 4 fish: the change spoiled")), "{lines:#?}");
    assert_eq!(contents(&world, "store"), ["4 bait", "1 scrap"]);
    assert_eq!(audit(world.rules(), &world.snapshot()), []);
}

#[test]
fn the_rules_can_be_asked() {
    let rules = camp();
    let (fish, saw) = (rules.find_kind("fish").expect("fish"), rules.find_kind("saw").expect("a saw"));
    let changes: Vec<_> = rules.changes_of(fish).collect();
    assert_eq!(changes.len(), 1);
    assert_eq!((changes[0].id(), changes[0].when()), ("spoiled", "fish and freshness <= 0"));
    assert_eq!(changes[0].effect(), ChangeEffect::Becomes(rules.find_kind("bait").expect("bait")));
    assert_eq!(rules.effect_text(changes[0]), "becomes bait");
    let property = &rules.properties()[rules.find_property("freshness").expect("a property").index()];
    assert_eq!(property.falls().map(|falling| falling.to_string()).as_deref(), Some("by 1 every 5 ticks, to 0"));
    let lowered = rules.kind(saw).expect("a kind").lowered();
    assert_eq!(lowered.iter().map(|(_, by)| by.to_string()).collect::<Vec<_>>(), ["1"]);
    let built = Ruleset::builder()
        .kind("saw", |it| it.property("condition", Decimal::from(3)).use_lowers([("condition", Decimal::from(1))], []))
        .kind("scrap", |it| it.stack_limit(9))
        .container("store", |it| it.slots(1))
        .falling("condition", Decimal::from(1), 5, Decimal::ZERO)
        .change("worn-out", |it| it.when("saw and condition <= 0").becomes("scrap"))
        .build()
        .expect("rules");
    assert_eq!((built.changes().len(), built.properties()[0].falls().is_some()), (1, true));
}

fn explore(rules: &Arc<Ruleset>, claims: &str) -> Exploration {
    let file = ClaimsFile::parse(Source::new("a.claims", claims)).unwrap_or_else(|errors| panic!("{errors}"));
    Exploration::new(rules, &file).unwrap_or_else(|errors| panic!("{errors}"))
}

/// A search waits until freshness falls, and uses the saw up.
#[test]
fn a_search_finds_what_time_and_use_lead_to() {
    let claims = "explore\n  verbs use, wait\nalways\n  count of fish in store >= 1\npossible\n  count of scrap >= 1\n";
    let found = explore(&camp(), claims).search();
    let Status::Violated(trace) = &found.verdicts[0].status else { panic!("{:?}", found.verdicts[0].status) };
    assert_eq!(trace.steps, ["wait 5"; 3]);
    let why = [
        "freshness falls by 1 every 5 ticks, to 0",
        "The change spoiled: what is `fish and freshness <= 0` becomes bait",
    ];
    assert_eq!(trace.explanation, why);
    let Status::Reachable(trace) = &found.verdicts[1].status else { panic!("{:?}", found.verdicts[1].status) };
    assert_eq!(trace.steps, ["mara uses saw from mara.pockets/0"; 3]);
    // With nothing to find, it ends: 4 freshnesses and 4 conditions.
    let claims = "explore\n  verbs use, wait\nalways\n  count of fish <= 4\n";
    let found = explore(&camp(), claims).search();
    assert!(found.complete && matches!(found.verdicts[0].status, Status::Holds));
    assert_eq!(found.states, 16);
}

/// What a change makes is not what was used.
#[test]
fn a_claim_about_a_verb_is_about_what_it_names() {
    let claims = "explore\n  verbs use\n  places all\nforbidden\n  use scrap\n  use saw\n";
    let found = explore(&camp(), claims).search();
    let Status::Violated(trace) = &found.verdicts[1].status else { panic!("{:?}", found.verdicts[1].status) };
    assert_eq!(trace.explanation, ["A use of saw lowers condition by 1"]);
    assert!(
        matches!(found.verdicts[0].status, Status::Holds | Status::NoViolationFound),
        "{:?}",
        found.verdicts[0].status
    );
}

/// Two worlds whose properties fall at different ticks are not the same.
#[test]
fn the_ticks_until_a_property_falls_are_a_part_of_the_state() {
    let text = "[property.freshness]\nfalls = { by = 1, every = 2 }\n[property.condition]\nfalls = { by = 1, every = 3 }\n\
                [start]\nstore = [\"1 fish\"]\n\"mara.pockets\" = [\"1 saw\"]\n";
    let claims = "explore\n  verbs wait\npossible\n  count of saw >= 2\n";
    // It waits to the ticks 2, 3, 4, 6 and 9.
    let found = explore(&rules(&format!("{CAMP}{text}")), claims).search();
    assert!(found.complete);
    assert_eq!(found.states, 6);
    let each = claims.replace("possible", "  wait each-tick\npossible");
    let found = explore(&rules(&format!("{CAMP}{text}")), &each).search();
    assert_eq!(found.states, 10);
}
