//! Who may: each border between two places, asked one by one.

use std::collections::BTreeSet;

use super::faults::Fault;
use super::state::{At, Inside, Root};
use super::{Model, No, Request, no};

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

/// What a border says to whoever acts.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum Said {
    Yes,
    OthersMay,
    NobodyMay,
}

/// A container, or none for the ground.
type Side = Option<Inside>;

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
        let is_owner = |actor: usize| self.owner_of(at) == Some(actor);
        let may = match (who, self.actor) {
            (Who::Around, _) => true,
            (Who::Nobody, actor) if right == Right::Open => actor.is_none(),
            (Who::Nobody, _) => return Said::NobodyMay,
            (Who::Anyone, _) | (_, None) => true,
            (Who::Listed { owner, holders, groups }, Some(actor)) => {
                let in_group = groups.iter().any(|group| self.rules.groups[actor].contains(group));
                *owner && is_owner(actor) || holders.contains(&actor) || in_group
            }
        };
        if may || Fault::ActorIgnored.is_on() { Said::Yes } else { Said::OthersMay }
    }

    /// Who owns what is outermost.
    fn owner_of(&self, at: &Inside) -> Option<usize> {
        match at.root {
            Root::Container(index) => self.rules.containers[index].holder.or(self.rules.containers[index].owner),
            Root::Hand(holder) => Some(holder),
            Root::Landing(_) => None,
        }
    }

    /// The borders that something leaves on its way.
    fn left(&self, from: &Inside, to: Option<&Inside>) -> Vec<Inside> {
        from.chain().into_iter().filter(|around| !to.is_some_and(|to| to.is_within(around))).collect()
    }

    pub(super) fn may_leave(&self, from: Option<&Inside>, to: Option<&Inside>) -> bool {
        let left = from.map_or_else(Vec::new, |from| self.left(from, to));
        let asked = if Fault::OutermostAskedOnly.is_on() { left.last().into_iter().cloned().collect() } else { left };
        asked.iter().all(|at| self.said(Right::Take, at) != Said::OthersMay)
    }

    pub(super) fn may_enter(&self, from: Option<&Inside>, to: Option<&Inside>) -> bool {
        let entered = to.map_or_else(Vec::new, |to| self.left(to, from));
        Fault::TargetForAnyone.is_on() || entered.iter().all(|at| self.said(Right::Put, at) != Said::OthersMay)
    }

    pub(super) fn may_open(&self, at: Option<&Inside>) -> bool {
        at.is_none_or(|at| at.chain().iter().all(|around| self.said(Right::Open, around) != Said::OthersMay))
    }

    fn sees(&self, at: &Inside) -> bool {
        let may = |right, at: &Inside| self.said(right, at) == Said::Yes;
        at.chain().iter().all(|around| may(Right::Open, around) || may(Right::Take, around))
    }

    pub(super) fn may_from_to(&self, from: &Side, to: &Side, to_holder: bool) -> bool {
        let outside = to.as_ref().filter(|_| !to_holder);
        let has_border = |right, at: &Inside| {
            let spec = self.state.spec(&self.rules, at);
            at.is_hand() || *(if right == Right::Put { &spec.put } else { &spec.take }) != Who::Around
        };
        let crosses = |from: &Side, to: Option<&Inside>, right| {
            from.as_ref().is_some_and(|from| self.left(from, to).iter().any(|at| has_border(right, at)))
        };
        if !crosses(from, outside, Right::Take) && !crosses(to, from.as_ref(), Right::Put) {
            return self.may_open(from.as_ref()) && self.may_open(to.as_ref());
        }
        self.may_leave(from.as_ref(), to.as_ref().filter(|_| !to_holder)) && self.may_enter(from.as_ref(), to.as_ref())
    }

    /// What a place stands for, without what is closed to the actor.
    fn sides(&self, at: &At, is_source: bool) -> Vec<Side> {
        let all = match at {
            At::Ground | At::OnGround(_) => return vec![None],
            At::Holder(holder) if is_source => {
                let worn = self.rules.carried(*holder).into_iter().filter(|&index| self.rules.containers[index].worn);
                self.all_targets(at).into_iter().chain(worn.map(Inside::container)).collect()
            }
            at => self.all_targets(at),
        };
        let of_holder = matches!(at, At::Holder(_));
        all.into_iter().filter(|at| !of_holder || self.is_reachable(at)).map(Some).collect()
    }

    fn some_way(&self, from: &[Side], to: &[Side], to_holder: bool) -> bool {
        match (from, to) {
            ([], []) => true,
            (from, []) => from.iter().any(|from| self.may_leave(from.as_ref(), None)),
            ([], to) => to.iter().any(|to| self.may_enter(None, to.as_ref())),
            (from, to) => from.iter().any(|from| to.iter().any(|to| self.may_from_to(from, to, to_holder))),
        }
    }

    /// `not-allowed`, if no way is open to the holder that acts.
    pub(super) fn not_allowed(&self, request: &Request) -> Option<No> {
        let actor = self.actor?;
        let hand = vec![Some(Inside::hand(actor))];
        let between = |from: &At, to: &At| {
            self.some_way(&self.sides(from, true), &self.sides(to, false), matches!(to, At::Holder(_)))
        };
        let some = |sides: Vec<Side>, may: &dyn Fn(&Side) -> bool| sides.is_empty() || sides.iter().any(may);
        let may = match request {
            Request::By(_, inner) => return self.not_allowed(inner),
            Request::Create(_, _, _, to, _) => some(self.sides(to, false), &|to| self.may_enter(None, to.as_ref())),
            Request::Consume(_, _, from) => some(self.sides(from, true), &|from| self.may_leave(from.as_ref(), None)),
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
                let worn: Vec<Side> = worn.map(|index| Some(Inside::container(index))).collect();
                self.some_way(&self.sides(from, true), &worn, false)
            }
            Request::Unequip(_, _, from, to) => between(from, to.as_ref().unwrap_or(&At::Holder(actor))),
            Request::Mark(at, _)
            | Request::Unmark(at, _)
            | Request::Set(at, _, _)
            | Request::Sort(at, _)
            | Request::Resize(at, _, _) => some(self.sides(at, true), &|at| self.may_open(at.as_ref())),
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
            !gives || self.may_from_to(&Some(from.clone()), &Some(to.clone()), false)
        })
    }

    fn may_deposit(&self, actor: usize, into: &At) -> bool {
        let At::Container(into) = into else { return true };
        let own = self.rules.carried(actor).into_iter().filter(|&index| !self.rules.containers[index].worn);
        let own: Vec<Side> = own.map(Inside::container).filter(|at| at != into).map(Some).collect();
        self.sees(into) && self.some_way(&own, &[Some(into.clone())], false)
    }

    /// An earlier reason would tell the actor what it may not see.
    pub(super) fn would_reveal(&self, request: &Request, reason: &str) -> bool {
        let hidden = |at: &At| self.sides(at, true).iter().flatten().any(|at| !self.sees(at));
        match request {
            Request::By(_, inner) => self.would_reveal(inner, reason),
            Request::Split(count, from, _) => *count != 0 && reason == "bad-amount" && hidden(from),
            Request::Set(at @ At::Slot(..), ..) => reason == "unknown" && hidden(at),
            _ => false,
        }
    }
}
