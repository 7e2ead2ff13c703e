//! Whether the cost of an operation grows with the number of slots, of kinds, or of packs in packs;
//! and the cost of undo. `cargo bench -p hypotheke-bench --bench growth`

#![expect(clippy::panic, reason = "the rules and the operations are our own")]

use std::fmt::Write;
use std::hint::black_box;
use std::sync::Arc;

use hypotheke::{Amount, ContainerId, KindId, Operation, Place, Ruleset, World};
use hypotheke_bench::workload::Numbers;
use hypotheke_bench::{interleaved, timed};

const PAIRS: usize = 11;
const RUNS: usize = 20_000;

fn main() {
    println!("medians of {PAIRS} interleaved pairs: how many times as long as in the small world");
    by_slots();
    by_kinds();
    by_depth();
    taking_back();
}

/// A store and a shed with a number of slots, every second one with a stack, and a number of kinds.
#[derive(Clone)]
struct Scene {
    world: World,
    store: ContainerId,
    shed: ContainerId,
    kinds: Vec<KindId>,
    slots: u32,
    numbers: Numbers,
}

impl Scene {
    fn new(slots: u32, kinds: usize) -> Scene {
        let mut text = String::from("format = 1\n");
        for kind in 0..kinds {
            let _ = writeln!(text, "[kind.k{kind}]\nweight = 1.5\ntags = [\"t{}\"]\nstack-limit = 20", kind % 7);
        }
        for name in ["store", "shed"] {
            let _ = writeln!(
                text,
                "[container.{name}]\nslots = {slots}\nweight-cap = 900000000\nadmits = \"not t0 or t0\""
            );
        }
        let rules = Arc::new(Ruleset::from_toml("bench.toml", &text).unwrap_or_else(|errors| panic!("{errors}")));
        let mut world = World::new(&rules);
        let (store, shed) = (named(&world, "store"), named(&world, "shed"));
        let kinds: Vec<KindId> = rules.kinds().map(hypotheke::Kind::handle).collect();
        let mut numbers = Numbers::new(3);
        for container in [store, shed] {
            for slot in (0..slots).step_by(2) {
                let kind = kinds[numbers.below(kinds.len())];
                let create = Operation::creating(Amount::Exactly(10), kind, (container, slot));
                let _ = world.perform(&create).unwrap_or_else(|refusal| panic!("{refusal:?}"));
            }
        }
        Scene { world, store, shed, kinds, slots, numbers }
    }

    fn kind(&mut self) -> KindId {
        self.kinds[self.numbers.below(self.kinds.len())]
    }

    fn slot(&mut self) -> u32 {
        u32::try_from(self.numbers.below(self.slots as usize)).unwrap_or(0)
    }

    fn perform(&mut self, operation: &Operation) {
        let _ = black_box(self.world.perform(operation));
    }

    fn create(&mut self) {
        let (kind, store) = (self.kind(), self.store);
        self.perform(&Operation::creating(Amount::UpTo(5), kind, store));
        self.perform(&Operation::consuming(Amount::UpTo(5), kind, store));
    }

    fn move_between(&mut self) {
        let (from, to) = (self.slot(), self.slot());
        let (store, shed) = (self.store, self.shed);
        self.perform(&Operation::moving(Amount::All, (store, from & !1), (shed, to | 1)));
        self.perform(&Operation::moving(Amount::All, (shed, to | 1), (store, from & !1)));
    }

    fn swap(&mut self) {
        let (one, other, store) = (self.slot(), self.slot(), self.store);
        self.perform(&Operation::swapping((store, one), (store, other)));
    }

    fn split_and_merge(&mut self) {
        let (from, store) = (self.slot() & !1, self.store);
        let to = from | 1;
        self.perform(&Operation::splitting(3, (store, from), (store, to)));
        self.perform(&Operation::merging(Amount::All, (store, to), (store, from)));
    }

    fn weigh(&mut self) {
        black_box((self.world.container_weight(self.store), self.world.free_slots(self.store)));
    }

    fn count(&mut self) {
        let (kind, store) = (self.kind(), Some(Place::Container(self.store)));
        black_box((self.world.count(kind, store), self.world.has(kind, store)));
    }

    fn room(&mut self) {
        let kind = self.kind();
        black_box(self.world.room_for(kind, self.store));
    }
}

fn named(world: &World, name: &str) -> ContainerId {
    world.container(name).unwrap_or_else(|| panic!("{name}"))
}

type Act = (&'static str, fn(&mut Scene));

const ACTS: [Act; 7] = [
    ("create, consume", Scene::create),
    ("move", Scene::move_between),
    ("swap", Scene::swap),
    ("split, merge", Scene::split_and_merge),
    ("weight, free slots", Scene::weigh),
    ("count, has", Scene::count),
    ("room", Scene::room),
];

/// The number of operations that change something.
const CHANGING: usize = 4;

fn compare(small: &mut Scene, large: &mut Scene, act: fn(&mut Scene)) -> f64 {
    let run = |scene: &mut Scene| timed(&mut || (0..RUNS).for_each(|_| act(scene)));
    1.0 / interleaved(PAIRS, || run(small), || run(large)).ratio
}

fn by_slots() {
    let (mut few, mut many) = (Scene::new(30, 1), Scene::new(1_000_000, 1));
    for (name, act) in ACTS {
        println!(" 1000000 slots, one kind     {name:16} {:6.2}", compare(&mut few, &mut many, act));
    }
    let mut few = Scene::new(30, 64);
    for slots in [100_000, 1_000_000] {
        let mut many = Scene::new(slots, 64);
        for (name, act) in ACTS {
            println!("{slots:8} slots against 30     {name:16} {:6.2}", compare(&mut few, &mut many, act));
        }
    }
}

fn by_kinds() {
    let (mut few, mut many) = (Scene::new(100, 10), Scene::new(100, 100_000));
    for (name, act) in ACTS {
        println!("  100000 kinds against 10     {name:16} {:6.2}", compare(&mut few, &mut many, act));
    }
}

/// Items go in and out of a crate inside a number of crates.
fn by_depth() {
    let text = "format = 1\nnesting = 32\n[kind.flare]\nweight = 1\nstack-limit = 6\n\
                [kind.crate]\nweight = 1\npack = \"crate\"\n[container.crate]\nslots = 2\n[container.store]\nslots = 2\n";
    let rules = Arc::new(Ruleset::from_toml("bench.toml", text).unwrap_or_else(|errors| panic!("{errors}")));
    let nested = |depth: usize| {
        let mut world = World::new(&rules);
        let flare = world.rules().find_kind("flare").unwrap_or_else(|| panic!("a kind"));
        let pack = world.rules().find_kind("crate").unwrap_or_else(|| panic!("a kind"));
        let mut at = named(&world, "store");
        for _ in 0..depth {
            let _ = world.perform(&Operation::creating(Amount::Exactly(1), pack, (at, 0)));
            at = world.stack(at, 0).and_then(hypotheke::StackView::inside).unwrap_or_else(|| panic!("a crate"));
        }
        let store = named(&world, "store");
        let _ = world.perform(&Operation::creating(Amount::Exactly(6), flare, (store, 1)));
        (world, Place::Slot(store, 1), Place::Slot(at, 1))
    };
    let run = |(world, outside, inside): &mut (World, Place, Place)| {
        timed(&mut || {
            for _ in 0..RUNS {
                let _ = black_box(world.perform(&Operation::moving(Amount::All, *outside, *inside)));
                let _ = black_box(world.perform(&Operation::moving(Amount::All, *inside, *outside)));
            }
        })
    };
    let mut shallow = nested(1);
    for depth in [8, 32] {
        let mut deep = nested(depth);
        let pairs = interleaved(PAIRS, || run(&mut shallow), || run(&mut deep));
        println!("{depth:8} crates against 1     {:16} {:6.2}", "move", 1.0 / pairs.ratio);
    }
}

/// The time of undo against that of the operation. Both have the same undo limit.
fn taking_back() {
    let mut scene = Scene::new(1_000, 64);
    scene.world.set_undo_limit(RUNS * 2);
    for (name, act) in ACTS.into_iter().take(CHANGING) {
        let ratio = {
            let both = std::cell::RefCell::new(&mut scene);
            let doing = || timed(&mut || (0..RUNS).for_each(|_| act(&mut both.borrow_mut())));
            let undoing = || {
                timed(&mut || {
                    let world = &mut both.borrow_mut().world;
                    while world.undo_depth() > 0 {
                        let revision = world.revision();
                        world.undo(revision).unwrap_or_else(|_| panic!("the latest"));
                    }
                })
            };
            1.0 / interleaved(PAIRS, doing, undoing).ratio
        };
        println!("undo against the operation    {name:16} {ratio:6.2}");
    }
}
