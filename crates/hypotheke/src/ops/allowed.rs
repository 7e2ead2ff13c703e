//! Who may: the borders that an operation crosses, and whether the actor may cross them.
//!
//! What an actor may not do depends on the places that an operation names, on who owns them, and on
//! nothing else. So it is checked before any stack is read, and a refusal reveals no contents.

use smallvec::SmallVec;

use super::draft::Draft;
use super::operation::Action;
use super::refusal::{Cause, Reason, Refusal, Unknown};
use crate::id::HolderId;
use crate::language::Path;
use crate::ruleset::{Access, AccessList, Border, Right};
use crate::world::{Event, GROUND, NONE, OwnerName, Place, Spot, UnknownPlace, World};

/// What keeps an actor from crossing a border.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum Bar {
    /// Nobody may, the game included.
    Nobody,
    /// Others may.
    Others,
}

/// A container, or one of its slots.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) struct Point {
    container: u32,
    slot: Option<u32>,
}

impl Point {
    pub(super) fn whole(container: u32) -> Point {
        Point { container, slot: None }
    }
}

impl From<Spot> for Point {
    fn from(Spot { container, slot }: Spot) -> Point {
        Point { container, slot: Some(slot) }
    }
}

/// What is crossed: the border of a container, or that of a slot with its own.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum Edge {
    Container(u32),
    Slot(Spot),
}

/// Where a place may be.
type Points = SmallVec<[Point; 4]>;

impl Draft<'_> {
    /// What keeps the actor from putting something into a container, taking something out of it, or
    /// opening it, by that container alone.
    #[inline]
    pub(super) fn bar(&self, right: Right, container: u32) -> Option<Bar> {
        let border = self.state(container).borders[right as usize];
        let others = |may: bool| (!may).then_some(Bar::Others);
        match border {
            Border::Anyone | Border::Surrounding => None,
            // Nothing has to be opened for the game.
            Border::Nobody if right == Right::Open => others(self.actor.is_none()),
            Border::Nobody if self.passes_nobody() => None,
            Border::Nobody => Some(Bar::Nobody),
            Border::Owner => others(self.actor.is_none_or(|actor| self.owns(actor, container))),
            Border::Listed => others(self.actor.is_none_or(|actor| self.is_listed(actor, right, container))),
        }
    }

    /// The same by a slot alone.
    #[inline]
    pub(super) fn bar_of_slot(&self, right: Right, spot: Spot) -> Option<Bar> {
        if !self.state(spot.container).has_slot_borders {
            return None;
        }
        match self.access_of_slot(right, spot) {
            Access::Anyone | Access::Surrounding => None,
            Access::Nobody => (!self.passes_nobody()).then_some(Bar::Nobody),
            Access::Listed(list) => {
                let actor = self.actor?;
                (!self.is_on(list, actor, spot.container)).then_some(Bar::Others)
            }
        }
    }

    fn access_of_slot(&self, right: Right, spot: Spot) -> &Access {
        self.ruled(spot.container).get(spot.slot as usize).map_or(&Access::Surrounding, |slot| slot.access(right))
    }

    pub(super) fn bar_at(&self, right: Right, edge: Edge) -> Option<Bar> {
        match edge {
            Edge::Container(container) => self.bar(right, container),
            Edge::Slot(spot) => self.bar_of_slot(right, spot),
        }
    }

    /// A pack without a list of its own has no border: its inside is a part of what is around it.
    fn has_border(&self, right: Right, edge: Edge) -> bool {
        match edge {
            Edge::Container(container) => self.state(container).borders[right as usize] != Border::Surrounding,
            Edge::Slot(spot) => *self.access_of_slot(right, spot) != Access::Surrounding,
        }
    }

    pub(super) fn owns(&self, actor: u32, container: u32) -> bool {
        let owner = self.owner(self.outermost(container));
        owner != OwnerName(NONE) && owner == OwnerName(self.world.name_number(actor))
    }

    /// The owner of a container by now, whatever is around it.
    pub(super) fn owner(&self, container: u32) -> OwnerName {
        let given = || {
            self.events().iter().rev().find_map(|event| match *event {
                Event::Given { container: given, after, .. } if given.index == container => Some(after),
                _ => None,
            })
        };
        let given = if self.has_other_events() { given() } else { None };
        given.unwrap_or(OwnerName(self.state(container).owner))
    }

    fn is_listed(&self, actor: u32, right: Right, container: u32) -> bool {
        let def = self.world.rules.containers().get(self.state(container).def as usize);
        match def.map(|def| def.access(right)) {
            Some(Access::Listed(list)) => self.is_on(list, actor, container),
            _ => false,
        }
    }

    pub(super) fn is_on(&self, list: &AccessList, actor: u32, container: u32) -> bool {
        let is_named = || list.names(self.world.name_of_holder(actor), self.world.groups_of(actor));
        list.owner && self.owns(actor, container) || is_named()
    }

    /// Whether a border keeps the actor away, and not everybody.
    fn is_for_others(&self, right: Right, edge: Edge) -> bool {
        self.bar_at(right, edge) == Some(Bar::Others)
    }

    /// The borders that something crosses on its way out of a place, from the inside out, as far as
    /// it does not stay inside; `None` stands for outside all containers.
    pub(super) fn crossed(&self, from: Point, to: Option<Point>) -> SmallVec<[Edge; 4]> {
        let mut edges = SmallVec::new();
        let mut at = from;
        loop {
            let stays = to.filter(|to| self.is_within(to.container, at.container));
            if let Some(slot) = at.slot.filter(|_| self.state(at.container).has_slot_borders)
                && stays.is_none_or(|to| self.slot_towards(to, at.container) != Some(slot))
            {
                edges.push(Edge::Slot(Spot { container: at.container, slot }));
            }
            if stays.is_some() {
                return edges;
            }
            edges.push(Edge::Container(at.container));
            let Some(around) = self.around(at.container) else { return edges };
            at = Point { container: around, slot: Some(self.parent(at.container).slot) };
        }
    }

    /// The slot of a container in which a place within it is, if it is in a certain one.
    fn slot_towards(&self, to: Point, container: u32) -> Option<u32> {
        let mut at = to;
        while at.container != container {
            let around = self.around(at.container)?;
            at = Point { container: around, slot: Some(self.parent(at.container).slot) };
        }
        at.slot
    }

    fn first_for_others(&self, right: Right, edges: &[Edge]) -> Option<Cause> {
        let closed = edges.iter().find(|&&edge| self.is_for_others(right, edge))?;
        Some(self.not_allowed(right, *closed))
    }

    /// The first border that keeps the actor from taking something out; of a whole container also
    /// if that is so for each of its slots.
    pub(super) fn why_not_leaving(&self, from: Point, to: Option<Point>) -> Option<Cause> {
        self.first_for_others(Right::Take, &self.crossed(from, to)).or_else(|| self.why_no_slot(Right::Take, from))
    }

    /// The first border that keeps the actor from putting something in.
    pub(super) fn why_not_entering_by(&self, from: Option<Point>, to: Point) -> Option<Cause> {
        self.first_for_others(Right::Put, &self.crossed(to, from)).or_else(|| self.why_no_slot(Right::Put, to))
    }

    /// The first slot of a container that is for others, if no slot is for the actor.
    fn why_no_slot(&self, right: Right, of: Point) -> Option<Cause> {
        let bars = self.bars_of_slots(right, of)?;
        let first = bars.iter().position(|bar| *bar == Bar::Others)?;
        let slot = u32::try_from(first).ok()?;
        Some(self.not_allowed(right, Edge::Slot(Spot { container: of.container, slot })))
    }

    /// What bars each slot of a whole container, if none is open to the actor.
    fn bars_of_slots(&self, right: Right, of: Point) -> Option<SmallVec<[Bar; 4]>> {
        if of.slot.is_some() || !self.state(of.container).has_slot_borders {
            return None;
        }
        (0..self.slots(of.container))
            .map(|slot| self.bar_of_slot(right, Spot { container: of.container, slot }))
            .collect()
    }

    /// If nobody may put into any slot of a container, or take out of any: the first slot with
    /// contents, or the first.
    pub(super) fn shut_slot(&self, right: Right, container: u32) -> Option<Place> {
        let bars = self.bars_of_slots(right, Point::whole(container))?;
        let mut spots = (0..self.slots(container)).map(|slot| Spot { container, slot });
        let first = spots.clone().find(|&spot| !self.cell(spot).is_empty()).or_else(|| spots.next())?;
        bars.iter().all(|bar| *bar == Bar::Nobody).then(|| self.place_of_spot(first))
    }

    /// The first container around one, itself included, that the actor may not open.
    pub(super) fn why_not_opened_by(&self, container: u32) -> Option<Cause> {
        let mut around = self.containers_around(Some(container)).map(Edge::Container);
        let closed = around.find(|&at| self.is_for_others(Right::Open, at))?;
        Some(self.not_allowed(Right::Open, closed))
    }

    pub(super) fn not_allowed(&self, right: Right, edge: Edge) -> Cause {
        Cause::NotAllowed { at: self.place_of_edge(edge), right }
    }

    pub(super) fn place_of_edge(&self, edge: Edge) -> Place {
        match edge {
            Edge::Container(container) => self.container_place(container),
            Edge::Slot(spot) => self.place_of_spot(spot),
        }
    }

    /// Whether the actor may see what is in a container.
    pub(super) fn sees(&self, container: u32) -> bool {
        self.containers_around(Some(container)).all(|at| self.shows_contents(at))
    }

    /// The same by the border of that container alone.
    fn shows_contents(&self, container: u32) -> bool {
        self.bar(Right::Open, container).is_none() || self.bar(Right::Take, container).is_none()
    }

    /// Why the actor may not bring anything from one place to another. Where no border is crossed,
    /// both must be open to it.
    pub(super) fn why_not_from_to(&self, from: Point, to: Point, to_holder: bool) -> Option<Cause> {
        let outside = (!to_holder).then_some(to);
        let crosses = self.crossed(from, outside).iter().any(|&at| self.has_border(Right::Take, at))
            || self.crossed(to, Some(from)).iter().any(|&at| self.has_border(Right::Put, at));
        if !crosses {
            return self.why_not_opened_by(from.container).or_else(|| self.why_not_opened_by(to.container));
        }
        self.why_not_leaving(from, outside).or_else(|| self.why_not_entering_by(Some(from), to))
    }

    /// Why the actor may not do what it asks for.
    #[inline]
    pub(super) fn why_not_allowed(&self, action: &Action) -> Option<Cause> {
        let actor = self.actor?;
        let (from, to) = action.sides();
        let is_plain = |place: &&Place| match **place {
            Place::Slot(id, _) | Place::Container(id) if self.world.is_lasting(id.index) => {
                let state = self.state(id.index);
                !state.has_slot_borders && self.world.is_plainly_open(Some(self.world.holder_id(actor)), state)
            }
            Place::Ground | Place::OnGround(_) => true,
            _ => false,
        };
        let is_of_places = matches!(action, Action::Move { .. } | Action::Swap { .. } | Action::Drop { .. });
        // Owners may have changed in the same list.
        if is_of_places && !self.has_other_events() && from.iter().chain(&to).all(is_plain) {
            return None;
        }
        self.why_actor_may_not(action)
    }

    #[cold]
    fn why_actor_may_not(&self, action: &Action) -> Option<Cause> {
        let actor = self.actor?;
        let hand = Place::Hand(self.world.holder_id(actor));
        match action {
            Action::Create { to, .. } => self.in_any(&self.named_targets(*to), |to| self.why_not_entering_by(None, to)),
            Action::Consume { from, .. } | Action::Use { from, .. } => {
                self.in_any(&self.named_sources(*from), |from| self.why_not_leaving(from, None))
            }
            Action::Move { from, to, .. } | Action::Split { from, to, .. } | Action::Merge { from, onto: to, .. } => {
                self.why_not_between(*from, *to)
            }
            Action::Drop { from, .. } => self.why_not_between(*from, Place::Ground),
            Action::PickUp { to, .. } => self.why_not_between(Place::Ground, *to),
            Action::Lift { from, .. } => self.why_not_between(*from, hand),
            Action::Put { to, .. } => self.why_not_between(hand, *to),
            Action::Swap { one, other } => self.why_not_swapped(*one, *other),
            Action::Deposit { into } => self.why_not_deposited(*into),
            Action::Buy { .. } | Action::Sell { .. } => self.why_not_in_deal(action),
            Action::Craft { .. } | Action::Cancel { .. } => self.why_not_in_recipe(action),
            Action::Equip { from, .. } => {
                let worn = self.world.containers_of(actor).iter().copied();
                let worn: Points = worn.filter(|&at| self.world.def_of(at).is_worn()).map(Point::whole).collect();
                self.why_no_way(&self.named_sources(*from), &worn, false)
            }
            Action::Unequip { from, to, .. } => {
                self.why_not_between(*from, to.unwrap_or(Place::Holder(self.world.holder_id(actor))))
            }
            Action::Mark { at, .. }
            | Action::Unmark { at, .. }
            | Action::Set { at, .. }
            | Action::Sort { at, .. }
            | Action::Resize { at, .. } => {
                self.in_any(&self.named_sources(*at), |at| self.why_not_opened_by(at.container))
            }
            // Each step is judged on its own, opening after what is around, giving by the owner alone,
            // and the rest is the holder's own or the game's.
            Action::Together { .. }
            | Action::Trade { .. }
            | Action::Open { .. }
            | Action::Close { .. }
            | Action::Give { .. }
            | Action::Return { .. }
            | Action::Leave
            | Action::Bind { .. }
            | Action::Unbind { .. }
            | Action::Wait { .. }
            | Action::Depart { .. }
            | Action::Arrive { .. } => None,
        }
    }

    /// Nothing stands in the way if it does not for one of the places; of none nothing is said.
    fn in_any(&self, places: &[Point], why: impl Fn(Point) -> Option<Cause>) -> Option<Cause> {
        let first = why(*places.first()?)?;
        places[1..].iter().all(|&at| why(at).is_some()).then_some(first)
    }

    fn why_not_between(&self, from: Place, to: Place) -> Option<Cause> {
        let to_holder = matches!(to, Place::Holder(_));
        self.why_no_way(&self.named_sources(from), &self.named_targets(to), to_holder)
    }

    /// Of a holder without containers nothing is said, and the other side is judged alone.
    fn why_no_way(&self, from: &[Point], to: &[Point], to_holder: bool) -> Option<Cause> {
        if to.is_empty() {
            return self.in_any(from, |from| self.why_not_leaving(from, None));
        }
        if from.is_empty() {
            return self.in_any(to, |to| self.why_not_entering_by(None, to));
        }
        self.in_any(from, |from| self.in_any(to, |to| self.why_not_from_to(from, to, to_holder)))
    }

    /// A side that is empty gives nothing. If the actor can't see whether it is, and nothing comes
    /// from the other side, it counts as full.
    fn why_not_swapped(&self, one: Place, other: Place) -> Option<Cause> {
        let (Ok(one), Ok(other)) = (self.slot(one), self.slot(other)) else { return None };
        let gives = |spot: Spot, back: Spot| {
            let hidden = || self.cell(back).is_empty() && !self.sees(spot.container);
            !self.cell(spot).is_empty() || hidden()
        };
        let sides = [(one, other), (other, one)];
        let mut giving = sides.into_iter().filter(|&(from, to)| gives(from, to));
        giving.find_map(|(from, to)| self.why_not_from_to(from.into(), to.into(), false))
    }

    /// The kinds in the target decide which stacks move, so the actor must see them.
    fn why_not_deposited(&self, into: Place) -> Option<Cause> {
        let into = *self.named_targets(into).first()?;
        let own = self.world.containers_of(self.actor?).iter().copied();
        let own: Points =
            own.filter(|&at| at != into.container && !self.world.def_of(at).is_worn()).map(Point::whole).collect();
        self.why_no_way(&own, &[into], false).or_else(|| self.why_hidden(Some(into.container)))
    }

    /// Where a place is as a source. Of a holder's containers those that are out of reach are reported
    /// before.
    fn named_sources(&self, place: Place) -> Points {
        match place {
            Place::Holder(id) if self.has_holder(id) => self.reachable(self.all_sources_of(id.index).into_iter()),
            place => self.named_targets(place),
        }
    }

    fn named_targets(&self, place: Place) -> Points {
        let one = |point: Point| SmallVec::from_elem(point, 1);
        match place {
            Place::Slot(id, slot) if self.has_container(id) => one(Spot { container: id.index, slot }.into()),
            Place::Container(id) if self.has_container(id) => one(Point::whole(id.index)),
            Place::Holder(id) if self.has_holder(id) => self.reachable(self.all_targets_of(id.index).into_iter()),
            Place::Hand(id) if self.has_holder(id) => one(Point::whole(self.world.hand_of(id.index))),
            Place::Ground | Place::OnGround(_) => one(Point::whole(GROUND)),
            _ => SmallVec::new(),
        }
    }

    fn reachable(&self, containers: impl Iterator<Item = u32>) -> Points {
        containers.filter(|&at| self.is_reachable(at)).map(Point::whole).collect()
    }

    /// The first place of an action that is inside a container whose contents the actor may not see.
    #[inline]
    pub(super) fn why_unseen(&self, action: &Action) -> Option<Cause> {
        self.actor?;
        let (from, to) = action.sides();
        from.iter().chain(&to).find_map(|place| match **place {
            Place::Slot(id, _) | Place::Container(id) if !self.world.is_lasting(id.index) && self.has_container(id) => {
                self.why_hidden(self.around(id.index))
            }
            _ => None,
        })
    }

    /// The first container around a place whose contents the actor may not see.
    pub(super) fn why_hidden(&self, container: Option<u32>) -> Option<Cause> {
        let hidden = self.containers_around(container).find(|&at| !self.shows_contents(at))?;
        Some(self.not_allowed(Right::Open, Edge::Container(hidden)))
    }

    /// Whether an earlier check than `not-allowed` would tell the actor what it may not see.
    pub(super) fn would_reveal(&self, action: &Action, refusal: &Refusal) -> bool {
        let is_hidden = |place: &Place| self.named_sources(*place).iter().any(|&at| !self.sees(at.container));
        match action {
            Action::Split { count, from, .. } => {
                *count != 0 && refusal.reason() == Reason::BadAmount && is_hidden(from)
            }
            Action::Set { at, .. } => refusal.cause() == Cause::Unknown(Unknown::Variant) && is_hidden(at),
            _ => false,
        }
    }
}

impl World {
    /// Why the actor may not know where a path leads, whether the place exists or not.
    pub(super) fn why_path_hidden(&self, path: &Path, actor: HolderId) -> Option<(UnknownPlace, Cause)> {
        let mut draft = Draft::new(self, Box::default());
        draft.act_as(Some(actor)).ok()?;
        let sees = |container| container == GROUND || draft.sees(container);
        let error = self.place_as_seen(path, Some(actor), &sees).err()?;
        let cause = draft.why_hidden(Some(error.hidden_in()?))?;
        Some((error, cause))
    }

    pub(super) fn owner_of(&self, at: Place) -> Option<&str> {
        let (Place::Container(id) | Place::Slot(id, _)) = at else { return None };
        self.owner(id)
    }

    /// Who may do something with a container, in words: `its owner ines`, `crew`.
    pub(super) fn who_may_text(&self, at: Place, right: Right) -> String {
        let (Place::Container(id) | Place::Slot(id, _)) = at else { return "nobody".to_owned() };
        let slot = if let Place::Slot(_, slot) = at { Some(slot as usize) } else { None };
        let access = self.container_def(id).map(|def| match slot.and_then(|slot| def.ruled.get(slot)) {
            Some(slot) => slot.access(right),
            None => def.access(right),
        });
        // A hand is its holder's.
        self.listed_text(access.unwrap_or(&Access::Listed(AccessList::OWNER)), at)
    }

    /// Those on a list, in words; the owner is that of a place.
    pub(super) fn listed_text(&self, access: &Access, at: Place) -> String {
        let Access::Listed(list) = access else { return "nobody".to_owned() };
        let owner = || match self.owner_of(at) {
            Some(owner) => format!("its owner {owner}"),
            None => "its owner, which it does not have".to_owned(),
        };
        let names = list.holders.iter().chain(&list.groups).map(ToString::to_string);
        let named: Vec<String> = list.owner.then(owner).into_iter().chain(names).collect();
        if named.is_empty() { "nobody".to_owned() } else { named.join(" or ") }
    }
}
