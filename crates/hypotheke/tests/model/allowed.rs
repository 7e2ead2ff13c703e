//! Who may: each border between two places, asked one by one.

use std::collections::BTreeSet;

use super::faults::Fault;
use super::state::{At, Cell, Inside, Root};
use super::{Model, No, Request, Who as Entity, named, no};

/// Who may do something.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(crate) enum Who {
    Anyone,
    Nobody,
    /// No border: what is around says who may.
    Around,
    Listed {
        owner: bool,
        holders: BTreeSet<usize>,
        groups: BTreeSet<usize>,
    },
}

impl Who {
    pub(crate) fn owner() -> Who {
        Who::Listed { owner: true, holders: BTreeSet::new(), groups: BTreeSet::new() }
    }
}

#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Right {
    Put,
    Take,
    Open,
}

/// What a border says to the actor.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum Said {
    Yes,
    OthersMay,
    NobodyMay,
}

/// A container or one of its slots, or none for the ground.
pub(super) type Side = Option<(Inside, Option<usize>)>;

/// The border of a container, or of a slot that has one.
#[derive(Clone, Debug)]
enum Edge {
    Container(Inside),
    Slot(Inside, usize),
}

pub(super) fn whole(at: &Inside) -> Side {
    Some((at.clone(), None))
}

pub(super) fn slot_of(at: &Inside, slot: usize) -> Side {
    Some((at.clone(), Some(slot)))
}

/// The place of a cell, as a side.
pub(super) fn side_of(cell: Option<&Cell>) -> Side {
    match cell {
        Some(Cell::Slot(at, slot)) => slot_of(at, *slot),
        Some(Cell::Ground(_)) | None => None,
    }
}

/// What a target is as a side, if it is a container or a slot.
pub(super) fn side_of_target(to: &At) -> Side {
    match to {
        At::Slot(at, slot) => slot_of(at, *slot),
        At::Container(at) => whole(at),
        At::Holder(_) | At::Ground | At::OnGround(_) => None,
    }
}

impl Model {
    /// What its own border says, whatever is around.
    pub(super) fn said(&self, right: Right, at: &Inside) -> Said {
        if at.is_hand() {
            let Root::Hand(holder) = at.root else { unreachable!("a hand") };
            return if self.actor.is_none_or(|actor| actor == holder) { Said::Yes } else { Said::OthersMay };
        }
        let spec = self.state.spec(&self.rules, at);
        let who = match right {
            Right::Put => &spec.put,
            Right::Take => &spec.take,
            Right::Open => &spec.open,
        };
        self.answer_of(who, right, at)
    }

    pub(super) fn slot_said(&self, right: Right, at: &Inside, slot: usize) -> Said {
        let spec = self.state.spec(&self.rules, at);
        let Some(rule) = spec.ruled.get(slot) else { return Said::Yes };
        self.answer_of(if right == Right::Put { &rule.put } else { &rule.take }, right, at)
    }

    fn answer_of(&self, who: &Who, right: Right, at: &Inside) -> Said {
        let is_owner = |actor: usize| self.owner_of(at) == Some(actor);
        let may = match (who, self.actor) {
            (Who::Nobody, actor) if right == Right::Open => actor.is_none(),
            (Who::Nobody, _) => return if self.passes_nobody { Said::Yes } else { Said::NobodyMay },
            (Who::Around | Who::Anyone, _) | (_, None) => true,
            (Who::Listed { owner, holders, groups }, Some(actor)) => {
                let in_group = groups.iter().any(|group| self.rules.groups[actor].contains(group));
                *owner && is_owner(actor) || holders.contains(&actor) || in_group
            }
        };
        if may || Fault::ActorIgnored.is_on() { Said::Yes } else { Said::OthersMay }
    }

    /// Whether the actor is one of those on a list.
    pub(super) fn is_among(&self, who: &Who, at: &Inside) -> bool {
        *who != Who::Nobody && self.answer_of(who, Right::Put, at) == Said::Yes
    }

    fn edge_said(&self, right: Right, edge: &Edge) -> Said {
        match edge {
            Edge::Container(at) => self.said(right, at),
            Edge::Slot(at, slot) => self.slot_said(right, at, *slot),
        }
    }

    /// Only its owner and the game give a container of the world away.
    pub(super) fn give_away(&mut self, at: &At, to: Option<usize>) -> Result<u64, No> {
        let At::Container(at) = at else { return Err(no("unknown")) };
        let Root::Container(index) = at.root else { return Err(no("unknown")) };
        if !at.steps.is_empty() || self.rules.containers[index].holder.is_some() {
            return Err(no("unknown"));
        }
        let may = self.actor.is_none_or(|actor| self.state.owners[index] == Some(actor));
        if !may && !Fault::AnyoneGivesAway.is_on() {
            return Err(no("not-allowed"));
        }
        if self.state.owners[index] == to {
            return Ok(0);
        }
        self.state.owners[index] = to;
        let openers = (0..self.state.hands.len()).filter(|&holder| self.may_open_as(holder, at));
        let may_open: BTreeSet<usize> = openers.collect();
        if !Fault::GivenStaysOpen.is_on() {
            let owner = self.state.owner(at);
            self.state.open.retain(|(holder, opened)| *opened != owner || may_open.contains(holder));
        }
        Ok(0)
    }

    fn may_open_as(&self, holder: usize, at: &Inside) -> bool {
        Model { actor: Some(holder), ..self.clone() }.may_open(Some(at))
    }

    /// Who owns what is outermost.
    fn owner_of(&self, at: &Inside) -> Option<usize> {
        match at.root {
            Root::Container(index) => self.rules.containers[index].holder.or(self.state.owners[index]),
            Root::Hand(holder) => Some(holder),
            Root::Landing(_) | Root::Transit => None,
        }
    }

    /// The borders that something leaves on its way, those of slots among them.
    fn crossed(&self, from: &Side, to: &Side) -> Vec<Edge> {
        let Some((inside, slot)) = from else { return Vec::new() };
        let mut edges = Vec::new();
        for at in inside.chain() {
            // In which slot of this container it is, and whether the target is inside of it too.
            let here = if at == *inside { *slot } else { Some(inside.steps[at.steps.len()]) };
            let stays = to.as_ref().filter(|(to, _)| to.is_within(&at));
            let there = stays.map(|(to, slot)| if *to == at { *slot } else { Some(to.steps[at.steps.len()]) });
            if let Some(slot) = here.filter(|slot| there != Some(Some(*slot))) {
                edges.push(Edge::Slot(at.clone(), slot));
            }
            if stays.is_some() {
                break;
            }
            edges.push(Edge::Container(at));
        }
        edges
    }

    /// What the borders say that something crosses: first those of the way, then the slots of a whole
    /// container, if none of them is open.
    fn all_say(&self, right: Right, edges: &[Edge], of: &Side) -> Vec<Said> {
        let mut said: Vec<Said> = edges.iter().map(|edge| self.edge_said(right, edge)).collect();
        if let Some((at, None)) = of
            && !self.state.slots(at).is_empty()
        {
            let slots = 0..self.state.slots(at).len();
            let slots: Vec<Said> = slots.map(|slot| self.slot_said(right, at, slot)).collect();
            if !slots.contains(&Said::Yes) {
                let others = slots.contains(&Said::OthersMay);
                said.push(if others { Said::OthersMay } else { Said::NobodyMay });
            }
        }
        said
    }

    pub(super) fn leaving(&self, from: &Side, to: &Side) -> Vec<Said> {
        let mut edges = self.crossed(from, to);
        if Fault::OutermostAskedOnly.is_on() {
            edges.retain(|edge| matches!(edge, Edge::Container(at) if at.steps.is_empty()));
        }
        self.all_say(Right::Take, &edges, from)
    }

    pub(super) fn entering(&self, from: &Side, to: &Side) -> Vec<Said> {
        if Fault::TargetForAnyone.is_on() {
            return Vec::new();
        }
        self.all_say(Right::Put, &self.crossed(to, from), to)
    }

    pub(super) fn may_leave(&self, from: &Side, to: &Side) -> bool {
        !self.leaving(from, to).contains(&Said::OthersMay)
    }

    pub(super) fn may_enter(&self, from: &Side, to: &Side) -> bool {
        !self.entering(from, to).contains(&Said::OthersMay)
    }

    /// Whether the border of a slot lets something in.
    pub(super) fn slot_lets_in(&self, source: Option<&Cell>, at: &Inside, slot: usize) -> bool {
        let crosses = source.is_some() || self.actor.is_some();
        let ignored = self.going_back || Fault::BorderForgotten.is_on() || Fault::TargetForAnyone.is_on();
        !crosses || ignored || self.slot_said(Right::Put, at, slot) == Said::Yes
    }

    pub(super) fn may_open(&self, at: Option<&Inside>) -> bool {
        at.is_none_or(|at| at.chain().iter().all(|around| self.said(Right::Open, around) != Said::OthersMay))
    }

    pub(crate) fn sees_as(&self, actor: usize, at: &Inside) -> bool {
        Model { actor: Some(actor), ..self.clone() }.sees(at)
    }

    fn sees(&self, at: &Inside) -> bool {
        let may = |right, at: &Inside| self.said(right, at) == Said::Yes;
        at.chain().iter().all(|around| may(Right::Open, around) || may(Right::Take, around))
    }

    pub(super) fn may_from_to(&self, from: &Side, to: &Side, to_holder: bool) -> bool {
        let outside = to.clone().filter(|_| !to_holder);
        let has_border = |right, edge: &Edge| {
            let pick = |put: &Who, take: &Who| *(if right == Right::Put { put } else { take }) != Who::Around;
            match edge {
                Edge::Container(at) if at.is_hand() => true,
                Edge::Container(at) => {
                    let spec = self.state.spec(&self.rules, at);
                    pick(&spec.put, &spec.take)
                }
                Edge::Slot(at, slot) => {
                    let spec = self.state.spec(&self.rules, at);
                    spec.ruled.get(*slot).is_some_and(|rule| pick(&rule.put, &rule.take))
                }
            }
        };
        let leaves = self.crossed(from, &outside).iter().any(|edge| has_border(Right::Take, edge));
        let enters = self.crossed(to, from).iter().any(|edge| has_border(Right::Put, edge));
        if !leaves && !enters {
            let inside = |side: &Side| side.as_ref().map(|(at, _)| at.clone());
            return self.may_open(inside(from).as_ref()) && self.may_open(inside(to).as_ref());
        }
        self.may_leave(from, &outside) && self.may_enter(from, to)
    }

    /// What a place stands for, without what is closed to the actor.
    fn sides(&self, at: &At, is_source: bool) -> Vec<Side> {
        let all = match at {
            At::Ground | At::OnGround(_) => return vec![None],
            At::Slot(at, slot) => return vec![slot_of(at, *slot)],
            At::Holder(holder) if is_source => {
                let worn = self.rules.carried(*holder).into_iter().filter(|&index| self.rules.containers[index].worn);
                self.all_targets(at).into_iter().chain(worn.map(Inside::container)).collect()
            }
            at => self.all_targets(at),
        };
        let of_holder = matches!(at, At::Holder(_));
        all.into_iter().filter(|at| !of_holder || self.is_reachable(at)).map(|at| whole(&at)).collect()
    }

    fn some_way(&self, from: &[Side], to: &[Side], to_holder: bool) -> bool {
        match (from, to) {
            ([], []) => true,
            (from, []) => from.iter().any(|from| self.may_leave(from, &None)),
            ([], to) => to.iter().any(|to| self.may_enter(&None, to)),
            (from, to) => from.iter().any(|from| to.iter().any(|to| self.may_from_to(from, to, to_holder))),
        }
    }

    /// A place that it names is inside a container whose contents the holder that acts may not see.
    pub(super) fn names_unseen(&self, request: &Request) -> bool {
        let is_unseen = |at: &&At| match at {
            At::Slot(at, _) | At::Container(at) => at.chain().get(1).is_some_and(|around| !self.sees(around)),
            At::Holder(_) | At::Ground | At::OnGround(_) => false,
        };
        let present = |actor| self.is_there(Entity::Holder(actor));
        self.actor.is_some_and(present) && named(request).iter().filter(|at| self.is_place_there(at)).any(is_unseen)
    }

    /// `not-allowed`, if no way is open to the holder that acts.
    pub(super) fn not_allowed(&self, request: &Request) -> Option<No> {
        let actor = self.actor?;
        let hand = vec![whole(&Inside::hand(actor))];
        let between = |from: &At, to: &At| {
            self.some_way(&self.sides(from, true), &self.sides(to, false), matches!(to, At::Holder(_)))
        };
        let some = |sides: Vec<Side>, may: &dyn Fn(&Side) -> bool| sides.is_empty() || sides.iter().any(may);
        let may = match request {
            Request::By(_, inner) => return self.not_allowed(inner),
            Request::Create(_, _, _, to, _) => some(self.sides(to, false), &|to| self.may_enter(&None, to)),
            Request::Consume(_, _, from) | Request::Use(_, _, _, from) => {
                some(self.sides(from, true), &|from| self.may_leave(from, &None))
            }
            Request::Move(_, _, from, to) | Request::Split(_, from, to) | Request::Merge(_, from, to) => {
                between(from, to)
            }
            Request::Drop(_, _, from, _) => between(from, &At::Ground),
            Request::PickUp(_, _, _, to) => between(&At::Ground, to),
            Request::Lift(_, _, from) => self.some_way(&self.sides(from, true), &hand, false),
            Request::Put(_, _, to) => self.some_way(&hand, &self.sides(to, false), false),
            Request::Swap(one, other) => self.may_swap(one, other),
            Request::Deposit(_, into) => self.may_deposit(actor, into),
            Request::Equip(_, _, from) => {
                let worn = self.rules.carried(actor).into_iter().filter(|&index| self.rules.containers[index].worn);
                let worn: Vec<Side> = worn.map(|index| whole(&Inside::container(index))).collect();
                self.some_way(&self.sides(from, true), &worn, false)
            }
            Request::Unequip(_, _, from, to) => between(from, to.as_ref().unwrap_or(&At::Holder(actor))),
            Request::Buy(_, _, kind, at) => self.may_deal(true, *kind, at),
            Request::Sell(_, _, kind, at) => self.may_deal(false, *kind, at),
            Request::Craft(_, (recipe, _), at) | Request::Cancel(recipe, at) => self.may_craft(*recipe, at),
            Request::Mark(at, _)
            | Request::Unmark(at, _)
            | Request::Set(at, _, _)
            | Request::Sort(at, _)
            | Request::Resize(at, _, _) => {
                some(self.sides(at, true), &|at| self.may_open(at.as_ref().map(|(at, _)| at)))
            }
            _ => true,
        };
        (!may).then(|| no("not-allowed"))
    }

    fn may_swap(&self, one: &At, other: &At) -> bool {
        let (At::Slot(a, here), At::Slot(b, there)) = (one, other) else { return true };
        let full = |at: &Inside, slot: usize| self.state.slots(at)[slot].is_some();
        let ways = [((a, *here), (b, *there)), ((b, *there), (a, *here))];
        ways.into_iter().all(|((from, slot), (to, back))| {
            let gives = full(from, slot) || !full(to, back) && !self.sees(from);
            !gives || self.may_from_to(&slot_of(from, slot), &slot_of(to, back), false)
        })
    }

    fn may_deposit(&self, actor: usize, into: &At) -> bool {
        let At::Container(into) = into else { return true };
        let own = self.rules.carried(actor).into_iter().filter(|&index| !self.rules.containers[index].worn);
        let own: Vec<Side> = own.map(Inside::container).filter(|at| at != into).map(|at| whole(&at)).collect();
        self.sees(into) && self.some_way(&own, &[whole(into)], false)
    }

    /// An earlier reason would tell the actor what it may not see.
    pub(super) fn would_reveal(&self, request: &Request, reason: &str) -> bool {
        let hidden = |at: &At| self.sides(at, true).iter().flatten().any(|(at, _)| !self.sees(at));
        match request {
            Request::By(_, inner) => self.would_reveal(inner, reason),
            Request::Split(count, from, _) => *count != 0 && reason == "bad-amount" && hidden(from),
            Request::Set(at @ At::Slot(..), ..) => reason == "unknown" && hidden(at),
            _ => false,
        }
    }
}
