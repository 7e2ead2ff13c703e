//! Meters and the use of items as rulesets write them, and as saves and new rules change them.

use std::sync::Arc;

use hypotheke::explore::{ClaimsFile, Exploration, Status};
use hypotheke::save::Save;
use hypotheke::text::Source;
use hypotheke::{Amount, Decimal, NamedOperation, Operation, Reason, Ruleset, World};

use crate::faults::faults_after;

const RULES: &str = "format = 1\n[kind.tea]\nstack-limit = 9\nuse.effects = { heat = 5 }\n[kind.ice]\nstack-limit = 9\n\
                     use.effects = { heat = -5 }\n[container.bag]\nslots = 3\n[holder.mara]\ncarries = [\"bag\"]\n";
const HEAT: &str = "meters.heat = { start = 20, min = 0, max = 40 }\n";

fn rules(text: &str) -> Arc<Ruleset> {
    Arc::new(Ruleset::from_toml("rules.toml", text).unwrap_or_else(|errors| panic!("{errors}")))
}

fn perform(world: &mut World, sentence: &str) -> Result<(), Reason> {
    let operation: NamedOperation = sentence.parse().unwrap_or_else(|error| panic!("{sentence}: {error}"));
    let operation = operation.resolve(world).unwrap_or_else(|error| panic!("{sentence}: {error}"));
    world.perform(&operation).map(|_| ()).map_err(|refusal| refusal.reason())
}

/// The world under other rules, and its differences.
fn migrated(world: &World, rules: &Arc<Ruleset>) -> (World, String) {
    let (save, differences) = Save::of(world).migrate(rules).expect("migrated");
    let described: Vec<String> = differences.iter().map(ToString::to_string).collect();
    (save.world(rules).expect("a world"), described.join("\n"))
}

fn heat(world: &World) -> Option<Decimal> {
    world.meter(world.holder("mara").expect("a holder"), "heat")
}

#[test]
fn each_fault_of_a_meter_or_a_use_has_its_place_and_a_remedy() {
    for (text, expected) in [
        (
            "meters.heat = { start = 5, min = 9, max = 1 }",
            "1 out-of-range: meter `heat` has a minimum of 9 and a maximum of 1",
        ),
        (
            "meters.heat = { start = 41, min = 0, max = 40 }",
            "1 out-of-range: meter `heat` starts at 41, not between 0 and 40",
        ),
        ("meters.heat = { start = 1, max = 2 }", "1 missing-key: meter `heat` has no `min`"),
        ("meters.heat = { start = 1, min = 0, max = 2, beyond = \"clamp\" }", "1 unknown-choice: "),
        ("meters.heat = { start = 1.2345, min = 0, max = 2 }", "1 bad-number: "),
        ("meters.origin = { start = 1, min = 0, max = 2 }", "1 bad-name: `origin` can't be the name of a meter"),
        ("meters.Heat = { start = 1, min = 0, max = 2 }", "1 bad-name: invalid name `Heat` of a meter"),
        ("meters.heat = 5", "1 wrong-type: meter `heat` must be a table"),
        ("[kind.x]\nuse.effects.hea = 1", "2 unknown-meter: no holder has the meter `hea`"),
        ("[kind.x]\nuse.effects.heat = 0", "2 out-of-range: the effect on `heat` is 0"),
        ("[kind.x]\nuse = 5", "2 wrong-type: the use of `x` must be a table"),
        ("[kind.x]\nuse.efects.heat = 1", "2 unknown-key: the use of `x` has no key `efects`"),
    ] {
        let known = if text.starts_with('[') { HEAT } else { "" };
        let base = RULES.replace("use.effects = { heat = 5 }\n", "").replace("use.effects = { heat = -5 }\n", "");
        let found = faults_after(&format!("{base}{known}"), text);
        assert!(found.len() == 1 && found[0].starts_with(expected), "{text}\n{found:#?}\nis not {expected}");
    }
}

#[test]
fn a_use_reports_its_change_and_undo_takes_it_back() {
    let mut world = World::new(&rules(&format!("{RULES}{HEAT}[start]\n\"mara.bag\" = [\"5 tea\"]\n")));
    world.set_undo_limit(1);
    let mara = world.holder("mara").expect("a holder");
    let tea = world.rules().find_kind("tea").expect("a kind");
    let before = world.snapshot();
    let outcome = world.perform(&Operation::using(Amount::Exactly(3), tea, mara, mara)).expect("applied");
    let events: Vec<String> = world.events().iter().map(|event| world.describe_event(event)).collect();
    assert_eq!(events, ["3 tea consumed from mara.bag/0", "heat of mara rises from 20 to 35"]);
    assert_eq!(heat(&world), Some(35.into()));
    world.undo(outcome.revision()).expect("undone");
    assert_eq!(world.snapshot(), before);
}

#[test]
fn a_value_beyond_a_bound_may_stay_and_come_back_and_goes_no_further() {
    for beyond in ["stop", "refuse"] {
        let mut world = World::new(&rules(&format!("{RULES}{HEAT}")));
        perform(&mut world, "create 9 tea in mara").expect("created");
        perform(&mut world, "create 9 ice in mara").expect("created");
        perform(&mut world, "mara uses 3 tea").expect("used");
        let narrow = format!("{RULES}meters.heat = {{ start = 20, min = 0, max = 25, beyond = \"{beyond}\" }}\n");
        let narrow = rules(&narrow);
        let mut world = migrated(&world, &narrow).0;
        assert_eq!(heat(&world), Some(35.into()));
        let found = hypotheke::audit(&narrow, &world.snapshot());
        assert_eq!(found[0].to_string(), "meter: mara: heat is 35, not between 0 and 25");
        assert_eq!(found[0].figures(), Some((35.into(), 25.into())));
        let used = perform(&mut world, "mara uses tea");
        assert_eq!(used, if beyond == "stop" { Ok(()) } else { Err(Reason::Meter) });
        assert_eq!(heat(&world), Some(35.into()));
        perform(&mut world, "mara uses ice").expect("it comes back");
        assert_eq!(heat(&world), Some(30.into()));
        perform(&mut world, "mara uses 2 ice").expect("it comes back");
        let used = perform(&mut world, "mara uses 2 tea");
        assert_eq!(used, if beyond == "stop" { Ok(()) } else { Err(Reason::Meter) });
        assert_eq!(heat(&world), Some(if beyond == "stop" { 25.into() } else { 20.into() }));
    }
}

#[test]
fn a_meter_that_is_gone_is_kept_and_comes_back_and_a_new_one_is_at_its_start() {
    let mut world = World::new(&rules(&format!("{RULES}{HEAT}")));
    perform(&mut world, "create 2 tea in mara").expect("created");
    perform(&mut world, "mara uses 2 tea").expect("used");
    let without = RULES.replace("heat", "air");
    let air = "meters.air = { start = 3, min = 0, max = 40 }\n";
    let (moved, differences) = migrated(&world, &rules(&format!("{without}{air}")));
    assert!(
        differences.contains("heat 30, an unknown meter") && differences.contains("new meter air, at its start 3"),
        "{differences}"
    );
    assert_eq!(heat(&moved), None);
    let (back, differences) = migrated(&moved, &rules(&format!("{RULES}{HEAT}")));
    assert!(differences.contains("meter heat restored: 30"), "{differences}");
    assert_eq!(heat(&back), Some(30.into()));
    assert_eq!(back.snapshot().orphans.len(), 1, "the value of the other meter");
}

#[test]
fn a_meter_with_another_name_keeps_its_value() {
    let mut world = World::new(&rules(&format!("{RULES}{HEAT}")));
    perform(&mut world, "create 2 tea in mara").expect("created");
    perform(&mut world, "mara uses 2 tea").expect("used");
    let renamed =
        format!("{RULES}{HEAT}").replace("heat", "warmth").replace("format = 1\n", "format = 1\nversion = 2\n");
    let renamed = rules(&format!("{renamed}[migration.2]\nrenamed.meter = {{ heat = \"warmth\" }}\n"));
    let (moved, differences) = migrated(&world, &renamed);
    assert_eq!(differences, "heat: renamed to warmth, of 1 holder");
    assert_eq!(moved.meter(moved.holder("mara").expect("a holder"), "warmth"), Some(30.into()));
}

#[test]
fn both_forms_of_a_save_keep_meters_and_an_earlier_save_has_them_at_their_start() {
    let rules = rules(&format!("{RULES}{HEAT}"));
    let mut world = World::new(&rules);
    perform(&mut world, "create 1 tea in mara").expect("created");
    perform(&mut world, "mara uses tea").expect("used");
    let save = Save::of(&world);
    for bytes in [save.to_json().into_bytes(), save.to_bytes()] {
        let read = Save::read(&bytes).and_then(|save| save.world(&rules)).expect("a save");
        assert_eq!(read.snapshot(), world.snapshot());
    }
    let mut earlier = world.snapshot();
    earlier.holders[0].meters.clear();
    let earlier = World::from_snapshot(&rules, &earlier).expect("a world");
    assert_eq!(heat(&earlier), Some(20.into()));
    let mut wrong = world.snapshot();
    wrong.holders[0].meters.insert("cold".to_owned(), 1.into());
    let error = World::from_snapshot(&rules, &wrong).expect_err("an unknown meter").to_string();
    assert!(error.contains("unknown meter `cold`"), "{error}");
}

#[test]
fn a_use_without_effects_is_a_difference_and_so_is_each_part_of_a_meter() {
    let base = format!("{RULES}{HEAT}");
    let (old, plain) = (rules(&base), "[container.bag]");
    for (from, to) in [
        (plain, "[kind.whistle]\nuse = {}\n[container.bag]"),
        ("heat = -5", "heat = -6"),
        ("start = 20", "start = 21"),
        ("min = 0", "min = 1"),
        ("max = 40", "max = 41 , beyond = \"refuse\""),
    ] {
        let new = base.replace(from, to);
        assert_ne!(new, base);
        assert!(!hypotheke::compare(&old, &rules(&new)).is_empty(), "{to}");
    }
    let without = rules(&base.replace(plain, "[kind.whistle]\n[container.bag]"));
    let with = rules(&base.replace(plain, "[kind.whistle]\nuse = {}\n[container.bag]"));
    let found: Vec<String> = hypotheke::compare(&without, &with).iter().map(|it| format!("{it:?}")).collect();
    assert!(found.len() == 1 && found[0].contains("without effects"), "{found:?}");
    assert_ne!(without.fingerprint(), with.fingerprint());
}

/// The claims of a file about these rules: what each is vacuous for.
fn vacuous(rules: &Arc<Ruleset>, claims: &str) -> Vec<Vec<String>> {
    let file = ClaimsFile::parse(Source::new("a.claims", claims)).unwrap_or_else(|errors| panic!("{errors}"));
    let exploration = Exploration::new(rules, &file).unwrap_or_else(|errors| panic!("{errors}"));
    exploration.search().verdicts.into_iter().map(|verdict| verdict.vacuous).collect()
}

#[test]
fn a_claim_about_a_meter_says_something_only_if_the_meter_changes() {
    let start = "[container.depot]\nslots = 1\n[start]\ndepot = [\"2 tea\"]\n\"mara.bag\" = [\"1 cup\"]\n[kind.cup]\n";
    let rules = rules(&format!("{RULES}{HEAT}{start}"));
    let claim = "always\n  heat of mara <= 40\n";
    assert_eq!(vacuous(&rules, &format!("explore\n  verbs use\n{claim}")), [[""; 0]]);
    let unchanged = [["heat of mara was always at its start"]];
    assert_eq!(vacuous(&rules, &format!("explore\n  verbs move\n{claim}")), unchanged);
}

#[test]
fn each_member_of_a_group_must_have_the_meter_of_a_check() {
    let groups = "groups = [\"crew\"]\n";
    let rules = rules(&format!("{RULES}{groups}{HEAT}[holder.sled]\ncarries = [\"bag\"]\n{groups}"));
    let file = ClaimsFile::parse(Source::new("a.claims", "always\n  heat of each crew <= 40\n")).expect("claims");
    let found = Exploration::new(&rules, &file).expect_err("one has no heat").to_string();
    assert!(found.contains("sled has no meter `heat`"), "{found}");
}

/// At its bound the meter would refuse one, but nothing follows an amount that is no amount.
#[test]
fn nothing_is_checked_after_a_bad_amount() {
    let meter = "meters.heat = { start = 40, min = 0, max = 40, beyond = \"refuse\" }\n";
    let world = World::new(&rules(&format!("{RULES}{meter}[start]\n\"mara.bag\" = [\"5 tea\"]\n")));
    let reasons = |sentence: &str| {
        let operation: NamedOperation = sentence.parse().expect("a sentence");
        let reply = world.ask(&operation.resolve(&world).expect("names"));
        reply.causes().iter().map(hypotheke::Cause::reason).collect::<Vec<_>>()
    };
    assert_eq!(reasons("mara uses up to 0 tea"), [Reason::BadAmount]);
    assert_eq!(reasons("mara uses 9 tea"), [Reason::NotEnough, Reason::Meter]);
    assert_eq!(reasons("mara uses up to 9 tea"), [Reason::Meter]);
}

#[test]
fn big_numbers_stop_at_the_bound_and_are_not_too_large_to_count() {
    let most = 999_999_999_999_i64;
    let text =
        RULES.replace("heat = 5", &format!("heat = {most}")).replace("stack-limit = 9", "stack-limit = 4000000000");
    let meter = format!("meters.heat = {{ start = 0, min = -5, max = {most} }}\n");
    let mut world = World::new(&rules(&format!("{text}{meter}")));
    perform(&mut world, "create 4000000000 tea in mara").expect("created");
    perform(&mut world, "mara uses 4000000000 tea").expect("used");
    assert_eq!(heat(&world), Some(Decimal::from_thousandths(most * 1_000)));
}

/// The same items are used up in both orders, and the bounds make the meter differ.
#[test]
fn states_that_differ_in_a_meter_alone_are_different() {
    let heat = "meters.heat = { start = 19, min = 16, max = 22 }\n";
    let rules = rules(&format!("{RULES}{heat}[start]\n\"mara.bag\" = [\"1 tea\", \"1 ice\"]\n"));
    let claims = "explore\n  verbs use\npossible\n  heat of mara = 17\n  heat of mara = 21\n";
    let file = ClaimsFile::parse(Source::new("a.claims", claims)).unwrap_or_else(|errors| panic!("{errors}"));
    let found = Exploration::new(&rules, &file).unwrap_or_else(|errors| panic!("{errors}")).search();
    assert!(found.verdicts.iter().all(|it| matches!(it.status, Status::Reachable(_))), "{:?}", found.verdicts);
}
