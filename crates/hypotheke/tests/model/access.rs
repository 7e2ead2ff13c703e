//! What a holder that acts must have opened, and what others use.

use super::faults::Fault;
use super::state::{At, Inside, Owner};
use super::{Model, No, Request, no};

impl Model {
    /// Why the holder that acts can't do what it asks for, looking only at what is open to it.
    pub(super) fn closed(&self, actor: usize, request: &Request) -> Vec<No> {
        let till;
        let (from, to): (Vec<&At>, Vec<&At>) = match request {
            Request::Create(_, _, _, to, _) | Request::PickUp(_, _, _, to) | Request::Put(_, _, to) => {
                (vec![], vec![to])
            }
            Request::Consume(_, _, from)
            | Request::Use(_, _, _, from)
            | Request::Drop(_, _, from, _)
            | Request::Lift(_, _, from)
            | Request::Equip(_, _, from)
            | Request::Mark(from, _)
            | Request::Unmark(from, _)
            | Request::Set(from, _, _)
            | Request::Sort(from, _)
            | Request::Resize(from, _, _) => (vec![from], vec![]),
            Request::Move(_, _, from, to)
            | Request::Split(_, from, to)
            | Request::Merge(_, from, to)
            | Request::Swap(from, to) => (vec![from], vec![to]),
            Request::Unequip(_, _, from, to) => (vec![from], to.iter().collect()),
            Request::Craft(_, _, at) | Request::Cancel(_, at) => (vec![at], vec![]),
            Request::Deposit(_, into) => (vec![], vec![into]),
            Request::Depart(who @ At::Container(_)) => (vec![who], vec![]),
            Request::Buy(_, _, kind, at) | Request::Sell(_, _, kind, at) => {
                till = self.till_of(matches!(request, Request::Buy(..)), *kind, at);
                (std::iter::once(at).chain(&till).collect(), vec![])
            }
            Request::By(_, inner) => return self.closed(actor, inner),
            _ => (vec![], vec![]),
        };
        let worn_too = |at: &At| match at {
            At::Holder(holder) => {
                let worn = self.rules.carried(*holder).into_iter().filter(|&index| self.rules.containers[index].worn);
                self.all_targets(at).into_iter().chain(worn.map(Inside::container)).collect()
            }
            at => self.all_targets(at),
        };
        let named: Vec<Vec<Inside>> =
            from.into_iter().map(worn_too).chain(to.into_iter().map(|at| self.all_targets(at))).collect();
        let shut = |why: &dyn Fn(&Inside) -> bool| {
            named.iter().any(|containers| !containers.is_empty() && containers.iter().all(why))
        };
        let not_open = shut(&|at| self.is_shut(actor, at)).then(|| no("not-open"));
        let in_use = shut(&|at| self.is_used(actor, at)).then(|| no("in-use"));
        not_open.into_iter().chain(in_use).collect()
    }

    pub(super) fn is_reachable(&self, at: &Inside) -> bool {
        self.actor.is_none_or(|actor| !self.is_shut(actor, at) && !self.is_used(actor, at))
    }

    fn is_own(&self, actor: usize, at: &Inside) -> bool {
        self.state.holder(&self.rules, at) == Some(actor)
    }

    /// It, or one around it, should be opened first.
    fn is_shut(&self, actor: usize, at: &Inside) -> bool {
        let shut = |around: &Inside| {
            self.state.spec(&self.rules, around).must_open && !self.has_open(actor, self.state.owner(around))
        };
        !self.is_own(actor, at) && at.chain().iter().filter(|around| !around.is_hand()).any(shut)
    }

    fn is_used(&self, actor: usize, at: &Inside) -> bool {
        let used = |around: &Inside| {
            let owner = self.state.owner(around);
            let exclusive = self.state.spec(&self.rules, around).exclusive;
            exclusive
                && !Fault::ExclusiveForgotten.is_on()
                && (0..self.state.hands.len()).any(|other| other != actor && self.has_open(other, owner))
        };
        !self.is_own(actor, at) && at.chain().iter().filter(|around| !around.is_hand()).any(used)
    }

    fn has_open(&self, holder: usize, owner: Owner) -> bool {
        self.state.open.contains(&(holder, owner))
    }

    pub(super) fn open(&mut self, holder: Option<usize>, at: &At) -> Result<u64, No> {
        let (Some(holder), At::Container(at)) = (holder, at) else { return Err(no("unknown")) };
        let owner = self.state.owner(at);
        let may = self.may_open(Some(at));
        if self.is_own(holder, at) && may || self.has_open(holder, owner) {
            return Ok(0);
        }
        let around = at.chain().get(1).is_some_and(|around| !around.is_hand() && self.is_shut(holder, around));
        let reasons = [("not-open", around), ("in-use", self.is_used(holder, at)), ("not-allowed", !may)];
        let reasons: Vec<No> =
            reasons.into_iter().filter(|(_, stands)| *stands).map(|(reason, _)| no(reason)).collect();
        if !reasons.is_empty() {
            return Err(self.refuse(reasons, 0));
        }
        self.state.open.insert((holder, owner));
        Ok(0)
    }

    pub(super) fn close(&mut self, holder: Option<usize>, at: &At) -> Result<u64, No> {
        let (Some(holder), At::Container(at)) = (holder, at) else { return Err(no("unknown")) };
        if Fault::HandEmptiedOnClosing.is_on() {
            self.state.hands[holder][0] = None;
        }
        let was_open = self.state.open.remove(&(holder, self.state.owner(at)));
        if was_open { Ok(0) } else { Err(no("not-open")) }
    }

    pub(super) fn leave(&mut self, holder: Option<usize>) -> Result<u64, No> {
        let Some(holder) = holder else { return Err(no("unknown")) };
        let before = self.state.clone();
        if self.give_back(Some(holder), super::Amount::All).is_err() {
            self.state = before;
            self.list.clear();
        }
        self.state.open.retain(|(opener, _)| *opener != holder);
        Ok(0)
    }

    /// A removed container is not open.
    pub(super) fn close_what_has_gone(&mut self) {
        let gone: Vec<_> =
            self.state.open.iter().copied().filter(|(_, owner)| self.state.find_owner(*owner).is_none()).collect();
        for entry in gone {
            self.state.open.remove(&entry);
        }
    }
}
