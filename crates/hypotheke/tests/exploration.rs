//! Exploration: counted against a plain search written for this alone, and with and without
//! symmetry.

use std::collections::{BTreeSet, VecDeque};
use std::sync::Arc;

use std::num::NonZeroUsize;

use hypotheke::explore::{Bound, Bounds, ClaimsFile, Exploration, ExplorationReport, Status, Verb, Walks};
use hypotheke::text::Source;
use hypotheke::{NamedOperation, Reason, Ruleset, RulesetBuilder, World, audit};
use proptest::prelude::*;

pub(super) fn ready(builder: RulesetBuilder) -> Arc<Ruleset> {
    Arc::new(builder.build().unwrap_or_else(|errors| panic!("{errors}")))
}

fn exploration(rules: &Arc<Ruleset>, claims: &str) -> Exploration {
    let file = ClaimsFile::parse(Source::new("a.claims", claims)).unwrap_or_else(|errors| panic!("{errors}"));
    Exploration::new(rules, &file).unwrap_or_else(|errors| panic!("{errors}"))
}

fn broken(found: &ExplorationReport, claim: usize) -> &[String] {
    match &found.verdicts[claim].status {
        Status::Violated(trace) | Status::Reachable(trace) => &trace.steps,
        other => panic!("{}: {other:?}", found.verdicts[claim].claim),
    }
}

/// Each trace is run from the start by sentences, and must be applied step by step.
fn replay(rules: &Arc<Ruleset>, steps: &[String]) -> World {
    let mut world = World::new(rules);
    for step in steps {
        let operation: NamedOperation = step.parse().unwrap_or_else(|error| panic!("{step}: {error}"));
        let operation = operation.resolve(&world).unwrap_or_else(|error| panic!("{step}: {error}"));
        world.perform(&operation).map(|_| ()).unwrap_or_else(|refusal| panic!("{step}: {}", world.explain(&refusal)));
        // A mark may make a stack unfit where it lies.
        let broken: Vec<_> = audit(rules, &world.snapshot()).into_iter().filter(|it| !it.law().is_limit()).collect();
        assert_eq!(broken, vec![]);
    }
    world
}

/// Two containers, a ground, and stacks: what a plain search needs to know.
#[derive(Clone, Debug, PartialEq, Eq, PartialOrd, Ord)]
struct Plain {
    slots: Vec<Option<(usize, u32)>>,
    ground: Vec<(usize, u32)>,
}

struct Rules {
    limits: Vec<u32>,
    ground: usize,
}

fn amounts(count: u32, room: u32) -> BTreeSet<u32> {
    [1, count.div_ceil(2), count, room].into_iter().filter(|&amount| amount > 0 && amount <= count.min(room)).collect()
}

impl Plain {
    fn next(&self, rules: &Rules) -> Vec<Plain> {
        let mut found = Vec::new();
        for from in 0..self.slots.len() {
            let Some((kind, count)) = self.slots[from] else { continue };
            let less = |amount: u32| {
                let mut next = self.clone();
                next.slots[from] = (count > amount).then_some((kind, count - amount));
                next
            };
            for to in (0..self.slots.len()).filter(|to| *to != from) {
                let there = match self.slots[to] {
                    Some((other, _)) if other != kind => {
                        let mut next = self.clone();
                        next.slots.swap(from, to);
                        found.push(next);
                        continue;
                    }
                    there => there.map_or(0, |(_, count)| count),
                };
                for amount in amounts(count, rules.limits[kind] - there) {
                    let mut next = less(amount);
                    next.slots[to] = Some((kind, there + amount));
                    found.push(next);
                }
            }
            if self.ground.len() < rules.ground {
                for amount in amounts(count, count) {
                    let mut next = less(amount);
                    next.ground.push((kind, amount));
                    found.push(next);
                }
            }
        }
        for (at, &(kind, count)) in self.ground.iter().enumerate() {
            for to in 0..self.slots.len() {
                let there = match self.slots[to] {
                    Some((other, _)) if other != kind => continue,
                    there => there.map_or(0, |(_, count)| count),
                };
                for amount in amounts(count, rules.limits[kind] - there) {
                    let mut next = self.clone();
                    next.slots[to] = Some((kind, there + amount));
                    if amount == count {
                        next.ground.remove(at);
                    } else {
                        next.ground[at].1 -= amount;
                    }
                    found.push(next);
                }
            }
        }
        found
    }

    /// How many states lie so far from the start.
    fn by_depth(self, rules: &Rules) -> Vec<u64> {
        let mut seen = BTreeSet::from([self.clone()]);
        let (mut open, mut depths) = (VecDeque::from([(self, 0)]), Vec::new());
        while let Some((world, depth)) = open.pop_front() {
            depths.resize(depth + 1, 0);
            depths[depth] += 1;
            for next in world.next(rules) {
                if seen.insert(next.clone()) {
                    open.push_back((next, depth + 1));
                }
            }
        }
        depths
    }
}

/// The same twice: as a ruleset, and for the plain search.
fn both(slots: [usize; 2], limits: &[u32], ground: usize, start: &[(usize, usize, u32)]) -> (Arc<Ruleset>, Vec<u64>) {
    let mut builder = Ruleset::builder().ground_limit(u32::try_from(ground).unwrap());
    for (kind, &limit) in limits.iter().enumerate() {
        builder = builder.kind(&format!("k{kind}"), |it| it.stack_limit(limit));
    }
    for (name, slots) in ["depot", "sled"].into_iter().zip(slots) {
        builder = builder.container(name, |it| it.slots(u32::try_from(slots).unwrap()));
    }
    let mut plain = Plain { slots: vec![None; slots[0] + slots[1]], ground: Vec::new() };
    for &(slot, kind, count) in start {
        let place = if slot < slots[0] { format!("depot/{slot}") } else { format!("sled/{}", slot - slots[0]) };
        builder = builder.start(&place, [format!("{count} k{kind}").as_str()]);
        plain.slots[slot] = Some((kind, count));
    }
    (ready(builder), plain.by_depth(&Rules { limits: limits.to_vec(), ground }))
}

#[test]
fn as_many_worlds_are_found_as_a_plain_search_finds() {
    for (slots, limits, ground, start) in [
        ([2, 1], &[1, 2][..], 1, &[(0, 0, 1), (1, 1, 2)][..]),
        ([2, 2], &[2, 3], 2, &[(0, 0, 2), (1, 1, 3)]),
        ([3, 2], &[1, 2, 4], 2, &[(0, 0, 1), (1, 1, 2), (3, 2, 3)]),
    ] {
        let (rules, by_depth) = both(slots, limits, ground, start);
        let claims = "always\n  count of k0 <= 99\n";
        let found = exploration(&rules, claims).without_symmetry().search();
        assert_eq!((&found.by_depth, found.stopped_by), (&by_depth, None), "{slots:?} {limits:?}");
        assert_eq!(found.states, by_depth.iter().sum::<u64>());
        let fewer = exploration(&rules, claims).search();
        assert_eq!(fewer.stopped_by, None);
        assert!(fewer.by_depth.len() <= by_depth.len());
        assert!(fewer.states < found.states && fewer.symmetric == 3, "{} of {}", fewer.states, found.states);
    }
}

#[test]
fn unexpanded_states_count_as_deeper() {
    let (rules, by_depth) = both([2, 2], &[2, 3], 2, &[(0, 0, 2), (1, 1, 3)]);
    // It is decided by the first world that is two operations from the start.
    let found = exploration(&rules, "possible\n  sled has: 2 k0, 3 k1\n").without_symmetry().search();
    assert_eq!(broken(&found, 0).len(), 2);
    assert_eq!(
        (found.by_depth.len(), &found.by_depth[..2], found.states),
        (3, &by_depth[..2], found.by_depth.iter().sum())
    );
    assert!((1..=by_depth[2]).contains(&found.by_depth[2]), "{:?} of {by_depth:?}", found.by_depth);
}

fn traverse() -> Arc<Ruleset> {
    ready(
        Ruleset::builder()
            .mark("contaminated")
            .kind("core", |kind| kind.tags(["sample"]).property("reading", 0u32.into()))
            .kind("fuel", |kind| kind.stack_limit(2))
            .kind("case", |kind| kind.pack("case"))
            .kind("logbook", hypotheke::KindBuilder::protected)
            .container("case", |it| it.slots(1))
            .container("depot", |it| it.slots(3))
            .container("freezer", |it| it.slots(2).admits("not contaminated"))
            .container("vault", |it| it.slots(1).no_take())
            .start("depot", ["1 core (contaminated)", "1 case", "1 logbook"]),
    )
}

#[test]
fn a_shortest_trace_leads_to_each_loophole() {
    let rules = traverse();
    let found = exploration(
        &rules,
        "always\n  no contaminated in freezer\n  no core lies with logbook\nforbidden\n  drop logbook\n  move logbook to vault\n\
         possible\n  freezer has: 1 case\n  freezer has: 2 case\nrecoverable\n  depot has: 1 logbook\n",
    )
    .search();
    assert_eq!(found.stopped_by, None);
    assert_eq!(
        broken(&found, 0),
        ["move 1 core from depot/0 to #2/0", "move 1 case from depot/1 to freezer/0"]
            .map(|step| step.replace("#2/0", "depot/1/0"))
    );
    assert_eq!(broken(&found, 1), Vec::<String>::new(), "so it is at the start");
    assert!(matches!(found.verdicts[2].status, Status::Holds), "a protected item can't be dropped");
    assert_eq!(broken(&found, 3), ["move 1 logbook from depot/2 to vault/0"]);
    assert_eq!(broken(&found, 4).len(), 1);
    assert!(matches!(found.verdicts[5].status, Status::Unreachable));
    assert_eq!(broken(&found, 6), ["move 1 logbook from depot/2 to vault/0"], "nothing is taken out of there");
    for verdict in &found.verdicts {
        if let Status::Violated(trace) | Status::Reachable(trace) = &verdict.status {
            let world = replay(&rules, &trace.steps);
            assert_eq!(world.snapshot().containers, trace.after.snapshot().containers, "{}", verdict.claim);
        }
    }
}

const WALKED: &str = "always\n  no contaminated in freezer\n  count of fuel <= 3\nforbidden\n  move logbook to vault\n  drop logbook\n\
                      possible\n  freezer has: 1 case\nrecoverable\n  depot has: 1 logbook\n";

/// The results of walks, without the states.
fn described(found: &ExplorationReport) -> String {
    let status = |status: &Status| match status {
        Status::Violated(trace) | Status::Reachable(trace) => format!("{:?} {}", trace.steps, trace.message),
        other => format!("{other:?}"),
    };
    let verdicts: Vec<String> = found.verdicts.iter().map(|it| status(&it.status)).collect();
    format!("{verdicts:#?} {} {:?} {:?}", found.applied, found.refused, found.walks)
}

#[test]
fn walks_find_what_a_search_finds_and_make_it_as_short() {
    let rules = traverse();
    for seed in 0..5 {
        let walks = Walks { count: 200, seed, ..Walks::default() };
        let found = exploration(&rules, WALKED).walk(walks, &mut |_| None);
        assert_eq!((broken(&found, 0).len(), broken(&found, 2).len(), broken(&found, 4).len()), (2, 1, 1));
        assert!(matches!(found.verdicts[1].status, Status::NoViolationFound));
        assert!(matches!(found.verdicts[3].status, Status::NoViolationFound));
        assert!(matches!(found.verdicts[5].status, Status::Inconclusive));
        assert_eq!((found.walks, found.complete), (Some(200), false));
        for verdict in &found.verdicts {
            if let Status::Violated(trace) | Status::Reachable(trace) = &verdict.status {
                replay(&rules, &trace.steps);
            }
        }
    }
}

#[test]
fn walks_are_the_same_on_any_number_of_threads_and_in_parts() {
    let rules = traverse();
    let walk = |threads: usize, shard| {
        let threads = NonZeroUsize::new(threads).unwrap();
        let walks = Walks { count: 600, steps: 20, seed: 3, shard, threads };
        exploration(&rules, WALKED).walk(walks, &mut |_| None)
    };
    let whole = walk(1, (0, 1));
    assert_eq!(described(&whole), described(&walk(3, (0, 1))));
    let parts: Vec<ExplorationReport> = (0..4).map(|part| walk(2, (part, 4))).collect();
    assert_eq!(parts.iter().map(|part| part.applied).sum::<u64>(), whole.applied);
    assert_eq!(parts.iter().map(|part| part.walks.unwrap()).sum::<u64>(), 600);
    let stopped =
        exploration(&rules, WALKED).walk(Walks { count: 5_000, ..Walks::default() }, &mut |_| Some(Bound::Interrupt));
    assert_eq!((stopped.stopped_by, stopped.walks), (Some(Bound::Interrupt), Some(256)));
    // So many that no list of them could be kept.
    let endless = Walks { count: u64::MAX, steps: 1, shard: (3, 1_000_000), ..Walks::default() };
    let stopped = exploration(&rules, WALKED).walk(endless, &mut |done| (done > 500).then_some(Bound::Time(1)));
    assert_eq!((stopped.stopped_by, stopped.walks), (Some(Bound::Time(1)), Some(512)));
    assert_eq!(walk(1, (0, 0)).walks, Some(600), "no part at all is all of it");
}

#[test]
fn a_search_reports_the_bound_that_stopped_it() {
    let rules = traverse();
    let claims = "always\n  count of core <= 1\npossible\n  freezer has: 2 case\nrecoverable\n  depot has: 1 logbook\n";
    for (bounds, bound) in [
        (Bounds { depth: Some(2), ..Bounds::default() }, Bound::Depth(2)),
        (Bounds { states: Some(20), ..Bounds::default() }, Bound::States(20)),
        (Bounds { memory: Some(1), ..Bounds::default() }, Bound::Memory(1)),
        (Bounds { depth: Some(0), ..Bounds::default() }, Bound::Depth(0)),
    ] {
        let found = exploration(&rules, claims).within(bounds).search();
        assert_eq!(found.stopped_by, Some(bound));
        assert!(matches!(found.verdicts[0].status, Status::NoViolationFound), "{bound:?}");
        assert!(found.verdicts[1..].iter().all(|it| matches!(it.status, Status::Inconclusive)), "{bound:?}");
    }
    let huge = Bounds { states: Some(10_u64.pow(18)), memory: Some(10_u64.pow(18)), depth: Some(u32::MAX) };
    let found = exploration(&rules, "always\n  count of core <= 1\n").within(huge).search();
    assert_eq!(found.stopped_by, None);
    let stopped = exploration(&rules, claims).search_until(&mut |described| {
        assert_eq!((described.states, described.done, described.depth), (1, 0, 0));
        Some(Bound::Interrupt)
    });
    assert_eq!((stopped.stopped_by, stopped.states), (Some(Bound::Interrupt), 1));
}

#[test]
fn faults_of_claims_are_listed_in_one_run() {
    let rules = traverse();
    let text = "always\n  no contaminatd in freezer\n  count of fuel in depo <= 3\n  no core in\nforbidden\n  burn logbook\n  drop logbok\nsometimes\n  x\nexplore\n  verbs move, fly\n";
    let errors = ClaimsFile::parse(Source::new("a.claims", text)).unwrap_err().to_string();
    for part in [
        "a.claims:4:",
        "a place is missing",
        "a.claims:6:3",
        "a claim cannot forbid `burn`",
        "`sometimes` is not a heading",
        "a.claims:11:15",
        "a search does not try `fly`",
    ] {
        assert!(errors.contains(part), "{part} in {errors}");
    }
    let text = "always\n  no core in vaul\n  all core in depot fuel\n  all core in depo\n";
    let faults = |text: &str| match ClaimsFile::parse(Source::new("a.claims", text)) {
        Err(errors) => errors.to_string(),
        Ok(file) => Exploration::new(&rules, &file).unwrap_err().to_string(),
    };
    assert!(faults(text).contains("a.claims:3:21"), "{}", faults(text));
    let text = text.replace(" fuel", "");
    let described = faults(&text);
    assert!(described.contains("a.claims:2:14") && described.contains("a.claims:4:15"), "{described}");
    let text = "start\n  depo: 1 core\nexplore\n  actors ann\n  mark wet\nalways\n  no contaminatd in freezer\n  count of fuel in depo <= 3\nforbidden\n  drop logbok\n";
    let file = ClaimsFile::parse(Source::new("a.claims", text)).unwrap();
    let errors = Exploration::new(&rules, &file).unwrap_err().to_string();
    for part in [
        "a.claims:7:6",
        "Did you mean `contaminated`?",
        "a.claims:8:20",
        "Did you mean `depot`?",
        "a.claims:10:8",
        "Did you mean `logbook`?",
    ] {
        assert!(errors.contains(part), "{part} in {errors}");
    }
    assert!(ClaimsFile::parse(Source::new("a.claims", "# nothing\n")).is_err());
}

/// A small ruleset and a start, drawn at random.
pub(super) fn small() -> impl Strategy<Value = Arc<Ruleset>> {
    let start = prop::collection::vec((0..3_usize, 1..3_u32, 0..2_usize), 1..4);
    (prop::array::uniform3(1..4_u32), 1..3_u32, 0..3_u32, start, any::<[bool; 6]>()).prop_map(
        |(limits, slots, ground, start, [filtered, packs, capped, named, carried, kept])| {
            let mut builder = Ruleset::builder().ground_limit(ground.max(1)).mark("wet");
            for (kind, limit) in (0_u32..).zip(limits) {
                let id = format!("k{kind}");
                builder = builder.kind(&id, |it| {
                    let it = it.stack_limit(limit).weight((kind + 1).into());
                    if kept && kind == 1 { it.protected() } else { it }
                });
            }
            builder = builder.kind("case", |kind| kind.pack("case")).container("case", |it| it.slots(2));
            builder = builder.container("depot", |it| it.slots(3));
            builder = builder.container("sled", |it| {
                let it = it.slots(slots);
                let it = if filtered { it.admits("not k0 and not wet") } else { it };
                let it = if capped { it.weight_cap(5.into()) } else { it };
                if named { it.named_slot("first", "k1 or k2") } else { it }
            });
            if carried {
                builder = builder.holder("surveyor", ["sled"], |surveyor| surveyor.weight_cap(6.into()));
            }
            let mut contents = vec![if packs { "1 case".to_owned() } else { "1 k1".to_owned() }];
            for (kind, count, wet) in start.into_iter().take(2) {
                let wet = if wet == 1 { " (wet)" } else { "" };
                contents.push(format!("{} k{kind}{wet}", count.min(limits[kind])));
            }
            ready(builder.start("depot", contents.iter().map(String::as_str)))
        },
    )
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 48, ..ProptestConfig::default() })]

    #[test]
    fn symmetry_changes_no_verdict(rules in small(), claims in prop::collection::vec(0..9_usize, 1..5), marks in any::<bool>()) {
        const CLAIMS: [(&str, &str); 9] = [
            ("always", "count of k1 in sled <= 1"),
            ("always", "no wet in sled"),
            ("always", "no k0 lies with k1"),
            ("always", "free slots of depot >= 1"),
            ("forbidden", "drop wet"),
            ("forbidden", "move k1 to sled"),
            ("possible", "sled has: 1 k1, 1 k2"),
            ("possible", "count of k1 in depot = 0"),
            ("recoverable", "depot has: 1 k1"),
        ];
        let mut text = "explore\n  verbs move, swap, drop, pick-up, sort\n".to_owned();
        if marks {
            text.push_str("  mark wet\n");
        }
        for claim in claims {
            let (kind, said) = CLAIMS[claim];
            text.push_str(&format!("{kind}\n  {said}\n"));
        }
        let bounds = Bounds { states: Some(3_000), ..Bounds::default() };
        let all = exploration(&rules, &text).within(bounds).without_symmetry().search();
        prop_assume!(all.stopped_by.is_none());
        let fewer = exploration(&rules, &text).search();
        prop_assert!(fewer.states <= all.states);
        for (one, other) in all.verdicts.iter().zip(&fewer.verdicts) {
            let length = |status: &Status| match status {
                Status::Violated(trace) | Status::Reachable(trace) => Some(trace.steps.len()),
                _ => None,
            };
            prop_assert_eq!(std::mem::discriminant(&one.status), std::mem::discriminant(&other.status), "{}", one.claim);
            prop_assert_eq!(length(&one.status), length(&other.status), "{}", one.claim);
            if let Status::Violated(trace) | Status::Reachable(trace) = &other.status {
                replay(&rules, &trace.steps);
            }
        }
    }
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 32, ..ProptestConfig::default() })]

    /// A search that recomputed plays every operation; another plays only what leads to new states.
    #[test]
    fn predictions_agree_with_the_operations(rules in small(), symmetric in any::<bool>(), creates in any::<bool>()) {
        let creates = if creates { "  create up to 4 k2\n  consume k2\n" } else { "" };
        let text = format!(
            "explore\n  verbs move, swap, drop, pick-up, sort\n{creates}always\n  count of k1 <= 1\nrecoverable\n  depot has: 1 k1\n"
        );
        let bounds = Bounds { states: Some(2_000), ..Bounds::default() };
        let ready = || {
            let ready = exploration(&rules, &text).within(bounds);
            if symmetric { ready } else { ready.without_symmetry() }
        };
        let (predicted, played) = (ready().search(), ready().with_index_checks().search());
        if symmetric {
            // Interchangeable slots are visited in a different order, so a different shortest trace
            // may come first.
            prop_assume!(predicted.stopped_by.is_none());
            let verdicts = |found: &ExplorationReport| found.verdicts.iter().map(|it| std::mem::discriminant(&it.status)).collect::<Vec<_>>();
            prop_assert_eq!(verdicts(&predicted), verdicts(&played));
            prop_assert_eq!(&predicted.by_depth, &played.by_depth);
        } else {
            prop_assert_eq!(all_described(&predicted), all_described(&played));
        }
        prop_assert_eq!((predicted.applied, predicted.refused), (played.applied, played.refused));
        prop_assert!(predicted.law_violation.is_none());
    }
}

/// As many go as the limit of the target says, be that lower or higher than where they come from.
#[test]
fn predictions_keep_the_limit_of_the_target() {
    let rules = ready(
        Ruleset::builder()
            .kind("rope", |kind| kind.stack_limit(9))
            .container("depot", |it| it.slots(2))
            .container("sled", |it| it.slots(2).stack_limit(3))
            .start("depot", ["9 rope"])
            .start("sled", ["1 rope"]),
    );
    let text = "explore\n  verbs move\nalways\n  count of rope = 10\n";
    let ready = || exploration(&rules, text).without_symmetry();
    let (predicted, played) = (ready().search(), ready().with_index_checks().search());
    assert!(
        predicted.complete && predicted.law_violation.is_none() && predicted.states > 10,
        "{} states",
        predicted.states
    );
    assert_eq!(all_described(&predicted), all_described(&played));
    assert_eq!((predicted.applied, predicted.refused), (played.applied, played.refused));
}

/// Items in a hand come from a pack on the ground, and a stack before that pack is picked up.
#[test]
fn predictions_keep_what_a_hand_remembers_on_the_ground() {
    let rules = ready(
        Ruleset::builder()
            .kind("stone", |stone| stone)
            .kind("flare", |flare| flare)
            .kind("bag", |bag| bag.pack("bag"))
            .container("bag", |bag| bag.slots(1))
            .container("belt", |belt| belt.slots(2))
            .holder("ann", ["belt"], |ann| ann),
    );
    let steps = ["create 1 stone in ground", "create 1 bag in ann.belt", "create 1 flare in ann.belt/0/0"];
    let steps: Vec<String> = steps.into_iter().chain(["ann drops from ann.belt/0"]).map(str::to_owned).collect();
    let start = replay(&rules, &steps);
    let text = "explore\n  verbs lift, pick-up, drop, return\n  actors ann\nalways\n  count of stone = 1\n";
    let ready = || exploration(&rules, text).starting_at(start.clone());
    let (predicted, played) = (ready().search(), ready().with_index_checks().search());
    assert!(predicted.complete && predicted.states > 10, "{} states", predicted.states);
    assert_eq!(all_described(&predicted), all_described(&played));
    assert_eq!((predicted.applied, predicted.refused), (played.applied, played.refused));
}

/// What leaves a worn slot goes onto the first stack with room, so the order of two stacks that a
/// holder carries matters; that of two stacks in the world does not.
#[test]
fn carried_slots_are_distinguished_if_a_verb_fills_them_in_order() {
    let rules = ready(
        Ruleset::builder()
            .kind("flare", |kind| kind.stack_limit(4))
            .container("bag", |it| it.slots(2))
            .container("gear", |it| it.slots(1).worn())
            .container("rack", |it| it.slots(2))
            .holder("ann", ["bag", "gear"], |ann| ann)
            .start("ann.bag", ["2 flare", "3 flare"])
            .start("rack", ["2 flare", "3 flare"]),
    );
    let mut states = exploration(&rules, "explore\n  verbs equip\nalways\n  count of flare <= 20\n").states();
    let mut key_after = |swaps: &[&str]| {
        let mut world = World::new(&rules);
        for swap in swaps {
            let swap: hypotheke::NamedOperation = swap.parse().expect("a sentence");
            let _ = world.perform(&swap.resolve(&world).expect("names")).expect("applied");
        }
        states.key(&world)
    };
    let start = key_after(&[]);
    assert_ne!(key_after(&["swap ann.bag/0 with ann.bag/1"]), start);
    assert_eq!(key_after(&["swap rack/0 with rack/1"]), start);
}

#[test]
fn what_came_from_a_pack_that_is_gone_comes_from_nowhere() {
    let rules = Ruleset::builder()
        .kind("flare", |flare| flare)
        .kind("bag", |bag| bag.pack("bag"))
        .container("bag", |bag| bag.slots(1))
        .container("shed", |shed| shed.slots(1))
        .container("belt", |belt| belt.slots(1))
        .holder("ann", ["belt"], |ann| ann);
    let rules = ready(rules);
    let after = |steps: &[&str]| replay(&rules, &steps.iter().map(ToString::to_string).collect::<Vec<_>>());
    let from_the_shed = after(&["create 1 bag in shed", "create 1 flare in shed/0/0", "ann lifts from shed/0/0"]);
    // The inside of the first bag becomes that of the second.
    let from_nowhere = after(&[
        "create 1 bag in ann.belt",
        "create 1 flare in ann.belt/0/0",
        "ann lifts from ann.belt/0/0",
        "consume 1 bag from ann.belt",
        "create 1 bag in shed",
    ]);
    let claims = "explore\n  verbs return\nalways\n  count of flare in ann.belt = 0\n";
    let mut states = exploration(&rules, claims).states();
    assert_ne!(states.key(&from_the_shed), states.key(&from_nowhere));
    // Only the one that comes from nowhere goes to the belt.
    for (world, is_broken) in [(from_the_shed, false), (from_nowhere, true)] {
        let found = exploration(&rules, claims).starting_at(world).search();
        assert_eq!(matches!(found.verdicts[0].status, Status::Violated(_)), is_broken);
    }
}

#[test]
fn alike_packs_are_distinguished_if_a_claim_names_one_by_its_id() {
    let rules = ready(
        Ruleset::builder()
            .kind("flare", |flare| flare)
            .kind("bag", |bag| bag.pack("bag"))
            .container("bag", |bag| bag.slots(1).admits("flare"))
            .container("vault", |vault| vault.slots(1).admits("bag").deep())
            .container("depot", |depot| depot.slots(1))
            .start("vault", ["1 bag"])
            .start("depot", ["1 bag"]),
    );
    let claims = "explore\n  verbs swap\nalways\n  room for flare in #1/0 = 0\n  count of bag = 2\n";
    let found = exploration(&rules, claims).search();
    assert_eq!(broken(&found, 0), ["swap vault/0 with depot/0"]);
    assert!(matches!(found.verdicts[1].status, Status::Holds));
}

#[test]
fn a_forbidden_place_is_also_one_that_the_outcome_decides() {
    let rules = ready(
        Ruleset::builder()
            .kind("hood", |hood| hood)
            .container("shed", |shed| shed.slots(1))
            .container("belt", |belt| belt.slots(1))
            .container("head", |head| head.slots(1).worn())
            .holder("ann", ["belt", "head"], |ann| ann)
            .start("shed", ["1 hood"]),
    );
    let claims = "explore\n  verbs lift, return, equip, unequip\n  actors ann\nforbidden\n  return hood to shed\n  \
                  return hood to ann.belt\n  equip hood to ann.head\n  equip hood to ann.belt\n  \
                  unequip hood to ann.belt\n  unequip hood to shed\n";
    let found = exploration(&rules, claims).search();
    let are_broken = found.verdicts.iter().map(|verdict| matches!(verdict.status, Status::Violated(_)));
    assert_eq!(are_broken.collect::<Vec<_>>(), [true, true, true, false, true, true]);
    assert_eq!(broken(&found, 0), ["ann lifts 1 from shed/0", "ann returns 1"]);
}

fn wet_rope_and(other: &str) -> Arc<Ruleset> {
    ready(
        Ruleset::builder()
            .mark("wet")
            .kind("rope", |kind| kind)
            .kind("core", |kind| kind)
            .container("depot", |it| it.slots(2))
            .container("sled", |it| it.slots(1))
            .start("depot", ["1 rope (wet)", other]),
    )
}

#[test]
fn any_two_stacks_may_lie_with_each_other_but_none_with_itself() {
    let rules = wet_rope_and("1 rope");
    // The first rope is the only wet one; the second lies with it. #2 is no comment, and this is
    // one.
    let found = exploration(
        &rules,
        "always\n  no rope lies with wet   # no rope lies with core\n  no wet lies with wet\n  all wet in #1\n",
    )
    .search();
    assert_eq!(broken(&found, 0), Vec::<String>::new());
    assert!(matches!(found.verdicts[1].status, Status::Holds), "it does not lie with itself");
    assert!(matches!(found.verdicts[2].status, Status::Holds), "an id is no comment");
    assert_eq!(found.verdicts[0].claim.text(), "no rope lies with wet");
}

#[test]
fn operations_that_never_apply_are_reported() {
    let rules = wet_rope_and("1 core");
    let walks = Walks { count: 300, steps: 6, ..Walks::default() };
    // A walk also moves a core out of a depot where something wet lies: that is no move of
    // something wet.
    let claims = "explore\n  verbs move\nforbidden\n  move wet to sled\n  move core to sled\n  swap core\n";
    let found = exploration(&rules, claims).walk(walks, &mut |_| None);
    assert_eq!(broken(&found, 0), ["move 1 rope from depot/0 to sled/0"]);
    assert_eq!(broken(&found, 1), ["move 1 core from depot/1 to sled/0"]);
    assert!(matches!(found.verdicts[2].status, Status::NoViolationFound));
    let swapped = exploration(&rules, "explore\n  verbs swap\nforbidden\n  swap core\n  swap rope\n").search();
    assert_eq!([broken(&swapped, 0), broken(&swapped, 1)], [["swap depot/0 with depot/1"]; 2], "either side");
}

#[test]
fn a_save_and_a_leave_at_any_step_change_nothing_that_must_hold() {
    let rules = ready(
        Ruleset::builder()
            .kind("rope", |kind| kind.stack_limit(3))
            .kind("logbook", hypotheke::KindBuilder::protected)
            .container("depot", |it| it.slots(2))
            .container("pockets", |it| it.slots(2))
            .holder("surveyor", ["pockets"], |it| it)
            .start("depot", ["3 rope"])
            .start("surveyor.pockets", ["1 logbook"]),
    );
    let claims = "explore\n  verbs move, lift, put\n  faults save-then-load, leave\nalways\n  count of rope = 3\n";
    let walks = Walks { count: 200, ..Walks::default() };
    let found = exploration(&rules, claims).walk(walks, &mut |_| None);
    assert!(found.law_violation.is_none());
    // While the surveyor is away, so is what was in the hand: claims are about the world in which
    // it is back.
    assert!(matches!(found.verdicts[0].status, Status::NoViolationFound), "{:?}", found.verdicts[0].status);
    assert!(found.applied > 1_000);
    let kept = exploration(&rules, &claims.replace("leave", "save-then-load")).walk(walks, &mut |_| None);
    assert!(matches!(kept.verdicts[0].status, Status::NoViolationFound), "{:?}", kept.verdicts[0].status);
}

#[test]
fn containers_of_other_sizes_are_other_worlds() {
    let rules = ready(
        Ruleset::builder()
            .kind("rope", |kind| kind)
            .container("depot", |depot| depot.slots(2).resizable(1, 2))
            .container("sled", |sled| sled.slots(2).resizable(1, 2))
            .start("depot", ["1 rope"]),
    );
    // Both may have one slot or two, and the rope may be in any of them: 2 + 3 + 3 + 4. A spilled
    // stack moves to the remaining slot.
    let claims = "explore\n  verbs move, resize\nalways\n  count of rope = 1\npossible\n  free slots of sled = 0\n";
    for found in [exploration(&rules, claims).search(), exploration(&rules, claims).without_symmetry().search()] {
        assert!(found.complete && found.law_violation.is_none());
        assert_eq!(found.states, 12, "{:?}", found.by_depth);
        let steps = broken(&found, 1);
        assert!(steps.len() == 2 && steps.iter().any(|step| step.starts_with("resize sled to 1")), "{steps:?}");
    }
}

#[test]
fn what_goes_wrong_in_between_is_tried_at_every_world() {
    let rules = ready(
        Ruleset::builder()
            .kind("logbook", |kind| kind)
            .container("depot", |depot| depot.slots(2))
            .container("pockets", |pockets| pockets.slots(1))
            .holder("surveyor", ["pockets"], |surveyor| surveyor)
            .start("depot", ["1 logbook"]),
    );
    let search = |faults: &str| {
        let text = format!(
            "explore\n  verbs lift, put\n  containers depot, surveyor.pockets\n{faults}always\n  count of logbook = 1\n"
        );
        let found = exploration(&rules, &text).within(Bounds { depth: Some(2), ..Bounds::default() }).search();
        assert!(found.law_violation.is_none());
        found
    };
    assert!(matches!(search("").verdicts[0].status, Status::NoViolationFound));
    assert!(matches!(search("  faults save-then-load\n").verdicts[0].status, Status::NoViolationFound));
    let found = search("  faults save-then-load, leave\n");
    assert!(matches!(found.verdicts[0].status, Status::NoViolationFound), "the logbook is back with its holder");
}

/// The results of a search, without the states of traces.
fn all_described(found: &ExplorationReport) -> String {
    format!("{} {} {:?} {:?} {}", described(found), found.states, found.by_depth, found.stopped_by, found.memory_bytes)
}

#[test]
fn a_search_tells_the_same_on_any_number_of_threads() {
    let marked = "explore\n  verbs move, swap, drop, pick-up, sort\n  mark contaminated\nalways\n  count of fuel <= 3\n\
                  recoverable\n  depot has: 1 logbook\n";
    for claims in [WALKED, marked] {
        let search = |threads: usize, bounds: Bounds| {
            let rules = traverse();
            let threads = NonZeroUsize::new(threads).unwrap();
            exploration(&rules, claims).without_symmetry().within(bounds).on_threads(threads).search()
        };
        for bounds in [Bounds::default(), Bounds { states: Some(300), ..Bounds::default() }] {
            let one = search(1, bounds);
            assert!(one.states > 200);
            for threads in [2, 5] {
                assert_eq!(all_described(&one), all_described(&search(threads, bounds)));
            }
        }
    }
}

#[test]
fn what_walks_find_is_made_as_short_as_it_can_be() {
    let boxes = ["box-a", "box-b", "box-c", "box-d", "box-e"];
    let mut builder = Ruleset::builder().kind("flare", |kind| kind).container("sled", |it| it.slots(6));
    for name in boxes {
        builder = builder.container(name, |it| it.slots(1)).start(name, ["1 flare"]);
    }
    let rules = ready(builder);
    let mut lengths: Vec<usize> = (0..20)
        .map(|seed| {
            let walks = Walks { seed, ..Walks::default() };
            let claims = "explore\n  places all\nalways\n  count of flare in sled <= 4\n";
            let found = exploration(&rules, claims).walk(walks, &mut |_| None);
            replay(&rules, broken(&found, 0));
            broken(&found, 0).len()
        })
        .collect();
    lengths.sort_unstable();
    assert_eq!((lengths[0], lengths[10], lengths[19]), (5, 5, 5), "one flare a step: {lengths:?}");
}

fn not_searched(found: &ExplorationReport) -> Vec<String> {
    found.not_searched.iter().map(|what| format!("{} {what}", what.code())).collect()
}

#[test]
fn a_verdict_names_what_the_scope_leaves_out() {
    let rules = traverse();
    let search = |play: &str| not_searched(&exploration(&rules, &format!("explore\n  {play}\n")).search());
    let all = "verbs move, swap, drop, pick-up, equip, unequip, lift, put, return, deposit, open, close, give, sort, bind, unbind, \
               leave, split, merge, resize, set, together, buy, sell, craft, cancel, wait, use, depart, arrive\n  mark contaminated\n  unmark contaminated\n  \
               create up to 1 core\n  consume core";
    let rest = ["verb set", "verb together", "verb trade", "verb depart", "verb arrive"];
    let found = search(all);
    assert_eq!(found[..5], rest, "a search tries no values that are not named, and no lists");
    assert!(!search(&format!("{all}\n  set reading to 3, 4.5")).contains(&"verb set".to_owned()));
    let found = search("verbs move\n  containers depot");
    assert_eq!(found[0], "verb swap");
    for what in [
        "container freezer",
        "container vault",
        "amounts other amounts (`amounts every`)",
        "whole-places whole containers and holders (`places all`)",
        "saves saving and loading (`faults save-then-load`)",
    ] {
        assert!(found.contains(&what.to_owned()), "{what} in {found:?}");
    }
    let found = search("amounts every\n  places all\n  faults save-then-load");
    assert!(!found.iter().any(|what| ["amounts", "whole-places", "saves"].iter().any(|it| what.starts_with(it))));
    let walks = Walks { count: 2, ..Walks::default() };
    let walked = not_searched(&exploration(&rules, "explore\n  verbs move, arrive\n").walk(walks, &mut |_| None));
    assert!(!walked.contains(&"verb arrive".to_owned()) && walked.contains(&"verb depart".to_owned()), "{walked:?}");
}

#[test]
fn a_claim_that_says_nothing_is_vacuous() {
    let rules = ready(
        Ruleset::builder()
            .mark("wet")
            .kind("rope", |kind| kind)
            .kind("core", |kind| kind)
            .container("depot", |it| it.slots(2))
            .container("vault", |it| it.slots(1).must_open())
            .container("pockets", |it| it.slots(1))
            .holder("surveyor", ["pockets"], |it| it)
            .start("depot", ["1 rope"]),
    );
    let claims = "explore\n  verbs move, drop\n  actors surveyor\nalways\n  no rope in vault\n  no wet in depot\n  count of core <= 3\n  \
                  count of rope in vault <= 1\n  count of rope <= 1\n  no rope lies with core\n  count of rope >= 1\n  \
                  weight of vault <= 5\n  free slots of vault >= 1\n  vault is closed to surveyor\n\
                  forbidden\n  open vault\n  move core\n  pick-up rope\npossible\n  pockets has: 1 rope\n";
    let found = exploration(&rules, claims).search();
    let vacuous: Vec<Vec<&str>> =
        found.verdicts.iter().map(|it| it.vacuous.iter().map(String::as_str).collect()).collect();
    assert_eq!(
        vacuous,
        [
            vec!["vault was always empty"],
            vec!["no item was `wet`"],
            vec!["the world never had any core"],
            vec!["vault never contained any rope"],
            vec![],
            vec!["no item was `core`"],
            vec![],
            vec!["vault was always empty"],
            vec![],
            vec!["vault was never open to surveyor"],
            vec!["`open` is not in the scope"],
            vec![],
            vec!["`pick-up` is not in the scope"],
            vec![],
        ]
    );
    assert_eq!(found.never_entered, ["vault"]);
    let moves = &found.verbs[0];
    assert_eq!((moves.verb, moves.commonest_reason().map(Reason::code)), (Verb::Move, Some("not-open")));
    assert!(moves.applied > 0);
    // A walk says the same.
    let walked = exploration(&rules, claims).walk(Walks { count: 40, ..Walks::default() }, &mut |_| None);
    let said: Vec<&Vec<String>> = walked.verdicts.iter().map(|it| &it.vacuous).collect();
    assert_eq!(said, found.verdicts.iter().map(|it| &it.vacuous).collect::<Vec<_>>());
}

#[test]
fn what_is_never_opened_or_picked_up_is_said_as_a_scenario_says_it() {
    let rules = ready(
        Ruleset::builder()
            .kind("rope", |kind| kind)
            .container("vault", |it| it.slots(1).must_open())
            .container("chest", |it| it.slots(1).must_open())
            .container("pockets", |it| it.slots(1))
            .holder("surveyor", ["pockets"], |surveyor| surveyor)
            .start("ground", ["1 rope"]),
    );
    let claims = "forbidden\n  open vault\n  close from vault\n  open\n  pick up rope\n  pick-up rope to chest\n";
    let found = exploration(&rules, claims).search();
    assert_eq!(broken(&found, 0), ["surveyor opens vault"]);
    assert_eq!(broken(&found, 1), ["surveyor opens vault", "surveyor closes vault"]);
    assert_eq!(broken(&found, 2).len(), 1);
    assert_eq!(broken(&found, 3).len(), 1);
    assert_eq!(broken(&found, 4), ["surveyor opens chest", "surveyor picks up 1 rope to chest/0"]);
    let unknown = ClaimsFile::parse(Source::new("a.claims", "forbidden\n  open vaul\n")).expect("a claim");
    let errors = Exploration::new(&rules, &unknown).unwrap_err().to_string();
    assert!(errors.contains("a.claims:2:8") && errors.contains("Did you mean `vault`?"), "{errors}");
}

#[test]
fn a_claim_is_checked_again_after_a_holder_returns() {
    let rules = ready(
        Ruleset::builder()
            .kind("rope", |kind| kind.stack_limit(2))
            .container("vault", |it| it.slots(2).must_open())
            .container("pockets", |it| it.slots(2))
            .holder("surveyor", ["pockets"], |it| it)
            .start("vault", ["1 rope"])
            .start("surveyor.pockets", ["1 rope"]),
    );
    let mut start = World::new(&rules);
    for text in ["surveyor opens vault", "surveyor lifts all from pockets/0"] {
        let operation = text.parse::<NamedOperation>().expect("a sentence").resolve(&start).expect("names");
        let _ = start.perform(&operation).expect("applied");
    }
    let claims = |faults| {
        format!(
            "explore\n  verbs move, put\n{faults}always\n  vault is open to surveyor\n  count of rope in vault <= 2\n"
        )
    };
    let search = |faults| exploration(&rules, &claims(faults)).starting_at(start.clone()).search();
    // Nothing but leaving closes it.
    let found = search("");
    assert!(found.verdicts.iter().all(|it| matches!(it.status, Status::Holds)), "{:?}", found.verdicts);
    // While the surveyor is away there is no such holder, and that is no violation; once back it
    // has nothing open.
    let found = search("  faults leave\n");
    assert_eq!(broken(&found, 0), ["depart surveyor", "arrive surveyor"]);
    assert!(matches!(found.verdicts[1].status, Status::Holds));
    assert!(found.law_violation.is_none());
}

/// A search tries each holder with what that holder may do, and not as the game.
#[test]
fn each_holder_is_tried_where_access_differs() {
    let rules = ready(
        Ruleset::builder()
            .kind("coin", |kind| kind.stack_limit(2))
            .container("bag", |bag| bag.slots(2))
            .container("vault", |vault| vault.slots(1).owner("bo").take_by(["owner"]))
            .holder("ada", ["bag"], |ada| ada)
            .holder("bo", ["bag"], |bo| bo.groups(["guards"]))
            .start("ada.bag", ["1 coin"]),
    );
    let verdicts = |play: &str| {
        let claims =
            format!("explore\n  verbs move, swap\n{play}\npossible\n  bo.bag has: 1 coin\n  vault has: 1 coin\n");
        let found = exploration(&rules, &claims).search();
        found.verdicts.iter().map(|it| matches!(it.status, Status::Reachable(_))).collect::<Vec<_>>()
    };
    // She puts it into the vault, and only he takes it out.
    assert_eq!(verdicts("  containers ada.bag, bo.bag"), [false, false]);
    assert_eq!(verdicts("  containers ada.bag, bo.bag, vault"), [true, true]);
    assert_eq!(verdicts("  actors ada\n  containers ada.bag, bo.bag, vault"), [false, true]);
    assert_eq!(verdicts("  actors bo\n  containers ada.bag, bo.bag, vault"), [false, false]);
    assert_eq!(verdicts("  actors game\n  containers ada.bag, bo.bag"), [true, false]);
}

/// A mark may make a stack unfit. What a holder marks stays where that holder may not take it out,
/// and the game has it ejected: neither stands for the other.
#[test]
fn changes_by_holders_are_tried_beside_those_of_the_game() {
    let rules = ready(
        Ruleset::builder()
            .kind("core", |kind| kind)
            .mark("wet")
            .container("freezer", |it| it.slots(1).admits("not wet").ejects_unfit().owner("bo").take_by(["owner"]))
            .holder("ada", [""; 0], |ada| ada)
            .holder("bo", [""; 0], |bo| bo)
            .start("freezer", ["1 core"]),
    );
    let verdicts = |actors: &str| {
        let claims = format!(
            "explore\n  verbs move\n  actors {actors}\n  mark wet\npossible\n  freezer has: 1 core (wet)\n  ground has: 1 core (wet)\n"
        );
        let found = exploration(&rules, &claims).search();
        found.verdicts.iter().map(|it| matches!(it.status, Status::Reachable(_))).collect::<Vec<_>>()
    };
    assert_eq!(verdicts("ada"), [true, true]);
    assert_eq!(verdicts("bo"), [false, true]);
}
