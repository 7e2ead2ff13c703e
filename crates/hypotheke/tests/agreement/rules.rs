//! Random rules, and the text of a ruleset that says the same.

use std::collections::{BTreeMap, BTreeSet};
use std::fmt::Write;

use hypotheke::Decimal;
use proptest::prelude::*;

use crate::model::{
    Access, Caps, ChangeEffect, ChangeSpec, ContainerSpec, DealSpec, DealTerms, FallSpec, FilterSpec, KindSpec,
    MeterSpec, Model, Names, RecipeSpec, Rules, SlotSpec, Try,
};

pub(super) const TAGS: usize = 3;
pub(super) const MARKS: usize = 2;
/// The number of names for slots.
const NAMES: usize = 3;
pub(super) const PROPERTIES: usize = 2;
/// Air and warmth.
const METERS: usize = 2;
/// How many containers there are that packs bring.
const PACKS: usize = 2;

fn any_filter() -> impl Strategy<Value = FilterSpec> {
    let leaf = prop_oneof![
        (0..TAGS).prop_map(FilterSpec::Tag),
        (0..MARKS).prop_map(FilterSpec::Mark),
        (0usize..2).prop_map(FilterSpec::Kind),
        (0i64..4).prop_map(|steps| FilterSpec::WeightAtMost(steps * 700)),
        (0..PROPERTIES, 0i64..4).prop_map(|(property, least)| FilterSpec::PropertyAtLeast(property, least * 500)),
    ];
    leaf.prop_recursive(2, 6, 2, |part| {
        prop_oneof![
            part.clone().prop_map(|part| FilterSpec::Not(Box::new(part))),
            (part.clone(), part.clone()).prop_map(|(a, b)| FilterSpec::And(Box::new(a), Box::new(b))),
            (part.clone(), part).prop_map(|(a, b)| FilterSpec::Or(Box::new(a), Box::new(b))),
        ]
    })
}

fn sometimes<T: std::fmt::Debug + Clone + 'static>(
    value: impl Strategy<Value = T> + 'static,
) -> impl Strategy<Value = Option<T>> {
    prop_oneof![2 => Just(None), 1 => value.prop_map(Some)]
}

fn any_kind() -> impl Strategy<Value = KindSpec> {
    let weight = prop::sample::select(vec![0, 1, 500, 1_000, 1_400, 2_100]);
    let limit = prop::sample::select(vec![1, 1, 2, 4, 7, 20]);
    let pack = prop_oneof![2 => Just(None), 1 => (0..PACKS).prop_map(Some)];
    let properties = prop::collection::btree_map(0..PROPERTIES, (0i64..3).prop_map(|halves| halves * 500), 0..3);
    let tags = prop::collection::btree_set(0..TAGS, 0..3);
    let value = prop::sample::select(vec![0, 100, 250, 1_500, 3_000]);
    let needs = prop_oneof![1 => Just(BTreeSet::new()), 1 => prop::collection::btree_set(0..NAMES, 1..3)];
    let most = prop_oneof![6 => Just(None), 1 => (1u32..25).prop_map(Some)];
    let effect = prop::sample::select(vec![-2_500, -1_000, 1_000, 3_000]);
    let effects = prop_oneof![Just(None), prop::collection::btree_map(0..METERS, effect, 0..3).prop_map(Some)];
    let lowers = sometimes(prop::sample::select(vec![500, 1_000]));
    (weight, limit, tags, prop::bool::weighted(0.15), pack, properties, (needs, value, most, effects, lowers)).prop_map(
        |(weight, limit, tags, is_protected, pack, properties, (needs, value, most, effects, lowers))| {
            let limit = if pack.is_some() { 1 } else { limit };
            let first = properties.keys().next().filter(|_| limit == 1 && effects.is_some());
            let lowers = first.copied().zip(lowers).into_iter().collect();
            KindSpec { weight, value, limit, tags, is_protected, most, properties, needs, pack, effects, lowers }
        },
    )
}

fn any_caps() -> impl Strategy<Value = Caps> {
    prop_oneof![2 => Just(vec![]), 1 => prop::collection::vec((any_filter(), 1u32..9), 1..3)]
}

/// `Around` stands for the default, until it is known which container it is.
fn any_access() -> impl Strategy<Value = Access> {
    let holders = || prop::collection::btree_set(0usize..2, 0..3);
    let listed = (prop::bool::weighted(0.6), holders(), holders());
    prop_oneof![
        6 => Just(Access::Around),
        1 => Just(Access::Anyone),
        1 => Just(Access::Nobody),
        2 => listed.prop_map(|(owner, holders, groups)| Access::Listed { owner, holders, groups }),
    ]
}

/// With the holders and groups that there are, and the default of where it is.
fn fitted(access: Access, holders: &[BTreeSet<usize>], default: &Access) -> Access {
    match access {
        Access::Around => default.clone(),
        Access::Listed { owner, holders: mut names, mut groups } => {
            names.retain(|holder| *holder < holders.len());
            groups.retain(|group| holders.iter().any(|of| of.contains(group)));
            let owner = owner || names.is_empty() && groups.is_empty();
            Access::Listed { owner, holders: names, groups }
        }
        access => access,
    }
}

fn fit(container: &mut ContainerSpec, holders: &[BTreeSet<usize>], default: &Access) {
    let ContainerSpec { put, take, open, owner, .. } = container;
    for access in [put, take, open] {
        *access = fitted(std::mem::replace(access, Access::Around), holders, default);
    }
    *owner = owner.filter(|owner| *owner < holders.len());
    for slot in &mut container.ruled {
        for access in [&mut slot.put, &mut slot.take] {
            *access = match fitted(std::mem::replace(access, Access::Around), holders, &Access::Around) {
                // For anyone it is as the others.
                Access::Anyone => Access::Around,
                access => access,
            };
        }
    }
}

fn any_container() -> impl Strategy<Value = ContainerSpec> {
    let who = prop_oneof![4 => Just((Access::Around, Access::Around)), 1 => (any_access(), any_access())];
    let ruled = (sometimes(any_filter()), sometimes(1u32..6), prop::bool::weighted(0.8), who);
    let slots = prop_oneof![6 => 1usize..6, 1 => 63usize..66, 1 => 100usize..140];
    let rules = (
        prop_oneof![2 => Just(vec![]), 1 => prop::collection::vec(ruled, 1..4)],
        sometimes(1u32..8),
        sometimes(0i64..30_000),
    );
    let who = (any_access(), any_access(), any_access(), sometimes(0usize..2));
    let border = (any::<bool>(), who, prop::bool::weighted(0.4));
    let tries = prop::sample::subsequence(vec![Try::Place, Try::Merge, Try::Swap], 0..=3).prop_shuffle();
    let on_put = prop_oneof![2 => Just(vec![Try::Place, Try::Merge, Try::Swap]), 1 => tries];
    let sizes = sometimes((0usize..3, 0usize..4));
    let grid = (sizes, sometimes(0usize..4));
    let doors = (prop::bool::weighted(0.25), prop::bool::weighted(0.25), grid);
    let how = (any::<bool>(), on_put, any::<bool>(), doors);
    let all = (slots, rules, sometimes(any_filter()), border, any_caps(), how);
    all.prop_map(
        |(
            slots,
            (ruled, limit, cap),
            filter,
            (worn, (put, take, open, owner), deep),
            caps,
            (ejects_unfit, on_put, reserved_first, (must_open, exclusive, (sizes, columns))),
        )| {
            let named = |(index, (filter, limit, named, (put, take))): (usize, (_, _, bool, _))| SlotSpec {
                name: Some(index).filter(|_| named),
                filter,
                limit,
                put,
                take,
            };
            let ruled: Vec<SlotSpec> = ruled.into_iter().enumerate().map(named).collect();
            let slots = slots.max(ruled.len());
            let deep = deep && filter.is_some();
            let staying = ruled.iter().rposition(SlotSpec::has_rules).map_or(1, |last| last + 1);
            let (fewer, more) = sizes.unwrap_or_default();
            let bounds = (slots.saturating_sub(fewer).max(staying), slots + more);
            ContainerSpec {
                slots,
                ruled,
                limit,
                cap,
                filter,
                deep,
                ejects_unfit,
                worn,
                holder: None,
                put,
                take,
                open,
                owner,
                caps,
                on_put,
                reserved_first,
                must_open,
                exclusive,
                bounds,
                columns: columns.map_or(slots.min(8), |columns| 1 + columns % slots),
            }
        },
    )
}

/// Not fitted to the containers, holders and kinds that there are.
fn any_deal() -> impl Strategy<Value = DealSpec> {
    let items = || prop::collection::vec((0usize..5, 1u32..4), 1..3);
    let price = || sometimes((prop::sample::select(vec![400i64, 1_000, 1_250, 2_500]), any::<bool>()));
    let terms = prop_oneof![
        (items(), items()).prop_map(|(gives, takes)| DealTerms::Lot { gives, takes }),
        (any_filter(), 0usize..5, price(), price()).prop_map(|(of, currency, buy, sell)| DealTerms::Prices {
            of,
            currency,
            buy,
            sell
        }),
    ];
    let places = (prop::collection::vec(0usize..4, 1..3), sometimes(0usize..4));
    (places, any_access(), terms, prop::bool::weighted(0.3))
        .prop_map(|((at, coins_to), by, terms, use_nobody)| DealSpec { at, by, terms, coins_to, use_nobody })
}

/// With the kinds that there are; `None` if nothing is left.
fn fitted_terms(rules: &Rules, terms: DealTerms) -> Option<DealTerms> {
    let kinds = rules.kinds.len();
    Some(match terms {
        DealTerms::Lot { gives, takes } => {
            let mut seen = BTreeSet::new();
            let mut fitted = |items: Vec<(usize, u32)>| -> Vec<(usize, u32)> {
                let items = items.into_iter().map(|(kind, count)| (kind % kinds, count));
                items.filter(|(kind, _)| seen.insert(*kind)).collect()
            };
            let (gives, takes) = (fitted(gives), fitted(takes));
            (!gives.is_empty() && !takes.is_empty()).then_some(DealTerms::Lot { gives, takes })?
        }
        DealTerms::Prices { of, currency, buy, sell } => {
            let currency = currency % kinds;
            let has_price = |kind: usize| {
                let mut prices = buy.iter().chain(&sell);
                prices.all(|price| Model::price(rules.kinds[kind].value, *price) > 0)
            };
            let priced = (0..kinds).filter(|&kind| kind != currency && has_price(kind)).map(FilterSpec::Kind);
            let priced = priced.reduce(|a, b| FilterSpec::Or(Box::new(a), Box::new(b)))?;
            let of = FilterSpec::And(Box::new(of), Box::new(priced));
            (buy.is_some() || sell.is_some()).then_some(DealTerms::Prices { of, currency, buy, sell })?
        }
    })
}

fn any_recipe() -> impl Strategy<Value = RecipeSpec> {
    let of = || prop_oneof![2 => (0usize..5).prop_map(FilterSpec::Kind), 1 => any_filter()];
    let ingredients = |most: usize| prop::collection::vec((of(), 1u32..4), usize::from(most > 1)..=most);
    let outputs = prop::collection::vec((0usize..5, 1u32..4), 1..=2);
    let at = (prop::collection::vec(0usize..6, 0..3), prop::collection::vec(0..PACKS, 0..2));
    let places = (at, prop::option::weighted(0.3, 0usize..4));
    let slow = (1u32..6, any::<bool>(), prop::bool::weighted(0.3));
    let time = prop_oneof![1 => Just((0u32, false, false)), 1 => slow];
    let made = prop::collection::vec((0usize..5, 1u32..4), 0..=2);
    let yields = prop::collection::vec((1u32..4, made), 1..=3);
    let chance = prop_oneof![2 => Just((vec![], false)), 1 => (yields, prop::bool::weighted(0.3))];
    let cells = prop::collection::vec(sometimes(0usize..2), 1..6);
    let pattern = prop_oneof![2 => Just(None), 1 => (1usize..4, cells, any::<bool>()).prop_map(Some)];
    let how = (time, pattern);
    (places, any_access(), ingredients(2), ingredients(1), outputs, how, chance).prop_map(
        |(
            ((at, in_packs), outputs_to),
            by,
            inputs,
            tools,
            outputs,
            ((duration, holds, is_automatic), pattern),
            (yields, is_loot),
        )| RecipeSpec {
            at,
            in_packs,
            by,
            inputs,
            tools,
            outputs,
            pattern,
            yields,
            outputs_to,
            is_loot,
            duration,
            holds,
            is_automatic,
        },
    )
}

/// A change of one kind: as soon as a property is low, or with a mark. Not fitted to the kinds of a
/// ruleset.
fn any_change() -> impl Strategy<Value = (usize, ChangeSpec)> {
    let low = |(property, least)| FilterSpec::Not(Box::new(FilterSpec::PropertyAtLeast(property, least)));
    let when = prop_oneof![
        2 => (0..PROPERTIES, prop::sample::select(vec![500, 1_000])).prop_map(low),
        1 => (0..MARKS).prop_map(FilterSpec::Mark),
    ];
    let effect = prop_oneof![
        2 => (0usize..5).prop_map(ChangeEffect::Becomes),
        1 => (0..MARKS).prop_map(ChangeEffect::Marks),
        1 => Just(ChangeEffect::Removes),
    ];
    (0usize..5, when, effect).prop_map(|(kind, when, effect)| (kind, ChangeSpec { when, effect }))
}

fn any_falling() -> impl Strategy<Value = BTreeMap<usize, FallSpec>> {
    let spec = (prop::sample::select(vec![500, 700]), 1u64..4, prop::sample::select(vec![0, 500]));
    prop::collection::btree_map(0..PROPERTIES, spec.prop_map(|(by, every, min)| FallSpec { by, every, min }), 0..3)
}

/// Those that a ruleset may have.
pub(super) fn fitted_changes(rules: &Rules, changes: Vec<(usize, ChangeSpec)>) -> Vec<ChangeSpec> {
    let count = rules.kinds.len();
    let fitted = changes.into_iter().filter_map(|(kind, ChangeSpec { when, effect })| {
        let kind = kind % count;
        let when = FilterSpec::And(Box::new(FilterSpec::Kind(kind)), Box::new(when));
        let effect = match effect {
            ChangeEffect::Becomes(other) => ChangeEffect::Becomes(other % count),
            effect => effect,
        };
        may_change(rules, kind, &when, effect).then_some(ChangeSpec { when, effect })
    });
    fitted.collect()
}

/// No change leads where a limit would be exceeded, and none to an earlier kind, so that all end.
fn may_change(rules: &Rules, kind: usize, when: &FilterSpec, effect: ChangeEffect) -> bool {
    let is_kept = |kind: &KindSpec| kind.is_protected || kind.pack.is_some();
    let spec = &rules.kinds[kind];
    let may = match effect {
        ChangeEffect::Marks(_) => true,
        ChangeEffect::Removes => !is_kept(spec),
        ChangeEffect::Becomes(other) => {
            let after = &rules.kinds[other];
            let is_no_more = after.weight <= spec.weight && after.limit >= spec.limit && after.needs == spec.needs;
            other > kind && is_no_more && after.most.is_none() && !is_kept(spec) && !is_kept(after)
        }
    };
    may && !rules.admits(Some(when), &rules.plain(kind))
}

/// Whole rows in which each input lies, and none that lies nowhere.
fn fitted_pattern(
    (columns, mut cells, mirrored): (usize, Vec<Option<usize>>, bool),
    inputs: &mut Vec<(FilterSpec, u32)>,
) -> (usize, Vec<Option<usize>>, bool) {
    cells.iter_mut().flatten().for_each(|input| *input %= inputs.len());
    if cells.iter().flatten().next().is_none() {
        cells[0] = Some(0);
    }
    // The text numbers them in the order in which they come.
    let mut order: Vec<usize> = Vec::new();
    for input in cells.iter_mut().flatten() {
        let known = order.iter().position(|known| known == input);
        *input = known.unwrap_or_else(|| {
            order.push(*input);
            order.len() - 1
        });
    }
    let number = |nth: usize| u32::try_from(cells.iter().flatten().filter(|input| **input == nth).count()).unwrap();
    *inputs = order.iter().enumerate().map(|(nth, &input)| (inputs[input].0.clone(), number(nth))).collect();
    cells.resize(cells.len().next_multiple_of(columns), None);
    (columns, cells, mirrored)
}

/// Those that a ruleset may have.
fn fitted_recipes(rules: &Rules, recipes: Vec<RecipeSpec>) -> Vec<RecipeSpec> {
    let kinds = rules.kinds.len();
    let fitted_one = |recipe: RecipeSpec| {
        let items = |items: Vec<(usize, u32)>| -> Vec<(usize, u32)> {
            let mut seen = BTreeSet::new();
            let fitted = items.into_iter().map(|(kind, count)| (kind % kinds, count));
            fitted.filter(|(kind, _)| seen.insert(*kind)).collect()
        };
        let outputs = items(recipe.outputs);
        let yields: Vec<(u32, Vec<(usize, u32)>)> =
            recipe.yields.into_iter().map(|(weight, made)| (weight, items(made))).collect();
        let all_made = || outputs.iter().chain(yields.iter().flat_map(|(_, made)| made));
        let ingredients = |items: Vec<(FilterSpec, u32)>| -> Vec<(FilterSpec, u32)> {
            let mut seen = BTreeSet::new();
            let fitted = items.into_iter().map(|(of, count)| match of {
                FilterSpec::Kind(kind) => (FilterSpec::Kind(kind % kinds), count),
                of => (of, count),
            });
            fitted.filter(|(of, _)| !matches!(of, FilterSpec::Kind(kind) if !seen.insert(*kind))).collect()
        };
        let holds = |spec: &ContainerSpec| all_made().all(|(kind, _)| may_hold(rules, spec, *kind));
        let (is_own, count) = (recipe.at.is_empty() && recipe.in_packs.is_empty(), rules.containers.len());
        let mut seen = BTreeSet::new();
        let standing = rules.standing();
        let to = recipe.outputs_to.filter(|_| !is_own).map(|to| standing[to % standing.len()]);
        let outputs_to = to.filter(|&to| holds(&rules.containers[to]));
        let holds = |spec: &ContainerSpec| outputs_to.is_some() || holds(spec);
        let at = recipe.at.iter().map(|at| at % count).filter(|at| seen.insert(*at));
        let at: Vec<usize> = at.filter(|&at| holds(&rules.containers[at])).collect();
        let is_brought = |pack: &usize| rules.kinds.iter().any(|kind| kind.pack == Some(*pack));
        let in_packs = recipe.in_packs.into_iter().filter(|pack| is_brought(pack) && holds(&rules.packs[*pack]));
        let in_packs: Vec<usize> = in_packs.collect();
        let is_loot = recipe.is_loot;
        let by = if is_loot { Access::Nobody } else { fitted(recipe.by, &rules.groups, &Access::Anyone) };
        let (mut inputs, tools) = (ingredients(recipe.inputs), ingredients(recipe.tools));
        // Some is found without anything.
        inputs.truncate(if is_loot && tools.is_empty() { 0 } else { usize::MAX });
        // Each input lies somewhere, as often as it is in the pattern.
        let pattern = recipe.pattern.filter(|_| !is_own && !inputs.is_empty());
        let pattern = pattern.map(|pattern| fitted_pattern(pattern, &mut inputs));
        let has_place = |spec: &ContainerSpec| {
            let slots = spec.slots.max(spec.bounds.1);
            pattern.as_ref().is_none_or(|pattern| !Model::places(pattern, slots, spec.wide()).is_empty())
        };
        let at: Vec<usize> = at.into_iter().filter(|&at| has_place(&rules.containers[at])).collect();
        let in_packs: Vec<usize> = in_packs.into_iter().filter(|&pack| has_place(&rules.packs[pack])).collect();
        let is_somewhere = is_own || !at.is_empty() || !in_packs.is_empty();
        // What takes time needs a container that is no pack.
        let in_containers = in_packs.is_empty() && !at.is_empty();
        let duration = if in_containers && !inputs.is_empty() { recipe.duration } else { 0 };
        let is_automatic = recipe.is_automatic && duration > 0 && yields.is_empty() && !is_loot;
        let holds = (recipe.holds || is_automatic) && duration > 0;
        is_somewhere.then_some(RecipeSpec {
            at,
            in_packs,
            by,
            inputs,
            tools,
            outputs,
            pattern,
            yields,
            outputs_to,
            is_loot,
            duration,
            holds,
            is_automatic,
        })
    };
    recipes.into_iter().filter_map(fitted_one).collect()
}

/// Whether a container and one of its slots admit plain items of a kind.
fn may_hold(rules: &Rules, container: &ContainerSpec, kind: usize) -> bool {
    let plain = rules.plain(kind);
    let by_slot = container.ruled.len() < container.slots
        || container.ruled.iter().any(|slot| rules.admits(slot.filter.as_ref(), &plain));
    rules.admits(container.filter.as_ref(), &plain) && by_slot
}

/// What a holder pays is admitted where it goes.
fn is_admitted(rules: &Rules, deal: &DealSpec) -> bool {
    let paid: Vec<usize> = match &deal.terms {
        DealTerms::Lot { takes, .. } => takes.iter().map(|(kind, _)| *kind).collect(),
        DealTerms::Prices { currency, buy: Some(_), .. } => vec![*currency],
        DealTerms::Prices { .. } => Vec::new(),
    };
    let tills = deal.coins_to.map_or_else(|| deal.at.clone(), |till| vec![till]);
    tills.into_iter().all(|till| paid.iter().all(|&kind| may_hold(rules, &rules.containers[till], kind)))
}

/// The kinds that a deal is for.
fn offers(rules: &Rules, deal: &DealSpec, buys: bool) -> Vec<usize> {
    let all = 0..rules.kinds.len();
    match &deal.terms {
        DealTerms::Lot { gives, .. } if buys => gives.iter().map(|(kind, _)| *kind).collect(),
        DealTerms::Prices { of, buy, sell, .. } if (if buys { buy } else { sell }).is_some() => {
            all.filter(|&kind| rules.admits(Some(of), &rules.plain(kind))).collect()
        }
        DealTerms::Lot { .. } | DealTerms::Prices { .. } => Vec::new(),
    }
}

/// Those that a ruleset may have.
fn fitted_deals(rules: &Rules, deals: Vec<DealSpec>) -> Vec<DealSpec> {
    let standing = rules.standing();
    let (mut fitted_ones, mut taken) = (Vec::new(), BTreeSet::new());
    for deal in deals {
        let mut seen = BTreeSet::new();
        let at = deal.at.iter().map(|at| standing[at % standing.len()]).filter(|at| seen.insert(*at)).collect();
        let by = fitted(deal.by, &rules.groups, &Access::Anyone);
        let coins_to = deal.coins_to.map(|till| standing[till % standing.len()]);
        let Some(terms) = fitted_terms(rules, deal.terms) else { continue };
        let deal = DealSpec { at, by, terms, coins_to, ..deal };
        let keys: Vec<(usize, bool, usize)> = [true, false]
            .into_iter()
            .flat_map(|buys| offers(rules, &deal, buys).into_iter().map(move |kind| (buys, kind)))
            .flat_map(|(buys, kind)| deal.at.iter().map(move |&at| (at, buys, kind)))
            .collect();
        if is_admitted(rules, &deal) && !keys.iter().any(|key| taken.contains(key)) {
            taken.extend(keys);
            fitted_ones.push(deal);
        }
    }
    fitted_ones
}

/// Weight cap and caps, shortcuts, groups, and containers.
type HolderParts =
    ((Option<i64>, Caps), (usize, bool), BTreeSet<usize>, Vec<ContainerSpec>, BTreeMap<usize, MeterSpec>);

fn any_meter() -> impl Strategy<Value = MeterSpec> {
    ((-3i64..3, 0i64..9), 0i64..9, any::<bool>()).prop_map(|((min, size), start, refuses)| {
        let (min, max) = (min * 1_000, (min + size) * 1_000);
        MeterSpec { start: (min + start * 1_000).min(max), min, max, refuses }
    })
}

fn any_holder() -> impl Strategy<Value = HolderParts> {
    let bar = (0usize..4, any::<bool>());
    let groups = prop::collection::btree_set(0usize..2, 0..3);
    let meters = prop::collection::btree_map(0..METERS, any_meter(), 1..3);
    ((sometimes(0i64..40_000), any_caps()), bar, groups, prop::collection::vec(any_container(), 0..3), meters)
}

pub(super) fn names_of(kinds: usize, holders: usize, containers: usize) -> Names {
    let mut names = Names::numbered(kinds, MARKS, PROPERTIES, NAMES, holders, containers);
    names.holder_definitions.iter_mut().skip(1).for_each(|definition| *definition = "template".to_owned());
    names
}

/// Containers of the world first, then those of each holder, as the library lists them.
pub(crate) fn any_rules() -> impl Strategy<Value = Rules> {
    let kinds = prop::collection::vec(any_kind(), 2..5);
    let holders = prop_oneof![1 => Just(0usize), 5 => 1usize..3]
        .prop_flat_map(move |count| prop::collection::vec(any_holder(), count));
    let packs = prop::collection::vec(any_container(), PACKS..=PACKS);
    let deals = prop_oneof![1 => Just(vec![]), 1 => prop::collection::vec(any_deal(), 1..4)];
    let recipes = prop_oneof![1 => Just(vec![]), 1 => prop::collection::vec(any_recipe(), 1..3)];
    let changes = prop_oneof![1 => Just(vec![]), 1 => prop::collection::vec(any_change(), 1..4)];
    let falling = prop_oneof![2 => Just(BTreeMap::new()), 1 => any_falling()];
    let others = (1i64..4, sometimes(0usize..6), deals, recipes, (changes, falling));
    let all = (kinds, prop::collection::vec(any_container(), 1..4), packs, holders, others);
    all.prop_map(
        |(mut kinds, mut containers, mut packs, holders, (nesting, ground, deals, recipes, (changes, falling)))| {
            for pack in &mut packs {
                pack.worn = false;
            }
            let (mut caps, mut bars, mut groups, mut meters) = (Vec::new(), Vec::new(), Vec::new(), Vec::new());
            for (holder, (cap, bar, of, carried, measured)) in holders.into_iter().enumerate() {
                groups.push(of);
                caps.push(cap);
                bars.push(bar);
                meters.push(measured);
                containers
                    .extend(carried.into_iter().map(|container| ContainerSpec { holder: Some(holder), ..container }));
            }
            for container in &mut containers {
                let default = container.holder.map_or(Access::Anyone, |_| Access::owner());
                fit(container, &groups, &default);
                container.owner = container.owner.filter(|_| container.holder.is_none());
            }
            for pack in &mut packs {
                fit(pack, &groups, &Access::Around);
                pack.owner = None;
            }
            // No effect is on a meter that no holder has.
            let is_known = |meter: &usize| meters.iter().any(|of: &BTreeMap<_, _>| of.contains_key(meter));
            kinds
                .iter_mut()
                .filter_map(|kind| kind.effects.as_mut())
                .for_each(|it| it.retain(|meter, _| is_known(meter)));
            let names = names_of(kinds.len(), bars.len(), containers.len());
            let rules = Rules {
                kinds,
                containers,
                packs,
                holders: caps,
                groups,
                meters,
                bars,
                ground_limit: ground.map(|limit| limit + 1),
                nesting,
                hand: ContainerSpec::hand(),
                deals: Vec::new(),
                recipes: Vec::new(),
                changes: Vec::new(),
                falling,
                names,
            };
            let (deals, recipes) = (fitted_deals(&rules, deals), fitted_recipes(&rules, recipes));
            let changes = fitted_changes(&rules, changes);
            Rules { deals, recipes, changes, ..rules }
        },
    )
}

/// The same rules with lower limits and caps and stricter filters, so that a world of the former
/// may be over them. Each bit of `which` is one of the ways.
pub(super) fn tightened(rules: &Rules, which: u16) -> Rules {
    let mut rules = rules.clone();
    let is = |bit: u16| which >> bit & 1 == 1;
    let half = |limit: u32| (limit / 2).max(1);
    if is(0) {
        rules.kinds.iter_mut().for_each(|kind| kind.limit = half(kind.limit));
    }
    if is(1) {
        rules.ground_limit = Some(1);
    }
    if is(2) {
        rules.nesting = 1;
    }
    if is(11) {
        // What took one slot takes several, which may be taken.
        rules.kinds.iter_mut().for_each(|kind| kind.needs = BTreeSet::from([0, 1]));
    }
    if is(1) {
        // What a meter was at is beyond its bounds.
        let meters = rules.meters.iter_mut().flat_map(BTreeMap::values_mut);
        meters.for_each(|it| (it.min, it.max, it.start) = (it.min + 1_000, it.min + 1_000, it.min + 1_000));
    }
    for (cap, caps) in &mut rules.holders {
        if is(3) {
            *cap = Some(cap.unwrap_or(8_000) / 2);
        }
        if is(4) {
            caps.iter_mut().for_each(|(_, count)| *count = half(*count));
            caps.push((FilterSpec::Kind(0), 1));
        }
    }
    for (number, container) in rules.containers.iter_mut().chain(&mut rules.packs).enumerate() {
        let is = |bit: u16| is(bit) && which >> (12 + number % 4) & 1 == 0;
        if is(5) {
            container.limit = Some(half(container.limit.unwrap_or(4)));
        }
        if is(6) {
            container.cap = Some(container.cap.unwrap_or(6_000) / 2);
        }
        if is(7) {
            container.caps.iter_mut().for_each(|(_, count)| *count = half(*count));
            container.caps.push((FilterSpec::Tag(0), 1));
        }
        if is(8) {
            let old = container.filter.take();
            let stricter = FilterSpec::Not(Box::new(FilterSpec::Kind(0)));
            container.filter = Some(match old {
                Some(old) => FilterSpec::And(Box::new(old), Box::new(stricter)),
                None => stricter,
            });
        }
        // One without any rules may go when the container shrinks; with some it would stay.
        for slot in container.ruled.iter_mut().filter(|slot| slot.has_rules()) {
            if is(9) {
                slot.limit = Some(1);
            }
            if is(10) {
                slot.filter = Some(FilterSpec::Not(Box::new(FilterSpec::Tag(1))));
            }
        }
    }
    refit(&mut rules);
    rules
}

/// Leaves out the deals and recipes whose items are no longer admitted.
pub(crate) fn refit(rules: &mut Rules) {
    let deals = std::mem::take(&mut rules.deals);
    rules.deals = deals.into_iter().filter(|deal| is_admitted(rules, deal)).collect();
    rules.recipes = fitted_recipes(rules, rules.recipes.clone());
    // Each names the one kind that it changes.
    let changes = std::mem::take(&mut rules.changes);
    let may = |change: &ChangeSpec| match &change.when {
        FilterSpec::And(kind, _) => match **kind {
            FilterSpec::Kind(kind) => may_change(rules, kind, &change.when, change.effect),
            _ => false,
        },
        _ => false,
    };
    let changes = changes.into_iter().filter(may).collect();
    rules.changes = changes;
    for kind in rules.kinds.iter_mut().filter(|kind| kind.limit > 1) {
        kind.lowers.clear();
    }
}

pub(super) fn decimal(thousandths: i64) -> Decimal {
    Decimal::from_thousandths(thousandths)
}

fn filter_text(filter: &FilterSpec) -> String {
    match filter {
        FilterSpec::Tag(tag) => format!("t{tag}"),
        FilterSpec::Mark(mark) => format!("m{mark}"),
        FilterSpec::Kind(kind) => format!("k{kind}"),
        FilterSpec::WeightAtMost(most) => format!("weight <= {}", decimal(*most)),
        FilterSpec::PropertyAtLeast(property, least) => format!("p{property}-value >= {}", decimal(*least)),
        FilterSpec::Not(part) => format!("not ({})", filter_text(part)),
        FilterSpec::And(a, b) => format!("({}) and ({})", filter_text(a), filter_text(b)),
        FilterSpec::Or(a, b) => format!("({}) or ({})", filter_text(a), filter_text(b)),
    }
}

pub(crate) fn rules_text(rules: &Rules) -> String {
    let mut text = format!("format = 1\nnesting = {}\n", rules.nesting);
    if let Some(limit) = rules.ground_limit {
        let _ = writeln!(text, "ground-limit = {limit}");
    }
    for tag in 0..TAGS {
        let _ = writeln!(text, "[tag.t{tag}]");
    }
    for mark in 0..MARKS {
        let _ = writeln!(text, "[mark.m{mark}]");
    }
    for (index, kind) in rules.kinds.iter().enumerate() {
        let tags: Vec<String> = kind.tags.iter().map(|tag| format!("\"t{tag}\"")).collect();
        let _ = writeln!(
            text,
            "[kind.k{index}]\nname = \"n{}\"\nvalue = {}\nweight = {}\nstack-limit = {}\ntags = [{}]\nprotected = {}",
            9 - index,
            decimal(kind.value),
            decimal(kind.weight),
            kind.limit,
            tags.join(", "),
            kind.is_protected
        );
        if let Some(most) = kind.most {
            let _ = writeln!(text, "most-in-world = {most}");
        }
        for (property, value) in &kind.properties {
            let _ = writeln!(text, "properties.p{property}-value = {}", decimal(*value));
        }
        if let Some(effects) = &kind.effects {
            let effect = |(meter, each): (&usize, &i64)| format!("{} = {}", rules.names.meters[*meter], decimal(*each));
            let effects: Vec<String> = effects.iter().map(effect).collect();
            let lower = |(property, by): (&usize, &i64)| format!("p{property}-value = {}", decimal(*by));
            let lowers: Vec<String> = kind.lowers.iter().map(lower).collect();
            let (effects, lowers) = (effects.join(", "), lowers.join(", "));
            let _ = writeln!(text, "use = {{ effects = {{ {effects} }}, lowers = {{ {lowers} }} }}");
        }
        let needs: Vec<String> = kind.needs.iter().map(|name| format!("\"s{name}\"")).collect();
        let _ = writeln!(text, "occupies-slots = [{}]", needs.join(", "));
        if let Some(pack) = kind.pack {
            let _ = writeln!(text, "pack = \"p{pack}\"");
        }
    }
    // A filter may name only properties that some kind lists.
    for property in 0..PROPERTIES {
        let _ = writeln!(text, "[kind.lists-{property}]\nproperties.p{property}-value = 0");
    }
    let lasting = rules.containers.iter().enumerate().map(|(index, container)| (format!("c{index}"), container));
    let brought = (0..PACKS).filter(|pack| rules.kinds.iter().any(|kind| kind.pack == Some(*pack)));
    for (name, container) in lasting.chain(brought.map(|pack| (format!("p{pack}"), &rules.packs[pack]))) {
        let (slots, columns, worn) = (container.slots, container.wide(), container.worn);
        let _ = writeln!(text, "[container.{name}]\nslots = {slots}\ncolumns = {columns}\nworn = {worn}");
        let when_unfit = if container.ejects_unfit { "eject" } else { "stay" };
        let tries: Vec<String> = container.on_put.iter().map(|mode| format!("\"{mode:?}\"").to_lowercase()).collect();
        let _ = writeln!(text, "on-put = [{}]\nreserved-first = {}", tries.join(", "), container.reserved_first);
        let _ = writeln!(text, "deep = {}\nwhen-unfit = \"{when_unfit}\"", container.deep);
        let _ = writeln!(text, "must-open = {}\nexclusive = {}", container.must_open, container.exclusive);
        let _ = writeln!(text, "min-slots = {}\nmax-slots = {}", container.bounds.0, container.bounds.1);
        if let Some(limit) = container.limit {
            let _ = writeln!(text, "stack-limit = {limit}");
        }
        if let Some(cap) = container.cap {
            let _ = writeln!(text, "weight-cap = {}", decimal(cap));
        }
        if let Some(filter) = &container.filter {
            let _ = writeln!(text, "admits = \"{}\"", filter_text(filter));
        }
        let slots: Vec<String> = container.ruled.iter().map(slot_text).collect();
        let _ = writeln!(text, "slot = [{}]", slots.join(", "));
        for (key, access) in [("put-by", &container.put), ("take-by", &container.take), ("open-by", &container.open)] {
            text.extend(access_text(access).map(|who| format!("{key} = {who}\n")));
        }
        text.extend(container.owner.map(|owner| format!("owner = \"h{owner}\"\n")));
        let _ = writeln!(text, "caps = [{}]", caps_text(&container.caps));
    }
    // A kind may need only slots that some container has.
    let names: Vec<String> = (0..NAMES).map(|name| format!("{{ name = \"s{name}\" }}")).collect();
    let _ = writeln!(text, "[container.names]\nslot = [{}]", names.join(", "));
    let mut of_groups = String::new();
    for (index, (cap, caps)) in rules.holders.iter().enumerate() {
        let carried =
            (0..rules.containers.len()).filter(|&container| rules.containers[container].holder == Some(index));
        let names: Vec<String> = carried.map(|container| format!("\"c{container}\"")).collect();
        // The second is the copy of a template.
        let of =
            if index == 1 { "[holder.template]\ncopies = [\"h1\"]".to_owned() } else { format!("[holder.h{index}]") };
        let _ = writeln!(text, "{of}\ncarries = [{}]", names.join(", "));
        let groups: Vec<String> = rules.groups[index].iter().map(|group| format!("\"g{group}\"")).collect();
        let _ = writeln!(text, "groups = [{}]", groups.join(", "));
        let mut limits = format!("caps = [{}]\n", caps_text(caps));
        limits.extend(cap.map(|cap| format!("weight-cap = {}\n", decimal(cap))));
        // What a holder may carry is written for a group in which it is alone.
        let is_alone = |group: &&usize| rules.groups.iter().filter(|groups| groups.contains(group)).count() == 1;
        match rules.groups[index].iter().find(is_alone) {
            Some(group) => _ = write!(of_groups, "[group.g{group}]\n{limits}"),
            None => text += &limits,
        }
        for (meter, MeterSpec { start, min, max, refuses }) in &rules.meters[index] {
            let [start, min, max] = [*start, *min, *max].map(decimal);
            let (name, beyond) = (&rules.names.meters[*meter], if *refuses { "refuse" } else { "stop" });
            let _ = writeln!(
                text,
                "meters.{name} = {{ start = {start}, min = {min}, max = {max}, beyond = \"{beyond}\" }}"
            );
        }
        let (shortcuts, cleared) = rules.bars[index];
        if shortcuts > 0 {
            let spent = if cleared { "clear" } else { "keep" };
            let _ = writeln!(text, "shortcuts = {shortcuts}\ndepleted-shortcuts = \"{spent}\"");
        }
    }
    text += &of_groups;
    for (index, deal) in rules.deals.iter().enumerate() {
        let _ = writeln!(text, "[deal.d{index}]\n{}", deal_text(deal));
    }
    for (index, recipe) in rules.recipes.iter().enumerate() {
        let _ = writeln!(text, "[recipe.r{index}]\n{}", recipe_text(recipe));
    }
    for (index, ChangeSpec { when, effect }) in rules.changes.iter().enumerate() {
        let effect = match effect {
            ChangeEffect::Becomes(kind) => format!("becomes = \"k{kind}\""),
            ChangeEffect::Marks(mark) => format!("mark = \"m{mark}\""),
            ChangeEffect::Removes => "remove = true".to_owned(),
        };
        let _ = writeln!(text, "[change.x{index}]\nwhen = \"{}\"\n{effect}", filter_text(when));
    }
    for (property, FallSpec { by, every, min }) in &rules.falling {
        let (by, min) = (decimal(*by), decimal(*min));
        let _ = writeln!(text, "[property.p{property}-value]\nfalls = {{ by = {by}, every = {every}, min = {min} }}");
    }
    text
}

fn places_text(at: &[usize]) -> String {
    at.iter().map(|at| format!("\"c{at}\"")).collect::<Vec<_>>().join(", ")
}

fn items_text(items: &[(usize, u32)]) -> String {
    items.iter().map(|(kind, count)| format!("\"{count} k{kind}\"")).collect::<Vec<_>>().join(", ")
}

fn recipe_text(recipe: &RecipeSpec) -> String {
    let RecipeSpec {
        at,
        in_packs,
        by,
        inputs,
        tools,
        outputs,
        pattern,
        yields,
        outputs_to,
        is_loot,
        duration,
        holds,
        is_automatic,
    } = recipe;
    let by = access_text(by).filter(|_| !is_loot).map(|who| format!("by = {who}\n")).unwrap_or_default();
    let yields =
        yields.iter().map(|(weight, made)| format!("{{ weight = {weight}, outputs = [{}] }}", items_text(made)));
    let yields = yields.collect::<Vec<_>>().join(", ");
    let ingredients = |list: &[(FilterSpec, u32)]| {
        list.iter().map(|(of, count)| format!("\"{count} {}\"", filter_text(of))).collect::<Vec<_>>().join(", ")
    };
    let inputs = match pattern {
        None => format!("inputs = [{}]\n", ingredients(inputs)),
        Some((columns, cells, mirrored)) => {
            let legend = inputs.iter().enumerate().map(|(nth, (of, _))| format!("i{nth} = \"{}\"", filter_text(of)));
            let legend = legend.collect::<Vec<_>>().join(", ");
            let cell = |cell: &Option<usize>| cell.map_or_else(|| ".".to_owned(), |input| format!("i{input}"));
            let row = |row: &[Option<usize>]| format!("\"{}\"", row.iter().map(cell).collect::<Vec<_>>().join(" "));
            let rows = cells.chunks(*columns).map(row).collect::<Vec<_>>().join(", ");
            format!("pattern = [{rows}]\nlegend = {{ {legend} }}\nmirrored = {mirrored}\n")
        }
    };
    let (tools, outputs) = (ingredients(tools), items_text(outputs));
    let places = at.iter().map(|at| format!("\"c{at}\"")).chain(in_packs.iter().map(|pack| format!("\"p{pack}\"")));
    let at = places.collect::<Vec<_>>().join(", ");
    let when_full = if *holds { "hold" } else { "refuse" };
    let time = format!("duration = {duration}\nwhen-full = \"{when_full}\"\nautomatic = {is_automatic}\n");
    let time = if *duration > 0 { time } else { String::new() };
    let to = outputs_to.map(|to| format!("outputs-to = \"c{to}\"\n")).unwrap_or_default();
    let made = format!("outputs = [{outputs}]\nyields = [{yields}]\n{to}loot = {is_loot}\n");
    format!("at = [{at}]\n{by}{inputs}tools = [{tools}]\n{made}{time}")
}

fn deal_text(deal: &DealSpec) -> String {
    let mut text = format!("at = [{}]\nuse-nobody = {}\n", places_text(&deal.at), deal.use_nobody);
    text.extend(access_text(&deal.by).map(|who| format!("by = {who}\n")));
    text.extend(deal.coins_to.map(|till| format!("coins-to = \"c{till}\"\n")));
    match &deal.terms {
        DealTerms::Lot { gives, takes } => {
            text + &format!("gives = [{}]\ntakes = [{}]", items_text(gives), items_text(takes))
        }
        DealTerms::Prices { of, currency, buy, sell } => {
            text += &format!("of = \"{}\"\ncurrency = \"k{currency}\"\n", filter_text(of));
            for (key, price) in [("buy", buy), ("sell", sell)] {
                let Some((factor, up)) = price else { continue };
                let round = if *up { "up" } else { "down" };
                text += &format!("{key} = {{ factor = {}, round = \"{round}\" }}\n", decimal(*factor));
            }
            text
        }
    }
}

/// None where the inside of a pack says nothing.
fn access_text(access: &Access) -> Option<String> {
    let words = match access {
        Access::Around => return None,
        Access::Anyone => return Some("\"anyone\"".to_owned()),
        Access::Nobody => vec!["\"nobody\"".to_owned()],
        Access::Listed { owner, holders, groups } => {
            let holders = holders.iter().map(|holder| format!("\"h{holder}\""));
            let groups = groups.iter().map(|group| format!("\"g{group}\""));
            owner.then(|| "\"owner\"".to_owned()).into_iter().chain(holders).chain(groups).collect()
        }
    };
    Some(format!("[{}]", words.join(", ")))
}

fn caps_text(caps: &Caps) -> String {
    let one = |(filter, count): &(FilterSpec, u32)| format!("{{ of = \"{}\", count = {count} }}", filter_text(filter));
    caps.iter().map(one).collect::<Vec<_>>().join(", ")
}

fn slot_text(slot: &SlotSpec) -> String {
    let mut keys = Vec::new();
    if let Some(name) = slot.name {
        keys.push(format!("name = \"s{name}\""));
    }
    if let Some(filter) = &slot.filter {
        keys.push(format!("admits = \"{}\"", filter_text(filter)));
    }
    if let Some(limit) = slot.limit {
        keys.push(format!("stack-limit = {limit}"));
    }
    for (key, access) in [("put-by", &slot.put), ("take-by", &slot.take)] {
        keys.extend(access_text(access).map(|who| format!("{key} = {who}")));
    }
    format!("{{ {} }}", keys.join(", "))
}
