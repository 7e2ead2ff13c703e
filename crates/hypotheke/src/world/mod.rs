//! Worlds: where everything lies.
//!
//! Reading is public. Every change goes through [`World::carry_out`] and [`World::carry_back`],
//! which take [`Event`]s, decide nothing, and keep the indexes and sums in step with the cells.

mod apply;
mod bit_list;
mod bit_tree;
mod capture;
mod cell;
mod check;
mod chunks;
mod class;
#[cfg(test)]
mod corrupt;
mod counts;
mod departures;
mod event;
mod falling;
pub(crate) mod from_data;
mod ground;
mod hash;
mod history;
mod index;
mod inner;
mod job;
mod owners;
mod path;
mod per_kind;
mod read;
mod release;
mod restore;
mod scratch;
mod setup;
mod slot_set;
mod stack_ids;
mod sums;
mod taken;
#[cfg(test)]
mod tests;
mod view;

use std::collections::{BTreeMap, BTreeSet};
use std::sync::Arc;

use rand_xoshiro::Xoshiro256PlusPlus;
use rustc_hash::FxHashMap;

pub(crate) use cell::{Cell, GROUND, Goods, Spot};
pub use check::Discrepancy;
pub(crate) use class::{ClassKey, ClassTable, ClassView};
pub use counts::CapCount;
pub(crate) use counts::Counts;
pub use departures::DepartingEntity;
pub(crate) use departures::{Arrival, Arriving, LaidContainer, LaidHolder, LaidOrigin, LaidStack};
pub use event::{Event, OwnerName, PackContents, StackClass, StackLocation};
pub(crate) use ground::Ground;
use history::History;
use index::Index;
pub use job::Job;
use owners::HolderNames;
pub use path::{Place, UnknownPlace};
pub(crate) use per_kind::PerKind;
#[cfg(test)]
pub(crate) use release::{SkippedUpdate, skipping};
pub(crate) use scratch::{Bearer, EMPTY, Overlay, Scratch, Spare};
pub(crate) use sums::Sums;
pub use view::{SlotView, StackView};

use crate::id::{ContainerId, DepartureId, KindId};
use crate::moment::{Moment, Now};
use crate::quantity::Decimal;
use crate::ruleset::{Border, FilterId, Ruleset};
use crate::snapshot::Orphan;
use crate::snapshot::RequestWindow;

/// The number that stands for no container, definition or holder.
pub(crate) const NONE: u32 = u32::MAX;

/// The whole state: every container, every holder, the ground.
///
/// A world is made from a ruleset with its start contents ([`World::new`]) or without
/// ([`World::empty`]). It is read with its methods and changed by operations only
/// ([`World::perform`]).
#[derive(Clone)]
pub struct World {
    pub(crate) rules: Arc<Ruleset>,
    pub(crate) number: u32,
    pub(crate) revision: u64,
    /// The serial number of the next stack.
    pub(crate) next_stack: u64,
    pub(crate) random: Xoshiro256PlusPlus,
    /// The slots of all containers; each container is a range of them.
    cells: Vec<Cell>,
    containers: Vec<ContainerState>,
    /// The containers without a holder, in order of arrival.
    standing: BTreeSet<(u64, u32)>,
    /// Containers for reuse, by definition: insides of removed packs, or departed ones.
    waiting: BTreeSet<(u32, u32)>,
    holders: Vec<HolderState>,
    /// The holders that are there, in the order in which they came.
    present: BTreeSet<(u64, u32)>,
    /// Holders that wait to be brought again: they have departed.
    waiting_holders: BTreeSet<u32>,
    /// The number of containers and holders that have arrived: the order number of the next.
    came: u64,
    /// The lowest number that the next departure may get.
    pub(crate) departures: u64,
    /// The number of the latest departure that has arrived under each name.
    pub(crate) arrived: BTreeMap<Box<str>, u64>,
    /// Departures that have arrived here by what an earlier version has saved, which did not tell
    /// their names.
    pub(crate) arrivals_one_by_one: BTreeSet<DepartureId>,
    /// Containers and the holders that have opened them.
    opened: BTreeSet<(u32, u32)>,
    /// The insides of packs, by the ids of those.
    insides: FxHashMap<u64, u32>,
    /// The ids of all stacks, after their first use.
    stack_ids: stack_ids::KnownIds,
    /// The number of ticks that have passed.
    clock: u64,
    /// The recipes that containers work on.
    jobs: BTreeMap<u32, Job>,
    /// When those are due, of containers that are there.
    due: BTreeSet<(u64, u32)>,
    /// How many shortcuts point at a kind.
    bound: u32,
    container_names: FxHashMap<Box<str>, u32>,
    holder_names: FxHashMap<Box<str>, u32>,
    known_holders: HolderNames,
    pub(crate) ground: Ground,
    pub(crate) classes: ClassTable,
    /// The weight of all that there is, in thousandths. As long as this fits its type, no sum
    /// inside the world overflows.
    whole_weight: i64,
    /// The content hash, if it is enabled.
    hash: u64,
    hashed: bool,
    /// A change in a container adds to its weight and to that of its holder, and to no other sum.
    plain_sums: bool,
    /// Items of each kind that were created and consumed.
    totals: PerKind<(u64, u64)>,
    /// Items of kinds that arrived and departed.
    travelled: BTreeMap<KindId, (u64, u64)>,
    /// Buffers of the latest operation, its events among them, for the next one to use.
    pub(crate) scratch: Option<Box<Scratch>>,
    /// Buffers for dry runs.
    pub(crate) spare: Spare,
    /// What plans that were made now are known by.
    pub(crate) now: Now,
    history: History,
    pub(crate) requests: RequestWindow,
    /// What an earlier ruleset knew and this one does not.
    pub(crate) orphans: Vec<Orphan>,
}

/// How many items of a kind came into the world and left it.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub struct KindTotals {
    /// Created.
    pub created: u64,
    /// Consumed.
    pub consumed: u64,
    /// Came with containers and holders that arrived.
    pub arrived: u64,
    /// Left with containers and holders that departed.
    pub departed: u64,
}

impl KindTotals {
    /// The number of items that the world has by these figures.
    pub(crate) fn present(self) -> i64 {
        let signed = |count: u64| i64::try_from(count).unwrap_or(i64::MAX);
        signed(self.created + self.arrived) - signed(self.consumed + self.departed)
    }
}

/// The surroundings of a container.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
enum Presence {
    /// In the world itself, carried by a holder, the ground, or a hand: nothing is around it.
    Lasting,
    /// It is the inside of a pack, or waits to be one.
    Inside,
    /// It has departed.
    Away,
}

#[derive(Clone, Debug)]
pub(crate) struct ContainerState {
    /// The moment at which it came: handles carry it, so that none ever means what another was.
    since: Moment,
    /// How often it has been brought again under this number.
    generation: u32,
    /// The moments at which it came before, as far as it may come back to them: what is undone is
    /// known by its old handles again.
    came_before: Vec<Moment>,
    pub(crate) def: u32,
    presence: Presence,
    /// Who may put in, take out and open, as in its definition.
    pub(crate) borders: [Border; 3],
    /// A slot says itself who may.
    pub(crate) has_slot_borders: bool,
    /// Anyone may do all of it.
    pub(crate) for_anyone: bool,
    /// The owner may do all of it.
    for_owner: bool,
    /// The number of its owner's name, or `NONE`: of the holder that carries it, or of the owner of
    /// a container in the world.
    pub(crate) owner: u32,
    /// As in its definition, side by side with what else operations read.
    pub(crate) must_open: bool,
    pub(crate) exclusive: bool,
    /// Its filter checks everything that enters at any depth.
    pub(crate) deep: bool,
    /// Empty slots with a filter of their own are filled before the others.
    pub(crate) reserved_first: bool,
    /// Nothing but filters, stack limits and weight caps can stand in the way of plain stacks here,
    /// nor of the holder.
    pub(crate) is_simple: bool,
    /// Items in it count towards caps by filter, of its own or of the holder that carries it.
    pub(crate) has_caps: bool,
    /// The holder that carries it, or `NONE`.
    pub(crate) holder: u32,
    /// The first of its cells.
    base: u32,
    /// The first slot beyond all that it may ever have, from which on it holds what it works on;
    /// `NONE` if no recipe takes time there.
    pub(crate) work: u32,
    pub(crate) slots: u32,
    /// How many of its slots hold a stack.
    pub(crate) taken: u32,
    /// How many of its slots have rules of their own; those come first.
    pub(crate) ruled: u32,
    pub(crate) stack_limit: u32,
    pub(crate) admits: Option<FilterId>,
    pub(crate) weight_cap: i64,
    /// The weight of its contents in thousandths.
    pub(crate) weight: i64,
    /// Where the pack lies whose inside it is; `NOWHERE` for a container that no pack brings, and
    /// for one that waits to be brought.
    pub(crate) parent: Spot,
    index: Index,
    /// The sum of the shares of its contents, if hashes are enabled.
    hash: u64,
    /// When it came into the world, among all that did.
    came: u64,
    /// For each of the filters of all caps: how many items in it, at any depth, satisfy it.
    pub(crate) capped: Counts,
    /// What paths call it: `sled`, `locker-a`, `surveyor.pockets`. Empty for the inside of a pack.
    name: Box<str>,
}

impl ContainerState {
    #[inline(always)]
    fn is_there(&self) -> bool {
        self.presence == Presence::Lasting || self.presence == Presence::Inside && self.parent != Spot::NOWHERE
    }
}

/// The origin of the stack in a hand: a slot, as long as its container exists.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) struct Origin {
    pub(crate) container: ContainerId,
    pub(crate) slot: u32,
}

#[derive(Clone, Debug)]
struct HolderState {
    weight: i64,
    def: u32,
    since: Moment,
    generation: u32,
    /// False if it has departed.
    is_there: bool,
    /// The container of one slot, without rules, that is its hand.
    hand: u32,
    /// The number of its name among those of all holders that the world has known.
    name_number: u32,
    /// When it came into the world, among all that did.
    came: u64,
    containers: Vec<u32>,
    /// Where the stack in its hand came from.
    origin: Option<Origin>,
    /// At which kinds its shortcuts point.
    shortcuts: Vec<Option<KindId>>,
    /// The values of its meters, in the order of its definition.
    meters: Vec<Decimal>,
    /// For each of the filters of all caps: how many items that it carries satisfy it.
    capped: Counts,
    name: Box<str>,
}
