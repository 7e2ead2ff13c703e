//! Who may: the borders that an operation crosses, and whether the actor may cross them.
//!
//! What an actor may not do depends on the places that an operation names, on who owns them, and on
//! nothing else. So it is judged before any stack is looked at, and a refusal reveals no contents.

use smallvec::SmallVec;

use super::draft::Draft;
use super::operation::Action;
use super::refusal::{Cause, Reason, Refusal, Unknown};
use crate::id::HolderId;
use crate::language::Path;
use crate::ruleset::{Access, Border, Right};
use crate::world::{GROUND, NONE, Place, Spot, World};

/// What keeps an actor from crossing a border.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum Bar {
    /// Nobody may, the game included.
    Nobody,
    /// Others may.
    Others,
}

/// Containers that a place may stand for.
type Containers = SmallVec<[u32; 4]>;

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
            Border::Nobody => Some(Bar::Nobody),
            Border::Owner => others(self.actor.is_none_or(|actor| self.owns(actor, container))),
            Border::Listed => others(self.actor.is_none_or(|actor| self.is_listed(actor, right, container))),
        }
    }

    /// A pack without a list of its own has no border: its inside is a part of what is around it.
    fn has_border(&self, right: Right, container: u32) -> bool {
        self.state(container).borders[right as usize] != Border::Surrounding
    }

    fn owns(&self, actor: u32, container: u32) -> bool {
        let owner = self.state(self.outermost(container)).owner;
        owner != NONE && owner == self.world.name_number(actor)
    }

    fn is_listed(&self, actor: u32, right: Right, container: u32) -> bool {
        let def = self.world.rules.containers().get(self.state(container).def as usize);
        match def.map(|def| def.access(right)) {
            Some(Access::Listed(list)) => {
                let actor_is_listed = || {
                    let (name, groups) = (self.world.name_of_holder(actor), self.world.groups_of(actor));
                    list.names(name, groups)
                };
                list.owner && self.owns(actor, container) || actor_is_listed()
            }
            _ => false,
        }
    }

    /// Whether a border keeps the actor away, and not everybody.
    fn is_for_others(&self, right: Right, container: u32) -> bool {
        self.bar(right, container) == Some(Bar::Others)
    }

    /// The containers whose borders something crosses that leaves one, from the inside out, as far
    /// as it does not stay inside; `None` stands for outside all containers.
    pub(super) fn left(&self, from: u32, to: Option<u32>) -> impl Iterator<Item = u32> {
        let around = self.containers_around(Some(from));
        around.take_while(move |&at| !to.is_some_and(|to| self.is_within(to, at)))
    }

    /// The first border that keeps the actor from taking something out.
    pub(super) fn why_not_leaving(&self, from: u32, to: Option<u32>) -> Option<Cause> {
        let closed = self.left(from, to).find(|&at| self.is_for_others(Right::Take, at))?;
        Some(self.not_allowed(Right::Take, closed))
    }

    /// The first border that keeps the actor from putting something in.
    pub(super) fn why_not_entering_by(&self, from: Option<u32>, to: u32) -> Option<Cause> {
        let closed = self.left(to, from).find(|&at| self.is_for_others(Right::Put, at))?;
        Some(self.not_allowed(Right::Put, closed))
    }

    /// The first container around one, itself included, that the actor may not open.
    pub(super) fn why_not_opened_by(&self, container: u32) -> Option<Cause> {
        let closed = self.containers_around(Some(container)).find(|&at| self.is_for_others(Right::Open, at))?;
        Some(self.not_allowed(Right::Open, closed))
    }

    pub(super) fn not_allowed(&self, right: Right, container: u32) -> Cause {
        Cause::NotAllowed { at: self.container_place(container), right }
    }

    /// Whether the actor may see what is in a container.
    pub(super) fn sees(&self, container: u32) -> bool {
        let may = |right, at| self.bar(right, at).is_none();
        self.containers_around(Some(container)).all(|at| may(Right::Open, at) || may(Right::Take, at))
    }

    /// Why the actor may not bring anything from one container to another. Where no border is
    /// crossed, both must be open to it.
    pub(super) fn why_not_from_to(&self, from: u32, to: u32, to_holder: bool) -> Option<Cause> {
        let outside = (!to_holder).then_some(to);
        let crosses = self.left(from, outside).any(|at| self.has_border(Right::Take, at))
            || self.left(to, Some(from)).any(|at| self.has_border(Right::Put, at));
        if !crosses {
            return self.why_not_opened_by(from).or_else(|| self.why_not_opened_by(to));
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
                self.world.is_plainly_open(Some(self.world.holder_id(actor)), self.state(id.index))
            }
            Place::Ground | Place::OnGround(_) => true,
            _ => false,
        };
        let is_of_places = matches!(action, Action::Move { .. } | Action::Swap { .. } | Action::Drop { .. });
        if is_of_places && from.iter().chain(&to).all(is_plain) {
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
            Action::Consume { from, .. } => {
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
            Action::Equip { from, .. } => {
                let worn = self.world.containers_of(actor).iter().copied();
                let worn: Containers = worn.filter(|&at| self.world.def_of(at).is_worn()).collect();
                self.why_no_way(&self.named_sources(*from), &worn, false)
            }
            Action::Unequip { from, to, .. } => {
                self.why_not_between(*from, to.unwrap_or(Place::Holder(self.world.holder_id(actor))))
            }
            Action::Mark { at, .. }
            | Action::Unmark { at, .. }
            | Action::Set { at, .. }
            | Action::Sort { at, .. }
            | Action::Resize { at, .. } => self.in_any(&self.named_sources(*at), |at| self.why_not_opened_by(at)),
            // Each step is judged on its own, opening after what is around, and the rest is the
            // holder's own or the game's.
            Action::Together { .. }
            | Action::Open { .. }
            | Action::Close { .. }
            | Action::Return { .. }
            | Action::Leave
            | Action::Bind { .. }
            | Action::Unbind { .. }
            | Action::Depart { .. }
            | Action::Arrive { .. } => None,
        }
    }

    /// Nothing stands in the way if it does not for one of the containers; of none nothing is said.
    fn in_any(&self, containers: &[u32], why: impl Fn(u32) -> Option<Cause>) -> Option<Cause> {
        let first = why(*containers.first()?)?;
        containers[1..].iter().all(|&at| why(at).is_some()).then_some(first)
    }

    fn why_not_between(&self, from: Place, to: Place) -> Option<Cause> {
        let to_holder = matches!(to, Place::Holder(_));
        self.why_no_way(&self.named_sources(from), &self.named_targets(to), to_holder)
    }

    /// Of a holder without containers nothing is said, and the other side is judged alone.
    fn why_no_way(&self, from: &[u32], to: &[u32], to_holder: bool) -> Option<Cause> {
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
        let giving = sides.into_iter().filter(|&(from, to)| gives(from, to));
        giving.into_iter().find_map(|(from, to)| self.why_not_from_to(from.container, to.container, false))
    }

    /// Which kinds are in the target decides what goes there, so the actor must see them.
    fn why_not_deposited(&self, into: Place) -> Option<Cause> {
        let into = *self.named_targets(into).first()?;
        let own = self.world.containers_of(self.actor?).iter().copied();
        let own: Containers = own.filter(|&at| at != into && !self.world.def_of(at).is_worn()).collect();
        self.why_no_way(&own, &[into], false).or_else(|| {
            let hidden = self.containers_around(Some(into)).find(|&at| !self.sees(at));
            hidden.map(|at| self.not_allowed(Right::Open, at))
        })
    }

    /// The containers that a place stands for as a source. Those that are out of reach are reported
    /// before.
    fn named_sources(&self, place: Place) -> Containers {
        match place {
            Place::Holder(id) if self.has_holder(id) => self.reachable(self.all_sources_of(id.index).into_iter()),
            place => self.named_targets(place),
        }
    }

    fn named_targets(&self, place: Place) -> Containers {
        match place {
            Place::Slot(id, _) | Place::Container(id) if self.has_container(id) => SmallVec::from_elem(id.index, 1),
            Place::Holder(id) if self.has_holder(id) => self.reachable(self.all_targets_of(id.index).into_iter()),
            Place::Hand(id) if self.has_holder(id) => SmallVec::from_elem(self.world.hand_of(id.index), 1),
            Place::Ground | Place::OnGround(_) => SmallVec::from_elem(GROUND, 1),
            _ => SmallVec::new(),
        }
    }

    fn reachable(&self, containers: impl Iterator<Item = u32>) -> Containers {
        containers.filter(|&at| self.is_reachable(at)).collect()
    }

    /// Whether an earlier check than `not-allowed` would tell the actor what it may not see.
    pub(super) fn would_reveal(&self, action: &Action, refusal: &Refusal) -> bool {
        let is_hidden = |place: &Place| self.named_sources(*place).iter().any(|&at| !self.sees(at));
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
    /// The container around a place whose contents an actor may not see.
    pub(super) fn why_hidden(&self, part: &Path, actor: Option<HolderId>) -> Option<Cause> {
        let mut draft = Draft::new(self, Box::default());
        draft.act_as(Some(actor?)).ok()?;
        let (Place::Slot(id, _) | Place::Container(id)) = self.place(part, actor).ok()? else { return None };
        let hidden = draft.containers_around(Some(id.index)).find(|&at| !draft.sees(at))?;
        Some(draft.not_allowed(Right::Open, hidden))
    }

    /// Who may do something with a container, in words: `its owner ines`, `crew`.
    pub(super) fn who_may_text(&self, at: Place, right: Right) -> String {
        let Place::Container(id) = at else { return "nobody".to_owned() };
        let owner = || match self.owner(id) {
            Some(owner) => format!("its owner {owner}"),
            None => "its owner, which it does not have".to_owned(),
        };
        let named = match self.container_def(id).map(|def| def.access(right)) {
            Some(Access::Listed(list)) => {
                let names = list.holders.iter().chain(&list.groups).map(|name| name.to_string());
                list.owner.then(owner).into_iter().chain(names).collect()
            }
            Some(_) => Vec::new(),
            // A hand.
            None => vec![owner()],
        };
        if named.is_empty() { "nobody".to_owned() } else { named.join(" or ") }
    }
}
