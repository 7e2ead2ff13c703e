//! Who owns containers: by name, since a holder that has departed still owns what it owned.

use rustc_hash::FxHashMap;

use super::{ContainerState, NONE, OwnerName, Presence, Spot, World};
use crate::id::{ContainerId, HolderId};
use crate::language::NOBODY;
use crate::narrow;
use crate::ruleset::Border;

/// The names of all holders that a world has known; each has a number.
#[derive(Clone, Debug, Default)]
pub(crate) struct HolderNames {
    names: Vec<Box<str>>,
    numbers: FxHashMap<Box<str>, u32>,
}

impl HolderNames {
    pub(super) fn number(&mut self, name: &str) -> u32 {
        if let Some(&number) = self.numbers.get(name) {
            return number;
        }
        let number = narrow::index(self.names.len());
        self.names.push(name.into());
        self.numbers.insert(name.into(), number);
        number
    }

    pub(super) fn get(&self, number: u32) -> Option<&str> {
        self.names.get(number as usize).map(|name| &**name)
    }
}

impl World {
    /// The name of the holder that owns a container: the one that carries it, or the owner of a
    /// container in the world. The inside of a pack belongs to the owner of the container that the
    /// pack is in. The owner may have departed.
    ///
    /// ```
    /// use hypotheke::{Ruleset, World};
    ///
    /// let rules = Ruleset::builder()
    ///     .container("locker", |locker| locker.slots(4).take_by(["owner"]).owner("ada"))
    ///     .container("bag", |bag| bag.slots(4))
    ///     .holder("ada", ["bag"], |ada| ada)
    ///     .build()?;
    /// let world = World::new(&rules.into());
    /// let owner = |name| world.owner(world.container(name).unwrap());
    /// assert_eq!((owner("locker"), owner("ada.bag")), (Some("ada"), Some("ada")));
    /// # Ok::<(), hypotheke::RulesetErrors>(())
    /// ```
    #[must_use]
    pub fn owner(&self, container: ContainerId) -> Option<&str> {
        if !self.has_container(container) {
            return None;
        }
        let mut at = self.state(container.index);
        while at.presence == Presence::Inside && at.parent != Spot::NOWHERE {
            at = self.state(at.parent.container);
        }
        self.known_holders.get(at.owner)
    }

    /// The number of the name of a holder.
    #[inline(always)]
    pub(crate) fn name_number(&self, holder: u32) -> u32 {
        self.holders[holder as usize].name_number
    }

    /// Whether everybody may put into a container, take out of it and open it, whatever is around it.
    pub(crate) fn is_for_everyone(&self, container: u32) -> bool {
        let state = self.state(container);
        let inside = state.presence == Presence::Inside;
        let around = || !inside || state.parent == Spot::NOWHERE || self.is_for_everyone(state.parent.container);
        let is_open = state.for_anyone || state.borders == [Border::Surrounding; 3];
        is_open && !state.has_slot_borders && around()
    }

    /// Whether an actor may put into a container, take out of it and open it, whatever is around it.
    /// Errs on the side of no: lists and packs are not read.
    pub(crate) fn may_all(&self, actor: Option<HolderId>, container: u32) -> bool {
        let state = self.state(container);
        let is_plain = state.presence == Presence::Lasting && !state.has_slot_borders;
        is_plain && self.is_plainly_open(actor, state) || self.is_for_everyone(container)
    }

    /// Whether the actor is the game, or the container is for anyone, or for its owner, who acts. It
    /// errs on the side of no: lists are not read.
    // Out of the way of operations on containers for anyone, which do not call it.
    #[inline(never)]
    pub(crate) fn is_plainly_open(&self, actor: Option<HolderId>, state: &ContainerState) -> bool {
        state.for_anyone || actor.is_none_or(|actor| state.for_owner && state.owner == self.name_number(actor.index))
    }
}

impl World {
    /// The name of an owner that an event tells; `None` if there is none.
    #[must_use]
    pub fn owner_name(&self, owner: OwnerName) -> Option<&str> {
        self.known_holders.get(owner.0)
    }

    pub(super) fn set_owner(&mut self, container: u32, owner: OwnerName) {
        self.containers[container as usize].belong_to(owner.0);
    }

    /// The owner of a container in the world, if it is not that of the ruleset, as snapshots have it.
    pub(super) fn owner_unlike_rules(&self, container: ContainerId) -> Option<String> {
        let (state, def) = (self.state(container.index), self.container_def(container)?);
        let owner = self.known_holders.get(state.owner);
        let differs = state.holder == NONE && state.presence == Presence::Lasting && owner != def.owner();
        differs.then(|| owner.unwrap_or(NOBODY).to_owned())
    }

    /// Gives a container the owner that a snapshot names.
    pub(super) fn take_owner(&mut self, container: u32, owner: &str) {
        let owner = if owner == NOBODY { NONE } else { self.known_holders.number(owner) };
        self.set_owner(container, OwnerName(owner));
    }
}

impl ContainerState {
    pub(crate) fn set_borders(&mut self, borders: [Border; 3]) {
        self.borders = borders;
        self.for_anyone = borders == [Border::Anyone; 3];
        self.for_owner = borders.iter().all(|border| matches!(border, Border::Anyone | Border::Owner));
    }

    /// That of a container which only its owner uses.
    pub(super) fn belong_to(&mut self, owner: u32) {
        self.owner = owner;
    }
}
