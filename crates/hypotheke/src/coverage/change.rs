//! One rule of a ruleset as it is not written.

use crate::filter::{Filter, Outlook};
use crate::id::KindId;
use crate::language::NamedVariant;
use crate::narrow;
use crate::quantity::Decimal;
use crate::ruleset::{
    Beyond, CapSource, ChangeEffect, DealSide, DealSource, DepletedShortcut, Falling, HolderSource, Ingredient,
    IngredientSource, KindPatch, PropertySource, PutMode, Recipe, RecipeSource, Right, Rounding, Ruleset,
    RulesetSource, StackChange, WhenFull, WhenUnfit, Written,
};

/// Where a filter stands.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum FilterAt {
    Container(usize),
    Slot(usize, usize),
    ContainerCap(usize, usize),
    HolderCap(usize, usize),
    GroupCap(usize, usize),
    Deal(usize),
    /// The stacks that a change changes.
    Change(usize),
    /// A recipe, one of its lists, and a number in it.
    Ingredient(usize, IngredientList, usize),
}

/// A part of a deal as it is not written.
#[derive(Clone, Debug)]
pub(super) enum DealChange {
    /// Without it.
    Removed,
    /// Without one of its containers.
    NotAt(usize),
    ByAnyone,
    /// What the container gives, or takes: one of the items with a different number.
    Count(LotSide, usize, u32),
    /// A price with a different factor or rounding, or none.
    Price(DealSide, Option<(Decimal, Rounding)>),
    TillWhereMade,
    Nobody,
}

/// A part of a recipe as it is not written.
#[derive(Clone, Debug)]
pub(super) enum RecipeChange {
    /// Without it.
    Removed,
    /// Without one of its containers.
    NotAt(usize),
    ByAnyone,
    /// One of the ingredients with a different number.
    Count(IngredientList, usize, u32),
    /// One of the outputs with a different number.
    OutputCount(usize, u32),
    /// One of the outputs of a yield with a different number.
    YieldCount(usize, usize, u32),
    /// An output of a yield and the one after it change places.
    YieldOrder(usize, usize),
    /// Without one of its yields.
    NoYield(usize),
    /// Its outputs enter the container where it is carried out.
    OutputsWhereMade,
    /// Any holder may carry out what only the game finds.
    NoLoot,
    /// A slot of its pattern is empty.
    NoCell(usize),
    /// Its pattern may be mirrored, or not.
    Mirrored(bool),
    /// Without one of its tools.
    NoTool(usize),
    /// An output and the one after it change places.
    OutputOrder(usize),
    /// With a different duration, or none.
    Duration(Option<u32>),
    WhenFull(WhenFull),
    /// It starts by command alone.
    NoAutomatic,
}

/// One of the lists of what a recipe requires.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum IngredientList {
    Inputs,
    Tools,
}

impl IngredientList {
    pub(super) fn of(self, recipe: &Recipe) -> &[Ingredient] {
        match self {
            IngredientList::Inputs => recipe.inputs(),
            IngredientList::Tools => recipe.tools(),
        }
    }

    fn of_source(self, recipe: &mut RecipeSource) -> &mut Vec<IngredientSource> {
        match self {
            IngredientList::Inputs => &mut recipe.inputs,
            IngredientList::Tools => &mut recipe.tools,
        }
    }
}

/// One of the lists of a lot.
#[derive(Clone, Copy, Debug)]
pub(super) enum LotSide {
    Gives,
    Takes,
}

/// A part of a meter as it is not written.
#[derive(Clone, Copy, Debug)]
pub(super) enum MeterChange {
    Start(Decimal),
    Min(Decimal),
    Max(Decimal),
    Beyond(Beyond),
}

/// An entry of a kind in a separate list: the kind, the position in the list, the name.
#[derive(Clone, Debug)]
pub(super) struct OfKind {
    pub(super) kind: usize,
    pub(super) at: usize,
    pub(super) name: String,
}

/// One rule as it is not written.
#[derive(Clone, Debug)]
pub(super) enum Change {
    RulesetLimit(Option<u32>),
    TagLimit(usize, Option<u32>),
    KindLimit(usize, Option<u32>),
    MostInWorld(usize, Option<u32>),
    ContainerLimit(usize, Option<u32>),
    SlotLimit(usize, usize, Option<u32>),
    ContainerWeight(usize, Option<Decimal>),
    HolderWeight(usize, Option<Decimal>),
    ContainerCap(usize, usize, Option<u32>),
    HolderCap(usize, usize, Option<u32>),
    GroupWeight(usize, Option<Decimal>),
    GroupCap(usize, usize, Option<u32>),
    Filter(FilterAt, Option<Filter>),
    Deal(usize, DealChange),
    Recipe(usize, RecipeChange),
    /// A property that falls with time; `None` if it does not.
    Falling(usize, Option<Falling>),
    /// Without a change of stacks.
    Stays(usize),
    Protected(usize),
    /// A slot in the list of those that a kind needs.
    Need(OfKind, usize),
    /// Who may: these words instead, or the default.
    Access(usize, Right, Option<Vec<String>>),
    /// A slot without its own border.
    SlotAccess(usize, usize, Right),
    Owner(usize),
    Group(usize, usize),
    HolderCopy(usize, usize),
    Reserved(usize),
    Deep(usize),
    MustOpen(usize),
    Exclusive(usize),
    MinSlots(usize, Option<u32>),
    MaxSlots(usize, Option<u32>),
    Nesting(u32),
    Ground(Option<u32>),
    KindWeight(usize, Decimal),
    KindValue(usize, Decimal),
    /// The tag, by its number among the names of tags, is not one of the kind's.
    KindTag(usize, u32),
    Number(OfKind, Decimal),
    Text(OfKind, String),
    NoProperty(OfKind),
    Attribute(OfKind, Option<Decimal>),
    NoUse(OfKind),
    /// One of the effects of a use.
    Effect(OfKind, usize, Option<Decimal>),
    /// One of the properties that a use lowers.
    Lowered(OfKind, usize, Option<Decimal>),
    /// A meter of a holder.
    Meter(usize, usize, MeterChange),
    Pack(OfKind),
    Slots(usize, u32),
    Columns(usize, u32),
    Copy(usize, usize),
    Worn(usize),
    WhenUnfit(usize),
    OnPut(usize, Vec<PutMode>),
    SlotName(usize, usize),
    /// A slot and the one after it change places.
    SlotOrder(usize, usize),
    Carry(usize, usize),
    /// A container and the one after it change places.
    CarryOrder(usize, usize),
    /// A threshold of a holder at its figure.
    Threshold(usize, usize, Decimal, Option<Decimal>),
    ThresholdLabel(usize, usize, String),
    Shortcuts(usize, u32),
    DepletedShortcut(usize),
    /// A portion of a place: the number, `None` if it is missing.
    Start(usize, usize, Option<u32>),
    /// Without its marks and properties.
    StartVariant(usize, usize),
}

impl Change {
    /// The change as that of a single kind, which can be made in place.
    pub(super) fn of_kind(&self, rules: &Ruleset) -> Option<(KindId, KindPatch)> {
        let (kind, patch) = match self {
            Change::KindWeight(kind, weight) => (*kind, KindPatch::Weight(*weight)),
            Change::KindValue(kind, value) => (*kind, KindPatch::Value(*value)),
            Change::KindLimit(kind, limit) => (*kind, KindPatch::StackLimit(*limit)),
            Change::KindTag(kind, tag) => (*kind, KindPatch::NoTag(*tag)),
            Change::Protected(kind) => {
                let id = rules.kind_id(u32::try_from(*kind).ok()?);
                (*kind, KindPatch::Protected(!rules.known_kind(id).is_protected()))
            }
            Change::Number(of, number) => (of.kind, KindPatch::Number(rules.find_property(&of.name)?, *number)),
            _ => return None,
        };
        let id = rules.kind_id(u32::try_from(kind).ok()?);
        // Whether a change can always be carried out is checked when the whole is compiled, and that
        // what a use lowers has stacks of one item.
        let is_checked = |change: &StackChange| {
            let test = &rules.filter(change.filter()).test;
            change.effect() == ChangeEffect::Becomes(id)
                || test.outlook(&rules.known_kind(id)) != Outlook::Never
                || test.reads_figures()
        };
        let has_tags = matches!(patch, KindPatch::NoTag(_));
        let is_bound = !rules.known_kind(id).lowered().is_empty()
            || rules.changes().iter().any(|change| has_tags || is_checked(change));
        (!is_bound).then_some((id, patch))
    }

    /// Makes the change.
    pub(super) fn apply(&self, source: &mut RulesetSource) {
        match self {
            Change::RulesetLimit(limit) => source.stack_limit = *limit,
            Change::TagLimit(tag, limit) => source.tags[*tag].stack_limit = *limit,
            Change::KindLimit(kind, limit) => source.kinds[*kind].stack_limit = *limit,
            Change::MostInWorld(kind, most) => source.kinds[*kind].max_in_world = *most,
            Change::ContainerLimit(container, limit) => source.containers[*container].stack_limit = *limit,
            Change::SlotLimit(container, slot, limit) => source.containers[*container].slot[*slot].stack_limit = *limit,
            Change::ContainerWeight(container, cap) => set(&mut source.containers[*container].weight_cap, *cap),
            Change::HolderWeight(holder, cap) => source.holders[*holder].weight_cap = *cap,
            Change::ContainerCap(container, cap, count) => {
                change_cap(&mut source.containers[*container].caps, *cap, *count);
            }
            Change::HolderCap(holder, cap, count) => change_cap(&mut source.holders[*holder].caps, *cap, *count),
            Change::GroupWeight(group, cap) => source.groups[*group].weight_cap = *cap,
            Change::GroupCap(group, cap, count) => change_cap(&mut source.groups[*group].caps, *cap, *count),
            Change::Filter(at, filter) => change_filter(source, *at, filter.as_ref()),
            Change::Deal(deal, DealChange::Removed) => {
                source.deals.remove(*deal);
            }
            Change::Deal(deal, change) => change_deal(&mut source.deals[*deal], change),
            Change::Recipe(recipe, RecipeChange::Removed) => {
                source.recipes.remove(*recipe);
            }
            Change::Recipe(recipe, change) => change_recipe(&mut source.recipes[*recipe], change),
            Change::Protected(kind) => source.kinds[*kind].is_protected = !source.kinds[*kind].is_protected,
            Change::Need(of, slot) => {
                source.needs[of.at].1.remove(*slot);
            }
            Change::Access(container, right, words) => {
                let access = source.containers[*container].access_mut(*right);
                match words {
                    Some(words) => {
                        for access in access.iter_mut() {
                            let written = |word: &String| Written { value: word.clone(), at: access.at };
                            access.words = words.iter().map(written).collect();
                        }
                    }
                    None => *access = None,
                }
            }
            Change::SlotAccess(container, slot, right) => {
                let slot = &mut source.containers[*container].slot[*slot];
                if *right == Right::Put { slot.put_by = None } else { slot.take_by = None }
            }
            Change::Owner(container) => source.containers[*container].owner = None,
            Change::Group(holder, group) => {
                let group = source.holders[*holder].groups.remove(*group).value;
                let is_named = |holder: &HolderSource| holder.groups.iter().any(|it| it.value == group);
                // The rules of a group without members hold for nobody.
                if !source.holders.iter().any(is_named) {
                    source.groups.retain(|rules| rules.id.value != group);
                }
            }
            Change::HolderCopy(holder, copy) => {
                source.holders[*holder].copies.remove(*copy);
            }
            Change::Reserved(container) => flip(&mut source.containers[*container].reserved_first),
            Change::Deep(container) => source.containers[*container].deep = None,
            Change::MustOpen(container) => flip(&mut source.containers[*container].must_open),
            Change::Exclusive(container) => flip(&mut source.containers[*container].exclusive),
            Change::MinSlots(container, slots) => set(&mut source.containers[*container].min_slots, *slots),
            Change::MaxSlots(container, slots) => set(&mut source.containers[*container].max_slots, *slots),
            Change::Nesting(depth) => source.nesting.iter_mut().for_each(|nesting| nesting.value = *depth),
            Change::Ground(limit) => source.ground_limit = *limit,
            Change::KindWeight(kind, weight) => source.kinds[*kind].weight = *weight,
            Change::KindValue(kind, value) => source.kinds[*kind].value = *value,
            Change::KindTag(kind, tag) => {
                let mut tags = source.tag_sets[source.kinds[*kind].tag_set as usize].clone();
                tags.retain(|known| known != tag);
                source.kinds[*kind].tag_set = narrow::index(source.tag_sets.len());
                source.tag_sets.push(tags);
            }
            Change::Number(of, number) => source.properties[of.at].2 = PropertySource::Number(*number),
            Change::Text(of, text) => {
                let text = source.arena.add(text);
                source.properties[of.at].2 = PropertySource::Text(text);
            }
            Change::NoProperty(of) => {
                source.properties.remove(of.at);
            }
            Change::Attribute(of, Some(each)) => source.attributes[of.at].2 = *each,
            Change::Attribute(of, None) => {
                source.attributes.remove(of.at);
            }
            Change::NoUse(of) => {
                source.uses.remove(of.at);
            }
            Change::Effect(of, effect, Some(each)) => source.uses[of.at].1.effects[*effect].1 = *each,
            Change::Effect(of, effect, None) => {
                source.uses[of.at].1.effects.remove(*effect);
            }
            Change::Lowered(of, lowered, Some(by)) => source.uses[of.at].1.lowers[*lowered].1 = *by,
            Change::Lowered(of, lowered, None) => {
                source.uses[of.at].1.lowers.remove(*lowered);
            }
            Change::Falling(number, Some(falling)) => source.falling[*number].falling = *falling,
            Change::Falling(number, None) => {
                source.falling.remove(*number);
            }
            Change::Stays(change) => {
                source.changes.remove(*change);
            }
            Change::Meter(holder, number, change) => {
                let meter = &mut source.holders[*holder].meters[*number];
                match *change {
                    MeterChange::Start(start) => meter.start = start,
                    MeterChange::Min(min) => meter.min = min,
                    MeterChange::Max(max) => meter.max = max,
                    MeterChange::Beyond(beyond) => meter.beyond = beyond,
                }
            }
            Change::Pack(of) => {
                source.packs.remove(of.at);
            }
            Change::Columns(container, columns) => set(&mut source.containers[*container].columns, Some(*columns)),
            Change::Slots(container, slots) => set(&mut source.containers[*container].slots, Some(*slots)),
            Change::Copy(container, copy) => {
                source.containers[*container].copies.remove(*copy);
            }
            Change::Worn(container) => flip(&mut source.containers[*container].worn),
            Change::WhenUnfit(container) => {
                let when_unfit = &mut source.containers[*container].when_unfit;
                *when_unfit = if *when_unfit == WhenUnfit::Eject { WhenUnfit::Stay } else { WhenUnfit::Eject };
            }
            Change::OnPut(container, ways) => source.containers[*container].on_put = Some(ways.clone()),
            Change::SlotName(container, slot) => source.containers[*container].slot[*slot].name = None,
            Change::SlotOrder(container, slot) => source.containers[*container].slot.swap(*slot, *slot + 1),
            Change::Carry(holder, carried) => {
                source.holders[*holder].carries.remove(*carried);
            }
            Change::CarryOrder(holder, carried) => source.holders[*holder].carries.swap(*carried, *carried + 1),
            Change::Threshold(holder, step, _, Some(from)) => {
                source.holders[*holder].encumbrance[*step].0.value = *from;
            }
            Change::Threshold(holder, step, _, None) => {
                source.holders[*holder].encumbrance.remove(*step);
            }
            Change::ThresholdLabel(holder, step, label) => {
                source.holders[*holder].encumbrance[*step].1.value.clone_from(label);
            }
            Change::Shortcuts(holder, shortcuts) => set(&mut source.holders[*holder].shortcuts, Some(*shortcuts)),
            Change::DepletedShortcut(holder) => {
                let spent = &mut source.holders[*holder].depleted_shortcuts;
                *spent =
                    if *spent == DepletedShortcut::Keep { DepletedShortcut::Clear } else { DepletedShortcut::Keep };
            }
            Change::Start(place, portion, Some(count)) => source.start[*place].contents[*portion].value.count = *count,
            Change::Start(place, portion, None) => {
                source.start[*place].contents.remove(*portion);
            }
            Change::StartVariant(place, portion) => {
                source.start[*place].contents[*portion].value.variant = NamedVariant::default();
            }
        }
    }
}

/// Replaces a written value, or removes it.
fn set<T: Copy>(written: &mut Option<Written<T>>, value: Option<T>) {
    match value {
        Some(value) => written.iter_mut().for_each(|written| written.value = value),
        None => *written = None,
    }
}

fn flip(rule: &mut bool) {
    *rule = !*rule;
}

fn change_cap(caps: &mut Vec<CapSource>, cap: usize, count: Option<u32>) {
    match count {
        Some(count) => caps[cap].count = count,
        None => {
            caps.remove(cap);
        }
    }
}

fn change_filter(source: &mut RulesetSource, at: FilterAt, filter: Option<&Filter>) {
    let written = match at {
        FilterAt::Container(container) => {
            // A filter that is gone can't go deep.
            if filter.is_none() {
                source.containers[container].deep = None;
            }
            &mut source.containers[container].admits
        }
        FilterAt::Slot(container, slot) => &mut source.containers[container].slot[slot].admits,
        FilterAt::ContainerCap(container, cap) => {
            return change_cap_filter(&mut source.containers[container].caps, cap, filter);
        }
        FilterAt::HolderCap(holder, cap) => return change_cap_filter(&mut source.holders[holder].caps, cap, filter),
        FilterAt::Deal(deal) => &mut source.deals[deal].of,
        FilterAt::Change(change) => &mut source.changes[change].when,
        FilterAt::Ingredient(recipe, list, number) => {
            if let Some(filter) = filter {
                list.of_source(&mut source.recipes[recipe])[number].of.filter = filter.clone();
            }
            return;
        }
        FilterAt::GroupCap(group, cap) => return change_cap_filter(&mut source.groups[group].caps, cap, filter),
    };
    match filter {
        Some(filter) => written.iter_mut().for_each(|written| written.filter = filter.clone()),
        None => *written = None,
    }
}

fn change_deal(deal: &mut DealSource, change: &DealChange) {
    match change {
        DealChange::Removed => {}
        DealChange::NotAt(nth) => {
            deal.at.remove(*nth);
        }
        DealChange::ByAnyone => deal.by = None,
        DealChange::Count(LotSide::Gives, nth, count) => deal.gives[*nth].value.count = *count,
        DealChange::Count(LotSide::Takes, nth, count) => deal.takes[*nth].value.count = *count,
        DealChange::Price(side, changed) => {
            let price = if *side == DealSide::Buy { &mut deal.buy } else { &mut deal.sell };
            match changed {
                Some((factor, round)) => {
                    price.iter_mut().for_each(|price| (price.factor, price.round) = (*factor, *round));
                }
                None => *price = None,
            }
        }
        DealChange::TillWhereMade => deal.coins_to = None,
        DealChange::Nobody => flip(&mut deal.use_nobody),
    }
}

fn change_recipe(recipe: &mut RecipeSource, change: &RecipeChange) {
    match change {
        RecipeChange::Removed => {}
        RecipeChange::NotAt(nth) => {
            recipe.at.remove(*nth);
        }
        RecipeChange::ByAnyone => recipe.by = None,
        RecipeChange::Count(list, nth, count) => list.of_source(recipe)[*nth].count = *count,
        RecipeChange::OutputCount(nth, count) => recipe.outputs[*nth].value.count = *count,
        RecipeChange::YieldCount(one, nth, count) => recipe.yields[*one].outputs[*nth].value.count = *count,
        RecipeChange::YieldOrder(one, nth) => recipe.yields[*one].outputs.swap(*nth, nth + 1),
        RecipeChange::NoYield(nth) => {
            recipe.yields.remove(*nth);
        }
        RecipeChange::OutputsWhereMade => recipe.outputs_to = None,
        RecipeChange::NoLoot => recipe.loot = None,
        RecipeChange::NoCell(nth) => empty_cell(recipe, *nth),
        RecipeChange::Mirrored(mirrored) => {
            if let Some(pattern) = &mut recipe.pattern {
                pattern.mirrored = mirrored.then_some(pattern.at);
            }
        }
        RecipeChange::NoTool(nth) => {
            recipe.tools.remove(*nth);
        }
        RecipeChange::OutputOrder(nth) => recipe.outputs.swap(*nth, nth + 1),
        RecipeChange::Duration(None) => {
            (recipe.duration, recipe.when_full, recipe.automatic) = (None, None, None);
        }
        RecipeChange::NoAutomatic => {
            if let Some(at) = recipe.automatic.take() {
                recipe.when_full = Some(Written { value: WhenFull::Hold, at });
            }
        }
        RecipeChange::Duration(Some(ticks)) => recipe.duration.iter_mut().for_each(|it| it.value = *ticks),
        RecipeChange::WhenFull(when_full) => {
            let at = recipe.duration.as_ref().map_or(recipe.id.at, |duration| duration.at);
            recipe.when_full = Some(Written { value: *when_full, at });
        }
    }
}

/// An input that lies nowhere else is gone.
fn empty_cell(recipe: &mut RecipeSource, nth: usize) {
    let Some(pattern) = &mut recipe.pattern else { return };
    let Some(input) = pattern.cells[nth].take() else { return };
    recipe.inputs[input as usize].count -= 1;
    if recipe.inputs[input as usize].count == 0 {
        recipe.inputs.remove(input as usize);
        let later = pattern.cells.iter_mut().flatten().filter(|other| **other > input);
        later.for_each(|other| *other -= 1);
    }
}

fn change_cap_filter(caps: &mut [CapSource], cap: usize, filter: Option<&Filter>) {
    if let Some(filter) = filter {
        caps[cap].of.filter = filter.clone();
    }
}
