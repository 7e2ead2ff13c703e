//! Places by handles, and how a written path leads to one.

use super::{GROUND, NONE, Presence, Spot, StackLocation, World};
use crate::id::{ContainerId, HolderId, StackId};
use crate::language::{Path, PathRoot, PathStep, WORK};
use crate::text::{nearest, suggestion};

/// What a hand is called in paths.
const HAND: &str = "hand";
/// What the shortcuts of a holder are called.
const SHORTCUTS: &str = "shortcuts";

/// A place in a world.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Place {
    /// A slot of a container.
    Slot(ContainerId, u32),
    /// A container, wherever there is room.
    Container(ContainerId),
    /// A holder: its containers, in order.
    Holder(HolderId),
    /// The hand of a holder.
    Hand(HolderId),
    /// The ground, all of it.
    Ground,
    /// A stack on the ground.
    OnGround(StackId),
    /// A shortcut of a holder, which points at a kind.
    Shortcut(HolderId, u32),
}

/// A path that leads nowhere: why, and what may have been meant.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
#[error("{message}")]
pub struct UnknownPlace {
    message: String,
    help: Option<String>,
    /// The container whose contents the actor would have to see.
    hidden: Option<u32>,
}

impl UnknownPlace {
    pub(crate) fn new(message: impl Into<String>, help: Option<String>) -> UnknownPlace {
        UnknownPlace { message: message.into(), help, hidden: None }
    }

    /// Whether the place exists depends on contents that the actor may not see.
    fn hidden(path: &Path, container: u32) -> UnknownPlace {
        let hidden = Some(container);
        UnknownPlace { hidden, ..UnknownPlace::new(format!("the actor may not see whether `{path}` exists"), None) }
    }

    pub(crate) fn hidden_in(&self) -> Option<u32> {
        self.hidden
    }

    /// What may have been meant.
    #[must_use]
    pub fn help_text(&self) -> Option<&str> {
        self.help.as_deref()
    }
}

/// Whether the actor may see what is in a container.
type Sees<'a> = &'a dyn Fn(u32) -> bool;

/// The maximum number of names to search for a similar one.
const MAX_NAMES: usize = 100;

impl World {
    /// Where a path leads. A bare `pockets` is the acting holder's; otherwise it must be the only
    /// one.
    ///
    /// # Errors
    /// If no such place exists.
    pub fn place(&self, path: &Path, actor: Option<HolderId>) -> Result<Place, UnknownPlace> {
        self.place_as_seen(path, actor, &|_| true)
    }

    /// The same for an actor that may not see the contents of all containers. Where the path depends
    /// on those of another, the error is the same whether the place exists or not.
    pub(crate) fn place_as_seen(
        &self,
        path: &Path,
        actor: Option<HolderId>,
        sees: Sees<'_>,
    ) -> Result<Place, UnknownPlace> {
        match path.root() {
            PathRoot::Ground => self.place_on_ground(path, sees),
            PathRoot::Stack(id) => self.place_of_stack(*id, path, sees),
            PathRoot::Of(holder, container) if &**container == HAND => {
                let holder = self.holder(holder).ok_or_else(|| self.unknown_name(holder))?;
                self.place_in_hand(holder, path, sees)
            }
            PathRoot::Name(name) if &**name == HAND => match actor {
                Some(holder) => self.place_in_hand(holder, path, sees),
                None => {
                    let help = "Name the holder, such as `surveyor.hand`".to_owned();
                    Err(UnknownPlace::new("`hand` requires a holder", Some(help)))
                }
            },
            PathRoot::Of(holder, container) if &**container == SHORTCUTS => {
                let holder = self.holder(holder).ok_or_else(|| self.unknown_name(holder))?;
                self.shortcut_place(holder, path)
            }
            PathRoot::Name(name) if &**name == SHORTCUTS => match actor {
                Some(holder) => self.shortcut_place(holder, path),
                None => {
                    let help = "Name the holder, such as `surveyor.shortcuts/0`".to_owned();
                    Err(UnknownPlace::new("`shortcuts` requires a holder", Some(help)))
                }
            },
            PathRoot::Of(holder, container) => {
                let found = self.holder(holder).and_then(|holder| self.own_container(holder, container));
                self.step_into(found.ok_or_else(|| self.unknown_name(&format!("{holder}.{container}")))?, path, sees)
            }
            PathRoot::Name(name) => match self.container(name).or_else(|| self.carried_by(actor, name)) {
                Some(container) => self.step_into(container, path, sees),
                None => self.holder_place(name, path),
            },
        }
    }

    fn carried_by(&self, actor: Option<HolderId>, name: &str) -> Option<ContainerId> {
        actor.and_then(|actor| self.own_container(actor, name)).or_else(|| {
            let def = self.rules.find_container(name)?;
            let mut instances = self.containers().filter(|id| self.containers[id.index as usize].def == def.0);
            instances.next().filter(|_| instances.next().is_none())
        })
    }

    /// A container that a holder carries, by its name without the holder's.
    fn own_container(&self, holder: HolderId, name: &str) -> Option<ContainerId> {
        let def = self.rules.find_container(name)?;
        self.carried(holder).find(|id| self.containers[id.index as usize].def == def.0)
    }

    fn place_in_hand(&self, holder: HolderId, path: &Path, sees: Sees<'_>) -> Result<Place, UnknownPlace> {
        let spot = Spot { container: self.hand_of(holder.index), slot: 0 };
        if path.steps().is_empty() {
            Ok(Place::Hand(holder))
        } else {
            self.follow_inside(spot, path.steps(), path, sees)
        }
    }

    fn shortcut_place(&self, holder: HolderId, path: &Path) -> Result<Place, UnknownPlace> {
        let count = self.shortcut_count(holder.index);
        let name = self.holder_name(holder);
        match path.steps() {
            [PathStep::Slot(slot)] if *slot < count => Ok(Place::Shortcut(holder, *slot)),
            _ => {
                let help = match count {
                    0 => format!("Set `shortcuts = 4` for `{name}` in the ruleset"),
                    _ => format!("Choose a number from 0 to {}, such as `{name}.shortcuts/0`", count - 1),
                };
                Err(UnknownPlace::new(format!("`{path}` is not a shortcut"), Some(help)))
            }
        }
    }

    fn holder_place(&self, name: &str, path: &Path) -> Result<Place, UnknownPlace> {
        let Some(holder) = self.holder(name) else { return Err(self.unknown_name(name)) };
        if path.steps().is_empty() {
            return Ok(Place::Holder(holder));
        }
        let help = format!("Write a container of the holder `{name}` such as `{name}.pockets/0`");
        Err(UnknownPlace::new(format!("unknown place `{path}`"), Some(help)))
    }

    fn unknown_name(&self, name: &str) -> UnknownPlace {
        let shared = self.rules.find_container(name).and_then(|def| {
            let instances = self.containers().filter(|id| self.containers[id.index as usize].def == def.0);
            let mut names: Vec<String> =
                instances.map(|id| format!("`{}`", self.container_name(id))).take(13).collect();
            // Each of many players may have one.
            if let Some(beyond) = names.get_mut(12) {
                "others".clone_into(beyond);
            }
            (!names.is_empty()).then_some(names)
        });
        if let Some(names) = shared {
            let help = format!("Name one of them: {}", names.join(", "));
            return UnknownPlace::new(format!("several places have the name `{name}`"), Some(help));
        }
        UnknownPlace::new(format!("unknown place `{name}`"), self.help_with(name))
    }

    /// What may have been meant. A request with a wrong name must not cost more in a world of many
    /// names: there it is compared with those of the holder whose container it would be, or else
    /// with those of the ruleset, which are not all.
    fn help_with(&self, name: &str) -> Option<String> {
        let own_name = |id: ContainerId| &*self.containers[id.index as usize].name;
        if let Some(holder) = name.split_once('.').and_then(|(holder, _)| self.holder(holder)) {
            return suggestion(name, self.carried(holder).map(own_name).collect::<Vec<_>>());
        }
        if self.present.len() + self.standing.len() <= MAX_NAMES {
            let names = self.containers().map(own_name).chain(self.holders().map(|id| self.holder_name(id)));
            return suggestion(name, names.collect::<Vec<_>>());
        }
        let standing = self.rules.containers().iter().flat_map(crate::ContainerDef::instances);
        let of_rules = standing.chain(self.rules.holder_names());
        let there = of_rules.filter(|name| self.container(name).is_some() || self.holder(name).is_some());
        nearest(name, there.take(MAX_NAMES)).map(|name| format!("Did you mean `{name}`?"))
    }

    /// Follows the steps of a path from a container: to a slot, into the pack there, and so on.
    fn step_into(&self, container: ContainerId, path: &Path, sees: Sees<'_>) -> Result<Place, UnknownPlace> {
        self.step_on(container, path.steps(), path, sees)
    }

    fn step_on(
        &self,
        container: ContainerId,
        steps: &[PathStep],
        path: &Path,
        sees: Sees<'_>,
    ) -> Result<Place, UnknownPlace> {
        let [step, further @ ..] = steps else { return Ok(Place::Container(container)) };
        if matches!(step, PathStep::Stack(_)) && !sees(container.index) {
            return Err(UnknownPlace::hidden(path, container.index));
        }
        let slot = self.slot_of_step(container, step)?;
        if further.is_empty() {
            return Ok(Place::Slot(container, slot));
        }
        self.follow_inside(Spot { container: container.index, slot }, further, path, sees)
    }

    /// Follows the steps of a path that lead into the pack in a place.
    fn follow_inside(
        &self,
        spot: Spot,
        steps: &[PathStep],
        path: &Path,
        sees: Sees<'_>,
    ) -> Result<Place, UnknownPlace> {
        if !sees(spot.container) {
            return Err(UnknownPlace::hidden(path, spot.container));
        }
        let cell = self.cell(spot);
        if !cell.is_pack() {
            let what = if cell.is_empty() { "is empty" } else { "holds no pack" };
            let message = format!("`{path}` is the inside of a pack, but `{}` {what}", self.spot_name(spot));
            return Err(UnknownPlace::new(message, None));
        }
        let inside = self.container_id(cell.inner);
        if steps == [PathStep::Inside] { Ok(Place::Container(inside)) } else { self.step_on(inside, steps, path, sees) }
    }

    fn slot_of_step(&self, container: ContainerId, step: &PathStep) -> Result<u32, UnknownPlace> {
        let def = self.def_of(container.index);
        let name = || self.container_name(container);
        let slots = self.slot_count(container.index);
        match step {
            PathStep::Slot(slot) if *slot < slots => Ok(*slot),
            PathStep::Slot(slot) => {
                let help = format!("Choose a slot from 0 to {}", slots.saturating_sub(1));
                Err(UnknownPlace::new(format!("`{}` has no slot {slot}", name()), Some(help)))
            }
            PathStep::RowColumn(row, column) => {
                let slot = row.checked_mul(def.columns()).and_then(|first| first.checked_add(*column));
                let lawful = slot.filter(|&slot| *column < def.columns() && slot < slots);
                let rows = slots.div_ceil(def.columns());
                lawful.ok_or_else(|| {
                    let help = format!("It has {rows} rows of {} columns, both numbered from 0", def.columns());
                    UnknownPlace::new(format!("`{}` has no slot in row {row}, column {column}", name()), Some(help))
                })
            }
            PathStep::NamedSlot(slot) => {
                let names = def.ruled.iter().filter_map(|rule| rule.name.as_deref());
                let found = def.ruled.iter().position(|rule| rule.name.as_deref() == Some(slot));
                let unknown =
                    || UnknownPlace::new(format!("`{}` has no slot named `{slot}`", name()), suggestion(slot, names));
                found.and_then(|slot| u32::try_from(slot).ok()).ok_or_else(unknown)
            }
            PathStep::Stack(_) | PathStep::Inside => {
                Err(UnknownPlace::new(format!("unknown place in `{}`", name()), None))
            }
        }
    }

    fn place_on_ground(&self, path: &Path, sees: Sees<'_>) -> Result<Place, UnknownPlace> {
        let (id, further) = match path.steps() {
            [] => return Ok(Place::Ground),
            [PathStep::Stack(id), further @ ..] => (*id, further),
            _ => {
                let help = "Name a stack on the ground by its id, such as `ground/#12`".to_owned();
                return Err(UnknownPlace::new(format!("unknown place `{path}`"), Some(help)));
            }
        };
        match self.ground.landing_of(id.0) {
            None => Err(UnknownPlace::new(format!("stack {id} is not on the ground"), None)),
            Some(_) if further.is_empty() => Ok(Place::OnGround(id)),
            Some(slot) => self.follow_inside(Spot { container: GROUND, slot }, further, path, sees),
        }
    }

    /// A stack that the actor does not see may be in any container that is hidden from it.
    fn place_of_stack(&self, id: StackId, path: &Path, sees: Sees<'_>) -> Result<Place, UnknownPlace> {
        let Some(spot) = self.spot_of_stack(id).filter(|spot| sees(spot.container)) else {
            let all = self.containers().map(|id| id.index).chain(self.holders().map(|id| self.hand_of(id.index)));
            let hidden = all.into_iter().find(|&container| !sees(container));
            let unknown = || UnknownPlace::new(format!("unknown stack {id}"), None);
            return Err(hidden.map_or_else(unknown, |container| UnknownPlace::hidden(path, container)));
        };
        match path.steps() {
            [] if spot.is_ground() => Ok(Place::OnGround(id)),
            [] => Ok(self.place_of_spot(spot)),
            further => self.follow_inside(spot, further, path, sees),
        }
    }

    fn spot_of_stack(&self, id: StackId) -> Option<Spot> {
        if let Some(slot) = self.ground.landing_of(id.0) {
            return Some(Spot { container: GROUND, slot });
        }
        if let Some(inside) = self.inside_of_pack(id) {
            return Some(self.state(inside).parent);
        }
        let of_container = |container: u32| {
            let next = move |slot: &u32| self.next_taken(container, slot.checked_add(1)?);
            let slots = std::iter::successors(self.next_taken(container, 0), next);
            slots.map(move |slot| Spot { container, slot })
        };
        let there = (1..self.container_count()).filter(|&container| self.is_there(container));
        there.flat_map(of_container).find(|&spot| self.cell(spot).id == id.0)
    }

    /// The place of an end of an event; `None` for created or consumed items.
    #[must_use]
    pub fn place_of_end(&self, end: &StackLocation) -> Option<Place> {
        match end.spot {
            Spot::NOWHERE => None,
            spot if spot.is_ground() => end.stack().map(Place::OnGround),
            spot => Some(self.place_of_spot(spot)),
        }
    }

    /// The place of a spot that is not on the ground.
    pub(crate) fn place_of_spot(&self, spot: Spot) -> Place {
        match self.is_hand(spot.container) {
            true => Place::Hand(self.holder_id(self.state(spot.container).holder)),
            false => Place::Slot(self.container_id(spot.container), spot.slot),
        }
    }

    /// The path of a spot, as messages write it.
    pub(crate) fn spot_name(&self, spot: Spot) -> String {
        if spot.is_ground() {
            return format!("ground/{}", StackId(self.ground.get(spot.slot).id));
        }
        self.slot_name(spot.container, spot.slot)
    }

    pub(crate) fn slot_name(&self, container: u32, slot: u32) -> String {
        let state = &self.containers[container as usize];
        if self.is_hand(container) {
            return state.name.to_string();
        }
        let rule = (state.def != NONE).then(|| self.def_of(container).ruled.get(slot as usize)).flatten();
        let name = self.name_of(container);
        let name = name.trim_end_matches('/');
        if slot >= state.work {
            return format!("{name}/{WORK}");
        }
        match rule.and_then(|rule| rule.name.as_deref()) {
            Some(slot) => format!("{name}/{slot}"),
            None => format!("{name}/{slot}"),
        }
    }

    /// What paths call a container.
    pub(crate) fn name_of(&self, container: u32) -> String {
        let state = &self.containers[container as usize];
        match state.parent {
            Spot::NOWHERE if state.presence == Presence::Inside => "a removed pack".to_owned(),
            Spot::NOWHERE => state.name.to_string(),
            parent => format!("{}/", self.spot_name(parent)),
        }
    }
}
