//! Operations that touch thousands of slots at once, where pending changes are kept in another way
//! than for a few.

use std::collections::BTreeMap;
use std::sync::Arc;

use hypotheke::{Amount, ContainerId, Operation, Ruleset, Variant, World};

const SLOTS: u32 = 6_000;

fn world() -> (World, [ContainerId; 2]) {
    let rules = Ruleset::builder()
        .mark("wet")
        .kind("rope", |kind| kind.stack_limit(3).weight(1.into()))
        .kind("flare", |kind| kind.stack_limit(7).weight(2.into()))
        .kind("hat", |kind| kind.weight(3.into()))
        .container("a", |a| a.slots(SLOTS))
        .container("b", |b| b.slots(SLOTS))
        .container("few", |few| few.slots(100).stack_limit(2))
        .build()
        .unwrap_or_else(|errors| panic!("{errors}"));
    let world = World::new(&Arc::new(rules));
    let containers = ["a", "b"].map(|name| world.container(name).expect("a container"));
    (world, containers)
}

fn perform(world: &mut World, operation: &Operation) -> u64 {
    world.perform(operation).unwrap_or_else(|refusal| panic!("{}", world.explain(&refusal))).done()
}

/// One item in each slot: kinds in turn, every fifth of them wet.
fn scattered(world: &mut World, container: ContainerId) {
    let kinds: Vec<_> = world.rules().kinds().map(hypotheke::Kind::handle).collect();
    let wet = world.rules().find_mark("wet").expect("a mark");
    for slot in 0..SLOTS {
        let variant = if slot % 5 == 0 { Variant::plain().marked(wet) } else { Variant::plain() };
        let action = hypotheke::Action::Create {
            amount: Amount::Exactly(1),
            kind: kinds[slot as usize % kinds.len()],
            variant,
            to: (container, slot).into(),
            landing: hypotheke::Landing::default(),
        };
        perform(world, &action.into());
    }
}

fn contents(world: &World, container: ContainerId) -> BTreeMap<(String, bool), u64> {
    let mut found = BTreeMap::new();
    for (_, stack) in world.stacks(container) {
        let key = (stack.kind().id().to_owned(), stack.marks().next().is_some());
        *found.entry(key).or_insert(0) += u64::from(stack.count());
    }
    found
}

#[test]
fn a_container_emptied_into_another_merges_as_it_goes() {
    let (mut world, [a, b]) = world();
    scattered(&mut world, a);
    let (before, weight) = (contents(&world, a), world.container_weight(a));
    assert_eq!(perform(&mut world, &Operation::moving(Amount::All, a, b)), u64::from(SLOTS));
    assert_eq!((world.stacks(a).count(), world.free_slots(a)), (0, SLOTS));
    assert_eq!((contents(&world, b), world.container_weight(b)), (before.clone(), weight));
    let stacks = |kind: &str, limit: u64| {
        [false, true].map(|wet| before[&(kind.to_owned(), wet)].div_ceil(limit)).iter().sum::<u64>()
    };
    let expected = stacks("rope", 3) + stacks("flare", 7) + stacks("hat", 1);
    assert_eq!(world.stacks(b).count() as u64, expected, "no stack is left half full but the last of each sort");
}

#[test]
fn what_does_not_fit_leaves_all_as_it_was() {
    let (mut world, [a, _]) = world();
    scattered(&mut world, a);
    let few = world.container("few").expect("a container");
    let before: Vec<_> = world.stacks(a).map(|(slot, stack)| (slot, stack.id(), stack.count())).collect();
    let refusal = world.perform(&Operation::moving(Amount::All, a, few)).expect_err("it does not fit");
    assert_eq!(refusal.reason(), hypotheke::Reason::NoRoom);
    assert_eq!(world.stacks(a).map(|(slot, stack)| (slot, stack.id(), stack.count())).collect::<Vec<_>>(), before);
    assert_eq!(world.stacks(few).count(), 0);
    let max_amount = refusal.max_amount();
    assert_eq!(perform(&mut world, &Operation::moving(Amount::UpTo(SLOTS), a, few)), max_amount);
    assert_eq!(world.free_slots(few), 0);
    assert_eq!(world.stacks(few).map(|(_, stack)| u64::from(stack.count())).sum::<u64>(), max_amount);
}

#[test]
fn thousands_of_stacks_land_and_are_picked_up_in_order() {
    let (mut world, [a, b]) = world();
    scattered(&mut world, a);
    let ids: Vec<_> = world.stacks(a).map(|(_, stack)| stack.id()).collect();
    perform(&mut world, &Operation::dropping(Amount::All, a, hypotheke::Landing::default()));
    assert_eq!(
        world.ground().map(|(stack, _)| stack.id()).collect::<Vec<_>>(),
        ids,
        "each lands as its own, in slot order"
    );
    let action = hypotheke::Action::PickUp { amount: Amount::All, kind: None, from: None, to: b.into() };
    assert_eq!(perform(&mut world, &action.into()), u64::from(SLOTS));
    assert_eq!((world.ground().count(), world.ground_weight()), (0, 0.into()));
    assert_eq!(world.stacks(b).next().map(|(_, stack)| stack.id()), ids.first().copied());
}

#[test]
fn consuming_a_kind_takes_all_of_it_and_nothing_else() {
    let (mut world, [a, _]) = world();
    scattered(&mut world, a);
    let flare = world.rules().find_kind("flare").expect("a kind");
    let lay: u64 = contents(&world, a).iter().filter(|((kind, _), _)| kind == "flare").map(|(_, count)| count).sum();
    assert_eq!(perform(&mut world, &Operation::consuming(Amount::All, flare, a)), lay);
    assert!(contents(&world, a).keys().all(|(kind, _)| kind != "flare"));
    assert_eq!(world.totals(flare).consumed, lay);
    assert_eq!(u64::from(world.free_slots(a)), lay);
}

#[test]
fn thousands_of_stacks_can_be_undone() {
    let (mut world, [a, b]) = world();
    scattered(&mut world, a);
    world.set_undo_limit(3);
    let before: Vec<_> = world.stacks(a).map(|(slot, stack)| (slot, stack.id(), stack.marks().count())).collect();
    let revision = world.revision();
    perform(&mut world, &Operation::moving(Amount::All, a, b));
    perform(&mut world, &Operation::dropping(Amount::All, b, hypotheke::Landing::default()));
    let hat = world.rules().find_kind("hat").expect("a kind");
    perform(&mut world, &Operation::consuming(Amount::All, hat, hypotheke::Place::Ground));
    while world.undo_depth() > 0 {
        let latest = world.revision();
        assert!(world.undo(latest).is_ok());
    }
    assert_eq!(world.revision(), revision);
    assert_eq!(
        world.stacks(a).map(|(slot, stack)| (slot, stack.id(), stack.marks().count())).collect::<Vec<_>>(),
        before
    );
    assert_eq!((world.stacks(b).count(), world.ground().count(), world.ground_weight()), (0, 0, 0.into()));
}

/// A world with some containers, and random numbers that are the same each time.
struct Yard {
    world: World,
    containers: Vec<ContainerId>,
    random: u32,
}

impl Yard {
    fn new(names: &[&str]) -> Yard {
        let ruled = "{ stack-limit = 2 },".repeat(50);
        let text = format!(
            "format = 1\n[mark.wet]\n[kind.rope]\nstack-limit = 3\n[kind.flare]\nstack-limit = 7\n[kind.hat]\n\
             [container.store]\nslots = 400\nslot = [{ruled}]\n[container.shed]\nslots = 500\nweight-cap = 100000\n\
             [container.yard]\nslots = 60000\n[container.box]\nslots = 20\n"
        );
        let rules = Ruleset::from_toml("rules.toml", &text).unwrap_or_else(|errors| panic!("{errors}"));
        let world = World::new(&Arc::new(rules));
        let containers = names.iter().map(|name| world.container(name).expect("a container")).collect();
        Yard { world, containers, random: 7 }
    }

    fn below(&mut self, bound: usize) -> usize {
        self.random = self.random.wrapping_mul(1_664_525).wrapping_add(1_013_904_223);
        (self.random >> 8) as usize % bound
    }

    fn any_slot(&mut self) -> (ContainerId, u32) {
        let nth = self.below(self.containers.len());
        let container = self.containers[nth];
        let slots = self.world.slots(container).len();
        (container, u32::try_from(self.below(slots)).expect("a slot"))
    }

    fn fill(&mut self) {
        for _ in 0..1_500 {
            let (kind, wet) = (["rope", "flare", "hat"][self.below(3)], ["", "", " (wet)"][self.below(3)]);
            let (count, (at, slot)) = (1 + self.below(3), self.any_slot());
            let said = format!("create up to {count} {kind}{wet} in {}/{slot}", self.world.container_name(at));
            let operation: hypotheke::NamedOperation = said.parse().expect("an operation");
            let _ = self.world.perform(&operation.resolve(&self.world).expect("known names"));
        }
    }

    fn any_operation(&mut self) -> Operation {
        let (one, other) = (self.any_slot(), self.any_slot());
        match self.below(3) {
            0 => Operation::moving(Amount::All, one, other),
            1 => Operation::moving(Amount::UpTo(1), one, other),
            _ => Operation::swapping(one, other),
        }
    }

    fn items(&self) -> u64 {
        self.world.containers().flat_map(|container| contents(&self.world, container).into_values()).sum()
    }
}

/// Stacks in slots with and without rules, plain and marked, are moved and swapped many times
/// within large containers and between them: the indexes find each stack in its place, with the
/// right room.
#[test]
fn what_changes_places_in_large_containers_is_found_where_it_lies() {
    for (names, recomputed) in [(&["store"][..], 2), (&["store", "shed"], 4), (&["store", "yard", "box"], 100)] {
        let mut yard = Yard::new(names);
        yard.fill();
        let (before, mut applied) = (yard.items(), 0);
        for step in 0..1_500 {
            let operation = yard.any_operation();
            applied += u32::from(yard.world.perform(&operation).is_ok());
            if step % recomputed == 0 {
                assert_eq!(yard.world.check_indexes(), vec![], "{operation:?}");
            }
        }
        assert_eq!((yard.world.check_indexes(), yard.items()), (vec![], before));
        assert!(applied > 300, "{applied} of those in {names:?}");
    }
}
