//! What a ruleset means once it is read: limits, tags, properties, places; and the builder, which
//! goes in by the same door.

use std::sync::Arc;

use hypotheke::{Access, Decimal, Kind, PropertyValue, Right, Ruleset, World};

fn rules(text: &str) -> Ruleset {
    Ruleset::from_toml("rules.toml", text).unwrap_or_else(|errors| panic!("{errors}"))
}

fn kind<'r>(rules: &'r Ruleset, id: &str) -> Kind<'r> {
    rules.find_kind(id).and_then(|id| rules.kind(id)).unwrap_or_else(|| panic!("no kind {id}"))
}

fn decimal(text: &str) -> Decimal {
    text.parse().unwrap_or_else(|error| panic!("{text}: {error}"))
}

#[test]
fn a_stack_limit_is_resolved_from_kind_tags_and_ruleset() {
    let rules = rules(
        "stack-limit = 7\n[tag.a]\nstack-limit = 5\n[tag.\"a.b\"]\nstack-limit = 9\n[tag.c]\nstack-limit = 3\n\
         [kind.own]\ntags = [\"c\"]\nstack-limit = 50\n[kind.child]\ntags = [\"a.b\"]\n[kind.both]\ntags = [\"a\", \"c\"]\n\
         [kind.other]\ntags = [\"d\"]\n[kind.none]\n",
    );
    let limits: Vec<(&str, u32)> = rules.kinds().map(|kind| (kind.id(), kind.stack_limit())).collect();
    assert_eq!(limits, [("own", 50), ("child", 5), ("both", 3), ("other", 7), ("none", 7)]);
    assert_eq!((kind(&rules, "own").own_stack_limit(), kind(&rules, "child").own_stack_limit()), (Some(50), None));
    let without = Ruleset::from_toml("rules.toml", "[kind.none]").expect("valid");
    assert_eq!(kind(&without, "none").stack_limit(), 1);
}

#[test]
fn a_kind_has_its_tags_and_all_above_them() {
    let rules = rules(
        "[kind.core]\ntags = [\"sample.ice.deep\", \"cold\"]\n[tag.sample]\nlabel = \"Samples\"\nnote = \"Dear\"\n",
    );
    let core = kind(&rules, "core");
    assert_eq!(core.tags().collect::<Vec<_>>(), ["cold", "sample", "sample.ice", "sample.ice.deep"]);
    let sample = rules.find_tag("sample").expect("a tag");
    assert!(core.has_tag(sample));
    let tag = &rules.tags()[sample.index()];
    assert_eq!((tag.name(), tag.label(), tag.note(), tag.parent()), ("sample", "Samples", "Dear", None));
    let ice = &rules.tags()[rules.find_tag("sample.ice").expect("a tag").index()];
    assert_eq!((ice.label(), ice.parent()), ("sample.ice", Some(sample)));
    assert_eq!(rules.find_tag("ice"), None);
}

#[test]
fn kinds_have_what_was_written_or_nothing() {
    let rules = rules(
        "[kind.full]\nname = \"Full\"\nnote = \"All of it\"\nweight = 1.25\nvalue = -3\nproperties = { wear = 0.5, hue = \"red\" }\n[kind.bare]\n",
    );
    let (full, bare) = (kind(&rules, "full"), kind(&rules, "bare"));
    assert_eq!(
        (full.name(), full.note(), full.weight(), full.value()),
        ("Full", "All of it", decimal("1.25"), decimal("-3"))
    );
    assert_eq!((bare.name(), bare.note(), bare.weight(), bare.value()), ("bare", "", Decimal::ZERO, Decimal::ZERO));
    let (wear, hue) = (rules.find_property("wear").expect("wear"), rules.find_property("hue").expect("hue"));
    assert_eq!(full.property(wear), Some(PropertyValue::Number(decimal("0.5"))));
    assert_eq!(full.property(hue), Some(PropertyValue::Text("red")));
    assert_eq!((bare.property(wear), bare.properties().count()), (None, 0));
    assert_eq!(
        rules.properties().iter().map(|property| (property.name(), property.is_text())).collect::<Vec<_>>(),
        [("wear", false), ("hue", true)]
    );
}

#[test]
fn containers_and_holders_have_what_was_written_or_nothing() {
    let rules = rules(
        "[kind.k]\n[container.sled]\nname = \"Sled\"\nnote = \"Drawn by two\"\nslots = 9\ncolumns = 3\nstack-limit = 2\nweight-cap = 7.5\nadmits = \"not  (k)\"\n\
         slot = [{ name = \"front\", label = \"Front\", admits = \"k\", stack-limit = 1 }, {}]\n\
         [container.belt]\nslots = 12\n[container.box]\nslots = 1\ncopies = [\"box-a\", \"box-b\"]\n\
         [container.worn]\nworn = true\nslot = [{ name = \"head\" }]\n\
         [holder.ann]\nname = \"Ann\"\nnote = \"Leads\"\ncarries = [\"belt\", \"worn\"]\nweight-cap = 40\n[holder.bert]\n",
    );
    let def = |id: &str| &rules.containers()[rules.find_container(id).expect("a container").index()];
    let sled = def("sled");
    assert_eq!(
        (sled.id(), sled.name(), sled.note(), sled.slots(), sled.columns()),
        ("sled", "Sled", "Drawn by two", 9, 3)
    );
    assert_eq!(
        (sled.stack_limit(), sled.weight_cap(), rules.admits(sled)),
        (Some(2), Some(decimal("7.5")), Some("not k"))
    );
    let slots: Vec<_> =
        rules.slot_rules(sled).map(|slot| (slot.name(), slot.label(), slot.admits(), slot.stack_limit())).collect();
    assert_eq!(slots, [(Some("front"), Some("Front"), Some("k"), Some(1)), (None, None, None, None)]);
    let belt = def("belt");
    assert_eq!(
        (belt.name(), belt.columns(), belt.stack_limit(), belt.weight_cap(), rules.admits(belt)),
        ("belt", 8, None, None, None)
    );
    assert_eq!(
        (belt.is_carried(), belt.instances().count(), sled.instances().collect::<Vec<_>>()),
        (true, 0, vec!["sled"])
    );
    assert_eq!(def("box").instances().collect::<Vec<_>>(), ["box-a", "box-b"]);
    assert!(def("worn").is_worn() && def("worn").slots() == 1 && !sled.is_worn());
    let ann = &rules.holders()[rules.find_holder("ann").expect("a holder").index()];
    assert_eq!(
        (ann.name(), ann.note(), ann.weight_cap(), ann.carries().len()),
        ("Ann", "Leads", Some(decimal("40")), 2)
    );
    let bert = &rules.holders()[rules.find_holder("bert").expect("a holder").index()];
    assert_eq!((bert.name(), bert.weight_cap(), bert.carries().len()), ("bert", None, 0));
}

#[test]
fn a_world_has_an_instance_for_each_copy_and_each_carrier() {
    let rules = Arc::new(rules(
        "[kind.k]\n[container.bag]\nslots = 2\n[container.box]\nslots = 1\ncopies = [\"box-a\", \"box-b\"]\n[container.sled]\nslots = 3\n\
         [holder.ann]\ncarries = [\"bag\"]\n[holder.bert]\ncarries = [\"bag\"]\n",
    ));
    let world = World::new(&rules);
    let names: Vec<String> = world.containers().map(|id| world.container_name(id)).collect();
    assert_eq!(names, ["box-a", "box-b", "sled", "ann.bag", "bert.bag"]);
    let ann = world.holder("ann").expect("ann");
    assert_eq!(world.carried(ann).map(|id| world.container_name(id)).collect::<Vec<_>>(), ["ann.bag"]);
    let bag = world.container("bert.bag").expect("a bag");
    assert_eq!(world.carrier(bag).map(|id| world.holder_name(id)), Some("bert"));
    assert_eq!(world.carrier(world.container("sled").expect("a sled")), None);
    assert!(world.container("bag").is_none() && world.container("ground").is_none() && world.holder("sled").is_none());
}

#[test]
fn the_builder_writes_what_a_file_would_hold() {
    let builder = Ruleset::builder()
        .title("A \"quoted\" title\nof two lines")
        .version(3)
        .weight_unit("kg")
        .stack_limit(2)
        .tag("fuel", |tag| tag.stack_limit(4))
        .mark("wet")
        .kind("drum", |kind| {
            kind.name("Drum \\ barrel")
                .note("é")
                .tags(["fuel", "large"])
                .weight(decimal("46.125"))
                .value(decimal("-1"))
                .property("wear", decimal("0.5"))
        })
        .kind("flare", |kind| kind.stack_limit(6))
        .container("sled", |sled| {
            sled.slots(5)
                .columns(2)
                .stack_limit(3)
                .weight_cap(decimal("180"))
                .admits("not wet")
                .named_slot("front", "fuel")
        })
        .container("box", |boxes| boxes.slots(1).copies(["box-a", "box-b"]))
        .container("belt", |belt| belt.named_slot("clip", "flare").worn())
        .holder("ann", ["belt"], |ann| ann.weight_cap(decimal("9.5")))
        .start("sled", ["2 drum (wear 1)"])
        .start("ann.belt/clip", ["1 flare"]);
    let text = builder.to_toml();
    let (built, read) = (builder.build().unwrap_or_else(|errors| panic!("{errors}\n{text}")), rules(&text));
    for rules in [&built, &read] {
        assert_eq!(
            (rules.title(), rules.version(), rules.weight_unit()),
            ("A \"quoted\" title\nof two lines", 3, "kg")
        );
        assert_eq!(
            (kind(rules, "drum").name(), kind(rules, "drum").weight(), kind(rules, "drum").stack_limit()),
            ("Drum \\ barrel", decimal("46.125"), 4)
        );
        let world = World::new(&Arc::new((*rules).clone()));
        let sled = world.container("sled").expect("a sled");
        assert_eq!(world.stack(sled, 0).and_then(|stack| stack.property("wear")), Some(decimal("1")));
        assert_eq!(world.container_weight(sled), decimal("92.25"));
    }
}

#[test]
fn faults_in_code_are_reported_like_those_in_a_file() {
    let errors = Ruleset::builder()
        .kind("Drum", |kind| kind.tags(["fuel"]))
        .container("sled", |sled| sled.slots(2).admits("feul"))
        .build()
        .expect_err("two faults");
    let described: Vec<&str> = errors.diagnostics().iter().map(hypotheke::text::Diagnostic::code).collect();
    assert_eq!(described, ["bad-name", "unknown-name"]);
    assert!(errors.to_string().starts_with("ruleset in code:"), "{errors}");
}

#[test]
fn filters_with_comparisons_are_decided_for_each_kind() {
    let rules = rules(
        "[kind.a]\nweight = 1\nvalue = 10\n[kind.b]\nweight = 2\n[kind.c]\nweight = 3\nproperties = { hue = \"red\" }\n\
         [container.light]\nslots = 3\nadmits = \"weight < 2\"\n[container.dear]\nslots = 3\nadmits = \"value >= 10 or c\"\n\
         [container.red]\nslots = 3\nadmits = \"hue = \\\"red\\\"\"\n[container.pale]\nslots = 3\nadmits = \"hue != \\\"red\\\"\"\n\
         [container.not-red]\nslots = 3\nadmits = \"not hue = \\\"red\\\"\"\n",
    );
    let rules = Arc::new(rules);
    let admitted = |container: &str| {
        let mut world = World::new(&rules);
        let id = world.container(container).expect("a container");
        let kinds: Vec<_> = rules.kinds().map(Kind::handle).collect();
        let fits = |kind: &hypotheke::KindId| {
            world.perform(&hypotheke::Operation::creating(hypotheke::Amount::Exactly(1), *kind, id)).is_ok()
        };
        kinds
            .iter()
            .copied()
            .filter(fits)
            .filter_map(|kind| rules.kind(kind))
            .map(hypotheke::Kind::id)
            .collect::<Vec<_>>()
    };
    assert_eq!(admitted("light"), ["a"]);
    assert_eq!(admitted("dear"), ["a", "c"]);
    assert_eq!(admitted("red"), ["c"]);
    assert_eq!(admitted("pale"), [""; 0], "a comparison with a property that a kind lacks is false");
    assert_eq!(admitted("not-red"), ["a", "b"]);
}

#[test]
fn a_hundred_thousand_kinds_are_found_by_name() {
    let mut table = String::from("id,tags,weight\n");
    for number in 0..100_000 {
        table.push_str(&format!("kind-{number},group-{},{}.{:03}\n", number % 7, number / 1_000, number % 1_000));
    }
    let text = "tables = [\"items.csv\"]\n[container.c]\nslots = 2\nadmits = \"group-3 and weight < 50\"\n[start]\nc = [\"1 kind-3\"]".as_bytes().to_vec();
    let rules = Ruleset::from_bytes("rules.toml", text, |name| Ok((name.to_owned(), table.clone().into_bytes())))
        .expect("valid");
    for number in [0, 1, 777, 50_000, 99_999] {
        let kind = kind(&rules, &format!("kind-{number}"));
        assert_eq!(kind.handle().index(), number);
        assert_eq!(
            kind.weight().to_string(),
            decimal(&format!("{}.{:03}", number / 1_000, number % 1_000)).to_string()
        );
    }
    assert_eq!((rules.find_kind("kind-100000"), rules.kinds().len()), (None, 100_000));
}

#[test]
fn caps_borders_and_kept_kinds_are_read_and_built_alike() {
    let builder = Ruleset::builder()
        .kind("log", hypotheke::KindBuilder::protected)
        .kind("can", |kind| kind.tags(["fuel"]))
        .container("sled", |sled| sled.slots(3).cap("fuel", 2).cap("not fuel", 1))
        .container("shelf", |shelf| shelf.slots(1).no_put())
        .container("chest", |chest| chest.slots(1).no_take());
    let (text, built) = (builder.to_toml(), builder.build().unwrap_or_else(|errors| panic!("{errors}")));
    for rules in [&built, &rules(&text)] {
        let def = |id: &str| &rules.containers()[rules.find_container(id).expect("a container").index()];
        assert_eq!(rules.caps(def("sled").caps()).collect::<Vec<_>>(), [("fuel", 2), ("not fuel", 1)]);
        let borders = ["sled", "shelf", "chest"].map(|id| [Right::Put, Right::Take].map(|right| def(id).access(right)));
        let (anyone, nobody) = (&Access::Anyone, &Access::Nobody);
        assert_eq!(borders, [[anyone, anyone], [nobody, anyone], [anyone, nobody]]);
        assert!(kind(rules, "log").is_protected() && !kind(rules, "can").is_protected());
    }
}
