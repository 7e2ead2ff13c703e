//! Each shape of remedy is followed once: the operation is refused for one reason, the remedy is
//! done as it says, and the operation succeeds.

use std::collections::BTreeSet;
use std::sync::Arc;

use hypotheke::{NamedOperation, Refusal, Ruleset, World};

const RULES: &str = r#"
ground-limit = 2
nesting = 1
units = { weight = "kg" }
[kind.drum]
tags = ["fuel"]
weight = 46
stack-limit = 4
[kind.flare]
stack-limit = 6
[kind.logbook]
protected = true
[kind.drill]
occupies-slots = ["left", "right"]
[kind.bag]
pack = "bag"
[kind.box]
pack = "bag"
[container.bag]
slots = 2
[container.depot]
slots = 8
[container.sled]
slots = 2
max-slots = 4
weight-cap = 100
[container.shelf]
slots = 2
caps = [{ of = "fuel", count = 1 }]
[container.freezer]
slots = 1
admits = "not fuel"
[container.archive]
slots = 1
take-by = "nobody"
[container.press]
slots = 1
put-by = "nobody"
[container.locker]
slots = 1
must-open = true
exclusive = true
[container.hands]
slot = [{ name = "left" }, { name = "right" }]
[container.pockets]
slots = 2
[recipe.flares]
at = "archive"
by = "bo"
inputs = ["2 flare"]
outputs = ["1 rocket"]
[recipe.brew]
at = "depot"
inputs = ["1 rocket"]
outputs = ["1 soup"]
duration = 9
[kind.rocket]
[kind.soup]
use = { effects = { heat = 5 } }
[holder.ann]
carries = ["pockets"]
meters.heat = { start = 37, min = 30, max = 40, beyond = "refuse" }
[holder.bo]
carries = ["pockets"]
[start]
depot = ["4 drum", "6 flare", "1 logbook", "1 drill", "1 bag", "1 box"]
archive = ["1 flare"]
"#;

/// The remedy done: a change of the rules, an operation before, or a different operation.
enum Fix {
    Rule(&'static str, &'static str),
    First(&'static [&'static str]),
    Instead(&'static str),
}

struct Case {
    before: &'static [&'static str],
    operation: &'static str,
    remedy: &'static str,
    fix: Fix,
}

const CASES: &[Case] = &[
    Case {
        before: &["create 2 flare in depot"],
        operation: "bo crafts flares at depot",
        remedy: "Name depot in `at` of the recipe flares",
        fix: Fix::Rule("at = \"archive\"", "at = [\"archive\", \"depot\"]"),
    },
    Case {
        before: &["create 2 flare in bo.pockets"],
        operation: "bo crafts flares",
        remedy: "Leave out `at` in the recipe flares",
        fix: Fix::Rule("at = \"archive\"\nby", "by"),
    },
    Case {
        before: &["create 1 flare in archive"],
        operation: "ann crafts flares at archive",
        remedy: "Name the acting holder in `by` of the recipe flares",
        fix: Fix::Rule("by = \"bo\"", "by = [\"ann\", \"bo\"]"),
    },
    Case {
        before: &[],
        operation: "bo crafts flares at archive",
        remedy: "Bring 1 more flare to archive first",
        fix: Fix::First(&["create 1 flare in archive"]),
    },
    Case {
        before: &["create 2 rocket in depot", "craft brew at depot"],
        operation: "ann crafts brew at depot",
        remedy: "Wait until brew ends, or cancel it first: `cancel brew at depot`",
        fix: Fix::First(&["wait 9"]),
    },
    Case {
        before: &["create 2 rocket in depot", "craft brew at depot"],
        operation: "craft brew at depot",
        remedy: "Wait until brew ends, or cancel it first: `cancel brew at depot`",
        fix: Fix::First(&["cancel brew at depot"]),
    },
    Case {
        before: &[],
        operation: "move 3 drum from depot to sled",
        remedy: "Raise the weight cap of sled to 138 kg, or remove 38 kg from sled first",
        fix: Fix::Rule("weight-cap = 100", "weight-cap = 138"),
    },
    Case {
        before: &["move 2 drum from depot to sled"],
        operation: "move 1 drum from depot to sled",
        remedy: "Raise the weight cap of sled to 138 kg, or remove 38 kg from sled first",
        fix: Fix::First(&["move 1 drum from sled to depot"]),
    },
    Case {
        before: &[],
        operation: "move 2 drum from depot to shelf",
        remedy: "Raise this cap of shelf to 2, or remove 1 fuel from shelf first",
        fix: Fix::Rule("count = 1", "count = 2"),
    },
    Case {
        before: &["move 1 drum from depot to shelf"],
        operation: "move 1 drum from depot to shelf",
        remedy: "Raise this cap of shelf to 2, or remove 1 fuel from shelf first",
        fix: Fix::First(&["move 1 drum from shelf to depot"]),
    },
    Case {
        before: &[],
        operation: "create 7 flare in sled/0",
        remedy: "Raise the stack limit of flare in sled/0 to 7",
        fix: Fix::Rule("stack-limit = 6", "stack-limit = 7"),
    },
    Case {
        before: &["move 1 drum from depot to sled/0"],
        operation: "move 1 flare from depot to sled/0",
        remedy: "Empty sled/0 first",
        fix: Fix::First(&["move drum from sled/0 to depot"]),
    },
    Case {
        before: &["drop 1 flare from depot", "drop 1 flare from depot"],
        operation: "drop 1 flare from depot",
        remedy: "Clear 1 stack from the ground first",
        fix: Fix::First(&["pick up flare to depot"]),
    },
    Case {
        before: &[],
        operation: "create 14 flare in sled",
        remedy: "Add slots to sled for 2 more",
        fix: Fix::First(&["resize sled to 3"]),
    },
    Case {
        before: &[],
        operation: "move 9 flare from depot to sled",
        remedy: "Request 6 or fewer",
        fix: Fix::Instead("move 6 flare from depot to sled"),
    },
    Case {
        before: &[],
        operation: "ann moves 1 flare from depot to locker",
        remedy: "Open locker first",
        fix: Fix::First(&["ann opens locker"]),
    },
    Case {
        before: &["bo opens locker"],
        operation: "ann opens locker",
        remedy: "Let bo close locker first",
        fix: Fix::First(&["bo closes locker"]),
    },
    Case {
        before: &["move 1 flare from depot to depot/4/"],
        operation: "consume bag from depot/4",
        remedy: "Empty depot/4 first",
        fix: Fix::First(&["move from depot/4/ to sled"]),
    },
    Case {
        before: &["resize sled to 3", "move 1 flare from depot to sled/2"],
        operation: "resize sled to 2",
        remedy: "Empty sled/2 first",
        fix: Fix::First(&["move flare from sled/2 to depot"]),
    },
    Case {
        before: &[],
        operation: "move 1 drum from depot to freezer",
        remedy: "Change the filter of freezer",
        fix: Fix::Rule("admits = \"not fuel\"", "admits = \"fuel\""),
    },
    Case {
        before: &[],
        operation: "move 1 flare from depot to press",
        remedy: "Set `put-by = \"anyone\"` for press",
        fix: Fix::Rule("put-by = \"nobody\"", "put-by = \"anyone\""),
    },
    Case {
        before: &[],
        operation: "move 1 flare from archive to depot",
        remedy: "Set `take-by = \"anyone\"` for archive",
        fix: Fix::Rule("take-by = \"nobody\"", "take-by = \"anyone\""),
    },
    Case {
        before: &[],
        operation: "move box from depot to depot/4/",
        remedy: "Set `nesting = 2`",
        fix: Fix::Rule("nesting = 1", "nesting = 2"),
    },
    Case {
        before: &["move 1 flare from depot to hands/right"],
        operation: "move drill from depot to hands/left",
        remedy: "Empty hands/left and the other slots that the item occupies first",
        fix: Fix::First(&["move flare from hands/right to depot"]),
    },
    Case {
        before: &[],
        operation: "drop logbook from depot",
        remedy: "Set `protected = false` for logbook",
        fix: Fix::Rule("protected = true", "protected = false"),
    },
    Case {
        before: &[],
        operation: "ann uses drill from depot",
        remedy: "Set `use = {}` for drill",
        fix: Fix::Rule("occupies-slots = [\"left\", \"right\"]", "use = {}"),
    },
    Case {
        before: &["create 1 soup in ann"],
        operation: "ann uses soup",
        remedy: "Set `beyond = \"stop\"` for the meter heat of ann",
        fix: Fix::Rule("beyond = \"refuse\"", "beyond = \"stop\""),
    },
    Case {
        before: &[],
        operation: "resize sled to 9",
        remedy: "Request 2 to 4 slots",
        fix: Fix::Instead("resize sled to 4"),
    },
];

fn world(rules: &str) -> World {
    let rules = Ruleset::from_toml("rules.toml", rules).unwrap_or_else(|errors| panic!("{errors}"));
    World::new(&Arc::new(rules))
}

fn perform(world: &mut World, sentence: &str) -> Result<(), Refusal> {
    let operation: NamedOperation = sentence.parse().unwrap_or_else(|error| panic!("{sentence}: {error}"));
    let operation = operation.resolve(world).unwrap_or_else(|error| panic!("{sentence}: {error}"));
    world.perform(&operation).map(|outcome| assert!(outcome.is_complete(), "{sentence}"))
}

fn must(world: &mut World, sentences: &[&str]) {
    for sentence in sentences {
        perform(world, sentence).unwrap_or_else(|refusal| panic!("{sentence}: {}", world.explain(&refusal)));
    }
}

#[test]
fn each_remedy_makes_its_operation_succeed() {
    let mut codes = BTreeSet::new();
    for Case { before, operation, remedy, fix } in CASES {
        let mut refusing = world(RULES);
        must(&mut refusing, before);
        let refusal = perform(&mut refusing, operation).expect_err(operation);
        let found = refusing.remedy(refusal.cause());
        assert_eq!(found.as_deref(), Some(*remedy), "{operation}: {}", refusing.explain(&refusal));
        codes.insert(refusal.reason().code());
        match fix {
            Fix::Rule(from, to) => {
                assert_eq!(RULES.matches(from).count(), 1, "{from}");
                let mut changed = world(&RULES.replace(from, to));
                must(&mut changed, before);
                must(&mut changed, &[operation]);
            }
            Fix::First(first) => {
                must(&mut refusing, first);
                must(&mut refusing, &[operation]);
            }
            Fix::Instead(other) => must(&mut refusing, &[other]),
        }
    }
    // Every reason with a remedy has a case, apart from a missing actor, which no sentence can lack.
    let all = [
        "bad-amount",
        "blocked-slot",
        "cap",
        "in-use",
        "meter",
        "no-put",
        "no-recipe",
        "no-room",
        "no-take",
        "no-use",
        "not-admitted",
        "not-allowed",
        "not-empty",
        "not-enough",
        "not-open",
        "protected",
        "stack-limit",
        "too-deep",
        "weight-cap",
        "working",
    ];
    assert_eq!(codes, all.into_iter().collect());
}
