//! Saves migrate to different rulesets: names are followed, unknown parts become orphans and
//! return, nothing is lost.

use std::collections::BTreeMap;
use std::sync::Arc;

use hypotheke::save::{Save, Trust};
use hypotheke::snapshot::Orphan;
use hypotheke::{
    Amount, Difference, Law, MigrationError, MigrationPolicy, MigrationRules, NamedOperation, Operation,
    RemovedContents, Ruleset, RulesetBuilder, VersionChanges, World, audit,
};
use proptest::prelude::*;

fn ready(builder: RulesetBuilder) -> Arc<Ruleset> {
    Arc::new(builder.build().unwrap_or_else(|errors| panic!("{errors}")))
}

fn from_toml(text: &str) -> Arc<Ruleset> {
    let text = format!("format = 1\ntitle = \"Stores\"\n{text}");
    Arc::new(Ruleset::from_toml("rules.toml", &text).unwrap_or_else(|errors| panic!("{errors}")))
}

fn perform(world: &mut World, sentence: &str) {
    let operation: NamedOperation = sentence.parse().unwrap_or_else(|error| panic!("{sentence}: {error}"));
    let operation = operation.resolve(world).unwrap_or_else(|error| panic!("{sentence}: {error}"));
    let answer = world.perform(&operation);
    assert!(answer.is_ok(), "{sentence}: {}", answer.map_or_else(|refusal| world.explain(&refusal), |_| String::new()));
}

/// Migrates; the result passes through both forms of a save and must be a complete, legal world.
fn migrate(save: &Save, rules: &Arc<Ruleset>) -> (World, Vec<String>) {
    let (after, differences) = save.migrate(rules).unwrap_or_else(|error| panic!("{error}"));
    for bytes in [after.to_json().into_bytes(), after.to_bytes()] {
        assert_eq!(Save::read(&bytes).as_ref(), Ok(&after));
    }
    let world = after.world(rules).unwrap_or_else(|error| panic!("{error}"));
    assert_eq!(world.check_indexes(), vec![]);
    let broken: Vec<_> = audit(rules, &world.snapshot()).into_iter().filter(|it| !it.law().is_limit()).collect();
    assert_eq!(broken, vec![]);
    (world, differences.iter().map(Difference::to_string).collect())
}

/// Where everything lies: `depot/0: 3 flare (wet)`.
fn lying(world: &World) -> Vec<String> {
    let snapshot = world.snapshot();
    let described = |place: String, stack: &hypotheke::snapshot::Stack| {
        let properties = stack.properties.iter().map(|(name, value)| format!("{name} {value}"));
        let looks: Vec<String> = stack.marks.iter().cloned().chain(properties).collect();
        let looks = if looks.is_empty() { String::new() } else { format!(" ({})", looks.join(", ")) };
        format!("{place}: {} {}{looks}", stack.count, stack.kind)
    };
    let carried = snapshot.holders.iter().flat_map(|holder| {
        holder.containers.iter().map(move |it| (format!("{}.{}", holder.name, it.name), &it.stacks))
    });
    let standing = snapshot.containers.iter().map(|it| (it.name.clone(), &it.stacks));
    let packs = snapshot.packs.iter().map(|pack| (pack.pack.to_string(), &pack.stacks));
    let slots = standing
        .chain(carried)
        .chain(packs)
        .flat_map(|(name, stacks)| stacks.iter().map(move |lying| (format!("{name}/{}", lying.slot), &lying.stack)));
    let hands =
        snapshot.holders.iter().filter_map(|holder| Some((format!("{}.hand", holder.name), holder.hand.as_ref()?)));
    let ground = snapshot.ground.iter().map(|landed| ("ground".to_owned(), &landed.stack));
    slots.chain(hands).chain(ground).map(|(place, stack)| described(place, stack)).collect()
}

fn orphans_of(world: &World) -> Vec<String> {
    let described = |orphan: &Orphan| match orphan {
        Orphan::Stack { place, stack, .. } => Some(format!("{place}: {} {}", stack.count, stack.kind)),
        Orphan::Variant { stack, marks, properties, .. } => {
            Some(format!("{stack}: {} {}", marks.join(" "), properties.keys().cloned().collect::<Vec<_>>().join(" ")))
        }
        Orphan::Meter { holder, meter, value } => Some(format!("{holder}: {meter} {value}")),
        Orphan::Shortcut { holder, shortcut, kind } => Some(format!("{holder}.shortcuts/{shortcut}: {kind}")),
        Orphan::Totals { .. } => None,
    };
    world.orphans().iter().filter_map(described).collect()
}

const AUTUMN: &str = r#"
version = 1
[mark.tainted]
[kind.canister]
stack-limit = 4
[kind.rocket]
stack-limit = 6
[kind.flare]
stack-limit = 6
[kind.core]
properties = { depth = 0 }
[kind.hood]
tags = ["worn"]
[kind.mittens]
[container.depot]
slots = 6
[container.shed]
slots = 3
[container.harness]
slot = [{ name = "hands" }, { name = "head" }]
[holder.guide]
carries = ["harness"]
shortcuts = 2
[start]
depot = ["3 canister", "2 rocket", "2 flare"]
shed = ["4 rocket", "1 core (tainted, depth 12.5)"]
"guide.harness/head" = ["1 hood"]
"guide.harness/hands" = ["1 mittens"]
"#;

const WINTER: &str = r#"
version = 3
[mark.contaminated]
[kind.can]
stack-limit = 4
[kind.flare]
stack-limit = 8
[kind.core]
properties = { reading = 0 }
[kind.hood]
tags = ["worn"]
[kind.mittens]
[container.store]
slots = 6
[container.harness]
slot = [{ name = "head" }, { name = "back" }, { name = "hands" }]
[holder.driver]
carries = ["harness"]
shortcuts = 2
[migration.2]
renamed.kind = { canister = "can" }
renamed.mark = { tainted = "contaminated" }
renamed.property = { depth = "reading" }
renamed.holder = { guide = "driver" }
removed = { shed = "into depot" }
[migration.3]
replaced-by = { rocket = "flare" }
renamed.container = { depot = "store" }
"#;

#[test]
fn names_are_followed_and_slots_are_known_by_theirs() {
    let mut world = World::new(&from_toml(AUTUMN));
    for step in ["guide lifts 1 from depot/0", "drop 1 rocket from depot at 3,4"] {
        perform(&mut world, step);
    }
    let winter = from_toml(WINTER);
    let (world, described) = migrate(&Save::of(&world), &winter);
    assert_eq!(
        lying(&world),
        [
            "store/0: 2 can",
            "store/1: 5 flare",
            "store/2: 2 flare",
            "store/3: 1 core (contaminated, reading 12.5)",
            "driver.harness/0: 1 hood",
            "driver.harness/2: 1 mittens",
            "driver.hand: 1 can",
            "ground: 1 flare",
        ],
        "{described:#?}"
    );
    let flares = winter.find_kind("flare").unwrap();
    assert_eq!(world.count(flares, None), 8);
    assert_eq!(world.snapshot().holders[0].origin.as_ref().map(ToString::to_string).as_deref(), Some("store/0"));
    for line in [
        "canister: 3 items are renamed to can",
        "rocket: 6 items are renamed to flare",
        "tainted: renamed to contaminated, on 1 stack",
        "depth: renamed to reading, on 1 stack",
        "depot: renamed to store",
        "guide: renamed to driver",
        "shed/1: container removed; its 1 core; moved to store/3",
    ] {
        assert!(described.iter().any(|described| described == line), "{line} in {described:#?}");
    }
    assert_eq!(orphans_of(&world), Vec::<String>::new());
}

const WITH_SMOKE: &str = r#"
version = 1
[mark.wet]
[kind.flare]
stack-limit = 6
properties = { burn = 0 }
[kind.smoke]
stack-limit = 3
[kind.rope]
[kind.kit]
pack = "kit"
[container.kit]
slots = 3
[container.depot]
slots = 4
[container.pockets]
slots = 3
[holder.ann]
carries = ["pockets"]
shortcuts = 2
[start]
depot = ["3 smoke", "1 kit", "2 flare (wet, burn 4)"]
"depot/1/" = ["2 smoke", "1 rope"]
"ann.pockets" = ["2 smoke"]
"#;

const WITHOUT: &str = r#"
version = 2
[kind.rope]
[kind.flare]
stack-limit = 6
[container.depot]
slots = 4
[container.pockets]
slots = 3
[holder.ann]
carries = ["pockets"]
shortcuts = 2
"#;

#[test]
fn what_is_not_known_is_kept_untouched_and_given_back() {
    let before = from_toml(WITH_SMOKE);
    let mut world = World::new(&before);
    for step in ["bind smoke to ann.shortcuts/1", "drop 1 smoke from depot/0 at 5,6", "ann lifts 1 from ann.pockets/0"]
    {
        perform(&mut world, step);
    }
    let start = world.clone();
    let without = from_toml(WITHOUT);
    let (mut world, described) = migrate(&Save::of(&world), &without);
    assert_eq!(lying(&world), ["depot/0: 1 rope", "depot/2: 2 flare"], "what was in the pack takes the first place");
    assert_eq!(
        orphans_of(&world),
        [
            "depot/0: 2 smoke",
            "depot/1: 1 kit",
            "ann.pockets/0: 1 smoke",
            "ann.hand: 1 smoke",
            "ground: 1 smoke",
            "#2/0: 2 smoke",
            "ann.shortcuts/1: smoke",
            "#3: wet burn",
        ],
        "{described:#?}"
    );
    // Out of play, they are not counted, and survive whatever is done and saved.
    let flare = without.find_kind("flare").unwrap();
    assert_eq!(world.count(flare, None), 2);
    world.set_undo_limit(4);
    let kept = world.orphans().to_vec();
    perform(&mut world, "create 1 flare in depot/3");
    let saved = Save::read(&Save::of(&world).to_bytes()).unwrap();
    assert_eq!(saved.snapshot().orphans, kept);

    // A later version knows them again: all return to their places, except one whose slot is taken.
    let again = from_toml(&WITH_SMOKE.replace("version = 1", "version = 3"));
    let (world, described) = migrate(&saved, &again);
    assert!(
        described.iter().any(|line| line.starts_with("depot/0: 2 smoke restored, but the place has no room")),
        "{described:#?}"
    );
    for line in [
        "depot/1: 1 kit restored",
        "#2/0: 2 smoke restored",
        "ground: 1 smoke restored",
        "ann.shortcuts/1: shortcut to smoke restored",
    ] {
        assert!(described.iter().any(|described| described == line), "{line} in {described:#?}");
    }
    assert_eq!(orphans_of(&world), Vec::<String>::new());
    for (kind, more) in [("smoke", 0), ("kit", 0), ("flare", 1)] {
        let count = |world: &World| world.count(world.rules().find_kind(kind).unwrap(), None);
        assert_eq!(count(&world), count(&start) + more, "{kind}");
    }
    assert!(lying(&world).contains(&"depot/2: 2 flare (wet, burn 4)".to_owned()), "{:#?}", lying(&world));
    assert_eq!(world.snapshot().holders[0].shortcuts, [None, Some("smoke".to_owned())]);
}

#[test]
fn a_mark_is_not_given_back_to_a_stack_that_has_grown() {
    let world = World::new(&from_toml(WITH_SMOKE));
    let (mut world, _) = migrate(&Save::of(&world), &from_toml(WITHOUT));
    perform(&mut world, "create 1 flare in depot/2");
    let again = from_toml(&WITH_SMOKE.replace("version = 1", "version = 3"));
    let (world, _) = migrate(&Save::of(&world), &again);
    assert!(lying(&world).contains(&"depot/2: 3 flare".to_owned()), "{:#?}", lying(&world));
    assert_eq!(orphans_of(&world), ["#3: wet burn"]);
}

fn with_container(name: &str, gone: Option<RemovedContents>, default: MigrationPolicy) -> Arc<Ruleset> {
    let mut migration = MigrationRules { removed_places: default, ..MigrationRules::default() };
    if let Some(gone) = gone {
        let mut changes = VersionChanges::default();
        changes.removed.insert("shed".to_owned(), gone);
        migration.versions.insert(2, changes);
    }
    let version = if name == "shed" { 1 } else { 2 };
    ready(
        Ruleset::builder()
            .version(version)
            .migration(if version == 1 { MigrationRules::default() } else { migration })
            .kind("flare", |kind| kind.stack_limit(6))
            .container("depot", |it| it.slots(1))
            .container(name, |it| it.slots(2)),
    )
}

#[test]
fn what_lay_in_a_container_that_has_gone_goes_where_the_designer_says() {
    let mut world = World::new(&with_container("shed", None, MigrationPolicy::Spill));
    perform(&mut world, "create 9 flare in shed");
    let save = Save::of(&world);
    for (gone, default, lies, kept) in [
        (
            Some(RemovedContents::Into("depot".to_owned())),
            MigrationPolicy::Spill,
            vec!["depot/0: 6 flare", "ground: 3 flare"],
            vec![],
        ),
        (Some(RemovedContents::Ground), MigrationPolicy::Refuse, vec!["ground: 6 flare", "ground: 3 flare"], vec![]),
        (Some(RemovedContents::Orphan), MigrationPolicy::Spill, vec![], vec!["shed/0: 6 flare", "shed/1: 3 flare"]),
        (None, MigrationPolicy::Orphan, vec![], vec!["shed/0: 6 flare", "shed/1: 3 flare"]),
        (None, MigrationPolicy::Ground, vec!["ground: 6 flare", "ground: 3 flare"], vec![]),
    ] {
        let after = with_container("hut", gone.clone(), default);
        let (world, described) = migrate(&save, &after);
        assert_eq!(
            (lying(&world), orphans_of(&world)),
            (lies.iter().map(|it| (*it).to_owned()).collect(), kept.iter().map(|it| (*it).to_owned()).collect()),
            "{gone:?} {default:?} {described:#?}"
        );
        // A ruleset that has the shed again gives them back.
        if !kept.is_empty() {
            let again = ready(
                Ruleset::builder()
                    .version(3)
                    .kind("flare", |kind| kind.stack_limit(6))
                    .container("shed", |it| it.slots(2))
                    .container("depot", |it| it.slots(1)),
            );
            let (world, _) = migrate(&Save::of(&world), &again);
            assert_eq!(lying(&world), ["shed/0: 6 flare", "shed/1: 3 flare"]);
        }
    }
    let refused = save.migrate(&with_container("hut", None, MigrationPolicy::Refuse)).unwrap_err();
    assert!(matches!(&refused, MigrationError::Refused(described) if described.len() == 2), "{refused}");
}

#[test]
fn what_is_over_a_cap_gives_away_what_it_has_last() {
    let rules = |weight: u32, cap: &str, version| {
        from_toml(&format!(
            "version = {version}\n[migration]\nover-cap = \"spill\"\n[kind.can]\ntags = [\"fuel\"]\nweight = 5\nstack-limit = 4\n\
             [kind.rope]\nweight = 2\n[container.sled]\nslots = 6\nweight-cap = {weight}\n{cap}[container.bag]\nslots = 2\n\
             [container.pocket]\nslots = 2\n[holder.ann]\ncarries = [\"bag\", \"pocket\"]\nweight-cap = {weight}\n"
        ))
    };
    let mut world = World::new(&rules(100, "", 1));
    for step in
        ["create 7 can in sled", "create 1 rope in sled", "create 4 can in ann.bag", "create 1 rope in ann.pocket"]
    {
        perform(&mut world, step);
    }
    let (after, described) = migrate(&Save::of(&world), &rules(16, "", 2));
    assert_eq!(audit(after.rules(), &after.snapshot()), vec![], "{described:#?}");
    // The last go first: the rope, then the cans of the second stack, then one of the first.
    assert_eq!(lying(&after)[..2], ["sled/0: 3 can", "ann.bag/0: 3 can"], "{:#?}", lying(&after));
    let caps = "caps = [{ of = \"fuel\", count = 5 }]\n";
    let (after, described) = migrate(&Save::of(&world), &rules(100, caps, 2));
    assert_eq!(lying(&after)[..3], ["sled/0: 4 can", "sled/1: 1 can", "sled/2: 1 rope"], "{described:#?}");
    assert!(
        described.iter().any(|line| line.starts_with("sled: cap: 7 `fuel` of 5; moved to ground")),
        "{described:#?}"
    );
}

#[test]
fn kinds_become_packs_and_cease_to_be() {
    let rules = |packs: bool, version| {
        let pack = if packs { "pack = \"case\"\n[container.case]\nslots = 2\n" } else { "stack-limit = 3\n" };
        from_toml(&format!(
            "version = {version}\n[kind.rope]\nstack-limit = 2\n[kind.case]\n{pack}[container.depot]\nslots = 4\n"
        ))
    };
    let mut world = World::new(&rules(false, 1));
    perform(&mut world, "create 3 case in depot");
    let (mut world, described) = migrate(&Save::of(&world), &rules(true, 2));
    assert_eq!(lying(&world), ["depot/0: 1 case", "depot/1: 1 case", "depot/2: 1 case"], "{described:#?}");
    perform(&mut world, "create 2 rope in depot/1/");
    let (world, described) = migrate(&Save::of(&world), &rules(false, 3));
    assert!(lying(&world).contains(&"depot/3: 2 rope".to_owned()), "{described:#?}");
    assert!(
        described.iter().any(|line| line.ends_with("pack removed; its 2 rope; moved to depot/3")),
        "{described:#?}"
    );
}

#[test]
fn a_version_between_that_spills_is_not_the_same_as_none() {
    let rules = |version: u32, slots: u32| {
        ready(
            Ruleset::builder()
                .version(version)
                .kind("flare", |kind| kind)
                .container("depot", move |it| it.slots(slots)),
        )
    };
    let mut world = World::new(&rules(1, 3));
    perform(&mut world, "create 3 flare in depot");
    let save = Save::of(&world);
    let (between, _) = save.migrate(&rules(2, 1)).unwrap();
    let (chain, _) = between.migrate(&rules(3, 3)).unwrap();
    let (direct, described) = save.migrate(&rules(3, 3)).unwrap();
    assert_eq!(described, vec![]);
    let changes = chain.changes_to(&direct);
    assert_eq!(changes.by_place.iter().map(|(place, _)| place.as_str()).collect::<Vec<_>>(), ["depot", "ground"]);
}

#[test]
fn a_departing_holder_takes_their_orphans_along() {
    let world = World::new(&from_toml(WITH_SMOKE)).numbered(1, 0);
    let without = from_toml(WITHOUT);
    let (mut world, _) = migrate(&Save::of(&world), &without);
    world.set_undo_limit(4);
    let before = world.snapshot();
    let ann = world.holder("ann").unwrap();
    let gone = world.perform(&Operation::departing(ann)).unwrap().revision();
    assert!(!orphans_of(&world).iter().any(|line| line.starts_with("ann.")), "{:?}", orphans_of(&world));
    let document = world.departed()[0].clone();
    assert_eq!(document.orphans.len(), 1);
    assert!(world.undo(gone).is_ok());
    assert_eq!(world.snapshot(), before);
    // As a separate transfer record she migrates to the ruleset that knows it again, and brings it
    // into a different world, once.
    let bytes = Save::of_departure(&without, &document).to_bytes();
    let again = from_toml(&WITH_SMOKE.replace("version = 1", "version = 3"));
    let (save, described) = Save::read(&bytes).unwrap().migrate(&again).unwrap();
    assert_eq!(described.iter().map(ToString::to_string).collect::<Vec<_>>(), ["ann.pockets/0: 2 smoke restored"]);
    let mut other = World::empty(&again).numbered(2, 0);
    perform(&mut other, "depart ann");
    let arriving = Operation::arriving(save.departure(&again).unwrap());
    assert_eq!(other.perform(&arriving).map(hypotheke::Outcome::done), Ok(2));
    assert_eq!(other.perform(&arriving).unwrap_err().reason(), hypotheke::Reason::Stale);
    assert_eq!(audit(&again, &other.snapshot()), vec![]);
}

#[test]
fn a_document_is_checked_as_a_save_is() {
    let rules = from_toml(WITH_SMOKE);
    let mut world = World::new(&rules).numbered(1, 0);
    let ann = world.holder("ann").unwrap();
    assert!(world.perform(&Operation::departing(ann)).is_ok());
    let save = Save::of_departure(&rules, &world.departed()[0]);
    let text = save.to_json();
    assert_eq!(Save::read(text.as_bytes()).as_ref(), Ok(&save));
    assert_eq!(Save::read(text.replace("\"count\": 2", "\"count\": 3").as_bytes()).unwrap_err().code(), "edited");
    assert_eq!(save.world(&rules).unwrap_err().code(), "inconsistent");
    assert_eq!(Save::of(&world).departure(&rules).unwrap_err().code(), "inconsistent");
    // Items that would go to the ground of a world become orphans, since there is none.
    let narrow = from_toml(
        &WITH_SMOKE
            .replace("[container.pockets]\nslots = 3", "[container.pockets]\nslots = 1")
            .replace("\"ann.pockets\" = [\"2 smoke\"]", ""),
    );
    let mut world = World::new(&rules).numbered(1, 0);
    perform(&mut world, "create 4 flare in ann.pockets/2");
    perform(&mut world, "depart ann");
    let (save, described) = Save::of_departure(&rules, &world.departed()[0]).migrate(&narrow).unwrap();
    assert!(
        described.iter().any(|it| it.action == Some(MigrationPolicy::Orphan) && it.place == "ann.pockets/2"),
        "{described:?}"
    );
    let departure = save.departure(&narrow).unwrap();
    assert_eq!(departure.orphans.iter().map(Orphan::items).sum::<u64>(), 4);
}

#[test]
fn an_edited_save_is_audited_before_it_becomes_a_world() {
    let rules = from_toml(WITH_SMOKE);
    let text = Save::of(&World::new(&rules)).to_json();
    let moved = text.replace("\"slot\": 2, \"id\": \"#3\"", "\"slot\": 3, \"id\": \"#3\"");
    assert_ne!(moved, text);
    assert_eq!(Save::read(moved.as_bytes()).unwrap_err().code(), "edited");
    let save = Save::read_with(moved.as_bytes(), Trust::AllowEdited).unwrap();
    assert!(save.is_edited() && save.world(&rules).is_ok());
    let doubled = text.replace("\"kind\": \"flare\", \"count\": 2", "\"kind\": \"flare\", \"count\": 5");
    assert_ne!(doubled, text);
    let error = Save::read_with(doubled.as_bytes(), Trust::AllowEdited).unwrap().world(&rules).unwrap_err();
    assert_eq!(error.to_string(), "the world: conservation: the world has 5 flare, but its totals say 2: 3 too many");
    // Nor is it brought in by carrying it over.
    for version in ["version = 1", "version = 3\nnesting = 2"] {
        let over = from_toml(&WITH_SMOKE.replace("version = 1", version));
        let refused = Save::read_with(doubled.as_bytes(), Trust::AllowEdited).unwrap().migrate(&over).unwrap_err();
        assert!(refused.to_string().ends_with("3 too many; refused"), "{refused}");
        assert!(save.migrate(&over).is_ok());
    }
}

/// Both rulesets have the same kinds with the same rules; only the names changed places.
#[test]
fn exchanged_names_are_followed_although_the_rules_are_the_same() {
    let rules = |head: &str| from_toml(&format!("{head}[kind.hot]\n[kind.cold]\n[container.depot]\nslots = 2\n"));
    let (before, after) =
        (rules(""), rules("version = 2\n[migration.2]\nrenamed.kind = { hot = \"cold\", cold = \"hot\" }\n"));
    assert_eq!(before.fingerprint(), after.fingerprint());
    let mut world = World::new(&before);
    perform(&mut world, "create 1 hot in depot");
    let save = Save::of(&world);
    assert_eq!(save.world(&after).expect_err("it has to migrate").code(), "other-ruleset");
    let (world, differences) = migrate(&save, &after);
    assert_eq!(lying(&world), ["depot/0: 1 cold"]);
    assert_eq!(differences, ["hot: 1 item is renamed to cold"]);
}

#[test]
fn faults_of_migration_names_are_reported() {
    let cases = [
        (
            "[migration.3]\nreplaced-by = { a = \"flare\" }",
            "Raise `version` to 3",
            "version 3 is later than the version of the ruleset, 2",
        ),
        (
            "[migration.1]\nreplaced-by = { a = \"flare\" }",
            "Write the changes of version 2",
            "version 1 is the first version",
        ),
        ("[migration.2]\nrenamed.kind = { a = \"flar\" }", "Did you mean `flare`?", "unknown new name `flar`"),
        ("[migration.2]\nrenamed.kind = { flare = \"rope\" }", "", "`flare` still exists"),
        ("[migration.2]\nrenamed.kind = { a = \"flare\", b = \"flare\" }", "replaced-by", "two names become `flare`"),
        (
            "[migration.2]\nreplaced-by = { a = \"rope\" }\nrenamed.kind = { a = \"flare\" }",
            "",
            "`a` has two new names",
        ),
        ("[migration.2]\nremoved = { shed = \"into depo\" }", "Did you mean `depot`?", "unknown container `depo`"),
        ("[migration.2]\nremoved = { shed = \"away\" }", "into CONTAINER", "unknown target `away`"),
        ("[migration.2]\nrenamed.kinds = { a = \"flare\" }", "`kind`", "has no key `kinds`"),
        ("[migration]\nover-cap = \"split\"", "`stay`", "unknown value `split`"),
    ];
    for (section, help, message) in cases {
        let text =
            format!("format = 1\nversion = 2\n{section}\n[kind.flare]\n[kind.rope]\n[container.depot]\nslots = 1\n");
        let errors = Ruleset::from_toml("rules.toml", &text).unwrap_err().to_string();
        assert!(errors.contains(message), "{section}: {errors}");
        assert!(help.is_empty() || errors.contains(help), "{section}: {errors}");
    }
}

/// Four versions of a ruleset. In each, some kinds get another name or are replaced by another.
fn versions(moves: &[Vec<(usize, usize)>]) -> Vec<Arc<Ruleset>> {
    let mut names: Vec<String> = (0..4).map(|kind| format!("k{kind}")).collect();
    let mut migration = MigrationRules::default();
    let mut rulesets = Vec::new();
    for version in 1..=4_u32 {
        let mut changes = VersionChanges::default();
        let mut untouched = names.clone();
        for &(kind, into) in moves.get((version as usize).wrapping_sub(2)).into_iter().flatten() {
            if untouched.len() < 2 {
                break;
            }
            let before = untouched.remove(kind % untouched.len());
            let now = if into == 0 {
                let now = format!("v{version}-{before}");
                changes.renamed.kind.insert(before.clone(), now.clone());
                now
            } else {
                // The other stays as it is in this version.
                let now = untouched.remove(into % untouched.len());
                changes.replaced_by.insert(before.clone(), now.clone());
                now
            };
            names.retain(|name| *name != before && *name != now);
            names.push(now);
        }
        if version > 1 {
            migration.versions.insert(version, changes);
        }
        let base =
            Ruleset::builder().version(version).migration(migration.clone()).container("depot", |it| it.slots(8));
        rulesets.push(ready(names.iter().fold(base, |rules, name| rules.kind(name, |kind| kind.stack_limit(9)))));
    }
    rulesets
}

proptest! {
    #[test]
    fn names_are_the_same_through_all_versions_or_directly(
        moves in prop::collection::vec(prop::collection::vec((0..4_usize, 0..4_usize), 0..3), 3),
        counts in prop::collection::vec((0..4_usize, 1..9_u32), 0..8),
    ) {
        let rulesets = versions(&moves);
        let mut world = World::new(&rulesets[0]);
        for (kind, count) in counts {
            perform(&mut world, &format!("create up to {count} k{kind} in depot"));
        }
        let first = Save::of(&world);
        let chain = rulesets[1..].iter().fold(first.clone(), |save, rules| save.migrate(rules).unwrap().0);
        let (direct, _) = first.migrate(&rulesets[3]).unwrap();
        let plain = |save: &Save| (save.snapshot().containers.clone(), save.snapshot().totals.clone(), save.snapshot().orphans.clone());
        prop_assert_eq!(plain(&chain), plain(&direct));
    }

    #[test]
    fn nothing_is_lost_through_any_two_rulesets(
        counts in prop::collection::vec((0..4_usize, 1..9_u32, 0..5_usize), 0..16),
        (known, slots, limit) in (0..16_u32, 1..7_u32, 1..9_u32),
        (gone, places) in (0..3_usize, 0..8_u32),
    ) {
        const KINDS: [&str; 4] = ["flare", "rope", "crate", "can"];
        const PLACES: [&str; 5] = ["depot", "shed", "ann.bag", "ann.pouch", "ground"];
        let rules = |version: u32, known: u32, places: u32, slots: u32, limit: u32, gone: MigrationPolicy| {
            let base = Ruleset::builder().version(version).migration(MigrationRules {
                removed_places: gone, over_limit: MigrationPolicy::Spill, over_cap: MigrationPolicy::Spill, not_admitted: MigrationPolicy::Spill, ..MigrationRules::default()
            });
            let base = base.container("crate", move |it| it.slots(slots)).container("depot", move |it| it.slots(slots).weight_cap(20.into()));
            let base = if places & 1 == 1 { base.container("shed", |it| it.slots(3)) } else { base };
            let base = base.container("bag", move |it| it.slots(slots)).container("pouch", |it| it.slots(2));
            let carries: &[&str] = if places & 2 == 2 { &["bag", "pouch"] } else { &["pouch"] };
            let name = if places & 4 == 4 { "ann" } else { "ben" };
            let base = base.holder(name, carries.iter().copied(), |ann| ann);
            let has = |kind: usize| known >> kind & 1 == 1;
            let base = if has(0) { base.kind("flare", move |kind| kind.stack_limit(limit).weight(1.into())) } else { base };
            let base = if has(1) { base.kind("rope", |kind| kind.stack_limit(2)) } else { base };
            let base = if has(2) { base.kind("crate", |kind| kind.pack("crate")) } else { base };
            let base = if has(3) { base.kind("can", move |kind| kind.stack_limit(limit)) } else { base };
            ready(base.kind("note", |kind| kind))
        };
        let first = rules(1, 15, 7, 6, 8, MigrationPolicy::Spill);
        let mut world = World::new(&first);
        for (kind, count, place) in counts {
            let sentence = format!("create up to {count} {} in {}", KINDS[kind], PLACES[place]);
            let operation = sentence.parse::<NamedOperation>().unwrap().resolve(&world).unwrap();
            let _ = world.perform(&operation);
        }
        let flare = first.find_kind("flare").unwrap();
        for pack in world.snapshot().packs {
            let inside = world.place(&format!("{}/", pack.pack).parse().unwrap(), None).unwrap();
            let _ = world.perform(&Operation::creating(Amount::UpTo(3), flare, inside));
        }
        let all = |world: &World| {
            let mut counts: BTreeMap<String, u64> = BTreeMap::new();
            for line in lying(world).iter().chain(&orphans_of(world)) {
                let (_, items) = line.split_once(": ").unwrap();
                let (count, kind) = items.split_once(' ').unwrap();
                *counts.entry(kind.to_owned()).or_default() += count.parse::<u64>().unwrap();
            }
            counts
        };
        let before = all(&world);
        let gone = [MigrationPolicy::Spill, MigrationPolicy::Ground, MigrationPolicy::Orphan][gone];
        let second = rules(2, known, places, slots, limit, gone);
        let (between, differences) = migrate(&Save::of(&world), &second);
        prop_assert_eq!(all(&between), before.clone(), "{:#?}", differences);
        for violation in audit(&second, &between.snapshot()) {
            let described = differences.iter().any(|described| described.starts_with(violation.place()));
            prop_assert!(described || violation.law() == Law::Ground, "{} in {:#?}", violation, differences);
        }
        let (back, differences) = migrate(&Save::of(&between), &rules(3, 15, 7, 6, 8, MigrationPolicy::Spill));
        prop_assert_eq!(all(&back), before, "{:#?}", differences);
        prop_assert_eq!(orphans_of(&back), Vec::<String>::new(), "{:#?}", differences);
    }
}

#[test]
fn a_save_that_tells_of_four_billion_slots_costs_nothing() {
    let world = World::new(&from_toml(AUTUMN));
    let text = Save::of(&world).to_json().replace("\"slots\": 2}", "\"slots\": 4294967295}");
    assert!(text.contains("4294967295"));
    let save = Save::read_with(text.as_bytes(), Trust::AllowEdited).unwrap();
    let (after, described) = save.migrate(&from_toml(WINTER)).unwrap();
    assert!(described.iter().any(|it| it.message == "3 slots instead of 4294967295"), "{described:?}");
    assert_eq!(
        lying(&after.world(&from_toml(WINTER)).unwrap())[4..6],
        ["driver.harness/0: 1 hood", "driver.harness/2: 1 mittens"]
    );
}

#[test]
fn what_was_in_a_pack_that_is_not_known_goes_to_the_holder_s_other_containers() {
    let rules = |version: u32, kinds: &str| {
        from_toml(&format!(
            "version = {version}\n[kind.rope]\n{kinds}[container.belt]\nslots = 1\n[container.bag]\nslots = 1\nadmits = \"rope\"\n\
             [holder.ann]\ncarries = [\"belt\", \"bag\"]\n"
        ))
    };
    let mut world = World::new(&rules(1, "[kind.kit]\npack = \"kit\"\n[container.kit]\nslots = 3\n"));
    perform(&mut world, "create 1 kit in ann.belt");
    perform(&mut world, "create 3 rope in ann.belt/0/");
    let (world, described) = migrate(&Save::of(&world), &rules(2, ""));
    assert_eq!(lying(&world), ["ann.belt/0: 1 rope", "ann.bag/0: 1 rope", "ground: 1 rope"], "{described:#?}");
}

#[test]
fn a_save_of_a_later_version_is_rejected() {
    let (world, described) = migrate(&Save::of(&World::new(&from_toml(WITHOUT))), &from_toml(WITH_SMOKE));
    assert_eq!(
        described[0],
        "version: the save is of version 2, which is later than version 1 of the ruleset: renames are not reversed"
    );
    assert_eq!(lying(&world), Vec::<String>::new());
}
