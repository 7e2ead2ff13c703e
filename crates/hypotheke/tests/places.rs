//! Places by name, and the words of refusals, places and events.

use std::sync::Arc;

use hypotheke::{NamedOperation, Path, Place, Ruleset, World};

fn world() -> World {
    let rules = Ruleset::from_toml(
        "rules.toml",
        "units = { weight = \"kg\" }\n[mark.wet]\n[kind.rope]\nweight = 3.2\nstack-limit = 3\n[kind.flare]\nstack-limit = 6\n[kind.hat]\n\
         [container.store]\nslots = 8\ncolumns = 3\n[container.small]\nslots = 1\nweight-cap = 10\n\
         [container.rack]\nslots = 3\nadmits = \"not wet\"\nslot = [{ name = \"top\", admits = \"hat\", stack-limit = 1 }]\n\
         [container.pegs]\nslot = [{ admits = \"hat\" }, { admits = \"hat\" }]\n\
         [container.bag]\nslots = 2\n[container.belt]\nslots = 2\n\
         [holder.ann]\ncarries = [\"bag\", \"belt\"]\nweight-cap = 12\n[holder.bert]\ncarries = [\"bag\"]\n\
         [start]\nstore = [\"3 rope\", \"4 flare\", \"1 flare (wet)\"]\nground = [\"2 rope\"]\n",
    );
    World::new(&Arc::new(rules.unwrap_or_else(|errors| panic!("{errors}"))))
}

fn place(world: &World, path: &str, actor: Option<&str>) -> Result<String, String> {
    let path: Path = path.parse().unwrap_or_else(|error| panic!("{path}: {error}"));
    let actor = actor.and_then(|name| world.holder(name));
    world.place(&path, actor).map(|place| world.place_name(place)).map_err(|error| error.to_string())
}

#[test]
fn every_way_to_write_a_place_leads_there() {
    let world = world();
    for (path, actor, expected) in [
        ("store", None, Ok("store")),
        ("store/7", None, Ok("store/7")),
        ("store@0,2", None, Ok("store/2")),
        ("store@2,1", None, Ok("store/7")),
        ("rack/top", None, Ok("rack/top")),
        ("rack/0", None, Ok("rack/top")),
        ("ann", None, Ok("ann")),
        ("ann.bag", None, Ok("ann.bag")),
        ("ann.bag/1", None, Ok("ann.bag/1")),
        ("belt", None, Ok("ann.belt")),
        ("bag", Some("bert"), Ok("bert.bag")),
        ("bag", Some("ann"), Ok("ann.bag")),
        ("ground", None, Ok("ground")),
        ("ground/#4", None, Ok("ground/#4")),
        ("#4", None, Ok("ground/#4")),
        ("#2", None, Ok("store/1")),
        ("bag", None, Err("several places have the name `bag`")),
        ("store/8", None, Err("`store` has no slot 8")),
        ("store@2,2", None, Err("`store` has no slot in row 2, column 2")),
        ("store@0,3", None, Err("`store` has no slot in row 0, column 3")),
        ("store@4294967295,4294967295", None, Err("`store` has no slot in row 4294967295, column 4294967295")),
        ("rack/bottom", None, Err("`rack` has no slot named `bottom`")),
        ("ann/0", None, Err("unknown place `ann/0`")),
        ("ann.rack", None, Err("unknown place `ann.rack`")),
        ("ground/0", None, Err("unknown place `ground/0`")),
        ("ground/#2", None, Err("stack #2 is not on the ground")),
        ("#9", None, Err("unknown stack #9")),
        ("store/0/1", None, Err("`store/0/1` is the inside of a pack, but `store/0` holds no pack")),
        ("store/", None, Err("unknown place in `store`")),
        ("shed", None, Err("unknown place `shed`")),
    ] {
        let expected: Result<&str, &str> = expected;
        assert_eq!(place(&world, path, actor), expected.map(str::to_owned).map_err(str::to_owned), "{path}");
    }
}

#[test]
fn invalid_paths_are_reported() {
    for (text, expected) in [
        ("", "a name is missing in this place"),
        ("/3", "a name is missing in this place"),
        ("store//3", "a name is missing in this place"),
        ("Store", "a place has lower-case letters"),
        ("store@1", "a row and a column must follow `@`"),
        ("store@-1,0", "a row and a column must follow `@`"),
        ("store/99999999999", "this number is too large"),
        ("#1x", "a place has lower-case letters"),
        ("#99999999999999999999", "this number is too large"),
        ("#16777216:1", "this number is too large"),
    ] {
        let error = text.parse::<Path>().expect_err(text).to_string();
        assert!(error.starts_with(expected), "{text}: {error}");
    }
    let deep = format!("store{}", "/1".repeat(65));
    assert_eq!(deep.parse::<Path>().expect_err("deep").to_string(), "this place has too many steps");
}

#[test]
fn every_reason_has_its_figures() {
    let mut world = world();
    for (sentence, expected) in [
        ("move 0 rope from store to bag", "the amount must be a number from 1 on, and no more than a named stack has"),
        ("move hat from store to rack", "store contains no hat"),
        ("move 1 hat from store/5 to rack", "store/5 contains no hat"),
        ("move 5 rope from store to rack", "store contains 3; 5 were requested"),
        ("consume 9 flare from store/2", "store/2 contains 1; 9 were requested"),
        ("move flare from store/2 to rack", "rack rejects this flare: it admits `not wet`"),
        ("move rope from store to rack/top", "rack/top rejects this rope: it admits `hat`"),
        ("move rope from store to pegs", "every slot of pegs rejects this rope"),
        ("create 4 rope in small", "small would weigh 12.8 kg; its cap is 10 kg"),
        ("ann picks up 9 rope", "ground contains 2; 9 were requested"),
        ("create 4 rope in ann.bag", "ann would weigh 12.8 kg; its cap is 12 kg"),
        ("create 7 flare in small/0", "small/0 would contain 7; its stack limit is 6"),
        ("create 7 flare in small", "small has room for 6 of 7"),
        ("create 1 hat in store/0", "store/0 is occupied by rope"),
        ("create 4294967295 rope in ground", "ground has room for 3145725 of 4294967295"),
    ] {
        let operation: NamedOperation = sentence.parse().unwrap_or_else(|error| panic!("{sentence}: {error}"));
        let named_actor = operation.actor.clone();
        let operation = NamedOperation { actor: named_actor.or(Some("ann".into())), ..operation };
        let operation = operation.resolve(&world).unwrap_or_else(|error| panic!("{sentence}: {error}"));
        let refusal = world.perform(&operation).expect_err(sentence);
        assert_eq!(world.explain(&refusal), expected, "{sentence}");
    }
}

#[test]
fn events_name_both_ends() {
    let mut world = world();
    let mut described = Vec::new();
    for sentence in [
        "create 2 hat in rack",
        "drop 1 rope from store at 1.5,-2",
        "pick up from ground/#4 to small",
        "swap small/0 with store/5",
        "consume 2 flare from store",
    ] {
        let operation: NamedOperation = sentence.parse().expect(sentence);
        let operation = operation.resolve(&world).unwrap_or_else(|error| panic!("{sentence}: {error}"));
        assert!(world.perform(&operation).is_ok_and(hypotheke::Outcome::is_complete), "{sentence}");
        described.extend(world.events().iter().map(|event| world.describe_event(event)));
    }
    assert_eq!(
        described,
        [
            "1 hat created in rack/top",
            "1 hat created in rack/1",
            "1 rope: store/0 to ground/#7 at 1.5,-2",
            "2 rope: ground/#4 at 0,0 to small/0",
            "small/0 and store/5 swapped",
            "2 flare consumed from store/1",
        ]
    );
    let ends: Vec<Option<Place>> = world
        .events()
        .iter()
        .filter_map(|event| match event {
            hypotheke::Event::Moved { to, .. } => Some(world.place_of_end(to)),
            _ => None,
        })
        .collect();
    assert_eq!(ends, [None], "what is consumed goes nowhere");
    assert!(world.events()[0].is_consumption() && !world.events()[0].is_creation());
}
