//! Walks find every fault of the model by one ruleset, and make short what they find.

use std::collections::{BTreeMap, BTreeSet};
use std::sync::Arc;

use hypotheke::Ruleset;
use hypotheke::conformance::Engine;
use hypotheke::explore::{ClaimsFile, Exploration, Walks};
use hypotheke::text::Source;

use super::rules::{names_of, rules_text};
use crate::model::{
    Access, ChangeEffect, ChangeSpec, ContainerSpec, DealSpec, DealTerms, FallSpec, Fault, FilterSpec, KindSpec,
    MeterSpec, RecipeSpec, Rules, SlotSpec, Try, with_fault,
};
use crate::names::Plain;

fn kind(weight: i64, limit: u32, tags: &[usize]) -> KindSpec {
    KindSpec {
        weight,
        value: 100,
        limit,
        tags: tags.iter().copied().collect(),
        is_protected: false,
        most: None,
        properties: BTreeMap::new(),
        needs: BTreeSet::new(),
        pack: None,
        effects: None,
        lowers: BTreeMap::new(),
    }
}

fn container(slots: usize) -> ContainerSpec {
    ContainerSpec {
        slots,
        bounds: (slots, slots),
        columns: slots,
        on_put: vec![Try::Place, Try::Merge, Try::Swap],
        ..ContainerSpec::hand()
    }
}

/// What a pack says where it says nothing of its own.
fn pack(slots: usize) -> ContainerSpec {
    let around = || Access::Around;
    ContainerSpec { put: around(), take: around(), open: around(), ..container(slots) }
}

fn slot(name: usize, filter: Option<FilterSpec>, limit: Option<u32>) -> SlotSpec {
    SlotSpec { name: Some(name), filter, limit, put: Access::Around, take: Access::Around }
}

/// A small world with something of everything.
fn rules() -> Rules {
    let tag = FilterSpec::Tag;
    let not = |filter| Some(FilterSpec::Not(Box::new(filter)));
    let kinds = vec![
        KindSpec { value: 1_500, properties: BTreeMap::from([(0, 500)]), ..kind(1_000, 4, &[0]) },
        KindSpec { is_protected: true, ..kind(500, 2, &[]) },
        KindSpec { pack: Some(0), ..kind(500, 1, &[2]) },
        KindSpec { needs: BTreeSet::from([0, 1]), ..kind(2_100, 1, &[1]) },
        KindSpec { most: Some(9), effects: Some(BTreeMap::from([(1, 1_000)])), ..kind(1, 7, &[1]) },
        KindSpec { properties: BTreeMap::from([(0, 500), (1, 1_000)]), ..kind(1, 7, &[]) },
        KindSpec {
            properties: BTreeMap::from([(0, 500)]),
            effects: Some(BTreeMap::new()),
            lowers: BTreeMap::from([(0, 500)]),
            ..kind(1, 1, &[])
        },
    ];
    let owner = Access::owner;
    let holder = |index, spec: ContainerSpec| ContainerSpec {
        holder: Some(index),
        put: owner(),
        take: owner(),
        open: owner(),
        ..spec
    };
    let hands = vec![slot(0, Some(tag(1)), None), slot(1, Some(tag(1)), None), slot(2, Some(tag(2)), None)];
    let containers = vec![
        ContainerSpec { bounds: (1, 6), limit: Some(3), cap: Some(9_000), ..container(4) },
        ContainerSpec {
            ruled: vec![SlotSpec { name: None, ..slot(0, None, None) }, slot(2, Some(tag(0)), Some(2))],
            cap: Some(4_500),
            caps: vec![(tag(0), 3)],
            reserved_first: true,
            ..container(3)
        },
        ContainerSpec { filter: not(tag(1)), deep: true, limit: Some(3), ..container(2) },
        ContainerSpec { filter: not(FilterSpec::Mark(0)), ejects_unfit: true, ..container(2) },
        ContainerSpec { must_open: true, exclusive: true, ..container(2) },
        ContainerSpec { take: Access::Nobody, ..container(1) },
        ContainerSpec {
            put: Access::Listed { owner: true, holders: BTreeSet::new(), groups: BTreeSet::from([0]) },
            take: Access::owner(),
            open: Access::owner(),
            must_open: true,
            owner: Some(1),
            ..container(2)
        },
        holder(0, ContainerSpec { limit: Some(3), ..container(2) }),
        holder(0, ContainerSpec { worn: true, ruled: hands, ..container(3) }),
        holder(1, ContainerSpec { cap: Some(2_000), limit: Some(3), ..container(2) }),
    ];
    let for_first = Access::Listed { owner: false, holders: BTreeSet::from([0]), groups: BTreeSet::new() };
    let names = names_of(kinds.len(), 2, containers.len());
    let (buy, sell) = (Some((1_250, true)), Some((1_000, false)));
    let deal = DealSpec {
        at: vec![0],
        by: for_first.clone(),
        terms: DealTerms::Prices { of: FilterSpec::Kind(0), currency: 4, buy, sell },
        coins_to: None,
        use_nobody: false,
    };
    let recipe = RecipeSpec {
        at: vec![0],
        in_packs: Vec::new(),
        by: for_first.clone(),
        inputs: vec![(FilterSpec::Kind(0), 2)],
        tools: vec![(FilterSpec::Kind(4), 1)],
        outputs: vec![(1, 1)],
        pattern: None,
        yields: Vec::new(),
        outputs_to: None,
        is_loot: false,
        duration: 0,
        holds: false,
        is_automatic: false,
    };
    let slow = RecipeSpec {
        at: vec![0, 9],
        inputs: vec![(FilterSpec::Kind(0), 1)],
        tools: Vec::new(),
        by: Access::Anyone,
        duration: 3,
        ..recipe.clone()
    };
    let by_chance = RecipeSpec {
        inputs: vec![(FilterSpec::Kind(0), 1)],
        outputs: Vec::new(),
        yields: vec![(1, Vec::new()), (1, vec![(4, 7)])],
        by: Access::Anyone,
        tools: Vec::new(),
        ..recipe.clone()
    };
    let laid = RecipeSpec {
        at: vec![2],
        inputs: vec![(FilterSpec::Kind(0), 1)],
        pattern: Some((2, vec![Some(0), None], false)),
        by: Access::Anyone,
        tools: Vec::new(),
        ..recipe.clone()
    };
    let sent = RecipeSpec {
        at: vec![3],
        inputs: vec![(FilterSpec::Kind(0), 1)],
        outputs: vec![(5, 2)],
        outputs_to: Some(2),
        by: Access::Anyone,
        tools: Vec::new(),
        ..recipe.clone()
    };
    let automatic = RecipeSpec {
        at: vec![9],
        inputs: vec![(FilterSpec::Kind(4), 1)],
        outputs: vec![(5, 1)],
        duration: 1,
        holds: true,
        is_automatic: true,
        ..slow.clone()
    };
    let both = |kind, filter| FilterSpec::And(Box::new(FilterSpec::Kind(kind)), Box::new(filter));
    let low = FilterSpec::Not(Box::new(FilterSpec::PropertyAtLeast(0, 500)));
    let changes = vec![
        ChangeSpec { when: both(6, low), effect: ChangeEffect::Marks(1) },
        ChangeSpec { when: both(6, FilterSpec::Mark(1)), effect: ChangeEffect::Becomes(5) },
    ];
    Rules {
        changes,
        falling: BTreeMap::from([(1, FallSpec { by: 700, every: 2, min: 500 })]),
        deals: vec![deal],
        recipes: vec![recipe, slow, by_chance, laid, sent, automatic],
        names,
        kinds,
        containers,
        packs: vec![ContainerSpec { take: for_first, ..pack(2) }, pack(1)],
        holders: vec![(Some(7_000), Vec::new()), (None, Vec::new())],
        groups: vec![BTreeSet::from([0]), BTreeSet::new()],
        meters: vec![
            BTreeMap::from([(1, MeterSpec { start: 0, min: 0, max: 2_500, refuses: false })]),
            BTreeMap::new(),
        ],
        bars: vec![(2, true), (0, false)],
        ground_limit: Some(4),
        nesting: 2,
        hand: ContainerSpec::hand(),
    }
}

/// The number of seeds; a long run takes ten: `SEEDS=10 cargo test -p hypotheke --test main walking
/// -- --nocapture`
fn seeds() -> u64 {
    std::env::var("SEEDS").ok().and_then(|seeds| seeds.parse().ok()).unwrap_or(1)
}

/// The text of the ruleset has more than the model knows of.
fn exploration(rules: &Rules, ruleset: &Arc<Ruleset>) -> Exploration {
    let name = |(index, container): (usize, &ContainerSpec)| match container.holder {
        Some(holder) => format!("h{holder}.c{index}"),
        None => format!("c{index}"),
    };
    let names: Vec<String> = rules.containers.iter().enumerate().map(name).collect();
    // Of what changes a few are enough, and leave the walks to the others.
    let most = |kind: usize| if kind < 5 { 12 } else { 2 };
    let created: String =
        (0..rules.kinds.len()).map(|kind| format!("  create up to {} k{kind}\n", most(kind))).collect();
    let text = format!("explore\n  containers {}\n{created}", names.join(", "));
    let claims = ClaimsFile::parse(Source::new("walking.claims", text)).unwrap_or_else(|errors| panic!("{errors}"));
    Exploration::new(ruleset, &claims).unwrap_or_else(|errors| panic!("{errors}"))
}

#[test]
fn walks_find_each_fault_and_make_it_short() {
    let rules = rules();
    let ruleset = Ruleset::from_toml("walking.toml", &rules_text(&rules)).unwrap_or_else(|errors| panic!("{errors}"));
    let ruleset = Arc::new(ruleset);
    let exploration = exploration(&rules, &ruleset);
    let (mut wrong, mut worst) = (Vec::new(), (0, 0, 0));
    for fault in Fault::ALL {
        for seed in 0..seeds() {
            let walks = Walks { seed, count: 6_000, ..Walks::default() };
            let make = || Plain::new(rules.clone());
            let compared = with_fault(Some(fault), || exploration.compare(walks, make, &mut |_| None));
            let Some(mismatch) = compared.mismatch else {
                wrong.push(format!("{fault:?} with seed {seed}: not found in {} steps", compared.steps));
                continue;
            };
            worst = worst.max((compared.walks, compared.steps, fault as usize));
            println!("{fault:?} with seed {seed}, after {} walks:\n{mismatch}", compared.walks);
            if mismatch.steps.len() > 5 {
                wrong.push(format!("{fault:?} with seed {seed}: {} steps\n{mismatch}", mismatch.steps.len()));
            }
        }
    }
    println!("at most {} walks, {} steps, for {:?}", worst.0, worst.1, Fault::ALL[worst.2]);
    assert!(wrong.is_empty(), "{}", wrong.join("\n"));
}

#[test]
fn walks_find_nothing_where_nothing_is_wrong() {
    let rules = rules();
    let ruleset = Arc::new(Ruleset::from_toml("walking.toml", &rules_text(&rules)).expect("rules"));
    let exploration = exploration(&rules, &ruleset);
    let walks = Walks { count: 400, ..Walks::default() };
    let compared = exploration.compare(walks, || Plain::new(rules.clone()), &mut |_| None);
    assert!(compared.mismatch.is_none(), "{}", compared.mismatch.expect("one"));
    let (reasons, steps) = (compared.refused.len(), compared.steps);
    assert!(steps > 15_000 && reasons >= 15, "{steps} steps, reasons: {:?}", compared.refused);
    let ours = exploration.compare(walks, || Engine::new(&ruleset), &mut |_| None);
    assert_eq!((ours.steps, ours.refused), (compared.steps, compared.refused), "the same walks");
}
