//! Recipes as rulesets write them.

use std::sync::Arc;

use hypotheke::save::Save;
use hypotheke::{Amount, NamedOperation, Operation, Reason, Ruleset, StepAudit, World};

use crate::faults::faults_after;

const KINDS: &str = "format = 1\n[kind.snow]\nstack-limit = 4000000000\nweight = 1\n[kind.water]\nstack-limit = 4\n[kind.pot]\n\
                     [kind.logbook]\nprotected = true\n[container.stove]\nslots = 3\n[container.rack]\nslots = 2\nadmits = \"pot\"\n\
                     [container.box]\nslots = 9\nweight-cap = 3\n[container.bag]\nslots = 2\n[holder.mara]\ncarries = [\"bag\"]\n";

const MELT: &str = "inputs = [\"2 snow\"]\noutputs = [\"1 water\"]\n";

#[test]
fn each_fault_of_a_recipe_has_its_place_and_a_remedy() {
    for (recipe, expected) in [
        ("[recipe.r]\nat = \"stove\"\noutputs = [\"1 water\"]".into(), "1 missing-key: recipe `r` has no `inputs`"),
        ("[recipe.r]\nat = \"stove\"\ninputs = [\"1 snow\"]".into(), "1 missing-key: recipe `r` has no `outputs`"),
        (format!("[recipe.r]\nat = \"stov\"\n{MELT}"), "2 unknown-container: unknown container `stov`"),
        (
            format!("[recipe.r]\nat = \"stove\"\nby = \"crew\"\n{MELT}"),
            "3 unknown-holder: unknown holder or group `crew`",
        ),
        (
            format!("[recipe.r]\nat = \"rack\"\n{MELT}"),
            "4 not-admitted: `water` of recipe `r` is not admitted by `rack`, where it would go",
        ),
        (
            format!("[recipe.r]\nat = \"stove\"\n{}", MELT.replace("2 snow", "2 snow\", \"1 snow")),
            "3 duplicate: recipe `r` names `snow` twice",
        ),
        (
            format!("[recipe.r]\nat = \"stove\"\n{}", MELT.replace("2 snow", "0 snow")),
            "3 bad-portion: `0 snow` is not a count and a kind or a filter",
        ),
        (
            format!("[recipe.r]\nat = \"stove\"\n{}", MELT.replace("2 snow", "2 sno")),
            "3 unknown-name: unknown tag, mark or kind `sno`",
        ),
        (
            "[recipe.r]\nat = \"stove\"\ninputs = 5\noutputs = [\"1 water\"]".into(),
            "3 wrong-type: `inputs` of recipe `r` must be",
        ),
        (format!("[recipe.r]\nat = 5\n{MELT}"), "2 wrong-type: `at` of recipe `r` must be"),
        (
            format!("[recipe.r]\nat = \"stove\"\n{}", MELT.replace("2 snow", "+2 snow")),
            "3 bad-portion: `+2 snow` is not a count and a kind or a filter",
        ),
        (
            format!("[recipe.r]\nat = \"stove\"\n{}", MELT.replace("2 snow", "99999999999 snow")),
            "3 bad-portion: `99999999999 snow` is not a count and a kind or a filter",
        ),
        (
            format!("[recipe.r]\nat = \"stove\"\n{}", MELT.replace("2 snow", "2 snow and")),
            "3 bad-filter: syntax error in a filter: ",
        ),
    ] {
        let found = faults_after(KINDS, &recipe);
        assert!(found.len() == 1 && found[0].starts_with(expected), "{recipe}\n{found:#?}\nis not {expected}");
    }
}

#[test]
fn recipes_that_cannot_be_carried_out_are_warned_of() {
    let warnings = |text: &str| -> Vec<String> {
        let rules = Ruleset::from_toml("rules.toml", &format!("{KINDS}[recipe.r]\n{text}"));
        let rules = rules.unwrap_or_else(|errors| panic!("{errors}"));
        rules.lint().iter().filter(|it| it.code() == "never-made").map(|it| it.label_text().to_owned()).collect()
    };
    assert_eq!(warnings(&format!("at = \"stove\"\n{MELT}")), [""; 0]);
    assert_eq!(warnings("at = \"stove\"\ninputs = [\"1 logbook\"]\noutputs = [\"1 pot\"]"), ["`logbook` is protected"]);
    let pots = |inputs: &str, tools: &str, at: &str| {
        warnings(&format!("at = {at}\ninputs = [{inputs}]\ntools = [{tools}]\noutputs = [\"1 pot\"]"))
    };
    assert_eq!(pots("\"2 snow\"", "\"1 pot\"", "\"rack\""), ["`rack` admits no snow"]);
    assert_eq!(pots("\"2 snow\"", "\"1 pot\"", "[\"rack\", \"stove\"]"), [""; 0]);
    let crowded = "its inputs and tools need 4 slots; `stove` has 3";
    assert_eq!(pots("\"5 water\"", "\"2 pot\"", "\"stove\""), [crowded]);
    assert_eq!(pots("\"4 water\"", "\"2 pot\"", "\"stove\""), [""; 0]);
    assert_eq!(pots("\"4 snow\"", "", "\"box\""), ["its inputs and tools weigh more than `box` may"]);
    assert_eq!(pots("\"3 snow\"", "", "\"box\""), [""; 0]);
}

/// What changes inside a pack changes in the containers around it, though nothing crosses their
/// borders: the audit of a step took that for a move by someone who may not.
#[test]
fn a_recipe_inside_a_pack_crosses_no_border() {
    let rules = "[kind.snow]\nstack-limit = 9\n[kind.water]\n[kind.kit]\npack = \"kit\"\n[container.kit]\nslots = 2\n\
                 [container.shelf]\nslots = 2\nput-by = \"ines\"\ntake-by = \"ines\"\n[holder.mara]\n[holder.ines]\n\
                 [recipe.melt]\nat = \"kit\"\ninputs = [\"2 snow\"]\noutputs = [\"1 water\"]\n";
    let rules = Ruleset::from_toml("rules.toml", rules).unwrap_or_else(|errors| panic!("{errors}"));
    let mut world = World::new(&Arc::new(rules));
    let perform = |world: &mut World, sentence: &str| {
        let operation = sentence.parse::<NamedOperation>().unwrap().resolve(world).unwrap();
        let audit = StepAudit::before(world, &operation);
        let _ = world.perform(&operation).unwrap_or_else(|refusal| panic!("{sentence}: {}", world.explain(&refusal)));
        audit.check(world, &operation).iter().map(ToString::to_string).collect::<Vec<_>>()
    };
    for sentence in ["create 1 kit in shelf", "create 4 snow in shelf/0/", "mara crafts melt at shelf/0/"] {
        assert_eq!(perform(&mut world, sentence), [""; 0], "{sentence}");
    }
}

/// The stove has room for 8 water.
fn world() -> World {
    let start = "[start]\nstove = [\"4000000000 snow\"]\n";
    let text = format!("{KINDS}[recipe.melt]\nat = \"stove\"\n{MELT}{start}");
    World::new(&Arc::new(Ruleset::from_toml("rules.toml", &text).unwrap_or_else(|errors| panic!("{errors}"))))
}

#[test]
fn a_recipe_is_undone_and_leaves_nothing_behind() {
    let mut world = world();
    world.set_undo_limit(2);
    let before = world.snapshot();
    let operation: NamedOperation = "mara crafts up to 5 melt at stove".parse().unwrap();
    let operation = operation.resolve(&world).unwrap();
    let outcome = world.perform(&operation).unwrap();
    assert_eq!((outcome.done(), outcome.requested()), (5, Some(5)));
    assert!(world.check_indexes().is_empty());
    world.undo(outcome.revision()).unwrap();
    assert_eq!(world.snapshot(), before);
    assert!(world.check_indexes().is_empty());
}

/// There are inputs for two billion times, and room for eight: each number is not tried.
#[test]
fn the_number_of_times_is_found_at_once() {
    let world = world();
    let (melt, stove) = (world.rules().find_recipe("melt").unwrap(), world.container("stove").unwrap());
    let huge = Operation::crafting(Amount::Exactly(u32::MAX), melt, stove);
    let refusal = world.dry_run(&huge).unwrap_err();
    assert_eq!((refusal.reason(), refusal.max_amount()), (Reason::NotEnough, 8));
    let all = world.dry_run(&Operation::crafting(Amount::UpTo(u32::MAX), melt, stove)).unwrap();
    assert_eq!(all.done(), 8);
}

/// The container is over its weight cap before and after, and less so after: only the cap counts.
#[test]
fn an_excess_that_shrinks_is_not_among_the_reasons() {
    let rules = |limits: &str, start: &str| {
        let kinds =
            "format = 1\n[kind.lead]\nstack-limit = 9\nweight = 1\n[kind.dust]\nstack-limit = 9\nweight = 0.001\n";
        let recipe = "[recipe.grind]\nat = \"bin\"\ninputs = [\"3 lead\"]\noutputs = [\"2 dust\"]\n";
        let text = format!("{kinds}[container.bin]\nslots = 3\n{limits}{recipe}{start}");
        Arc::new(Ruleset::from_toml("rules.toml", &text).unwrap_or_else(|errors| panic!("{errors}")))
    };
    let narrow = rules("weight-cap = 3\ncaps = [{ of = \"dust\", count = 1 }]\n", "");
    let (save, _) =
        Save::of(&World::new(&rules("", "[start]\nbin = [\"6 lead\"]\n"))).migrate(&narrow).expect("migrated");
    let world = save.world(&narrow).expect("a world");
    let operation: NamedOperation = "craft grind at bin".parse().unwrap();
    let reply = world.ask(&operation.resolve(&world).unwrap());
    let reasons: Vec<Reason> = reply.causes().iter().map(hypotheke::Cause::reason).collect();
    assert_eq!(reasons, [Reason::Cap]);
}

/// The cycle of a ruleset that gains: what it gains, and its steps.
fn cycles(text: &str) -> Vec<(String, String)> {
    let kinds = "format = 1\n[kind.coin]\n[kind.log]\ntags = [\"wood\"]\n[kind.plank]\ntags = [\"wood\"]\nvalue = 3\n[kind.stick]\n[kind.chair]\nvalue = 10\n\
                 [container.bench]\nslots = 9\n[container.stall]\nslots = 9\n[container.kiosk]\nslots = 9\n[container.bag]\nslots = 2\n\
                 [holder.mara]\ncarries = [\"bag\"]\n";
    let rules = Ruleset::from_toml("rules.toml", &format!("{kinds}{text}")).unwrap_or_else(|errors| panic!("{errors}"));
    let lint = rules.lint();
    let found = lint.iter().filter(|it| it.code() == "gaining-cycle");
    found.map(|it| (it.message().to_owned(), it.help_text().expect("its steps").to_owned())).collect()
}

fn recipe(name: &str, inputs: &str, outputs: &str) -> String {
    format!("[recipe.{name}]\nat = \"bench\"\ninputs = [{inputs}]\noutputs = [{outputs}]\n")
}

fn price(name: &str, at: &str, of: &str, verb: &str, factor: &str) -> String {
    format!(
        "[deal.{name}]\nat = \"{at}\"\nof = \"{of}\"\ncurrency = \"coin\"\n{verb} = {{ factor = {factor}, round = \"up\" }}\n"
    )
}

#[test]
fn a_cycle_of_recipes_that_gains_is_warned_of() {
    let saw = recipe("saw", "\"1 plank\"", "\"2 stick\"");
    let gains = cycles(&[saw.clone(), recipe("glue", "\"1 stick\"", "\"1 plank\"")].concat());
    let steps = "Its steps: recipe saw; recipe glue. Let one of them take more or give less";
    assert_eq!(gains, [("a cycle gains 1 stick".to_owned(), steps.to_owned())]);
    assert_eq!(cycles(&[saw.clone(), recipe("glue", "\"2 stick\"", "\"1 plank\"")].concat()), []);
    assert_eq!(cycles(&saw), [], "nothing makes planks");
    // 3 logs make 7 sticks, and 6 of them make the logs again.
    let uneven = [recipe("split", "\"3 log\"", "\"7 stick\""), recipe("bind", "\"2 stick\"", "\"1 log\"")].concat();
    let found = cycles(&uneven);
    assert_eq!(found[0].0, "a cycle gains 1 stick");
    assert!(found[0].1.starts_with("Its steps: recipe split; 3 times recipe bind."), "{found:?}");
    // What a filter takes may be either kind.
    let any = [recipe("chip", "\"1 wood\"", "\"2 stick\""), recipe("glue", "\"1 stick\"", "\"1 plank\"")].concat();
    assert_eq!(cycles(&any).len(), 1);
    let other =
        [recipe("chip", "\"1 wood and not plank\"", "\"2 stick\""), recipe("glue", "\"1 stick\"", "\"1 plank\"")];
    assert_eq!(cycles(&other.concat()), [], "nothing makes logs");
}

/// What `check` could not look at, it names.
#[test]
fn too_many_recipes_or_too_large_numbers_are_not_examined() {
    let warnings = |recipes: &[(usize, usize, usize)], kinds: usize| -> Vec<String> {
        let kinds = (0..kinds).map(|kind| format!("[kind.k{kind}]\n")).collect::<String>();
        let recipe = |(nth, (taken, given, made)): (usize, &(usize, usize, usize))| {
            recipe(&format!("r{nth}"), &format!("\"{taken} k{nth}\""), &format!("\"{given} k{made}\""))
        };
        let recipes = recipes.iter().enumerate().map(recipe).collect::<String>();
        let text = format!("format = 1\n{kinds}[container.bench]\nslots = 9\n{recipes}");
        let rules = Ruleset::from_toml("rules.toml", &text).unwrap_or_else(|errors| panic!("{errors}"));
        let lint = rules.lint();
        lint.iter()
            .filter(|it| it.code() != "never-made")
            .map(|it| format!("{}: {}", it.code(), it.message()))
            .collect()
    };
    let ring = |length: usize| (0..length).map(|nth| (1, 1, (nth + 1) % length)).collect::<Vec<_>>();
    assert_eq!(warnings(&ring(400), 400), [""; 0], "a ring that gains nothing");
    assert_eq!(warnings(&ring(401), 401), ["not-examined: 401 recipes and deals lead into each other"]);
    let large = [(99_971, 99_991, 1), (99_961, 99_989, 2), (99_929, 99_931, 0)];
    assert_eq!(warnings(&large, 3), ["not-examined: a cycle may gain, by numbers that are too large to be added up"]);
    // As much comes out as goes in, of billions.
    assert_eq!(warnings(&[(4_000_000_000, 3, 1), (3, 4_000_000_000, 0)], 2), [""; 0]);
}

#[test]
fn buying_for_less_than_is_paid_elsewhere_is_warned_of() {
    let buys = price("buys", "stall", "plank", "buy", "1");
    let found = cycles(&[buys.clone(), price("sells", "kiosk", "plank", "sell", "1.2")].concat());
    let steps = "Its steps: buy 1 plank at stall; sell 1 plank at kiosk. Let one of them take more or give less";
    assert_eq!(found, [("a cycle gains 1 coin".to_owned(), steps.to_owned())]);
    assert_eq!(cycles(&[buys.clone(), price("sells", "kiosk", "plank", "sell", "1")].concat()), []);
    let nobody = price("sells", "kiosk", "plank", "sell", "2").replace("of =", "by = \"nobody\"\nof =");
    assert_eq!(cycles(&[buys.clone(), nobody].concat()), []);
    // Three planks cost 9 and make a chair that sells for 10.
    let chair =
        [buys.clone(), recipe("join", "\"3 plank\"", "\"1 chair\""), price("sells", "kiosk", "chair", "sell", "1")];
    let found = cycles(&chair.concat());
    assert_eq!(found[0].0, "a cycle gains 1 coin");
    assert!(found[0].1.contains("recipe join") && found[0].1.contains("3 times buy 1 plank at stall"), "{found:?}");
    let dear = [buys, recipe("join", "\"4 plank\"", "\"1 chair\""), price("sells", "kiosk", "chair", "sell", "1")];
    assert_eq!(cycles(&dear.concat()), []);
    let lots = "[deal.a]\nat = \"stall\"\ngives = [\"3 log\"]\ntakes = [\"2 coin\"]\n\
                [deal.b]\nat = \"kiosk\"\ngives = [\"1 coin\"]\ntakes = [\"1 log\"]\n";
    assert_eq!(cycles(lots).len(), 1);
}
