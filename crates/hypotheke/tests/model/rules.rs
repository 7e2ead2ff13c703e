//! The rules of the model, as plain as they can be.

use std::collections::{BTreeMap, BTreeSet};

use super::allowed::Who as Access;
use super::state::Stack;

#[derive(Clone, Debug)]
pub(crate) struct KindSpec {
    pub(crate) weight: i64,
    pub(crate) value: i64,
    pub(crate) limit: u32,
    pub(crate) tags: BTreeSet<usize>,
    pub(crate) is_protected: bool,
    /// How many the world may have.
    pub(crate) most: Option<u32>,
    /// Properties with their first values.
    pub(crate) properties: BTreeMap<usize, i64>,
    /// The names of the slots that it needs at once.
    pub(crate) needs: BTreeSet<usize>,
    /// Which of the containers that packs bring.
    pub(crate) pack: Option<usize>,
    /// By how much a use changes meters, if it has a use.
    pub(crate) effects: Option<BTreeMap<usize, i64>>,
    /// By how much a use lowers its properties. If it lowers any, the item stays.
    pub(crate) lowers: BTreeMap<usize, i64>,
}

/// What happens to a stack that the filter admits.
#[derive(Clone, Debug)]
pub(crate) struct ChangeSpec {
    pub(crate) when: FilterSpec,
    pub(crate) effect: ChangeEffect,
}

#[derive(Clone, Copy, Debug)]
pub(crate) enum ChangeEffect {
    Becomes(usize),
    Marks(usize),
    Removes,
}

/// A property falls by so much at each tick that `every` divides.
#[derive(Clone, Copy, Debug)]
pub(crate) struct FallSpec {
    pub(crate) by: i64,
    pub(crate) every: u64,
    pub(crate) min: i64,
}

/// A number between two bounds.
#[derive(Clone, Copy, Debug)]
pub(crate) struct MeterSpec {
    pub(crate) start: i64,
    pub(crate) min: i64,
    pub(crate) max: i64,
    /// What would bring it beyond them is refused.
    pub(crate) refuses: bool,
}

/// The maximum number of items that match the filter.
pub(crate) type Caps = Vec<(FilterSpec, u32)>;

#[derive(Clone, Debug)]
pub(crate) enum FilterSpec {
    Tag(usize),
    Mark(usize),
    Kind(usize),
    WeightAtMost(i64),
    PropertyAtLeast(usize, i64),
    Not(Box<FilterSpec>),
    And(Box<FilterSpec>, Box<FilterSpec>),
    Or(Box<FilterSpec>, Box<FilterSpec>),
}

#[derive(Clone, Debug)]
pub(crate) struct SlotSpec {
    pub(crate) name: Option<usize>,
    pub(crate) filter: Option<FilterSpec>,
    pub(crate) limit: Option<u32>,
    /// Who may put in and take out, besides what the container says.
    pub(crate) put: Access,
    pub(crate) take: Access,
}

impl SlotSpec {
    /// Something of its own, by which it differs from the others.
    pub(crate) fn has_rules(&self) -> bool {
        let borders = self.put != Access::Around || self.take != Access::Around;
        self.name.is_some() || self.filter.is_some() || self.limit.is_some() || borders
    }
}

#[derive(Clone, Debug)]
pub(crate) struct ContainerSpec {
    pub(crate) slots: usize,
    pub(crate) ruled: Vec<SlotSpec>,
    pub(crate) limit: Option<u32>,
    pub(crate) cap: Option<i64>,
    pub(crate) filter: Option<FilterSpec>,
    pub(crate) deep: bool,
    /// What it no longer admits is put elsewhere.
    pub(crate) ejects_unfit: bool,
    pub(crate) worn: bool,
    pub(crate) holder: Option<usize>,
    /// Who may put in, take out and open.
    pub(crate) put: Access,
    pub(crate) take: Access,
    pub(crate) open: Access,
    /// Who owns it, if nobody carries it.
    pub(crate) owner: Option<usize>,
    pub(crate) caps: Caps,
    pub(crate) on_put: Vec<Try>,
    /// Empty slots with a filter are filled before the others.
    pub(crate) reserved_first: bool,
    pub(crate) must_open: bool,
    pub(crate) exclusive: bool,
    /// Between which numbers of slots it may be resized.
    pub(crate) bounds: (usize, usize),
    /// The number of slots in a row, of no more than there are.
    pub(crate) columns: usize,
}

impl ContainerSpec {
    /// How many slots are in a row.
    pub(crate) fn wide(&self) -> usize {
        self.columns.min(self.slots)
    }

    /// One slot and no rules.
    pub(crate) fn hand() -> ContainerSpec {
        ContainerSpec {
            slots: 1,
            ruled: Vec::new(),
            limit: None,
            cap: None,
            filter: None,
            deep: false,
            ejects_unfit: false,
            worn: false,
            holder: None,
            put: Access::Anyone,
            take: Access::Anyone,
            open: Access::Anyone,
            owner: None,
            caps: Vec::new(),
            on_put: Vec::new(),
            reserved_first: false,
            must_open: false,
            exclusive: false,
            bounds: (1, 1),
            columns: 1,
        }
    }
}

/// What is exchanged for what.
#[derive(Clone, Debug)]
pub(crate) enum DealTerms {
    /// Kinds and numbers that the container gives, and that it takes for them.
    Lot { gives: Vec<(usize, u32)>, takes: Vec<(usize, u32)> },
    /// A factor in thousandths, and whether the price is rounded up.
    Prices { of: FilterSpec, currency: usize, buy: Option<(i64, bool)>, sell: Option<(i64, bool)> },
}

#[derive(Clone, Debug)]
pub(crate) struct DealSpec {
    pub(crate) at: Vec<usize>,
    pub(crate) by: Access,
    pub(crate) terms: DealTerms,
    pub(crate) coins_to: Option<usize>,
    pub(crate) use_nobody: bool,
}

/// What is used up, what must be there besides, and what is made, with numbers.
#[derive(Clone, Debug)]
pub(crate) struct RecipeSpec {
    /// Containers, and those that packs bring; without any, holders have the items.
    pub(crate) at: Vec<usize>,
    pub(crate) in_packs: Vec<usize>,
    pub(crate) by: Access,
    pub(crate) inputs: Vec<(FilterSpec, u32)>,
    pub(crate) tools: Vec<(FilterSpec, u32)>,
    pub(crate) outputs: Vec<(usize, u32)>,
    /// Columns, the input of each slot row by row, and whether it may be mirrored.
    pub(crate) pattern: Option<(usize, Vec<Option<usize>>, bool)>,
    /// Weights, and what is made by chance.
    pub(crate) yields: Vec<(u32, Vec<(usize, u32)>)>,
    /// A container of the world, which the outputs enter.
    pub(crate) outputs_to: Option<usize>,
    /// Only the game carries it out.
    pub(crate) is_loot: bool,
    /// In ticks; 0 if it takes no time.
    pub(crate) duration: u32,
    /// It starts also without room for its outputs.
    pub(crate) holds: bool,
    /// It starts as soon as it has its inputs.
    pub(crate) is_automatic: bool,
}

impl RecipeSpec {
    /// What it makes with one of its yields, each kind at once.
    pub(crate) fn made(&self, yield_number: Option<usize>) -> Vec<(usize, u32)> {
        let by_chance = yield_number.map(|number| self.yields[number - 1].1.clone());
        let mut made: Vec<(usize, u32)> = Vec::new();
        for (kind, count) in self.outputs.iter().copied().chain(by_chance.into_iter().flatten()) {
            match made.iter_mut().find(|(known, _)| *known == kind) {
                Some((_, sum)) => *sum += count,
                None => made.push((kind, count)),
            }
        }
        made
    }

    /// What it draws, and what needs nothing, is made once at a time.
    fn is_once(&self) -> bool {
        !self.yields.is_empty() || self.inputs.is_empty()
    }

    pub(crate) fn max_times(&self) -> u64 {
        if self.is_once() { 1 } else { u64::MAX }
    }
}

#[derive(Clone, Debug)]
pub(crate) struct Rules {
    pub(crate) kinds: Vec<KindSpec>,
    /// Those of the world first, then those of each holder.
    pub(crate) containers: Vec<ContainerSpec>,
    /// Those that packs bring.
    pub(crate) packs: Vec<ContainerSpec>,
    /// Weight caps and caps by filter of holders.
    pub(crate) holders: Vec<(Option<i64>, Caps)>,
    /// The groups of each holder.
    pub(crate) groups: Vec<BTreeSet<usize>>,
    /// The meters of each holder.
    pub(crate) meters: Vec<BTreeMap<usize, MeterSpec>>,
    /// How many shortcuts each holder has, and whether they are cleared when nothing is left.
    pub(crate) bars: Vec<(usize, bool)>,
    /// The maximum number of stacks on the ground.
    pub(crate) ground_limit: Option<usize>,
    pub(crate) nesting: i64,
    pub(crate) deals: Vec<DealSpec>,
    pub(crate) recipes: Vec<RecipeSpec>,
    pub(crate) changes: Vec<ChangeSpec>,
    /// By property.
    pub(crate) falling: BTreeMap<usize, FallSpec>,
    /// A hand, as a container without rules.
    pub(crate) hand: ContainerSpec,
    pub(crate) names: Names,
}

/// What the library calls everything, by its number.
#[derive(Clone, Debug, Default)]
pub(crate) struct Names {
    /// In order.
    pub(crate) kinds: Vec<String>,
    /// What kinds are called where people read it.
    pub(crate) labels: Vec<String>,
    /// In order.
    pub(crate) marks: Vec<String>,
    /// In order.
    pub(crate) properties: Vec<String>,
    pub(crate) meters: Vec<String>,
    pub(crate) slots: Vec<String>,
    /// In the order of the ruleset.
    pub(crate) recipes: Vec<String>,
    pub(crate) holders: Vec<String>,
    /// Of which each holder is a copy.
    pub(crate) holder_definitions: Vec<String>,
    /// Of one that is carried without its holder.
    pub(crate) containers: Vec<String>,
    /// What the ruleset calls them: of several copies all the same.
    pub(crate) definitions: Vec<String>,
    /// A container that is there for the names of its slots alone.
    pub(crate) lender: Option<String>,
}

impl Names {
    /// `k0`, `m1`, `p0-value`, `s2`, `h0`, `c3`
    pub(crate) fn numbered(
        kinds: usize,
        marks: usize,
        properties: usize,
        slots: usize,
        holders: usize,
        containers: usize,
    ) -> Names {
        let numbered = |letter: char, count: usize| (0..count).map(|number| format!("{letter}{number}")).collect();
        let containers: Vec<String> = numbered('c', containers);
        Names {
            kinds: numbered('k', kinds),
            labels: (0..kinds).map(|kind| format!("n{}", 9 - kind)).collect(),
            marks: numbered('m', marks),
            properties: (0..properties).map(|property| format!("p{property}-value")).collect(),
            meters: ["air", "warmth"].map(str::to_owned).to_vec(),
            slots: numbered('s', slots),
            // As many as any random ruleset has.
            recipes: numbered('r', 6),
            holders: numbered('h', holders),
            holder_definitions: numbered('h', holders),
            definitions: containers.clone(),
            containers,
            lender: Some("names".to_owned()),
        }
    }

    pub(crate) fn find(names: &[String], name: &str) -> Option<usize> {
        names.iter().position(|known| known == name)
    }
}

/// The modes to try for items put from a hand.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Try {
    Place,
    Merge,
    Swap,
}

impl FilterSpec {
    pub(crate) fn admits(&self, rules: &Rules, stack: &Stack) -> bool {
        match self {
            FilterSpec::Tag(tag) => rules.kinds[stack.kind].tags.contains(tag),
            FilterSpec::Mark(mark) => stack.marks.contains(mark),
            FilterSpec::Kind(named) => stack.kind == *named,
            FilterSpec::WeightAtMost(most) => rules.kinds[stack.kind].weight <= *most,
            FilterSpec::PropertyAtLeast(property, least) => {
                stack.properties.get(property).is_some_and(|value| value >= least)
            }
            FilterSpec::Not(part) => !part.admits(rules, stack),
            FilterSpec::And(a, b) => a.admits(rules, stack) && b.admits(rules, stack),
            FilterSpec::Or(a, b) => a.admits(rules, stack) || b.admits(rules, stack),
        }
    }
}

impl Rules {
    /// A stack of one item of a kind, as it is at first.
    pub(crate) fn plain(&self, kind: usize) -> Stack {
        let properties = self.kinds[kind].properties.clone();
        Stack { id: 0, kind, marks: BTreeSet::new(), properties, count: 1, inside: None }
    }

    /// The containers that no holder carries.
    pub(crate) fn standing(&self) -> Vec<usize> {
        (0..self.containers.len()).filter(|&index| self.containers[index].holder.is_none()).collect()
    }

    /// A container by the holder that carries it, if one does, and its name.
    pub(crate) fn find_container(&self, holder: Option<usize>, name: &str) -> Option<usize> {
        (0..self.containers.len())
            .find(|&index| self.containers[index].holder == holder && self.names.containers[index] == name)
    }

    /// `c0`, `h0.c1`
    pub(crate) fn container_name(&self, index: usize) -> String {
        let own = &self.names.containers[index];
        self.containers[index]
            .holder
            .map_or_else(|| own.clone(), |holder| format!("{}.{own}", self.names.holders[holder]))
    }

    pub(crate) fn carried(&self, holder: usize) -> Vec<usize> {
        (0..self.containers.len()).filter(|&index| self.containers[index].holder == Some(holder)).collect()
    }

    pub(crate) fn admits(&self, filter: Option<&FilterSpec>, stack: &Stack) -> bool {
        filter.is_none_or(|filter| filter.admits(self, stack))
    }
}
