//! Applying updates to a copy of a world.

use std::num::NonZeroU32;

use smallvec::SmallVec;

use super::update::{At, Change, Look, Update};
use crate::id::{DepartureId, HolderId, KindId, StackId};
use crate::quantity::Decimal;
use crate::ruleset::{MAX_NESTING, NO_PACK, PropertyValue};
use crate::snapshot::{Departure, MAX_COUNTED};
use crate::world::from_data;
use crate::world::{
    Arrival, Arriving, Cell, ClassKey, DepartingEntity, Event, GROUND, Job, NONE, Origin, OwnerName, PackContents,
    Spot, StackClass, StackLocation, World,
};

/// The error of an update. The copy is unchanged.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
#[non_exhaustive]
pub enum UpdateError {
    /// It is not the next update: it was applied before, or one in between is missing.
    #[error("the update is for revision {update}, but the copy is at revision {copy}")]
    OutOfOrder {
        /// The revision of the copy.
        copy: u64,
        /// The revision after the update.
        update: u64,
    },
    /// It does not fit the copy: it is damaged or of a different world.
    #[error("change {number} of the update: {message}")]
    NotSo {
        /// The number of the change, from 1; 0 for the other parts.
        number: usize,
        /// The difference.
        message: String,
    },
}

type Checked<T> = Result<T, String>;

fn not_so<T>(message: impl Into<String>) -> Checked<T> {
    Err(message.into())
}

impl World {
    /// Applies an update of the world that this is a copy of. [`World::events`] are then those of
    /// the update. Earlier operations can no longer be undone.
    ///
    /// Limits are not checked again: the original world has checked them.
    ///
    /// # Errors
    /// It is not the next update, or it does not fit. The copy is unchanged.
    pub fn apply_update(&mut self, update: &Update) -> Result<(), UpdateError> {
        if self.revision.checked_add(1) != Some(update.revision) {
            return Err(UpdateError::OutOfOrder { copy: self.revision, update: update.revision });
        }
        if update.next_stack < self.next_stack || update.next_stack > StackId::MAX_NEXT {
            let message = format!("the next stack id cannot change from {} to {}", update.next_stack, self.next_stack);
            return Err(UpdateError::NotSo { number: 0, message });
        }
        if let Some(answered) = &update.answered
            && (answered.outcome.revision() != update.revision || self.requests.get(&answered.id).is_some())
        {
            let message = format!("request `{}` has already been answered", answered.id);
            return Err(UpdateError::NotSo { number: 0, message });
        }
        self.now.pass();
        let most = self.keep_all_until_settled();
        let mut scratch = self.scratch.take().unwrap_or_default();
        scratch.clear();
        let (next_landing, orphans) = (self.ground.next_landing, self.orphans.clone());
        let mut following = Following {
            world: self,
            update,
            next_stack: update.next_stack,
            events: std::mem::take(&mut scratch.events),
            origins: SmallVec::new(),
            departed: std::mem::take(&mut scratch.departed),
            gone_packs: std::mem::take(&mut scratch.gone_packs),
            fresh: SmallVec::new(),
            kept_ids: SmallVec::new(),
        };
        let done = following.all();
        if done.is_err() {
            following.back_out();
        }
        (scratch.events, scratch.departed) = (following.events, following.departed);
        scratch.gone_packs = following.gone_packs;
        if let Err(error) = done {
            self.settle(most, &[]);
            (self.ground.next_landing, self.orphans) = (next_landing, orphans);
            scratch.clear();
            self.scratch = Some(scratch);
            return Err(error);
        }
        self.clear(0);
        self.release_classes(&scratch.events);
        self.settle(most, &scratch.events);
        self.scratch = Some(scratch);
        self.follow_ids();
        if let Some(answered) = &update.answered {
            self.requests.push(answered.clone());
        }
        self.next_stack = update.next_stack;
        self.revision = update.revision;
        if let Some(random) = &update.random {
            self.random = random.0.clone();
        }
        Ok(())
    }
}

struct Following<'w> {
    world: &'w mut World,
    update: &'w Update,
    /// The number of the next stack id after the update.
    next_stack: u64,
    events: Vec<Event>,
    departed: Vec<Departure>,
    gone_packs: Vec<(u32, u64)>,
    /// The origins of hands before each event that changes them.
    origins: SmallVec<[(u32, Option<Origin>); 2]>,
    /// Ids that the update assigns.
    fresh: SmallVec<[StackId; 4]>,
    /// Stacks of which a part moved under the same id: from and to.
    kept_ids: SmallVec<[(Spot, Spot, StackId); 2]>,
}

impl Following<'_> {
    fn all(&mut self) -> Result<(), UpdateError> {
        let changes = &self.update.changes;
        for (number, change) in (1..).zip(changes) {
            self.one(change).map_err(|message| UpdateError::NotSo { number, message })?;
        }
        self.check_work().map_err(|message| UpdateError::NotSo { number: changes.len(), message })?;
        let in_work = |spot: Spot| spot.container < self.world.container_count() && self.world.is_in_work(spot);
        let is_there = |spot: Spot| self.world.has_spot(spot) || in_work(spot);
        let cell = |spot: Spot| if is_there(spot) { self.world.cell(spot) } else { Cell::default() };
        let twice = self.kept_ids.iter().find(|(from, to, id)| cell(*from).id == id.0 && cell(*to).id == id.0);
        match twice {
            Some((_, _, id)) => {
                Err(UpdateError::NotSo { number: changes.len(), message: format!("{id} would be in two places") })
            }
            None => Ok(()),
        }
    }

    /// A container holds stacks for what it works on, and for nothing else.
    fn check_work(&self) -> Checked<()> {
        let ends = self.events.iter().flat_map(|event| match *event {
            Event::Moved { from, to, .. } => [from.spot.container, to.spot.container],
            Event::Worked { container, .. } => [container.index, NONE],
            _ => [NONE, NONE],
        });
        for container in ends.filter(|&container| container < self.world.container_count()) {
            let holds = self.world.work_spots(container).next().is_some();
            if holds != self.world.job_of(container).is_some() {
                return not_so(format!("`{}` holds stacks for nothing", self.world.own_name(container)));
            }
        }
        Ok(())
    }

    fn back_out(&mut self) {
        while let Some(event) = self.events.pop() {
            self.world.carry_back(&event);
            self.world.release_classes(&[event]);
        }
        while let Some((holder, origin)) = self.origins.pop() {
            self.world.set_origin(holder, origin);
        }
    }

    fn carry_out(&mut self, event: Event) {
        if self.world.touches_hand(&event) {
            self.origins.extend(self.world.origins_touched(&[event]));
        }
        // The meaning of a class must not change while an event uses it.
        self.world.retain_classes(&event);
        if let Event::Departed { who, departure, .. } = event {
            self.departed.push(self.world.capture_departure(who, departure));
            self.gone_packs.extend(self.world.packs_with(who));
        }
        self.world.carry_out(&event);
        self.events.push(event);
    }

    fn one(&mut self, change: &Change) -> Checked<()> {
        let event = match change {
            Change::Moved { kind, count, look, from, to } => {
                self.transfer(*kind, *count, look, from.as_ref(), to.as_ref())?
            }
            Change::Changed { at, look } => self.changed(at, look)?,
            Change::Swapped { one, other } => self.swapped(one, other)?,
            Change::Resized { container, slots } => self.resized(*container, *slots)?,
            Change::Bound { holder, shortcut, kind } => self.bound(*holder, *shortcut, *kind)?,
            Change::Metered { holder, meter, value } => self.metered(*holder, *meter, *value)?,
            Change::Waited { clock } => self.waited(*clock)?,
            Change::Worked { container, job } => self.worked(*container, job.as_ref())?,
            Change::Opened { holder, container } => self.opened(*holder, *container, true)?,
            Change::Closed { holder, container } => self.opened(*holder, *container, false)?,
            Change::Given { container, owner } => self.given(*container, *owner)?,
            Change::Departed { name, departure } => self.departed(*name, *departure)?,
            Change::Arrived { document } => return self.arrive(document),
        };
        self.carry_out(event);
        let may_close = matches!(event, Event::Departed { .. }) || event.is_consumption();
        if may_close && self.world.opened().next().is_some() {
            self.close_what_has_gone();
        }
        Ok(())
    }

    // Lookup.

    fn name(&self, number: u32) -> Checked<&str> {
        let name = self.update.names.get(number as usize);
        name.map(String::as_str).ok_or_else(|| format!("unknown name number {number}"))
    }

    fn container(&self, number: u32) -> Checked<u32> {
        let name = self.name(number)?;
        let found = if name.starts_with('#') {
            name.parse::<StackId>().ok().and_then(|pack| self.world.inside_of_pack(pack))
        } else {
            self.world.lasting(name)
        };
        found.ok_or_else(|| format!("unknown container `{name}`"))
    }

    fn holder(&self, number: u32) -> Checked<HolderId> {
        let name = self.name(number)?;
        self.world.holder(name).ok_or_else(|| format!("unknown holder `{name}`"))
    }

    fn kind(&self, number: u32) -> Checked<KindId> {
        let name = self.name(number)?;
        self.world.rules.find_kind(name).ok_or_else(|| format!("unknown kind `{name}`"))
    }

    /// The class of marks and properties; a new one is added.
    fn class(&mut self, kind: KindId, look: &Look) -> Checked<StackClass> {
        if look.marks.is_empty() && look.properties.is_empty() {
            return Ok(StackClass(kind.0));
        }
        let rules = &self.world.rules;
        let mark = |name: &String| rules.find_mark(name).ok_or_else(|| format!("unknown mark `{name}`"));
        let marks = look.marks.iter().map(mark).collect::<Checked<Vec<_>>>()?;
        let property = |(name, value): (&String, &crate::Decimal)| {
            let is_number = |id: &_| matches!(rules.known_kind(kind).property(*id), Some(PropertyValue::Number(_)));
            let known = rules.find_property(name).filter(is_number);
            known.map(|id| (id, *value)).ok_or_else(|| format!("unknown number property `{name}`"))
        };
        let properties = look.properties.iter().map(property).collect::<Checked<Vec<_>>>()?;
        let key = ClassKey::new(rules, kind, &marks, &properties);
        Ok(StackClass(self.world.known_class(&key)))
    }

    /// An existing place and its contents.
    fn end(&self, at: &At) -> Checked<(StackLocation, Cell)> {
        let container = self.container(at.container)?;
        if container == GROUND {
            let landing = at.stack.and_then(|stack| self.world.ground.landing_of(stack.0));
            let slot = landing.unwrap_or(self.world.ground.next_landing);
            if slot == u32::MAX {
                return not_so("the ground has no more positions");
            }
            let (there, spot) = (landing.is_some(), Spot { container, slot });
            let position = if there { self.world.ground.position(slot) } else { at.position.unwrap_or_default() };
            return Ok((
                StackLocation { spot, stack: at.stack.unwrap_or(StackId(0)), position },
                self.world.cell(spot),
            ));
        }
        let first = self.world.state(container).work;
        let slot = if at.in_work { first.saturating_add(at.slot) } else { at.slot };
        let spot = Spot { container, slot };
        let is_there = match at.in_work {
            true => first != NONE && at.slot < first,
            false => self.world.has_spot(spot),
        };
        if !is_there {
            return not_so(format!("`{}` has no slot {}", self.name(at.container)?, at.slot));
        }
        Ok((
            StackLocation { spot, stack: at.stack.unwrap_or(StackId(0)), position: crate::Position::default() },
            self.world.cell(spot),
        ))
    }

    /// A place with the named stack.
    fn lying(&self, at: &At) -> Checked<(StackLocation, Cell)> {
        let (end, cell) = self.end(at)?;
        let there = !cell.is_empty() && cell.id == end.stack.0;
        if there {
            Ok((end, cell))
        } else {
            not_so(format!("`{}` does not contain this stack", self.name(at.container)?))
        }
    }

    // Changes.

    fn transfer(&mut self, kind: u32, count: u32, look: &Look, from: Option<&At>, to: Option<&At>) -> Checked<Event> {
        let kind = self.kind(kind)?;
        let class = self.class(kind, look)?;
        if count == 0 || from.is_none() && to.is_none() {
            return not_so("the source and the target are missing");
        }
        let (from, inner) = match from {
            Some(at) => self.taken(at, class, count)?,
            None => (StackLocation::NOWHERE, self.brought(kind, count)?),
        };
        let to = match to {
            Some(at) => self.laid(at, class, count, inner, from)?,
            None if inner != GROUND && self.world.state(inner).taken > 0 => {
                return not_so("a pack with contents cannot leave the world alone");
            }
            None => StackLocation::NOWHERE,
        };
        Ok(Event::Moved { kind, count, from, to, class, inner: PackContents(inner) })
    }

    /// The items taken from a place, and the container inside a pack.
    fn taken(&self, at: &At, class: StackClass, count: u32) -> Checked<(StackLocation, u32)> {
        let (end, cell) = self.lying(at)?;
        if cell.class != class.0 || count > cell.count {
            return not_so(format!("`{}` contains fewer items", self.name(at.container)?));
        }
        Ok((end, cell.inner))
    }

    /// The items that enter the world, and the container inside a pack.
    fn brought(&self, kind: KindId, count: u32) -> Checked<u32> {
        let figures = self.world.rules.figures[kind.index()];
        let weight = figures.weight.checked_mul(i64::from(count));
        if weight.and_then(|weight| self.world.whole_weight().checked_add(weight)).is_none() {
            return not_so("the total weight would be too large to count");
        }
        match figures.pack {
            NO_PACK => Ok(GROUND),
            _ if count > 1 => not_so("a pack is always a stack of one item"),
            def => Ok(self.world.waiting(def).next().unwrap_or(self.world.container_count())),
        }
    }

    fn laid(
        &mut self,
        at: &At,
        class: StackClass,
        count: u32,
        inner: u32,
        from: StackLocation,
    ) -> Checked<StackLocation> {
        let (end, cell) = self.end(at)?;
        if end.stack.0 == 0 || end.spot == from.spot {
            return not_so("the target is missing");
        }
        if inner != GROUND {
            if at.in_work {
                return not_so("no container works on a pack");
            }
            self.check_nesting(inner, end.spot.container)?;
        }
        if cell.is_empty() {
            self.check_id(end, from)?;
            return Ok(end);
        }
        let alike = cell.id == end.stack.0 && cell.class == class.0 && inner == GROUND && !cell.is_pack();
        if !alike || cell.count.checked_add(count).is_none() {
            return not_so(format!("`{}` contains a different stack", self.name(at.container)?));
        }
        Ok(end)
    }

    /// A stack that moves to an empty place keeps its id or gets a new one.
    fn check_id(&mut self, end: StackLocation, from: StackLocation) -> Checked<()> {
        let id = end.stack;
        if id == from.stack {
            self.kept_ids.push((from.spot, end.spot, id));
            return Ok(());
        }
        let is_new = (self.world.next_stack..self.next_stack).contains(&id.serial());
        if id.world() != self.world.number || !is_new || self.fresh.contains(&id) {
            return not_so(format!("the id {id} is not new"));
        }
        self.fresh.push(id);
        Ok(())
    }

    /// A pack is not moved into itself, nor too deep.
    fn check_nesting(&self, inner: u32, mut container: u32) -> Checked<()> {
        for _ in 0..=MAX_NESTING {
            if container == inner {
                return not_so("a pack would contain itself");
            }
            match self.world.state(container).parent {
                Spot::NOWHERE => return Ok(()),
                parent => container = parent.container,
            }
        }
        not_so("packs would be nested too deeply")
    }

    fn changed(&mut self, at: &At, look: &Look) -> Checked<Event> {
        let (end, cell) = self.lying(at)?;
        let after = self.class(self.world.rules.kind_id(cell.kind), look)?;
        Ok(Event::Changed { at: end, before: StackClass(cell.class), after })
    }

    fn swapped(&self, one: &At, other: &At) -> Checked<Event> {
        let ((one, mine), (other, yours)) = (self.end(one)?, self.end(other)?);
        let as_described = mine.id == one.stack.0 && yours.id == other.stack.0;
        let in_work = self.world.is_in_work(one.spot) || self.world.is_in_work(other.spot);
        if !as_described || in_work || one.spot == other.spot || one.spot.is_ground() || other.spot.is_ground() {
            return not_so("the stacks to swap are missing");
        }
        for (cell, to) in [(mine, other), (yours, one)] {
            if cell.is_pack() {
                self.check_nesting(cell.inner, to.spot.container)?;
            }
        }
        Ok(Event::Swapped { one, other })
    }

    fn resized(&self, number: u32, slots: u32) -> Checked<Event> {
        let (name, container) = (self.name(number)?, self.container(number)?);
        let state = self.world.state(container);
        let Some(def) = self.world.rules.containers().get(state.def as usize) else {
            return not_so(format!("`{name}` cannot be resized"));
        };
        if slots > def.slot_bounds().1 || self.world.next_taken(container, slots).is_some() {
            return not_so(format!("`{name}` cannot have {slots} slots"));
        }
        Ok(Event::Resized { container: self.world.container_id(container), before: state.slots, after: slots })
    }

    fn bound(&self, holder: u32, shortcut: u32, kind: Option<u32>) -> Checked<Event> {
        let holder = self.holder(holder)?;
        let Some(before) = self.world.shortcuts(holder).nth(shortcut as usize) else {
            return not_so(format!("unknown shortcut {shortcut}"));
        };
        let after = kind.map(|kind| self.kind(kind)).transpose()?;
        Ok(Event::Bound { holder, shortcut, before, after })
    }

    fn metered(&self, holder: u32, meter: u32, after: Decimal) -> Checked<Event> {
        let holder = self.holder(holder)?;
        let Some((_, before)) = self.world.meters(holder).nth(meter as usize) else {
            return not_so(format!("unknown meter {meter}"));
        };
        Ok(Event::Metered { holder, meter, before, after })
    }

    fn waited(&self, after: u64) -> Checked<Event> {
        let before = self.world.clock();
        if after <= before || after > MAX_COUNTED {
            return not_so("the clock only moves on");
        }
        Ok(Event::Waited { before, after })
    }

    fn worked(&self, container: u32, job: Option<&crate::snapshot::Job>) -> Checked<Event> {
        let (name, index) = (self.name(container)?, self.container(container)?);
        let after = job.map(|job| {
            let recipe = self.world.rules.find_recipe(&job.recipe);
            let known = recipe.filter(|&recipe| self.world.rules.is_station(recipe, self.world.name_of_station(index)));
            let recipe = known.ok_or_else(|| format!("`{name}` does not carry out `{}`", job.recipe))?;
            let due = self.world.clock().checked_add(job.left).filter(|&due| due <= MAX_COUNTED);
            let due = due.ok_or_else(|| format!("`{}` would take too long to count", job.recipe))?;
            let number = job.yield_number.map(NonZeroU32::get);
            let has_yield = self.world.rules.recipe(recipe).is_some_and(|recipe| recipe.has_yield(number));
            if !has_yield {
                return not_so(format!("`{}` has no such yield", job.recipe));
            }
            Checked::Ok(Job { recipe, times: job.times, due, yield_number: job.yield_number })
        });
        let (before, after) = (self.world.job_of(index), after.transpose()?);
        if before.is_some() == after.is_some() || self.world.state(index).work == NONE {
            return not_so(format!("`{name}` does not begin or end anything"));
        }
        Ok(Event::Worked { container: self.world.container_id(index), before, after })
    }

    fn opened(&self, holder: u32, container: u32, open: bool) -> Checked<Event> {
        let (holder, index) = (self.holder(holder)?, self.container(container)?);
        let is_open = self.world.opened().any(|opened| opened == (index, holder.index));
        if index == GROUND || is_open == open {
            return not_so(format!("`{}` already has this value", self.name(container)?));
        }
        let container = self.world.container_id(index);
        Ok(if open { Event::Opened { holder, container } } else { Event::Closed { holder, container } })
    }

    fn given(&mut self, container: u32, owner: Option<u32>) -> Checked<Event> {
        let index = self.container(container)?;
        let id = self.world.container_id(index);
        if !self.world.stands(id) {
            return not_so(format!("`{}` is not a container in the world", self.name(container)?));
        }
        let owner = match owner {
            Some(owner) => Some(self.holder(owner)?),
            None => None,
        };
        let after = OwnerName(owner.map_or(NONE, |owner| self.world.name_number(owner.index)));
        let before = OwnerName(self.world.state(index).owner);
        if before == after {
            return not_so(format!("`{}` already has this value", self.name(container)?));
        }
        Ok(Event::Given { container: id, before, after })
    }

    fn close_what_has_gone(&mut self) {
        let world = &self.world;
        let gone = |&(container, holder): &(u32, u32)| !world.is_there(container) || !world.is_present(holder);
        for (container, holder) in world.opened().filter(gone).collect::<Vec<_>>() {
            let (holder, container) = (self.world.holder_id(holder), self.world.container_id(container));
            self.carry_out(Event::Closed { holder, container });
        }
    }

    // Departures and arrivals.

    fn departed(&self, name: u32, departure: DepartureId) -> Checked<Event> {
        let name = self.name(name)?;
        let container = self.world.container(name).filter(|&id| self.world.stands(id)).map(DepartingEntity::Container);
        let Some(who) = container.or_else(|| self.world.holder(name).map(DepartingEntity::Holder)) else {
            return not_so(format!("unknown container or holder `{name}`"));
        };
        let before = self.world.departures;
        let latest = self.world.arrived.get(name).map_or(0, |latest| latest + 1);
        if departure != (DepartureId { world: self.world.number, number: before.max(latest) }) {
            return not_so(format!("this is not {departure}"));
        }
        Ok(Event::Departed { who, departure, before, count: self.world.items_with(who) })
    }

    fn arrive(&mut self, document: &Departure) -> Checked<()> {
        let mut arriving = from_data::departure(&self.world.rules, document).map_err(|error| error.to_string())?;
        if document.id.is_some_and(|id| self.world.has_arrived(document.name(), id)) {
            return not_so("this transfer record has already arrived");
        }
        let ids: Vec<StackId> = arriving.stacks().iter().map(|stack| stack.id).collect();
        let name = arriving.name();
        let is_name_taken = self.world.lasting(name).is_some() || self.world.holder(name).is_some();
        if is_name_taken || self.world.has_any(&ids) || ids.iter().any(|id| self.fresh.contains(id)) {
            return not_so("the world already has a place of this name or a stack of this id");
        }
        let weight_of = |kind: KindId| self.world.rules.figures[kind.index()].weight;
        let stacks = arriving.stacks();
        let weight = stacks.iter().map(|stack| weight_of(stack.key.kind) * i64::from(stack.count)).sum::<i64>();
        if self.world.whole_weight().checked_add(weight).is_none() {
            return not_so("the total weight would be too large to count");
        }
        let count = stacks.iter().map(|stack| u64::from(stack.count)).sum();
        let before = self.world.arrived.get(document.name()).copied();
        let who = self.number(&mut arriving);
        self.world.bring_in(&arriving, document.id);
        self.events.push(Event::Arrived { who, departure: document.id, before, count });
        Ok(())
    }

    /// Makes room for an arrival and returns its handle.
    fn number(&mut self, arriving: &mut Arriving) -> DepartingEntity {
        let world = &mut *self.world;
        let (mut next, mut used) = (world.container_count(), Vec::new());
        arriving.number(&mut |def| {
            let waiting = world.waiting(def).find(|index| !used.contains(index));
            let index = waiting.unwrap_or(next);
            next += u32::from(index == next);
            used.push(index);
            index
        });
        match &mut arriving.who {
            Arrival::Container(container) => DepartingEntity::Container(world.container_to_be(container.index)),
            Arrival::Holder(holder) => {
                holder.index = world.waiting_holders().next().unwrap_or(world.holder_count());
                DepartingEntity::Holder(world.holder_to_be(holder.index))
            }
        }
    }
}
