//! The operations that a search tries, held against a plain enumerator, on random worlds of random
//! rulesets: the outcomes must be equal, state by state, with and without reductions.
//!
//! The long form takes any number of rulesets, in shards that can be run one after the other or at
//! once: `RULESETS=20000 SHARD=3/10 cargo test --release -p hypotheke --test main transitions --
//! --nocapture`.

use std::collections::{BTreeMap, BTreeSet};
use std::sync::Arc;

use hypotheke::explore::{Canonical, Claim, ClaimKind, ClaimsFile, Effects, Exploration, SlotOrder, Verb};
use hypotheke::snapshot::{Container, InSlot, Pack};
use hypotheke::text::Source;
use hypotheke::{
    Action, Amount, ContainerDef, ContainerId, Decimal, KindId, LiftAmount, MarkId, NamedOperation, Operation, Place,
    Right, Ruleset, Snapshot, StackId, World, audit,
};
use proptest::strategy::{Strategy, ValueTree};
use proptest::test_runner::{Config, RngAlgorithm, TestRng, TestRunner};

use crate::agreement::{any_rules, refit, rules_text};
use crate::model::{Access, ContainerSpec, Rules};
use crate::plain::{Tried, label, number_properties};

/// Random numbers of a seed: SplitMix64 (Steele, Lea, Flood 2014).
pub(crate) struct Random(u64);

impl Random {
    pub(crate) fn new(seed: u64) -> Random {
        Random(seed)
    }

    pub(crate) fn below(&mut self, count: usize) -> usize {
        self.0 = self.0.wrapping_add(0x9e37_79b9_7f4a_7c15);
        let mut mixed = self.0;
        mixed = (mixed ^ (mixed >> 30)).wrapping_mul(0xbf58_476d_1ce4_e5b9);
        mixed = (mixed ^ (mixed >> 27)).wrapping_mul(0x94d0_49bb_1331_11eb);
        usize::try_from((mixed ^ (mixed >> 31)) % count.max(1) as u64).unwrap()
    }

    fn one_in(&mut self, count: usize) -> bool {
        self.below(count) == 0
    }

    fn one_of<'t, T>(&mut self, list: &'t [T]) -> Option<&'t T> {
        list.get(self.below(list.len()))
    }
}

/// The seeds of this run: all of them in CI, a shard of more of them in the long form.
pub(crate) fn seeds(short: u64) -> impl Iterator<Item = u64> {
    let variable = |name: &str| std::env::var(name).ok();
    let count = variable("RULESETS").and_then(|count| count.parse().ok()).unwrap_or(short);
    let shard = variable("SHARD").unwrap_or_else(|| "1/1".to_owned());
    let (shard, shards) = shard.split_once('/').expect("SHARD is written as 3/10");
    let (shard, shards): (u64, u64) = (shard.parse().unwrap(), shards.parse().unwrap());
    let one: Option<u64> = variable("SEED").and_then(|seed| seed.parse().ok());
    let range = one.map_or(0..count, |seed| seed..seed + 1);
    range.filter(move |seed| one.is_some() || seed % shards == shard - 1)
}

/// Rules with few and small containers.
fn small(mut rules: Rules, random: &mut Random) -> Rules {
    let shrink = |spec: &mut ContainerSpec, most: usize| {
        spec.ruled.truncate(most);
        spec.slots = spec.slots.min(most).max(spec.ruled.len()).max(1);
        let (min, max) = spec.bounds;
        spec.bounds = (min.min(spec.slots), max.clamp(spec.slots, spec.slots + 1));
        if spec.ruled.iter().any(|rule| rule.name.is_some() || rule.filter.is_some() || rule.limit.is_some()) {
            spec.bounds.0 = spec.slots;
        }
    };
    // Rules that stand in the way of all else are rarer than where single operations are tested.
    for spec in rules.containers.iter_mut().chain(&mut rules.packs) {
        let most = 1 + random.below(3);
        shrink(spec, most);
        if !random.one_in(3) {
            (spec.filter, spec.cap, spec.deep) = (None, None, false);
            spec.caps.clear();
            spec.ruled.clear();
        }
        if !random.one_in(2) {
            (spec.must_open, spec.exclusive) = (false, false);
        }
        if !random.one_in(3) {
            let default = if spec.holder.is_some() { Access::owner() } else { Access::Anyone };
            (spec.put, spec.take, spec.open) = (default.clone(), default.clone(), default);
        }
    }
    for spec in &mut rules.packs {
        shrink(spec, 2);
    }
    for kind in &mut rules.kinds {
        kind.limit = kind.limit.min(4);
        if !random.one_in(3) {
            kind.needs.clear();
        }
        kind.is_protected &= random.one_in(3);
    }
    for (cap, caps) in &mut rules.holders {
        if !random.one_in(3) {
            *cap = None;
            caps.clear();
        }
    }
    rules.nesting = rules.nesting.max(2);
    refit(&mut rules);
    rules
}

/// Something has to be opened, or only some may use it or one of its slots.
fn is_for_some(rules: &Ruleset, def: &ContainerDef) -> bool {
    let listed = |slot: hypotheke::SlotRule<'_>| {
        [Right::Put, Right::Take].into_iter().any(|right| matches!(slot.access(right), hypotheke::Access::Listed(_)))
    };
    let lists = |right: Right| match def.access(right) {
        // It keeps the game out too.
        hypotheke::Access::Nobody => right == Right::Open,
        access => *access != def.default_access(),
    };
    let by_slots = rules.slot_rules(def).any(listed);
    by_slots || def.must_be_opened() || def.is_exclusive() || Right::ALL.into_iter().any(lists)
}

/// Everything that a ruleset has, and all verbs.
fn everything(rules: &Arc<Ruleset>, world: &World) -> Tried {
    let kinds: Vec<KindId> =
        rules.kinds().filter(|kind| !kind.id().starts_with("lists")).map(hypotheke::Kind::handle).collect();
    let marks: Vec<MarkId> = ["m0", "m1"].into_iter().filter_map(|name| rules.find_mark(name)).collect();
    Tried {
        verbs: Verb::ALL
            .into_iter()
            .filter(|verb| !matches!(verb, Verb::Together | Verb::Depart | Verb::Arrive))
            .collect(),
        actors: world.holders().collect(),
        game_acts: true,
        whole_places: true,
        every_amount: true,
        hands: true,
        // Who acts matters where something has to be opened, or is not for everybody.
        doors: world.holders().count() > 1
            || rules.containers().iter().any(|def| is_for_some(rules, def))
            || rules.recipes().iter().any(|recipe| *recipe.by() != hypotheke::Access::Anyone),
        containers: world.containers().filter(|&at| world.container_name(at) != "names").collect(),
        marks: marks.clone(),
        unmarks: marks,
        values: number_properties(world).into_iter().map(|property| (property, Decimal::from(1u32))).collect(),
        created: kinds.iter().map(|&kind| (kind, 5)).collect(),
        consumed: kinds,
        each_tick: false,
    }
}

/// A ruleset, an exploration with a random scope, and the same scope for the plain enumerator.
pub(crate) struct Case {
    pub(crate) rules: Arc<Ruleset>,
    /// The same for the model, if it was drawn.
    pub(crate) model: Option<Rules>,
    pub(crate) text: String,
    claims: String,
    pub(crate) exploration: Exploration,
    pub(crate) tried: Tried,
    pub(crate) start: World,
    pub(crate) random: Random,
}

const CLAIMS: &str = "always\n  count of k0 <= 2\n  no m0 lies with k1\n  count of t0 in all containers <= 3\n  free slots of c0 >= 1\n\
                      possible\n  count of k1 in c0 = 2\n  count of k0 in ground >= 2\n  weight of c0 >= 2\n";

impl Case {
    pub(crate) fn of_seed(seed: u64) -> Case {
        let mut bytes = [0; 32];
        bytes[..8].copy_from_slice(&seed.to_le_bytes());
        let mut runner = TestRunner::new_with_rng(Config::default(), TestRng::from_seed(RngAlgorithm::ChaCha, &bytes));
        let mut random = Random(seed);
        let drawn = any_rules().new_tree(&mut runner).expect("rules").current();
        let drawn = small(drawn, &mut random);
        let text = rules_text(&drawn);
        let rules =
            Arc::new(Ruleset::from_toml("rules.toml", &text).unwrap_or_else(|errors| panic!("{errors}\n{text}")));
        Case { model: Some(drawn), ..Case::of(rules, text, random) }
    }

    fn of_text(text: &str, seed: u64) -> Case {
        let rules = Ruleset::from_toml("rules.toml", text).unwrap_or_else(|errors| panic!("{errors}"));
        Case::of(Arc::new(rules), text.to_owned(), Random(seed))
    }

    /// The same with nothing but what the operations bring.
    fn starting_with(mut self, operations: &[&str]) -> Case {
        let mut world = World::new(&self.rules);
        for text in operations {
            let operation: NamedOperation = text.parse().unwrap_or_else(|error| panic!("{text}: {error}"));
            let operation = operation.resolve(&world).unwrap_or_else(|error| panic!("{text}: {error}"));
            world
                .perform(&operation)
                .map(|_| ())
                .unwrap_or_else(|refusal| panic!("{text}: {}", world.explain(&refusal)));
        }
        self.tried.rename(&self.start, &world);
        self.start = world;
        self
    }

    fn of(rules: Arc<Ruleset>, text: String, mut random: Random) -> Case {
        let mut world = Exploration::of(&rules).start().clone();
        let all = everything(&rules, &world);
        let mut tried = all.clone();
        // A third of the verbs: one that is rare meets the others sooner or later.
        tried.verbs.retain(|_| random.one_in(3));
        let keep = |verbs: &BTreeSet<Verb>, verb| verbs.contains(&verb);
        for (verb, list) in [(Verb::Mark, &mut tried.marks), (Verb::Unmark, &mut tried.unmarks)] {
            list.truncate(if keep(&tried.verbs, verb) { 1 } else { 0 });
        }
        tried.created.retain(|_| keep(&tried.verbs, Verb::Create) && random.one_in(2));
        tried.consumed.retain(|_| keep(&tried.verbs, Verb::Consume) && random.one_in(2));
        tried.values.truncate(if keep(&tried.verbs, Verb::Set) { 1 } else { 0 });
        for (verb, is_empty) in [
            (Verb::Mark, tried.marks.is_empty()),
            (Verb::Unmark, tried.unmarks.is_empty()),
            (Verb::Create, tried.created.is_empty()),
            (Verb::Consume, tried.consumed.is_empty()),
            (Verb::Set, tried.values.is_empty()),
        ] {
            if is_empty {
                tried.verbs.remove(&verb);
            }
        }
        let is_orderly = random.one_in(2);
        if is_orderly {
            // No verb that reads a slot order or uses a hand.
            let reads = |verb: &Verb| verb.effects().hand || verb.effects().slot_order != SlotOrder::None;
            tried.verbs.retain(|verb| !reads(verb));
            tried.marks.clear();
            tried.unmarks.clear();
            tried.values.clear();
        }
        tried.whole_places = !is_orderly && random.one_in(3);
        tried.every_amount = random.one_in(4);
        tried.game_acts = random.one_in(2) || tried.actors.is_empty();
        if tried.actors.len() > 1 && random.one_in(3) {
            tried.actors.pop();
        }
        if random.one_in(3) {
            tried.containers.retain(|_| !random.one_in(3));
        }
        if tried.containers.is_empty() {
            tried.containers = all.containers.clone();
        }
        tried.each_tick = tried.verbs.contains(&Verb::Wait) && random.one_in(2);
        let claims = format!("{}{CLAIMS}", tried.text(&world));
        let file = ClaimsFile::parse(Source::new("a.claims", &*claims)).unwrap_or_else(|errors| panic!("{errors}"));
        let exploration = Exploration::new(&rules, &file).unwrap_or_else(|errors| panic!("{errors}\n{text}"));
        let scoped = std::mem::replace(&mut world, exploration.start().clone());
        tried.rename(&scoped, &world);
        // The world that it starts from is anything that operations lead to.
        let steps = 4 + random.below(16);
        let setup = Setup::of(&rules, &world);
        for _ in 0..steps {
            setup.step(&mut world, &mut random);
        }
        let hand_verbs = [Verb::Lift, Verb::Put, Verb::Return, Verb::Leave];
        let held = world.holders().any(|holder| world.hand(holder).is_some());
        tried.hands = held || hand_verbs.iter().any(|verb| tried.verbs.contains(verb));
        let exploration = exploration.starting_at(world.clone());
        Case { rules, model: None, text, exploration, claims, tried, start: world, random }
    }
}

impl Case {
    /// What each claim says.
    pub(crate) fn kinds(&self) -> Vec<ClaimKind> {
        let file = ClaimsFile::parse(Source::new("a.claims", &*self.claims)).expect("claims");
        file.claims().iter().map(Claim::kind).collect()
    }

    /// The ruleset, the scope and a world, to print a failure.
    pub(crate) fn shown(&self, world: &World) -> String {
        match std::env::var("SEED") {
            Ok(_) => {
                format!("{}{}{}", self.text, self.tried.text(world), serde_json::to_string(&world.snapshot()).unwrap())
            }
            Err(_) => "`SEED` with its number shows the rules and the world".to_owned(),
        }
    }
}

/// Fails with the first failures, if there are any.
pub(crate) fn report(failures: &[String]) {
    let first = failures.iter().take(8).cloned().collect::<Vec<_>>().join("\n\n");
    assert!(failures.is_empty(), "{} failures\n{first}", failures.len());
}

/// Fills a world: everything that a ruleset has.
struct Setup(Tried);

impl Setup {
    fn of(rules: &Arc<Ruleset>, world: &World) -> Setup {
        Setup(everything(rules, world))
    }

    /// One operation that is applied, if one is found.
    fn step(&self, world: &mut World, random: &mut Random) {
        // Verb by verb, so that those with few operations are met as often as the others.
        let verbs: Vec<Verb> = self.0.verbs.iter().copied().collect();
        for _ in 0..6 {
            let verb = if random.one_in(3) { Verb::Create } else { *random.one_of(&verbs).expect("a verb") };
            let one = Tried { verbs: BTreeSet::from([verb]), every_amount: false, ..self.0.clone() };
            let operations = one.operations(world);
            let Some(operation) = random.one_of(&operations) else { continue };
            if world.perform(operation).is_ok() {
                return;
            }
        }
    }
}

/// The result of an operation: the parts that a claim can see, and the state after it.
type Outcomes = BTreeMap<(String, Vec<u8>), Operation>;

fn outcomes(
    world: &World,
    operations: &[Operation],
    place: &dyn Fn(Place) -> String,
    key: &mut dyn FnMut(&World) -> Vec<u8>,
) -> Outcomes {
    let mut after = world.clone();
    after.set_undo_limit(1);
    let mut found = Outcomes::new();
    for operation in operations {
        if after.perform(operation).is_ok() {
            found.entry((label(world, operation, place), key(&after))).or_insert_with(|| operation.clone());
            after.undo(after.revision()).expect("the latest operation");
        }
    }
    found
}

/// What is only in one of two sets of outcomes.
fn difference(ours: &Outcomes, plain: &Outcomes) -> Option<String> {
    let only = |these: &Outcomes, those: &Outcomes| -> Vec<String> {
        let missing = these.iter().filter(|(outcome, _)| !those.contains_key(*outcome));
        missing.map(|((label, _), operation)| format!("{label}   {operation:?}")).collect()
    };
    let (missing, extra) = (only(plain, ours), only(ours, plain));
    (!missing.is_empty() || !extra.is_empty()).then(|| {
        let shown = |list: &[String]| list.iter().take(4).cloned().collect::<Vec<_>>().join("\n  ");
        let counts = (missing.len(), extra.len());
        format!("{} not tried:\n  {}\n{} out of scope:\n  {}", counts.0, shown(&missing), counts.1, shown(&extra))
    })
}

/// The name of a place without ids, since they are not part of a state.
fn exact_place(world: &World) -> impl Fn(Place) -> String + '_ {
    |place| {
        let name = world.place_name(place);
        let part = |part: &str| if part.starts_with('#') { "#".to_owned() } else { part.to_owned() };
        name.split('/').map(part).collect::<Vec<_>>().join("/")
    }
}

#[test]
fn without_reductions_a_search_tries_exactly_what_the_scope_allows() {
    let (mut worlds, mut tried, mut failures) = (0, 0, Vec::new());
    for seed in seeds(1_250) {
        let mut case = Case::of_seed(seed);
        let exploration = case.exploration.clone().without_symmetry();
        let mut space = exploration.states();
        let mut world = case.start.clone();
        for _ in 0..3 {
            let here = world.clone();
            let place = exact_place(&here);
            let (plain, ours) = (case.tried.operations(&world), space.operations(&world));
            let mut key = |world: &World| space.key(world);
            let (plain, ours) = (outcomes(&world, &plain, &place, &mut key), outcomes(&world, &ours, &place, &mut key));
            if let Some(differs) = difference(&ours, &plain) {
                failures.push(format!("seed {seed}: {differs}\n{}", case.shown(&world)));
                break;
            }
            (worlds, tried) = (worlds + 1, tried + plain.len());
            let next: Vec<&Operation> = plain.values().collect();
            let Some(operation) = case.random.one_of(&next) else { break };
            let operation = (*operation).clone();
            world.perform(&operation).map(|_| ()).expect("it was applied earlier");
        }
    }
    println!("{worlds} worlds, {tried} outcomes");
    report(&failures);
}

/// The container of a place, without the slot.
fn coarse_place(world: &World) -> impl Fn(Place) -> String + '_ {
    |place| match place {
        Place::Slot(container, _) => coarse_container(world, container),
        Place::Container(container) => format!("all of {}", coarse_container(world, container)),
        Place::OnGround(_) => "ground".to_owned(),
        place => world.place_name(place),
    }
}

fn coarse_container(world: &World, container: ContainerId) -> String {
    match world.place_of_pack(container) {
        None => world.container_name(container),
        Some(pack) => {
            let kind = world.stacks_in(Some(pack))[0].kind().id();
            format!("{kind} in {}", coarse_place(world)(pack))
        }
    }
}

#[test]
fn with_reductions_a_search_reaches_what_the_scope_allows() {
    let (mut worlds, mut reduced, mut failures) = (0, 0, Vec::new());
    for seed in seeds(1_250) {
        let mut case = Case::of_seed(seed);
        let mut space = case.exploration.states();
        let mut world = case.start.clone();
        for _ in 0..3 {
            let here = world.clone();
            let place = coarse_place(&here);
            let (plain, ours) = (case.tried.operations(&here), space.operations(&here));
            let mut key = |world: &World| space.key(world);
            let (plain, ours) = (outcomes(&here, &plain, &place, &mut key), outcomes(&here, &ours, &place, &mut key));
            if let Some(differs) = difference(&ours, &plain) {
                failures.push(format!("seed {seed}: {differs}\n{}", case.shown(&here)));
                break;
            }
            (worlds, reduced) = (worlds + 1, reduced + usize::from(space.is_symmetric()));
            let next: Vec<&Operation> = plain.values().collect();
            let Some(operation) = case.random.one_of(&next) else { break };
            world.perform(operation).map(|_| ()).expect("it was applied earlier");
        }
    }
    println!("{worlds} worlds, {reduced} of them with symmetry");
    report(&failures);
    assert!(reduced * 10 > worlds, "{reduced} of {worlds}");
}

/// Whether no slot has a name, a filter or a limit of its own.
fn has_plain_slots(rules: &Ruleset, def: &ContainerDef) -> bool {
    rules.slot_rules(def).all(|rule| rule.name().is_none() && rule.admits().is_none() && rule.stack_limit().is_none())
}

/// Which containers of a snapshot are shuffled.
#[derive(Clone, Copy, PartialEq, Eq)]
enum Shuffled {
    Standing,
    Carried,
    All,
}

/// The same world with its stacks in other slots, where slots have no rules of their own, and the
/// ground in a different order.
fn shuffled(world: &World, which: Shuffled, random: &mut Random) -> Option<World> {
    let rules = world.rules();
    let mut snapshot = world.snapshot();
    let is_plain = |name: &str| {
        let def = rules.containers().iter().find(|def| def.id() == name).expect("a definition");
        has_plain_slots(rules, def)
    };
    let shuffle = |slots: u32, stacks: &mut Vec<InSlot>, random: &mut Random| {
        let mut free: Vec<u32> = (0..slots).collect();
        for stack in stacks.iter_mut().filter(|stack| !stack.in_work) {
            stack.slot = free.swap_remove(random.below(free.len()));
        }
        stacks.sort_by_key(|stack| (stack.in_work, stack.slot));
    };
    if which != Shuffled::Carried {
        for container in snapshot.containers.iter_mut().filter(|container| is_plain(&container.definition)) {
            shuffle(container.slots, &mut container.stacks, random);
        }
        for nth in (1..snapshot.ground.len()).rev() {
            snapshot.ground.swap(nth, random.below(nth + 1));
        }
    }
    if which != Shuffled::Standing {
        let carried = snapshot.holders.iter_mut().flat_map(|holder| &mut holder.containers);
        for container in carried.filter(|container| is_plain(&container.definition)) {
            shuffle(container.slots, &mut container.stacks, random);
        }
        let kinds: BTreeMap<StackId, String> =
            world.all_stacks_in(None).iter().map(|stack| (stack.id(), stack.kind().id().to_owned())).collect();
        for pack in &mut snapshot.packs {
            let kind = rules.find_kind(&kinds[&pack.pack]).expect("a kind");
            let def = rules.kind(kind).expect("a kind of these rules").pack().expect("a pack");
            if has_plain_slots(rules, def) {
                shuffle(pack.slots, &mut pack.stacks, random);
            }
        }
    }
    World::from_snapshot(rules, &snapshot).ok()
}

/// The same world with different ids.
fn renamed(world: &World) -> World {
    let text = serde_json::to_string(&world.snapshot()).expect("plain data");
    let ids: BTreeSet<String> = world.all_stacks_in(None).iter().map(|stack| format!("\"{}\"", stack.id())).collect();
    let other = ids.iter().rev().map(|id| id.replace('#', "#new"));
    let mut text = ids.iter().zip(other).fold(text, |text, (id, new)| {
        let inside = |id: &str| format!("{}/", id.trim_end_matches('"'));
        text.replace(id, &new).replace(&inside(id), &inside(&new))
    });
    text = text.replace("#new", "#");
    World::from_snapshot(world.rules(), &serde_json::from_str(&text).expect("plain data")).expect("the same world")
}

#[test]
fn states_that_are_taken_for_one_have_the_same_outcomes() {
    let (mut pairs, mut failures) = (0, Vec::new());
    for seed in seeds(850) {
        let mut case = Case::of_seed(seed);
        // Worlds that are made from snapshots have their containers in the same places.
        let world = World::from_snapshot(&case.rules, &case.start.snapshot()).expect("a snapshot of a world");
        let mut space = case.exploration.clone().starting_at(world.clone()).states();
        let same_ids = renamed(&world);
        assert_eq!(
            Canonical::of(world.rules(), &world.snapshot()),
            Canonical::of(same_ids.rules(), &same_ids.snapshot()),
            "seed {seed}"
        );
        assert_eq!(space.key(&world), space.key(&same_ids), "seed {seed}: ids do not belong to a state");
        let twins = (0..4).filter_map(|_| shuffled(&world, Shuffled::All, &mut case.random)).map(|it| renamed(&it));
        for twin in [same_ids.clone()].into_iter().chain(twins.collect::<Vec<_>>()) {
            if space.key(&twin) != space.key(&world) {
                continue;
            }
            pairs += 1;
            let mut of = |world: &World| {
                let mut tried = case.tried.clone();
                tried.rename(&case.start, world);
                outcomes(world, &tried.operations(world), &coarse_place(world), &mut |world| space.key(world))
            };
            let (here, there) = (of(&world), of(&twin));
            let laws = |world: &World| -> BTreeSet<String> {
                audit(world.rules(), &world.snapshot()).iter().map(|found| format!("{:?}", found.law())).collect()
            };
            let differs = difference(&here, &there).or_else(|| {
                let is_same = space.claims(&world) == space.claims(&twin) && laws(&world) == laws(&twin);
                (!is_same).then(|| "a claim or the audit tells them apart".to_owned())
            });
            if let Some(differs) = differs {
                failures.push(format!("seed {seed}: {differs}\n{}{}", case.shown(&world), case.shown(&twin)));
                break;
            }
        }
    }
    println!("{pairs} pairs");
    report(&failures);
    assert!(pairs > 400, "{pairs} pairs");
}

#[test]
fn keys_are_equal_where_canonical_forms_are() {
    for seed in seeds(300) {
        let case = Case::of_seed(seed);
        let mut space = case.exploration.clone().without_symmetry().states();
        let (mut by_key, mut by_form) = (BTreeMap::new(), BTreeMap::new());
        let mut world = case.start.clone();
        world.set_undo_limit(1);
        let mut compared = vec![case.start.snapshot()];
        for operation in case.tried.operations(&world.clone()).iter().take(150) {
            if world.perform(operation).is_err() {
                continue;
            }
            let snapshot = world.snapshot();
            let (key, form) = (space.key(&world), Canonical::of(world.rules(), &snapshot));
            if compared.len() == 1 && works(&snapshot) {
                compared.push(snapshot);
            }
            assert_eq!(by_key.entry(key.clone()).or_insert_with(|| form.clone()), &form, "seed {seed}");
            assert_eq!(by_form.entry(form).or_insert_with(|| key.clone()), &key, "seed {seed}");
            world.undo(world.revision()).expect("the latest operation");
        }
        // Worlds with one difference. Those that are made from snapshots have their
        // containers in the same places.
        for snapshot in compared {
            let world = World::from_snapshot(&case.rules, &snapshot).expect("a snapshot of a world");
            let mut space = case.exploration.clone().starting_at(world).without_symmetry().states();
            let (mut by_key, mut by_form) = (BTreeMap::new(), BTreeMap::new());
            for snapshot in [snapshot.clone()].into_iter().chain(with_one_difference(&case, &snapshot)) {
                let Ok(world) = World::from_snapshot(&case.rules, &snapshot) else { continue };
                let (key, form) = (space.key(&world), Canonical::of(world.rules(), &world.snapshot()));
                assert_eq!(by_key.entry(key.clone()).or_insert_with(|| form.clone()), &form, "seed {seed}");
                assert_eq!(by_form.entry(form).or_insert_with(|| key.clone()), &key, "seed {seed}");
            }
        }
    }
}

/// Whether a container works on a recipe.
fn works(snapshot: &Snapshot) -> bool {
    let carried = snapshot.holders.iter().flat_map(|holder| &holder.containers);
    snapshot.containers.iter().chain(carried).any(|container| container.job.is_some())
}

/// Snapshots that differ in one of the origins, shortcuts, open containers, marks or properties, and,
/// if an operation of the scope may change them, in a meter or in the ticks that a recipe has left.
fn with_one_difference(case: &Case, snapshot: &Snapshot) -> Vec<Snapshot> {
    let changes = |is: fn(Effects) -> bool| case.tried.verbs.iter().any(|verb| is(verb.effects()));
    let takes_time = changes(|effects| effects.time);
    let mut found = Vec::new();
    let mut with = |change: &dyn Fn(&mut Snapshot)| {
        let mut changed = snapshot.clone();
        change(&mut changed);
        found.push(changed);
    };
    for holder in 0..snapshot.holders.len() {
        with(&|it| it.holders[holder].origin = None);
        for shortcut in 0..snapshot.holders[holder].shortcuts.len() {
            with(&|it| it.holders[holder].shortcuts[shortcut] = None);
        }
        with(&|it| it.holders[holder].hand.iter_mut().for_each(|stack| stack.marks.clear()));
        with(&|it| it.holders[holder].hand.iter_mut().for_each(|stack| stack.properties.clear()));
        if changes(|effects| effects.meters) {
            with(&|it| it.holders[holder].meters.values_mut().for_each(|value| *value = Decimal::from(1u32)));
        }
        if takes_time {
            with(&|it| it.holders[holder].containers.iter_mut().for_each(shorten));
        }
        with(&|it| it.holders[holder].containers.iter_mut().for_each(|it| it.opened_by.clear()));
    }
    for container in 0..snapshot.containers.len() {
        with(&|it| it.containers[container].opened_by.clear());
        with(&|it| it.containers[container].stacks.iter_mut().for_each(|it| it.stack.marks.clear()));
        with(&|it| it.containers[container].stacks.iter_mut().for_each(|it| it.stack.properties.clear()));
        if takes_time {
            with(&|it| shorten(&mut it.containers[container]));
        }
    }
    for pack in 0..snapshot.packs.len() {
        with(&|it| it.packs[pack].opened_by.clear());
    }
    found
}

/// The recipe that it works on has a tick less to go.
fn shorten(container: &mut Container) {
    container.job.iter_mut().for_each(|job| job.left = job.left.saturating_sub(1));
}

#[test]
fn a_walk_tries_nothing_that_is_out_of_scope() {
    let (mut applied, mut failures) = (0, Vec::new());
    for seed in seeds(300) {
        let mut case = Case::of_seed(seed);
        let mut space = case.exploration.clone().without_symmetry().states();
        let world = case.start.clone();
        let place = exact_place(&world);
        let plain = outcomes(&world, &case.tried.walked(&world), &place, &mut |world| space.key(world));
        for _ in 0..60 {
            let walked = case.random.below(usize::MAX) as u64;
            let Some(operation) = space.random_operation(&world, walked) else { continue };
            let ours = outcomes(&world, std::slice::from_ref(&operation), &place, &mut |world| space.key(world));
            applied += ours.len();
            if ours.keys().any(|outcome| !plain.contains_key(outcome)) {
                failures.push(format!("seed {seed}: {operation:?}\n{}", case.shown(&world)));
                break;
            }
        }
    }
    println!("{applied} operations");
    report(&failures);
    assert!(applied > 1_000, "{applied} operations");
}

/// A snapshot without ids and without the order of slots and of the ground.
fn unordered(snapshot: &Snapshot) -> String {
    let packs: BTreeMap<StackId, &Pack> = snapshot.packs.iter().map(|pack| (pack.pack, pack)).collect();
    fn stack(of: &hypotheke::snapshot::Stack, packs: &BTreeMap<StackId, &Pack>) -> String {
        let inside =
            packs.get(&of.id).map(|pack| format!("{} {:?} {}", pack.slots, pack.opened_by, all(&pack.stacks, packs)));
        format!("{} {} {:?} {:?} {inside:?}", of.kind, of.count, of.marks, of.properties)
    }
    fn all(stacks: &[InSlot], packs: &BTreeMap<StackId, &Pack>) -> String {
        let held = |it: &InSlot| if it.in_work { format!("for work, from {}: ", it.slot) } else { String::new() };
        let mut found: Vec<String> = stacks.iter().map(|it| held(it) + &stack(&it.stack, packs)).collect();
        found.sort();
        format!("{found:?}")
    }
    let mut text = String::new();
    let carried = snapshot.holders.iter().flat_map(|holder| &holder.containers);
    for container in snapshot.containers.iter().chain(carried) {
        let stacks = all(&container.stacks, &packs);
        let Container { name, slots, opened_by, job, .. } = container;
        text += &format!("{name} {slots} {opened_by:?} {stacks} {job:?}\n");
    }
    for holder in &snapshot.holders {
        let hand = holder.hand.as_ref().map(|held| stack(held, &packs));
        text += &format!("{} {hand:?} {:?}\n", holder.name, holder.shortcuts);
    }
    let mut ground: Vec<String> = snapshot.ground.iter().map(|landed| stack(&landed.stack, &packs)).collect();
    ground.sort();
    text + &format!("{ground:?}")
}

/// What an operation was seen to change beside the slots and the stacks that it names.
fn seen_changes(before: &Snapshot, after: &Snapshot, operation: &Operation) -> Vec<&'static str> {
    let mut found = Vec::new();
    let mut note = |is_seen: bool, what| found.extend(is_seen.then_some(what));
    let hands = |of: &Snapshot| -> Vec<Option<(String, u32)>> {
        of.holders.iter().map(|holder| holder.hand.as_ref().map(|held| (held.kind.clone(), held.count))).collect()
    };
    note(!names_a_hand(operation) && hands(before) != hands(after), "hand");
    let places = |of: &Snapshot| -> BTreeMap<String, (u32, Vec<String>)> {
        let carried = of.holders.iter().flat_map(|holder| {
            holder
                .containers
                .iter()
                .map(|it| (format!("{}.{}", holder.name, it.name), (it.slots, it.opened_by.clone())))
        });
        // Who owns it decides who may use it.
        let users = |it: &Container| it.opened_by.iter().chain(&it.owner).cloned().collect();
        let standing = of.containers.iter().map(|it| (it.name.clone(), (it.slots, users(it))));
        let packs = of.packs.iter().map(|it| (it.pack.to_string(), (it.slots, it.opened_by.clone())));
        standing.chain(carried).chain(packs).collect()
    };
    let (earlier, later) = (places(before), places(after));
    let mut both = earlier.iter().filter_map(|(name, was)| Some((was, later.get(name)?)));
    note(both.clone().any(|(was, is)| was.1 != is.1), "access");
    note(both.any(|(was, is)| was.0 != is.0), "size");
    let shortcuts = |of: &Snapshot| -> Vec<Option<String>> {
        of.holders.iter().flat_map(|holder| holder.shortcuts.clone()).collect()
    };
    let (was, is) = (shortcuts(before), shortcuts(after));
    let takes_last = !matches!(operation.action, Action::Bind { .. } | Action::Unbind { .. });
    note(was.iter().zip(&is).any(|(was, is)| was != is && (is.is_some() || !takes_last)), "shortcuts");
    let counts = |of: &Snapshot, on_ground: bool, with_variant: bool| -> BTreeMap<String, u32> {
        let carried = of.holders.iter().flat_map(|holder| &holder.containers);
        let in_slots = of.containers.iter().chain(carried).flat_map(|it| &it.stacks);
        let in_slots = in_slots.chain(of.packs.iter().flat_map(|it| &it.stacks)).map(|it| &it.stack);
        let held = of.holders.iter().filter_map(|holder| holder.hand.as_ref());
        let landed = of.ground.iter().map(|it| &it.stack);
        let all: Vec<_> = if on_ground { landed.collect() } else { in_slots.chain(held).chain(landed).collect() };
        let mut counts = BTreeMap::new();
        for stack in all {
            let variant = format!("{:?}{:?}", stack.marks, stack.properties);
            let name = if with_variant { format!("{}{variant}", stack.kind) } else { stack.kind.clone() };
            *counts.entry(name).or_insert(0) += stack.count;
        }
        counts
    };
    let is_same = |with_variant| counts(before, false, with_variant) == counts(after, false, with_variant);
    note(is_same(false) && !is_same(true), "variants");
    let meters = |of: &Snapshot| of.holders.iter().map(|holder| holder.meters.clone()).collect::<Vec<_>>();
    note(meters(before) != meters(after), "meters");
    let jobs = |of: &Snapshot| {
        let carried = of.holders.iter().flat_map(|holder| &holder.containers);
        of.containers.iter().chain(carried).map(|it| it.job.clone()).collect::<Vec<_>>()
    };
    note(before.clock != after.clock || jobs(before) != jobs(after), "time");
    let (was, is) = (counts(before, true, false), counts(after, true, false));
    note(is.iter().any(|(kind, count)| was.get(kind).copied().unwrap_or(0) < *count), "lands");
    found
}

fn names_a_hand(operation: &Operation) -> bool {
    let is_hand = |place: &Place| matches!(place, Place::Hand(_));
    match &operation.action {
        Action::Create { to, .. } => is_hand(to),
        Action::Consume { from, .. } | Action::Use { from, .. } | Action::Drop { from, .. } => is_hand(from),
        Action::Mark { at, .. } | Action::Unmark { at, .. } | Action::Set { at, .. } => is_hand(at),
        _ => false,
    }
}

/// What a verb states, by the names that [`seen_changes`] gives.
fn stated(effects: Effects) -> BTreeSet<&'static str> {
    let Effects { slot_order, hand, access, shortcuts, size, variants, lands, meters, time, .. } = effects;
    let changes = [
        (hand, "hand"),
        (access, "access"),
        (shortcuts, "shortcuts"),
        (size, "size"),
        (variants, "variants"),
        (lands, "lands"),
        (meters, "meters"),
        (time, "time"),
        (slot_order == SlotOrder::Any, "any slot order"),
        (slot_order != SlotOrder::None, "carried slot order"),
    ];
    changes.into_iter().filter(|(is_stated, _)| *is_stated).map(|(_, what)| what).collect()
}

/// Rules under which each verb meets what it may read and write: little room, and stacks that are
/// ejected.
const CROWDED: &str = "format = 1
[mark.m0]
[mark.m1]
[kind.k0]
stack-limit = 4
properties.p0-value = 0
tags = ['t0']
[kind.k1]
stack-limit = 4
use.effects.warmth = 1
[kind.bag]
pack = 'sack'
[container.sack]
slots = 2
[container.c0]
slots = 2
min-slots = 1
max-slots = 3
must-open = true
[container.harness]
slots = 2
worn = true
[container.box]
slots = 1
admits = 'not m0 and not p0-value >= 1'
when-unfit = 'eject'
[container.shelf]
slots = 1
admits = 'm1'
when-unfit = 'eject'
[container.pockets]
slots = 3
[holder.h0]
carries = ['harness', 'box', 'shelf', 'pockets']
shortcuts = 1
meters.warmth = { start = 0, min = 0, max = 9 }
";

/// Rules and worlds in which each deal and each trade chooses among stacks.
const MARKET: &str = "format = 1
[mark.m0]
[mark.m1]
[kind.k0]
stack-limit = 4
properties.p0-value = 0
tags = ['t0']
[kind.k1]
value = 1
stack-limit = 4
[container.c0]
slots = 4
[container.pockets]
slots = 4
[holder.trader]
copies = ['h0', 'h1']
carries = ['pockets']
[deal.d0]
at = 'c0'
of = 'k1'
currency = 'k0'
buy = { factor = 1 }
sell = { factor = 1 }
[recipe.r0]
at = 'c0'
inputs = ['2 k1']
outputs = ['1 k0']
[recipe.r1]
inputs = ['2 k1']
outputs = ['1 k0']
";

const MARKET_WORLDS: [&[&str]; 2] = [
    &[
        "create 1 k1 in c0/0",
        "create 3 k1 in c0/1",
        "create 2 k0 in c0/2",
        "create 2 k1 in h0.pockets/0",
        "create 2 k0 in h0.pockets/1",
    ],
    &[
        "create 1 k1 in h0.pockets/0",
        "create 3 k1 in h0.pockets/1",
        "create 1 k0 in h1.pockets/0",
        "create 3 k0 in h1.pockets/1",
    ],
];

/// Rules and worlds in which containers work on something.
const WORKSHOP: &str = "format = 1
[mark.m0]
[mark.m1]
[kind.k0]
tags = ['t0']
properties.p0-value = 0
stack-limit = 4
[kind.k1]
stack-limit = 4
[kind.k2]
[container.c0]
slots = 4
[container.pockets]
slots = 4
[holder.h0]
carries = ['pockets']
[recipe.r0]
at = ['c0', 'pockets']
inputs = ['2 k1']
outputs = ['1 k0']
duration = 2
";

const WORKSHOP_WORLDS: [&[&str]; 2] = [
    &[
        "create 2 k1 in c0/0",
        "craft r0 at c0",
        "create 1 k0 in c0/1",
        "create 3 k0 in c0/2",
        "create 4 k1 in h0.pockets",
    ],
    &[
        "create 2 k1 in c0/0",
        "craft r0 at c0",
        "create 1 k2 in c0/0",
        "create 1 k1 in h0.pockets/0",
        "create 3 k1 in h0.pockets/1",
    ],
];

/// What wears or falls is ejected, into pockets or onto the ground.
const WEARING: &str = "format = 1
[mark.m0]
[mark.m1]
[kind.k0]
tags = ['t0']
stack-limit = 1
properties.p0-value = 2
use = { lowers = { p0-value = 1 } }
[kind.k1]
stack-limit = 4
properties.p0-value = 2
[property.p0-value]
falls = { by = 1, every = 2 }
[container.c0]
slots = 2
[container.rack]
slots = 2
admits = 'p0-value >= 2'
when-unfit = 'eject'
[container.pockets]
slots = 2
[holder.h0]
carries = ['rack', 'pockets']
";

const WEARING_WORLDS: [&[&str]; 3] = [
    &["create 1 k0 in h0.rack/0", "create 1 k0 in h0.rack/1", "create 1 k0 in h0.pockets/1"],
    &["create 1 k0 in h0.rack/0", "create 4 k1 in h0.rack/1", "create 8 k1 (p0-value 1) in h0.pockets"],
    &[
        "create 1 k0 in c0/0",
        "h0 lifts 1 from c0/0",
        "create 8 k1 (p0-value 1) in c0",
        "create 8 k1 (p0-value 2) in h0.rack",
        "create 8 k1 (p0-value 1) in h0.pockets",
    ],
];

/// Partial stacks of the same item beside others that are searched for, in the containers of a
/// holder.
const CROWDED_WORLDS: [&[&str]; 11] = [
    &[
        "create 1 k1 in h0.box",
        "create 1 k0 in h0.pockets/0",
        "create 3 k0 in h0.pockets/1",
        "create 2 k0 in h0.harness/0",
    ],
    &["create 1 k0 (m0) in h0.pockets/0", "create 3 k0 (m0) in h0.pockets/1", "create 2 k0 in h0.box"],
    &["create 1 k0 (p0-value 1) in h0.pockets/0", "create 3 k0 (p0-value 1) in h0.pockets/1", "create 2 k0 in h0.box"],
    &[
        "create 1 k1 in h0.box",
        "create 1 k0 in h0.pockets/0",
        "create 3 k0 in h0.pockets/1",
        "create 2 k0 (m1) in h0.shelf",
    ],
    &["create 1 k1 in h0.box", "create 12 k1 in h0.pockets", "create 2 k0 (m1) in h0.shelf"],
    &["create 12 k1 in h0.pockets", "create 2 k0 in h0.box"],
    &[
        "create 4 k0 in h0.box",
        "create 2 k1 in h0.harness/0",
        "create 2 k1 in h0.harness/1",
        "create 1 k1 in h0.pockets/0",
        "create 3 k1 in h0.pockets/1",
        "create 2 k0 in h0.pockets/2",
    ],
    &[
        "create 2 k0 in c0/0",
        "h0 opens c0",
        "h0 lifts 2 from c0/0",
        "create 1 k1 in c0/1",
        "create 1 k1 in h0.box",
        "create 1 k0 in h0.pockets/0",
        "create 3 k0 in h0.pockets/1",
    ],
    &["resize c0 to 3", "create 1 k0 in c0/0", "create 3 k0 in c0/1", "create 2 k0 in c0/2"],
    &["resize c0 to 3", "create 12 k0 in c0"],
    &[
        "resize c0 to 3",
        "create 1 k0 in c0/0",
        "create 3 k0 in c0/1",
        "create 1 k0 in h0.pockets/0",
        "h0 opens c0",
        "bind k0 to h0.shortcuts/0",
    ],
];

/// Each entry of the table is seen in play, and nothing else is: with any one entry taken out, or
/// added, this fails.
#[test]
fn each_verb_reads_and_writes_what_it_states() {
    let mut seen: BTreeMap<Verb, BTreeSet<&'static str>> = BTreeMap::new();
    let mut example = BTreeMap::new();
    let crowded = (0..).zip(CROWDED_WORLDS).map(|(nth, start)| Case::of_text(CROWDED, nth).starting_with(start));
    let market = (0..).zip(MARKET_WORLDS).map(|(nth, start)| Case::of_text(MARKET, nth).starting_with(start));
    let workshop = (0..).zip(WORKSHOP_WORLDS).map(|(nth, start)| Case::of_text(WORKSHOP, nth).starting_with(start));
    let wearing = (0..).zip(WEARING_WORLDS).map(|(nth, start)| Case::of_text(WEARING, nth).starting_with(start));
    let fixed = crowded.chain(market).chain(workshop).chain(wearing);
    for (seed, mut case) in (0..).zip(fixed.chain(seeds(24).map(Case::of_seed))) {
        let world = case.start.clone();
        let all = Tried { whole_places: false, every_amount: false, ..everything(&case.rules, &world) };
        let orders = [(Shuffled::Standing, "any slot order"), (Shuffled::Carried, "carried slot order")];
        let twins: Vec<(&str, World)> = (0..12)
            .map(|nth| orders[nth % 2])
            .filter_map(|(which, what)| Some((what, shuffled(&world, which, &mut case.random)?)))
            .collect();
        for &verb in &all.verbs {
            let one = Tried { verbs: BTreeSet::from([verb]), ..all.clone() };
            let of = seen.entry(verb).or_default();
            let mut after = world.clone();
            after.set_undo_limit(1);
            let before = world.snapshot();
            for operation in one.walked(&world).iter().take(80) {
                if after.perform(operation).is_ok() {
                    let changes = seen_changes(&before, &after.snapshot(), operation);
                    changes
                        .iter()
                        .for_each(|what| _ = example.entry((verb, *what)).or_insert_with(|| (seed, operation.clone())));
                    of.extend(changes);
                    after.undo(after.revision()).expect("the latest operation");
                }
            }
            // The result in a different slot order must be the same if no slot order is read.
            let reach_state = |world: &World, tried: &Tried| {
                let operations = tried.walked(world);
                let operations: Vec<Operation> = operations.into_iter().filter(|it| !names_a_hand(it)).collect();
                let mut form = |world: &World| unordered(&world.snapshot()).into_bytes();
                outcomes(world, &operations, &coarse_place(world), &mut form)
            };
            let here = reach_state(&world, &one);
            for (what, twin) in &twins {
                let mut tried = one.clone();
                tried.rename(&world, twin);
                let there = reach_state(twin, &tried);
                if let Some((_, operation)) = here.iter().find(|(outcome, _)| !there.contains_key(*outcome)) {
                    of.insert(what);
                    // Who reads the order of any container reads that of carried ones too.
                    of.insert("carried slot order");
                    example.entry((verb, *what)).or_insert_with(|| (seed, operation.clone()));
                }
            }
        }
    }
    let differ: Vec<String> = seen
        .iter()
        .filter(|(verb, seen)| **seen != stated(verb.effects()))
        .map(|(verb, seen)| {
            let stated = stated(verb.effects());
            let unstated: Vec<_> = seen.difference(&stated).map(|what| (what, example.get(&(*verb, *what)))).collect();
            format!("{verb:?}: not seen {:?}, not stated {unstated:?}", stated.difference(seen).collect::<Vec<_>>())
        })
        .collect();
    assert!(differ.is_empty(), "{}", differ.join("\n"));
}

/// The class of a place: what a generator has to have a line for.
fn class_of_place(world: &World, place: Place) -> String {
    let is_worn = |container| world.container_def(container).is_some_and(ContainerDef::is_worn);
    match place {
        Place::Slot(container, _) => match world.place_of_pack(container) {
            None if is_worn(container) => "worn slot".to_owned(),
            None => "slot".to_owned(),
            Some(Place::OnGround(_)) => "slot in a pack on the ground".to_owned(),
            Some(Place::Hand(_)) => "slot in a pack in a hand".to_owned(),
            Some(_) => "slot in a pack".to_owned(),
        },
        Place::Container(container) if world.place_of_pack(container).is_some() => "pack".to_owned(),
        Place::Container(_) => "container".to_owned(),
        Place::Holder(_) => "holder".to_owned(),
        Place::Hand(_) => "hand".to_owned(),
        Place::Ground => "ground".to_owned(),
        Place::OnGround(_) => "stack on the ground".to_owned(),
        Place::Shortcut(..) => "shortcut".to_owned(),
    }
}

/// The clauses of a generator that bring an operation about.
fn clauses(world: &World, verb: Verb, operation: &Operation) -> BTreeSet<String> {
    let (from, to, amount) = match &operation.action {
        Action::Move { from, to, amount, .. } => (Some(*from), Some(*to), Some((*amount, *from))),
        Action::Split { from, to, .. } => (Some(*from), Some(*to), None),
        Action::Merge { from, onto, amount } => (Some(*from), Some(*onto), Some((*amount, *from))),
        Action::Swap { one, other } => (Some(*one), Some(*other), None),
        Action::Drop { from, amount, .. }
        | Action::Equip { from, amount }
        | Action::Consume { from, amount, .. }
        | Action::Use { from, amount, .. }
        | Action::Lift { from, share: LiftAmount::Amount(amount) } => (Some(*from), None, Some((*amount, *from))),
        Action::Lift { from, .. } => {
            let there: u32 = world.stacks_in(Some(*from)).iter().map(|stack| stack.count()).sum();
            (Some(*from), None, Some((Amount::Exactly(there.div_ceil(2)), *from)))
        }
        Action::PickUp { from, to, amount, .. } => {
            let from = from.map_or(Place::Ground, Place::OnGround);
            (Some(from), Some(*to), Some((*amount, from)))
        }
        Action::Unequip { from, to, amount } => (Some(*from), *to, Some((*amount, *from))),
        Action::Deposit { into } => (None, Some(*into), None),
        Action::Put { to, amount } => (None, Some(*to), operation.actor.map(|actor| (*amount, Place::Hand(actor)))),
        Action::Create { to, .. } => (None, Some(*to), None),
        Action::Mark { at, .. }
        | Action::Unmark { at, .. }
        | Action::Set { at, .. }
        | Action::Sort { at, .. }
        | Action::Resize { at, .. }
        | Action::Open { at }
        | Action::Give { at, .. }
        | Action::Close { at } => (Some(*at), None, None),
        _ => (None, None, None),
    };
    let verb = verb.word();
    let mut found = BTreeSet::from([verb.to_owned()]);
    found.extend(from.map(|place| format!("{verb} from {}", class_of_place(world, place))));
    found.extend(to.map(|place| format!("{verb} to {}", class_of_place(world, place))));
    found.extend(amount.map(|(amount, from)| {
        let there: u32 = world.stacks_in(Some(from)).iter().map(|stack| stack.count()).sum();
        match amount {
            Amount::Exactly(1) if there > 1 => format!("{verb} one"),
            Amount::Exactly(count) if count < there => format!("{verb} a part"),
            _ => format!("{verb} all or what fits"),
        }
    }));
    found
}

/// With any one clause of the generator taken out,
/// [`without_reductions_a_search_tries_exactly_what_the_scope_allows`] fails: each brings about
/// something that no other does.
#[test]
fn each_clause_of_the_generator_matters() {
    let (mut listed, mut needed) = (BTreeSet::new(), BTreeSet::new());
    for seed in seeds(130) {
        let case = Case::of_seed(seed);
        let world = case.start.clone();
        let all = Tried { every_amount: false, ..everything(&case.rules, &world) };
        let mut space = case.exploration.clone().without_symmetry().states();
        let place = exact_place(&world);
        let mut after = world.clone();
        after.set_undo_limit(1);
        for &verb in &all.verbs {
            let mut by_outcome: BTreeMap<(String, Vec<u8>), BTreeSet<String>> = BTreeMap::new();
            for whole_places in [false, true] {
                let one = Tried { verbs: BTreeSet::from([verb]), whole_places, ..all.clone() };
                for operation in one.operations(&world) {
                    if after.perform(&operation).is_err() {
                        continue;
                    }
                    let outcome = (label(&world, &operation, &place), space.key(&after));
                    let clauses = clauses(&world, verb, &operation);
                    listed.extend(clauses.iter().cloned());
                    by_outcome
                        .entry(outcome)
                        .and_modify(|known| known.retain(|it| clauses.contains(it)))
                        .or_insert(clauses);
                    after.undo(after.revision()).expect("the latest operation");
                }
            }
            needed.extend(by_outcome.into_values().flatten());
        }
    }
    let unused: Vec<&String> = listed.difference(&needed).collect();
    println!("{} clauses", needed.len());
    assert!(unused.is_empty(), "{unused:?}");
    assert!(needed.len() > 100, "{}", needed.len());
}
