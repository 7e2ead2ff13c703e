//! What a place takes of a stack, one item after the other, and why not more.

use super::allowed::{Said, side_of};
use super::faults::Fault;
use super::reasons::in_order;
use super::rules::{Caps, FilterSpec};
use super::state::{At, Cell, Inside, Stack};
use super::{Model, No, Who, because, no};

/// What has limits of its own.
#[derive(Clone, Debug, PartialEq)]
pub(super) enum Bearer {
    Container(Inside),
    Holder(usize),
}

impl Model {
    fn limit(&self, kind: usize, at: &Inside, slot: usize) -> u32 {
        let spec = self.state.spec(&self.rules, at);
        let own = self.rules.kinds[kind].limit.min(spec.limit.unwrap_or(u32::MAX));
        if Fault::SlotLimitForgotten.is_on() {
            return own;
        }
        own.min(spec.ruled.get(slot).and_then(|rule| rule.limit).unwrap_or(u32::MAX))
    }

    /// The most of a kind that a slot holds.
    pub(crate) fn slot_limit(&self, kind: usize, at: &Inside, slot: usize) -> i64 {
        i64::from(self.limit(kind, at, slot))
    }

    /// A stack may be over the limit where it lies: whole it goes where it is no further over.
    pub(crate) fn is_no_further_over(&self, stack: &Stack, from: &Cell, at: &Inside, slot: usize) -> bool {
        let count = i64::from(stack.count);
        let over = |limit: i64| (count - limit).max(0);
        let there = match from {
            Cell::Slot(at, slot) => self.slot_limit(stack.kind, at, *slot),
            Cell::Ground(_) => i64::from(self.rules.kinds[stack.kind].limit),
        };
        over(self.slot_limit(stack.kind, at, slot)) <= over(there)
    }

    fn holder(&self, at: &Inside) -> Option<usize> {
        self.state.holder(&self.rules, at)
    }

    fn holder_of_cell(&self, cell: Option<&Cell>) -> Option<usize> {
        self.holder(cell?.container()?)
    }

    /// All that a holder bears: its containers and its hand.
    fn borne_by(&self, holder: usize) -> Vec<Inside> {
        self.rules.carried(holder).into_iter().map(Inside::container).chain([Inside::hand(holder)]).collect()
    }

    pub(crate) fn holder_weight(&self, holder: usize) -> i64 {
        let borne = self.borne_by(holder).into_iter();
        let borne: Vec<Inside> = borne.filter(|at| !at.is_hand() || !Fault::HandWeighsNothing.is_on()).collect();
        borne.iter().map(|at| self.state.weight(&self.rules, at)).sum()
    }

    fn holder_counted(&self, holder: usize, filter: &FilterSpec) -> i64 {
        self.borne_by(holder).iter().map(|at| self.state.counted(&self.rules, at, filter)).sum()
    }

    pub(crate) fn slot_admits(&self, at: &Inside, slot: usize, stack: &Stack) -> bool {
        let rule = self.state.spec(&self.rules, at).ruled.get(slot);
        rule.is_none_or(|rule| self.rules.admits(rule.filter.as_ref(), stack))
    }

    /// The containers that a stack newly enters, from the inside out.
    fn entered(&self, source: Option<&Cell>, at: &Inside) -> Vec<Inside> {
        let from = source.and_then(Cell::container);
        if Fault::WeightNotGivenBack.is_on() && from != Some(at) {
            return at.chain();
        }
        at.chain().into_iter().filter(|around| !from.is_some_and(|from| from.is_within(around))).collect()
    }

    /// The reason why a container takes none of it, whatever its contents.
    pub(crate) fn no_entry(&self, stack: &Stack, source: Option<&Cell>, at: &Inside) -> Option<No> {
        // A slot decides for itself.
        self.all_no_entry(stack, source, at, Some(usize::MAX)).into_iter().next()
    }

    pub(super) fn all_no_entry(
        &self,
        stack: &Stack,
        source: Option<&Cell>,
        at: &Inside,
        slot: Option<usize>,
    ) -> Vec<No> {
        let to = Some((at.clone(), slot));
        let spec = |inside: &Inside| self.state.spec(&self.rules, inside);
        let entered = self.entered(source, at);
        // What the game creates crosses no border.
        let border = (source.is_some() || self.actor.is_some()) && !Fault::BorderForgotten.is_on();
        let said = self.entering(&side_of(source), &to);
        let closed = border && !self.going_back && said.contains(&Said::NobodyMay);
        let is_for_others = !self.going_back && said.contains(&Said::OthersMay);
        let direct = source.and_then(Cell::container) != Some(at);
        let own = direct && !self.rules.admits(spec(at).filter.as_ref(), stack);
        let all_admitted = |inside: &Inside| {
            stack.all().into_iter().all(|stack| self.rules.admits(spec(inside).filter.as_ref(), stack))
        };
        let deep = !Fault::DeepFilterForgotten.is_on()
            && entered.iter().any(|inside| spec(inside).deep && !all_admitted(inside));
        let refused = (own || deep).then(|| no("not-admitted"));
        let others = is_for_others.then(|| no("not-allowed"));
        others.into_iter().chain(closed.then(|| no("no-put"))).chain(refused).collect()
    }

    /// A pack is not inside itself, and not deeper than allowed or before.
    pub(crate) fn no_nesting(&self, stack: &Stack, source: Option<&Cell>, at: &Inside) -> Option<No> {
        stack.inside.as_ref()?;
        if Fault::PackInsideItself.is_on() {
            return None;
        }
        if let Some(Cell::Slot(from, slot)) = source
            && at.is_within(&from.step(*slot))
        {
            return Some(no("inside-itself"));
        }
        if let Some(Cell::Ground(id)) = source
            && at.root == super::state::Root::Landing(*id)
        {
            return Some(no("inside-itself"));
        }
        let depth = |at: &Inside| at.depth() + stack.height();
        let before = source.map_or(0, |source| source.container().map_or(stack.height(), depth));
        let would = depth(at);
        (!Fault::NestingUnlimited.is_on() && would > self.rules.nesting && would > before)
            .then(|| because("too-deep", would * 1_000, self.rules.nesting * 1_000))
    }

    /// Everything that newly carries items moving from the source to a container.
    pub(super) fn new_bearers(&self, source: Option<&Cell>, at: &Inside) -> Vec<Bearer> {
        let mut bearers: Vec<Bearer> = self.entered(source, at).into_iter().map(Bearer::Container).collect();
        let holder = self.holder(at).filter(|holder| self.holder_of_cell(source) != Some(*holder));
        bearers.extend(holder.map(Bearer::Holder));
        bearers
    }

    pub(super) fn caps(&self, bearer: &Bearer) -> &Caps {
        match bearer {
            Bearer::Container(at) => &self.state.spec(&self.rules, at).caps,
            Bearer::Holder(holder) => &self.rules.holders[*holder].1,
        }
    }

    pub(super) fn counted(&self, bearer: &Bearer, filter: &FilterSpec) -> i64 {
        match bearer {
            Bearer::Container(at) => self.state.counted(&self.rules, at, filter),
            Bearer::Holder(holder) => self.holder_counted(*holder, filter),
        }
    }

    pub(super) fn weight_and_cap(&self, bearer: &Bearer) -> (i64, Option<i64>) {
        match bearer {
            Bearer::Container(at) => (self.state.weight(&self.rules, at), self.state.spec(&self.rules, at).cap),
            Bearer::Holder(holder) => (self.holder_weight(*holder), self.rules.holders[*holder].0),
        }
    }

    /// How many there were before an exchange: that number may stay.
    pub(super) fn counted_earlier(&self, bearer: &Bearer, filter: &FilterSpec) -> i64 {
        self.earlier.as_ref().map_or(i64::MIN, |earlier| earlier.counted(bearer, filter))
    }

    pub(super) fn weight_earlier(&self, bearer: &Bearer) -> i64 {
        self.earlier.as_ref().map_or(i64::MIN, |earlier| earlier.weight_and_cap(bearer).0)
    }

    /// The first cap, then the first weight cap, that `requested` times what `one` is would pass.
    pub(crate) fn too_much(&self, one: &Stack, source: Option<&Cell>, at: &Inside, requested: i64) -> Option<No> {
        if self.caps_later {
            return None;
        }
        let bearers = self.new_bearers(source, at);
        for bearer in &bearers {
            for (filter, most) in self.caps(bearer) {
                if Fault::CapsForgotten.is_on() {
                    continue;
                }
                let gain = one.counted(&self.rules, filter) * requested;
                let would = self.counted(bearer, filter) + gain;
                if gain > 0 && would > i64::from(*most).max(self.counted_earlier(bearer, filter)) {
                    return Some(because("cap", would * 1_000, i64::from(*most) * 1_000));
                }
            }
        }
        let added = one.weight(&self.rules) * requested;
        bearers.iter().find_map(|bearer| {
            let (now, cap) = self.weight_and_cap(bearer);
            let cap = cap.filter(|&cap| added > 0 && now + added > cap.max(self.weight_earlier(bearer)))?;
            Some(because("weight-cap", now + added, cap))
        })
    }

    /// How many of a kind are anywhere.
    pub(super) fn count_in_world(&self, kind: usize) -> i64 {
        let in_slots = self.state.slots.iter().chain(&self.state.hands).flatten().flatten();
        let others = self.state.ground.iter().map(|(stack, _)| stack).chain(self.state.all_held());
        let all = in_slots.chain(others).flat_map(Stack::all);
        all.filter(|stack| stack.kind == kind).map(|stack| i64::from(stack.count)).sum()
    }

    pub(super) fn left_in_world(&self, kind: usize) -> u32 {
        match self.rules.kinds[kind].most {
            Some(most) if !self.caps_later && !Fault::WorldHasNoMost.is_on() => {
                u32::try_from((i64::from(most) - self.count_in_world(kind)).max(0)).unwrap()
            }
            _ => u32::MAX,
        }
    }

    /// Why more of a kind may not come into the world.
    pub(super) fn too_many(&self, kind: usize, more: i64) -> Option<No> {
        let most = i64::from(self.rules.kinds[kind].most?);
        let would = self.count_in_world(kind) + more;
        let excess = self.earlier.as_ref().map_or(i64::MIN, |earlier| earlier.count_in_world(kind));
        (more > 0 && would > most.max(excess) && !Fault::WorldHasNoMost.is_on())
            .then(|| because("cap", would * 1_000, most * 1_000))
    }

    /// The caps, then the weight caps, that are worse than they were and not kept, wherever it may
    /// be.
    pub(super) fn all_worse(&self, before: &Model) -> Vec<No> {
        let holders = (0..self.rules.holders.len()).map(Bearer::Holder);
        let owners = self.state.containers().into_iter().map(|at| (self.state.owner(&at), at));
        let mut found: Vec<No> = Vec::new();
        let mut look = |bearer: &Bearer, was: Option<&Bearer>| {
            for (filter, most) in self.caps(bearer) {
                let was = was.map_or(0, |was| before.counted(was, filter));
                let is = self.counted(bearer, filter);
                if is > was && is > i64::from(*most) {
                    found.push(because("cap", is * 1_000, i64::from(*most) * 1_000));
                }
            }
            let was = was.map_or(0, |was| before.weight_and_cap(was).0);
            let (is, cap) = self.weight_and_cap(bearer);
            if let Some(cap) = cap.filter(|&cap| is > was && is > cap) {
                found.push(because("weight-cap", is, cap));
            }
        };
        for (owner, at) in owners {
            // What has arrived is taken as it is.
            if self.who(at.root).is_some_and(|who| self.lost.contains(&who)) {
                continue;
            }
            // The contents of a moved pack are compared with its earlier contents.
            let was = before.state.find_owner(owner).map(Bearer::Container);
            look(&Bearer::Container(at), was.as_ref());
        }
        let holders =
            holders.filter(|holder| !matches!(holder, Bearer::Holder(it) if self.lost.contains(&Who::Holder(*it))));
        holders.for_each(|holder| look(&holder, Some(&holder)));
        for kind in 0..self.rules.kinds.len() {
            let more = self.count_in_world(kind) - before.count_in_world(kind);
            found.extend(before.too_many(kind, more));
        }
        in_order(found)
    }

    /// The caps and weight caps that are worse than they were and not kept; looked at from two
    /// containers.
    pub(crate) fn worse(&self, before: &Model, ways: [(&Inside, &Inside); 2]) -> Vec<No> {
        let bearers = |(from, to): (&Inside, &Inside)| before.new_bearers(Some(&Cell::Slot(from.clone(), 0)), to);
        let mut found = Vec::new();
        for bearer in ways.into_iter().flat_map(bearers) {
            for (filter, most) in before.caps(&bearer) {
                let (was, is) = (before.counted(&bearer, filter), self.counted(&bearer, filter));
                if is > was && is > i64::from(*most) {
                    found.push(because("cap", is * 1_000, i64::from(*most) * 1_000));
                }
            }
            let ((was, cap), (is, _)) = (before.weight_and_cap(&bearer), self.weight_and_cap(&bearer));
            let cap = cap.filter(|&cap| is > was && is > cap);
            found.extend(cap.map(|cap| because("weight-cap", is, cap)));
        }
        found
    }

    /// The containers that a target stands for.
    pub(crate) fn targets(&self, to: &At) -> Vec<Inside> {
        let mut targets = self.all_targets(to);
        if matches!(to, At::Holder(_)) {
            targets.retain(|at| self.is_reachable(at));
        }
        targets
    }

    /// The same, be they open to the holder that acts or not.
    pub(crate) fn all_targets(&self, to: &At) -> Vec<Inside> {
        match to {
            At::Slot(at, _) | At::Container(at) => vec![at.clone()],
            At::Holder(holder) => {
                let mut targets = Vec::new();
                for index in self.rules.carried(*holder) {
                    let at = Inside::container(index);
                    if !self.rules.containers[index].worn {
                        targets.push(at);
                        continue;
                    }
                    let worn = self.state.slots(&at).iter().enumerate();
                    let packs = worn.filter(|(_, stack)| stack.as_ref().is_some_and(|stack| stack.inside.is_some()));
                    targets.extend(packs.map(|(slot, _)| at.step(slot)));
                }
                targets
            }
            At::Ground | At::OnGround(_) => Vec::new(),
        }
    }

    /// Where the next single item would go.
    pub(crate) fn place_for_one(&self, one: &Stack, source: Option<&Cell>, to: &At) -> Option<(Inside, usize)> {
        for at in self.targets(to) {
            let refused = || self.no_entry(one, source, &at).is_some() || self.no_nesting(one, source, &at).is_some();
            if refused() || self.too_much(one, source, &at, 1).is_some() {
                continue;
            }
            let only = if let At::Slot(_, only) = to { Some(*only) } else { None };
            if let Some(slot) = self.slot_for_one(one, source, &at, only) {
                return Some((at, slot));
            }
        }
        None
    }

    /// The slot of a container into which the next single item would go, whatever it weighs.
    pub(super) fn slot_for_one(
        &self,
        one: &Stack,
        source: Option<&Cell>,
        at: &Inside,
        only: Option<usize>,
    ) -> Option<usize> {
        let lawful = |slot: &usize| {
            only.is_none_or(|only| only == *slot)
                && source != Some(&Cell::Slot(at.clone(), *slot))
                && self.slot_admits(at, *slot, one)
                && self.slot_lets_in(source, at, *slot)
                && !self.is_blocked(one, at, *slot)
                && !self.staying.as_ref().is_some_and(|(of, least)| of == at && slot >= least)
                && self.passed_over != Some(Cell::Slot(at.clone(), *slot))
        };
        let slots = self.state.slots(at);
        let free = |slot: &usize| match &slots[*slot] {
            None => false,
            Some(there) => one.can_stack_with(there) && there.count < self.limit(one.kind, at, *slot),
        };
        let alike = |slot: &usize| slots[*slot].as_ref().is_some_and(|there| one.can_stack_with(there));
        let first_alike = (0..slots.len()).filter(lawful).find(alike);
        if Fault::SearchStopsAtAFullStack.is_on() && first_alike.is_some_and(|slot| !free(&slot)) {
            return None;
        }
        // What was just laid has no id yet.
        let is_new = |slot: &usize| slots[*slot].as_ref().is_some_and(|there| there.id == u64::MAX);
        if let Some(slot) = (0..slots.len()).find(is_new).filter(|_| self.only_empty) {
            return Some(slot).filter(free);
        }
        let onto = (0..slots.len()).filter(|_| !self.only_empty).filter(lawful).find(free);
        let empty = || {
            let order = self.order_of_slots(at).into_iter().filter(|_| !self.only_alike);
            order.filter(lawful).find(|&slot| slots[slot].is_none())
        };
        onto.or_else(empty)
    }

    /// The order in which empty slots are filled.
    pub(super) fn order_of_slots(&self, at: &Inside) -> Vec<usize> {
        let spec = self.state.spec(&self.rules, at);
        let mut order: Vec<usize> = (0..self.state.slots(at).len()).collect();
        if Fault::LastSlotSkipped.is_on() && order.len() > 1 {
            order.pop();
        }
        if spec.reserved_first && !Fault::ReservedNotFirst.is_on() {
            order.sort_by_key(|&slot| spec.ruled.get(slot).is_none_or(|rule| rule.filter.is_none()));
        }
        order
    }

    /// It would not be admitted even if all slots were empty.
    pub(crate) fn not_admitted(&self, one: &Stack, source: Option<&Cell>, at: &Inside) -> Option<No> {
        self.no_entry(one, source, at).or_else(|| self.no_slot_admits(one, at))
    }

    pub(super) fn no_slot_admits(&self, one: &Stack, at: &Inside) -> Option<No> {
        let slots = self.state.slots(at).len();
        (!(0..slots).any(|slot| self.slot_admits(at, slot, one))).then(|| no("not-admitted"))
    }
}
