//! Deals as rulesets write them, and their prices.

use std::sync::Arc;

use hypotheke::{Amount, DealSide, NamedOperation, Operation, Reason, Ruleset, World};

use crate::faults::faults_after;

const KINDS: &str = "format = 1\n[kind.coin]\nvalue = 1\nstack-limit = 100\n[kind.tin]\ntags = [\"food\"]\n\
                     value = 2.5\nstack-limit = 50\n[kind.crumb]\ntags = [\"food\"]\nvalue = 0.1\n[kind.relic]\n\
                     value = 9000000000\n[container.stall]\nslots = 4\n[container.coins-only]\nslots = 2\nadmits = \"coin\"\n\
                     [container.no-coins]\nslots = 2\nadmits = \"not coin\"\n[container.box]\nslots = 1\n\
                     copies = [\"box-a\", \"box-b\"]\n[container.purse]\nslots = 2\n[holder.mara]\ncarries = [\"purse\"]\n";

fn faults(deal: &str) -> Vec<String> {
    faults_after(KINDS, deal)
}

const PRICES: &str = "of = \"tin\"\ncurrency = \"coin\"\nbuy = { factor = 1 }\n";

#[test]
fn each_fault_of_a_deal_has_its_place_and_a_remedy() {
    for (deal, expected) in [
        (format!("[deal.d]\n{PRICES}"), "1 missing-key: deal `d` has no `at`"),
        (format!("[deal.d]\nat = \"shop\"\n{PRICES}"), "2 unknown-container: unknown container `shop`"),
        (
            format!("[deal.d]\nat = \"purse\"\n{PRICES}"),
            "2 not-supported: deal `d` needs a container in the world; `purse` is with a holder",
        ),
        (format!("[deal.d]\nat = \"box\"\n{PRICES}"), "2 unknown-container: `box` exists as its copies"),
        (
            format!("[deal.d]\nat = \"stall\"\nby = \"crew\"\n{PRICES}"),
            "3 unknown-holder: unknown holder or group `crew`",
        ),
        ("[deal.d]\nat = \"stall\"".to_owned(), "1 missing-key: deal `d` has neither lists nor prices"),
        (
            format!("[deal.d]\nat = \"stall\"\ngives = [\"1 tin\"]\n{PRICES}"),
            "1 missing-key: deal `d` has both lists and prices",
        ),
        ("[deal.d]\nat = \"stall\"\ngives = [\"1 tin\"]".to_owned(), "1 missing-key: deal `d` has no `takes`"),
        (
            "[deal.d]\nat = \"stall\"\ngives = [\"1 tin\"]\ntakes = [\"2 tin\"]".to_owned(),
            "4 same-sides: deal `d` gives and takes `tin`",
        ),
        (
            "[deal.d]\nat = \"stall\"\ngives = [\"1 tin\", \"2 tin\"]\ntakes = [\"2 coin\"]".to_owned(),
            "3 duplicate: deal `d` names `tin` twice",
        ),
        (
            "[deal.d]\nat = \"stall\"\ngives = [\"1 tn\"]\ntakes = [\"2 coin\"]".to_owned(),
            "3 unknown-kind: unknown kind `tn`",
        ),
        (
            "[deal.d]\nat = \"stall\"\nof = \"tin\"\nbuy = { factor = 1 }".to_owned(),
            "1 missing-key: deal `d` has no `currency`",
        ),
        (
            "[deal.d]\nat = \"stall\"\nof = \"tin\"\ncurrency = \"coin\"".to_owned(),
            "1 missing-key: deal `d` has neither `buy` nor `sell`",
        ),
        (
            "[deal.d]\nat = \"stall\"\nof = \"tin or coin\"\ncurrency = \"coin\"\nbuy = { factor = 1 }".to_owned(),
            "3 same-sides: deal `d` trades `coin` for itself",
        ),
        (
            "[deal.d]\nat = \"stall\"\nof = \"food\"\ncurrency = \"coin\"\nsell = { factor = 1 }".to_owned(),
            "5 out-of-range: the price of `crumb` to `sell` is 0 coins or less",
        ),
        (
            "[deal.d]\nat = \"stall\"\nof = \"relic\"\ncurrency = \"coin\"\nbuy = { factor = 1 }".to_owned(),
            "5 out-of-range: the price of `relic` to `buy` is more than 4294967295 coins",
        ),
        (
            "[deal.d]\nat = \"stall\"\nof = \"tin\"\ncurrency = \"coin\"\nbuy = { factor = 0 }".to_owned(),
            "5 out-of-range: the factor 0 is not above 0",
        ),
        (
            "[deal.d]\nat = \"no-coins\"\nof = \"tin\"\ncurrency = \"coin\"\nbuy = { factor = 1 }".to_owned(),
            "4 not-admitted: `coin` of deal `d` is not admitted by `no-coins`, where it would go",
        ),
        (
            format!("[deal.d]\nat = \"stall\"\n{PRICES}[deal.e]\nat = [\"box-a\", \"stall\"]\n{PRICES}"),
            "6 duplicate: deal `e` is the second one to buy `tin` at `stall`",
        ),
    ] {
        let found = faults(&deal);
        assert!(found.iter().any(|fault| fault == expected), "{deal}\n{found:#?}\nis not {expected}");
    }
    // One fault does not hide another, nor does it make a third.
    let found = faults("[deal.d]\nat = \"stall\"\nof = \"tin\"\ncurrency = \"coins\"\nbuy = { factor = 1.0001 }");
    let figures = [
        "4 unknown-kind: unknown kind `coins`",
        "5 bad-number: `factor` of `buy` of a deal: more than three decimal places",
    ];
    assert_eq!(found.iter().filter(|fault| figures.contains(&fault.as_str())).count(), found.len(), "{found:?}");
    assert_eq!(found.len(), 2, "{found:?}");
    for (deal, expected) in [
        ("at = 5\ngives = [\"1 tin\"]\ntakes = [\"1 coin\"]", "2 wrong-type: `at` of deal `d` must be"),
        ("at = \"stall\"\ngives = \"1 tin\"\ntakes = [\"1 coin\"]", "3 wrong-type: `gives` of deal `d` must be"),
        ("at = \"stall\"\ngives = [\"1 tin\"]\ntakes = [\"9999999999 coin\"]", "4 bad-portion: `9999999999` is not"),
        ("at = \"stall\"\nof = \"tin\"\ncurrency = 5\nbuy = { factor = 1 }", "4 wrong-type: `currency` of deal `d`"),
        ("at = \"stall\"\nof = \"tin\"\ncurrency = \"coin\"\nbuy = 4", "5 wrong-type: `buy` of a deal must be a table"),
    ] {
        let found = faults(&format!("[deal.d]\n{deal}"));
        assert!(found.len() == 1 && found[0].starts_with(expected), "{found:?}");
    }
    let found = faults("[holder.bo]\ngroups = \"crew\"\n[group.crew]\nweight-cap = 5");
    assert!(found.len() == 1 && found[0].starts_with("2 wrong-type: `groups` of holder `bo`"), "{found:?}");
    let found = faults("[deal.d]\nof = \"tin\"\ncurrency = \"coin\"\nbuy = { factor = 0 }");
    assert_eq!(found.len(), 2, "that it is made nowhere is a fault of its own: {found:?}");
    let two = "[kind.tarp]\nvalue = 0.0001\n[deal.d]\nat = \"stall\"\nof = \"tarp or crumb\"\ncurrency = \"coin\"\n";
    let found = faults(&format!("{two}sell = {{ factor = 1 }}"));
    assert_eq!(found.len(), 2, "the price of the other kind is still wrong: {found:?}");
    let found =
        faults(&format!("[kind.tarp]\nvalue = 0.0001\n[deal.d]\nat = \"stall\"\n{}", PRICES.replace("tin", "tarp")));
    assert_eq!(found, ["2 bad-number: `value` of kind `tarp`: more than three decimal places"]);
}

#[test]
fn deals_that_do_not_clash_are_valid() {
    let other = "[deal.e]\nat = \"stall\"\nof = \"tin\"\ncurrency = \"coin\"\nsell = { factor = 1 }\n";
    assert_eq!(faults(&format!("[deal.d]\nat = [\"stall\", \"box-b\"]\n{PRICES}{other}")), [""; 0]);
    let paid_elsewhere = "[deal.d]\nat = \"no-coins\"\ncoins-to = \"coins-only\"\n";
    assert_eq!(faults(&format!("{paid_elsewhere}{PRICES}")), [""; 0]);
}

#[test]
fn a_price_is_the_value_times_the_factor_in_whole_coins() {
    for (factor, round, price) in
        [("1", "up", 3), ("1", "down", 2), ("0.4", "up", 1), ("0.4", "down", 1), ("1.25", "up", 4), ("0.401", "up", 2)]
    {
        let deal = format!(
            "[deal.d]\nat = \"stall\"\nof = \"tin\"\ncurrency = \"coin\"\nbuy = {{ factor = {factor}, round = \"{round}\" }}"
        );
        let rules = Ruleset::from_toml("rules.toml", &format!("{KINDS}{deal}")).unwrap_or_else(|e| panic!("{e}"));
        let (_, lot) = rules.deal_for(DealSide::Buy, rules.find_kind("tin").unwrap(), "stall").expect("a deal");
        assert_eq!(lot.gives[0].1, price, "{factor} {round}");
        assert!(rules.deal_for(DealSide::Sell, rules.find_kind("tin").unwrap(), "stall").is_none());
    }
}

/// The stall has 40 tins and Mara 100 coins: 3 coins for a tin.
fn world() -> World {
    let start = "[start]\nstall = [\"40 tin\"]\n\"mara.purse\" = [\"100 coin\"]\n";
    let text = format!("{KINDS}[deal.d]\nat = \"stall\"\n{PRICES}{start}");
    World::new(&Arc::new(Ruleset::from_toml("rules.toml", &text).unwrap_or_else(|errors| panic!("{errors}"))))
}

#[test]
fn a_deal_is_undone_and_leaves_nothing_behind() {
    let mut world = world();
    world.set_undo_limit(2);
    let before = world.snapshot();
    let operation: NamedOperation = "mara buys up to 40 tin at stall".parse().unwrap();
    let operation = operation.resolve(&world).unwrap();
    let outcome = world.perform(&operation).unwrap();
    assert_eq!((outcome.done(), outcome.requested()), (33, Some(40)));
    assert!(world.check_indexes().is_empty());
    world.undo(outcome.revision()).unwrap();
    assert_eq!(world.snapshot(), before);
    assert!(world.check_indexes().is_empty());
}

#[test]
fn prices_are_quoted_whether_they_can_be_paid_or_not() {
    let world = world();
    let (tin, coin) = (world.rules().find_kind("tin").unwrap(), world.rules().find_kind("coin").unwrap());
    let (stall, mara) = (world.container("stall").unwrap(), world.holder("mara").unwrap());
    let quote = world.quote(&Operation::buying(Amount::Exactly(40), tin, stall, mara)).expect("a price");
    assert_eq!((quote.gives, quote.gets, quote.affordable), (vec![(coin, 120)], vec![(tin, 40)], 33));
    assert!(world.quote(&Operation::selling(Amount::Exactly(1), tin, stall, mara)).is_none());
    let refused = world.dry_run(&Operation::buying(Amount::Exactly(40), tin, stall, mara)).unwrap_err();
    assert_eq!((refused.reason(), refused.max_amount()), (Reason::NotEnough, 33));
    let huge = world.dry_run(&Operation::buying(Amount::Exactly(u32::MAX), tin, stall, mara)).unwrap_err();
    assert_eq!((huge.reason(), huge.max_amount()), (Reason::NotEnough, 33));
}

#[test]
fn deals_that_nobody_can_make_are_warned_of() {
    let warnings = |text: &str| -> Vec<String> {
        let rules = Ruleset::from_toml("rules.toml", &format!("{KINDS}{text}")).unwrap_or_else(|e| panic!("{e}"));
        rules.lint().iter().filter(|it| it.code() == "never-made").map(|it| it.label_text().to_owned()).collect()
    };
    assert_eq!(warnings(&format!("[deal.d]\nat = \"stall\"\n{PRICES}")), [""; 0]);
    assert_eq!(warnings(&format!("[deal.d]\nat = \"stall\"\nby = \"nobody\"\n{PRICES}")), ["no holder may make it"]);
    let none = "[deal.d]\nat = \"stall\"\nof = \"tin and crumb\"\ncurrency = \"coin\"\nbuy = { factor = 1 }\n";
    assert_eq!(warnings(none), ["no kind has a price"]);
    let shut = format!("[container.shut]\nslots = 2\ntake-by = \"nobody\"\n[deal.d]\nat = \"shut\"\n{PRICES}");
    assert_eq!(warnings(&shut), ["nobody may take out of `shut`, or put in"]);
    assert_eq!(warnings(&format!("{shut}use-nobody = true\n")), [""; 0]);
}

/// Billions could be bought, and a few have room: each number is not tried.
#[test]
fn the_largest_number_of_a_large_deal_is_found_at_once() {
    let rules = "[kind.coin]\nstack-limit = 4000000000\nweight = 0.01\n[kind.sand]\nvalue = 1\nstack-limit = 4000000000\nweight = 1\n\
                 [kind.salt]\nstack-limit = 4000000000\n[container.pit]\nslots = 3\n[container.till]\nslots = 1\nstack-limit = 900000000\n\
                 [container.purse]\nslots = 3\nweight-cap = 40000000\n[holder.mara]\ncarries = [\"purse\"]\n\
                 [deal.sand]\nat = \"pit\"\nof = \"sand\"\ncurrency = \"coin\"\nbuy = { factor = 3 }\ncoins-to = \"till\"\n\
                 [start]\npit = [\"4000000000 sand\"]\n\"mara.purse\" = [\"4000000000 coin\"]\n";
    let rules = Ruleset::from_toml("rules.toml", rules).unwrap_or_else(|errors| panic!("{errors}"));
    let mut world = World::new(&Arc::new(rules));
    let operation = |text: &str| text.parse::<NamedOperation>().unwrap();
    let buy = operation("mara buys 1000000000 sand at pit").resolve(&world).unwrap();
    // The coins weigh 40,000,000: each lot brings 1 and takes 0.03 away.
    let refusal = world.dry_run(&buy).unwrap_err();
    assert_eq!((refusal.reason(), refusal.max_amount()), (Reason::WeightCap, 0));
    let heavier = operation("consume 1000000000 coin from mara.purse").resolve(&world).unwrap();
    assert!(world.perform(&heavier).unwrap().is_complete());
    let buy = operation("mara buys up to 1000000000 sand at pit").resolve(&world).unwrap();
    // 10,000,000 are left for sand, and 0.03 more for each: 10,000,000 / 0.97.
    assert_eq!(world.perform(&buy).unwrap().done(), 10_309_278);
}

/// The coins for one bag go into the other one.
#[test]
fn bags_are_not_sold_with_the_room_for_what_they_bring() {
    let rules = "[kind.coin]\nstack-limit = 6\n[kind.bag]\nvalue = 1\npack = \"lining\"\n[container.lining]\nslots = 1\n\
                 [container.stall]\nslots = 5\n[container.straps]\nslots = 4\nworn = true\n[holder.mara]\ncarries = [\"straps\"]\n\
                 [deal.bags]\nat = \"stall\"\nof = \"bag\"\ncurrency = \"coin\"\nsell = { factor = 1 }\n\
                 [start]\nstall = [\"2 coin\"]\n\"mara.straps\" = [\"2 bag\"]\n";
    let rules = Ruleset::from_toml("rules.toml", rules).unwrap_or_else(|errors| panic!("{errors}"));
    let mut world = World::new(&Arc::new(rules));
    let sell = |text: &str, world: &World| text.parse::<NamedOperation>().unwrap().resolve(world).unwrap();
    let refusal = world.dry_run(&sell("mara sells 2 bag at stall", &world)).unwrap_err();
    assert_eq!((refusal.reason(), refusal.max_amount()), (Reason::NoRoom, 1));
    let up_to = sell("mara sells up to 2 bag at stall", &world);
    assert_eq!(world.perform(&up_to).unwrap().done(), 1);
}

/// Both sides fill the slots that the other one leaves, and each stack ends in several slots.
#[test]
fn stacks_in_each_others_way_are_exchanged() {
    let rules = "[kind.coin]\nstack-limit = 6\n[kind.tin]\nvalue = 1\nstack-limit = 6\n[container.stall]\nslots = 2\nstack-limit = 4\n\
                 [container.pockets]\nslots = 2\nslot = [{ stack-limit = 2 }]\n[holder.mara]\ncarries = [\"pockets\"]\n\
                 [deal.tins]\nat = \"stall\"\nof = \"tin\"\ncurrency = \"coin\"\nsell = { factor = 1 }\n\
                 [start]\nstall = [\"8 coin\"]\n\"mara.pockets\" = [\"8 tin\"]\n";
    let rules = Ruleset::from_toml("rules.toml", rules).unwrap_or_else(|errors| panic!("{errors}"));
    let mut world = World::new(&Arc::new(rules));
    world.set_undo_limit(1);
    let before = world.snapshot();
    let sell: NamedOperation = "mara sells tin at stall".parse().unwrap();
    assert!(world.perform(&sell.resolve(&world).unwrap()).unwrap().is_complete());
    let contents = |world: &World, name: &str| -> Vec<(u32, String, u32)> {
        let stacks = world.stacks(world.container(name).unwrap());
        stacks.map(|(slot, stack)| (slot, stack.kind().id().to_owned(), stack.count())).collect()
    };
    let stall = [(0, "tin".to_owned(), 4), (1, "tin".to_owned(), 4)];
    let pockets = [(0, "coin".to_owned(), 2), (1, "coin".to_owned(), 6)];
    assert_eq!((contents(&world, "stall"), contents(&world, "mara.pockets")), (stall.to_vec(), pockets.to_vec()));
    world.undo(world.revision()).unwrap();
    assert_eq!(world.snapshot().containers, before.containers);
    assert_eq!(world.snapshot().holders, before.holders);
}

/// The tins leave no slot for the ropes if there are more of them than one slot takes.
#[test]
fn lots_of_several_kinds_are_made_as_often_as_all_have_room() {
    let kinds = ["coin", "tin", "rope"].map(|kind| format!("[kind.{kind}]\nstack-limit = 2_000_000_000\n")).concat();
    let rules = "[container.stall]\nslots = 3\n[container.pockets]\nslots = 3\n\
                 slot = [{}, { stack-limit = 7_000_000 }, { stack-limit = 9_000_000 }]\n\
                 [holder.mara]\ncarries = [\"pockets\"]\n\
                 [deal.kit]\nat = \"stall\"\ngives = [\"1 tin\", \"1 rope\"]\ntakes = [\"1 coin\"]\n\
                 [start]\nstall = [\"2000000000 tin\", \"2000000000 rope\"]\n\"mara.pockets\" = [\"2000000000 coin\"]\n";
    let rules = Ruleset::from_toml("rules.toml", &(kinds + rules)).unwrap_or_else(|errors| panic!("{errors}"));
    let mut world = World::new(&Arc::new(rules));
    let buy = |text: &str, world: &World| text.parse::<NamedOperation>().unwrap().resolve(world).unwrap();
    let refusal = world.dry_run(&buy("mara buys 1999999999 tin at stall", &world)).unwrap_err();
    assert_eq!((refusal.reason(), refusal.max_amount()), (Reason::NoRoom, 7_000_000));
    let up_to = buy("mara buys up to 1999999999 tin at stall", &world);
    assert_eq!(world.perform(&up_to).unwrap().done(), 7_000_000);
}
