//! A second writing of the operations: plain vectors, linear search, one item at a time. It shares
//! nothing with the library but the words for amounts, so that the two can be held against each
//! other.

mod access;
mod allowed;
mod arranging;
mod blocking;
mod carrying;
mod changing;
mod crafts;
mod deals;
mod departures;
mod faults;
mod hand;
mod placing;
mod reasons;
mod rules;
mod shortcuts;
mod single;
mod state;
mod using;
mod wearing;
mod working;

use std::collections::{BTreeMap, BTreeSet};

pub(crate) use allowed::Who as Access;
pub(crate) use deals::Offer;
use departures::Document;
pub(crate) use departures::Who;
pub(crate) use faults::{Fault, with_fault};
pub(crate) use hypotheke::{Amount, SortKey};
use placing::Bearer;
use reasons::{Portion, in_order};
pub(crate) use rules::{
    Caps, ChangeEffect, ChangeSpec, ContainerSpec, DealSpec, DealTerms, FallSpec, FilterSpec, KindSpec, MeterSpec,
    Names, RecipeSpec, Rules, SlotSpec, Try,
};
pub(crate) use state::{At, Cell, Inside, Job, Owner, Root, Stack, State};

#[derive(Clone, Debug)]
pub(crate) enum Request {
    Create(Amount, usize, Look, At, (i64, i64)),
    Consume(Amount, Option<usize>, At),
    Move(Amount, Option<usize>, At, At),
    Swap(At, At),
    Split(u32, At, At),
    Merge(Amount, At, At),
    Drop(Amount, Option<usize>, At, (i64, i64)),
    PickUp(Amount, Option<usize>, Option<u64>, At),
    Mark(At, usize),
    Unmark(At, usize),
    /// A property and its value.
    Set(At, usize, i64),
    /// The holder that acts comes first.
    Lift(Option<usize>, Part, At),
    Put(Option<usize>, Amount, At),
    Return(Option<usize>, Amount),
    Together(Vec<Request>),
    Equip(Option<usize>, Amount, At),
    Unequip(Option<usize>, Amount, At, Option<At>),
    Sort(At, SortKey),
    /// The number of slots, and whether the contents of removed slots spill.
    Resize(At, usize, bool),
    Open(Option<usize>, At),
    Close(Option<usize>, At),
    Leave(Option<usize>),
    Deposit(Option<usize>, At),
    /// Holder, kind, shortcut.
    Bind(usize, usize, usize),
    Unbind(usize, usize),
    Depart(At),
    Arrive(Who),
    /// A container, and its owner from then on.
    Give(At, Option<usize>),
    /// Amount, kind, and the container.
    Buy(Option<usize>, Amount, usize, At),
    Sell(Option<usize>, Amount, usize, At),
    Trade(Offer, Offer),
    /// How many items of a kind, and from where.
    Use(Option<usize>, Amount, usize, At),
    /// How often, the recipe, and the container.
    /// By a recipe, with one of its yields, from 1 on.
    Craft(Amount, (usize, Option<usize>), At),
    /// The recipe, and the container.
    Cancel(usize, At),
    /// How many ticks.
    Wait(u32),
    /// A holder acts.
    By(usize, Box<Request>),
}

/// Marks, and the values of properties that differ from the kind's.
pub(crate) type Look = (BTreeSet<usize>, BTreeMap<usize, i64>);

/// How much a hand takes.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Part {
    Amount(Amount),
    Half,
}

/// Reason, figures, and how many could go.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(crate) struct No {
    pub(crate) reason: &'static str,
    pub(crate) figures: Option<(i64, i64)>,
    pub(crate) max_amount: u64,
    /// Of several as one: which of them.
    pub(crate) step: Option<usize>,
}

fn no(reason: &'static str) -> No {
    No { reason, figures: None, max_amount: 0, step: None }
}

fn because(reason: &'static str, requested: i64, allowed: i64) -> No {
    No { reason, figures: Some((requested, allowed)), max_amount: 0, step: None }
}

#[derive(Clone, Debug)]
pub(crate) struct Model {
    pub(crate) rules: Rules,
    pub(crate) state: State,
    /// A return ignores `put` and `take`.
    going_back: bool,
    /// Only alike stacks take something.
    only_alike: bool,
    /// Only empty slots take something, and of a container only one.
    only_empty: bool,
    /// Every reason why the latest request was refused, or not all of it went.
    pub(crate) list: Vec<No>,
    /// The number of lists in progress.
    lists: u32,
    /// The state before the outermost list.
    list_start: Option<State>,
    /// Nothing is laid into this one.
    passed_over: Option<Cell>,
    /// Caps are judged in the end.
    caps_later: bool,
    /// `nobody` in the lists of containers does not count.
    passes_nobody: bool,
    /// Before an exchange: what it had a container or a holder may keep.
    earlier: Option<Box<Model>>,
    /// The holder that acts.
    actor: Option<usize>,

    /// Only this number of the container's first slots takes items.
    staying: Option<(Inside, usize)>,
    /// The stacks that were used and stay.
    worn: Vec<u64>,
    /// The stack here leaves whole, and no longer blocks anything.
    leaving: Option<Cell>,
    /// The latest that has departed under each name.
    pub(crate) documents: BTreeMap<Who, Document>,
    /// What departs by the request that is being worked out.
    sent: BTreeMap<Who, Document>,
    /// What was not there when a list began, or has departed in it.
    lost: BTreeSet<Who>,
}

/// Where what is taken goes.
#[derive(Clone, Debug)]
enum Going {
    To(At),
    Out,
    /// It stays and wears.
    Used,
    Nowhere,
}

/// A hand has operations of its own.
fn is_hand_misused(request: &Request) -> bool {
    let hand = |at: &At| matches!(at, At::Slot(inside, _) | At::Container(inside) if inside.is_hand());
    match request {
        Request::Move(_, _, one, other)
        | Request::Swap(one, other)
        | Request::Split(_, one, other)
        | Request::Merge(_, one, other) => hand(one) || hand(other),
        Request::PickUp(.., at) | Request::Lift(_, _, at) | Request::Put(_, _, at) | Request::Equip(_, _, at) => {
            hand(at)
        }
        Request::Unequip(_, _, from, to) => hand(from) || to.as_ref().is_some_and(hand),
        Request::Sort(at, _)
        | Request::Resize(at, _, _)
        | Request::Open(_, at)
        | Request::Close(_, at)
        | Request::Deposit(_, at) => hand(at),
        Request::By(_, inner) => is_hand_misused(inner),
        _ => false,
    }
}

/// The places that a request names.
fn named(request: &Request) -> Vec<&At> {
    match request {
        Request::Create(_, _, _, at, _)
        | Request::Consume(_, _, at)
        | Request::Drop(_, _, at, _)
        | Request::PickUp(_, _, _, at)
        | Request::Mark(at, _)
        | Request::Unmark(at, _)
        | Request::Set(at, _, _)
        | Request::Lift(_, _, at)
        | Request::Put(_, _, at)
        | Request::Equip(_, _, at)
        | Request::Sort(at, _)
        | Request::Resize(at, _, _)
        | Request::Open(_, at)
        | Request::Close(_, at)
        | Request::Deposit(_, at)
        | Request::Give(at, _)
        | Request::Buy(_, _, _, at)
        | Request::Sell(_, _, _, at)
        | Request::Craft(_, _, at)
        | Request::Cancel(_, at)
        | Request::Use(_, _, _, at)
        | Request::Depart(at) => vec![at],
        Request::Move(_, _, one, other)
        | Request::Swap(one, other)
        | Request::Split(_, one, other)
        | Request::Merge(_, one, other) => vec![one, other],
        Request::Unequip(_, _, from, to) => std::iter::once(from).chain(to).collect(),
        Request::By(_, inner) => named(inner),
        _ => Vec::new(),
    }
}

/// The holder whose shortcuts a request names.
fn shortcuts_of(request: &Request) -> Option<usize> {
    match request {
        Request::Bind(holder, ..) | Request::Unbind(holder, _) => Some(*holder),
        Request::By(_, inner) => shortcuts_of(inner),
        _ => None,
    }
}

/// The holder to whom a container is given.
fn recipient(request: &Request) -> Option<usize> {
    match request {
        Request::Give(_, to) => *to,
        Request::By(_, inner) => recipient(inner),
        _ => None,
    }
}

/// The holders that trade.
fn traders(request: &Request) -> Vec<usize> {
    match request {
        Request::Trade(one, other) => vec![one.2, other.2],
        _ => Vec::new(),
    }
}

/// The game's own.
fn is_departure(request: &Request) -> bool {
    match request {
        Request::Depart(_) | Request::Arrive(_) | Request::Trade(..) | Request::Wait(_) => true,
        Request::By(_, inner) => is_departure(inner),
        _ => false,
    }
}

fn actor(request: &Request) -> Option<usize> {
    match request {
        Request::By(holder, _) => Some(*holder),
        Request::Lift(holder, ..)
        | Request::Put(holder, ..)
        | Request::Return(holder, _)
        | Request::Equip(holder, ..)
        | Request::Unequip(holder, ..)
        | Request::Open(holder, _)
        | Request::Close(holder, _)
        | Request::Deposit(holder, _)
        | Request::Buy(holder, ..)
        | Request::Sell(holder, ..)
        | Request::Use(holder, ..)
        | Request::Leave(holder) => *holder,
        _ => None,
    }
}

impl Request {
    /// By a holder, unless it says who acts.
    fn by_default(self, by: Option<usize>) -> Request {
        let Some(holder) = by.filter(|_| actor(&self).is_none()) else { return self };
        match self {
            Request::Lift(_, part, from) => Request::Lift(by, part, from),
            Request::Put(_, amount, to) => Request::Put(by, amount, to),
            Request::Return(_, amount) => Request::Return(by, amount),
            Request::Equip(_, amount, from) => Request::Equip(by, amount, from),
            Request::Unequip(_, amount, from, to) => Request::Unequip(by, amount, from, to),
            Request::Open(_, at) => Request::Open(by, at),
            Request::Close(_, at) => Request::Close(by, at),
            Request::Leave(_) => Request::Leave(by),
            Request::Deposit(_, into) => Request::Deposit(by, into),
            Request::Buy(_, amount, kind, at) => Request::Buy(by, amount, kind, at),
            Request::Sell(_, amount, kind, at) => Request::Sell(by, amount, kind, at),
            Request::Use(_, amount, kind, from) => Request::Use(by, amount, kind, from),
            request => Request::By(holder, Box::new(request)),
        }
    }

    /// It names the holder that acts itself.
    pub(crate) fn is_of_holder(&self) -> bool {
        matches!(
            self,
            Request::Lift(..)
                | Request::Put(..)
                | Request::Return(..)
                | Request::Equip(..)
                | Request::Unequip(..)
                | Request::Open(..)
                | Request::Close(..)
                | Request::Deposit(..)
                | Request::Buy(..)
                | Request::Sell(..)
                | Request::Use(..)
                | Request::Leave(_)
        )
    }

    /// It may make a stack unfit, or exceed a cap.
    pub(crate) fn changes_stacks(&self, rules: &Rules) -> bool {
        match self {
            Request::Mark(..) | Request::Unmark(..) | Request::Set(..) => true,
            Request::Create(..) => !rules.changes.is_empty(),
            Request::Use(_, _, kind, _) => !rules.kinds[*kind].lowers.is_empty(),
            Request::Wait(_) => !rules.falling.is_empty(),
            Request::By(_, inner) => inner.changes_stacks(rules),
            Request::Together(steps) => steps.iter().any(|step| step.changes_stacks(rules)),
            _ => false,
        }
    }
}

impl Model {
    pub(crate) fn new(rules: Rules) -> Model {
        let state = State::new(&rules);
        Model {
            rules,
            state,
            going_back: false,
            only_alike: false,
            only_empty: false,
            list: Vec::new(),
            leaving: None,
            worn: Vec::new(),
            actor: None,
            staying: None,
            lists: 0,
            list_start: None,
            passed_over: None,
            caps_later: false,
            passes_nobody: false,
            earlier: None,
            documents: BTreeMap::new(),
            sent: BTreeMap::new(),
            lost: BTreeSet::new(),
        }
    }

    pub(crate) fn perform(&mut self, request: &Request) -> Result<u64, No> {
        if self.lists == 0 {
            self.sent.clear();
            self.lost.clear();
        }
        let before = self.clone();
        self.caps_later = false;
        self.actor = actor(request);
        self.list.clear();
        if self.names_unseen(request) {
            self.actor = None;
            self.list = vec![no("not-allowed")];
            return Err(no("not-allowed"));
        }
        let closed = self.actor.map_or_else(Vec::new, |actor| self.closed_if_there(actor, request));
        let not_allowed = if self.is_meant(request) { self.not_allowed(request) } else { None };
        let asked = self.clone();
        let mut answer = if !self.is_meant(request) { Err(no("unknown")) } else { self.answer(request) };
        // Not all have more to say than the reason itself.
        if let Err(no) = &answer
            && self.list.first().is_none_or(|first| first.reason != no.reason)
        {
            self.list = vec![no.clone()];
        }
        let described_first = ["unknown", "no-recipe", "no-use", "bad-amount", "overflow"];
        let is_described_first = answer.as_ref().is_err_and(|no| {
            let reveals = not_allowed.is_some() && asked.would_reveal(request, no.reason);
            described_first.contains(&no.reason) && !reveals
        });
        if (!closed.is_empty() || not_allowed.is_some()) && !is_described_first {
            // What would go in part, if it were open, has no reasons. Who may not do it learns no others.
            let list = match (&answer, not_allowed) {
                (_, Some(no)) => vec![no],
                (Ok(_), None) => Vec::new(),
                (Err(_), None) => std::mem::take(&mut self.list),
            };
            answer = Err(self.refuse(closed.into_iter().chain(list).collect(), 0));
        }
        self.list = in_order(std::mem::take(&mut self.list));
        self.actor = None;
        if answer.is_err() {
            let (kept, next_id) = (self.state.clone(), self.state.next_id);
            self.state = before.state;
            if Fault::RefusalCostsAnId.is_on() {
                self.state.next_id = next_id;
            }
            if Fault::ListLeavesItsFirstHalf.is_on() && self.lists == 0 && matches!(request, Request::Together(_)) {
                self.state = kept;
            }
        } else if self.lists == 0 {
            self.change_stacks();
            self.start_automatic();
            self.clear_depleted_shortcuts(&before);
            self.close_what_has_gone();
            self.documents.append(&mut self.sent);
        }
        for holder in 0..self.state.hands.len() {
            let origin = self.state.origins[holder].filter(|(owner, _)| self.state.find_owner(*owner).is_some());
            self.state.origins[holder] = origin.filter(|_| self.state.hands[holder][0].is_some());
        }
        answer
    }

    /// Every named slot exists, and a hand is named only where it is supported.
    fn is_meant(&self, request: &Request) -> bool {
        let there = |at: &At| {
            self.is_place_there(at) && !matches!(at, At::Slot(inside, slot) if *slot >= self.state.slots(inside).len())
        };
        let by_other = |holder| actor(request).is_some_and(|actor| actor != holder);
        if shortcuts_of(request).is_some_and(by_other) || is_departure(request) && actor(request).is_some() {
            return false;
        }
        let holders = actor(request).into_iter().chain(shortcuts_of(request)).chain(recipient(request));
        let holders = holders.chain(traders(request));
        named(request).into_iter().all(there)
            && !is_hand_misused(request)
            && holders.map(Who::Holder).all(|who| self.is_there(who))
    }

    fn closed_if_there(&self, actor: usize, request: &Request) -> Vec<No> {
        if self.is_meant(request) { self.closed(actor, request) } else { Vec::new() }
    }

    fn answer(&mut self, request: &Request) -> Result<u64, No> {
        match request {
            Request::Create(amount, kind, look, to, at) => self.create(*amount, *kind, look, to, *at),
            Request::Consume(amount, kind, from) => self.carry(*amount, *kind, from, &Going::Out, (0, 0), false),
            Request::Move(amount, kind, from, to) => self.relocate(*amount, *kind, from, to),
            Request::Swap(one, other) => self.swap(one, other),
            Request::Split(count, from, to) => self.split(*count, from, to),
            Request::Merge(amount, from, onto) => self.merge(*amount, from, onto),
            Request::Mark(at, mark) => self.change(at, |stack| Ok(stack.marks.insert(*mark))),
            Request::Unmark(at, mark) => self.change(at, |stack| Ok(stack.marks.remove(mark))),
            Request::Set(at, property, value) => self.change(at, |stack| match stack.properties.get_mut(property) {
                Some(known) => Ok(std::mem::replace(known, *value) != *value),
                None => Err(no("unknown")),
            }),
            Request::Drop(amount, kind, from, at) => match from {
                At::Ground | At::OnGround(_) => Err(no("unknown")),
                _ => self.carry(*amount, *kind, from, &Going::To(At::Ground), *at, false),
            },
            Request::PickUp(amount, kind, stack, to) => match to {
                At::Ground | At::OnGround(_) => Err(no("unknown")),
                _ => {
                    let from = stack.map_or(At::Ground, At::OnGround);
                    self.carry(*amount, *kind, &from, &Going::To(to.clone()), (0, 0), true)
                }
            },
            Request::Equip(holder, amount, from) => self.equip(*holder, *amount, from),
            Request::Unequip(holder, amount, from, to) => self.unequip(*holder, *amount, from, to.as_ref()),
            Request::Sort(at, by) => self.sort(at, *by),
            Request::Resize(at, slots, spill) => self.resize(at, *slots, *spill),
            Request::Open(holder, at) => self.open(*holder, at),
            Request::Close(holder, at) => self.close(*holder, at),
            Request::Leave(holder) => self.leave(*holder),
            Request::Deposit(holder, into) => self.deposit(*holder, into),
            Request::Bind(holder, kind, shortcut) => self.bind(*holder, *kind, *shortcut),
            Request::Unbind(holder, shortcut) => self.unbind(*holder, *shortcut),
            Request::Depart(who) => self.depart(who),
            Request::Give(at, to) => self.give_away(at, *to),
            Request::Arrive(who) => self.arrive(*who),
            Request::Buy(holder, amount, kind, at) => self.deal(*holder, true, (*amount, *kind), at),
            Request::Sell(holder, amount, kind, at) => self.deal(*holder, false, (*amount, *kind), at),
            Request::Trade(one, other) => self.trade(*one, *other),
            Request::Use(holder, amount, kind, from) => self.use_items(*holder, *amount, *kind, from),
            Request::Craft(amount, recipe, at) => self.craft(*amount, *recipe, at),
            Request::Cancel(recipe, at) => self.cancel(*recipe, at),
            Request::Wait(ticks) => self.wait(*ticks),
            Request::By(_, inner) => self.answer(inner),
            Request::Together(steps) => self.together(steps),
            Request::Lift(holder, part, from) => self.lift(*holder, *part, from),
            Request::Put(holder, amount, to) => self.put(*holder, *amount, to),
            Request::Return(holder, amount) => self.give_back(*holder, *amount),
        }
    }

    /// What asks for an exact number keeps within caps in the end only.
    fn be_exact(&mut self, exact: bool) {
        self.caps_later = exact && self.lists > 0;
    }

    /// One after the other, then everything that carries more than before is checked.
    fn together(&mut self, steps: &[Request]) -> Result<u64, No> {
        if steps.is_empty() {
            return Err(no("bad-amount"));
        }
        let before = self.clone();
        if self.lists == 0 {
            self.list_start = Some(self.state.clone());
            self.lost = self.absent().into_iter().collect();
        }
        self.lists += 1;
        // A step without an actor has that of the list.
        let actor = self.actor;
        let perform = |(index, step): (usize, &Request)| {
            let here = Some(index);
            self.perform(&step.clone().by_default(actor)).map_err(|no| No { step: here, ..no })
        };
        let counts = steps.iter().enumerate().map(perform).collect::<Result<Vec<u64>, No>>();
        self.lists -= 1;
        if self.lists == 0 {
            self.list_start = None;
        }
        let counts = counts?;
        self.list.clear();
        let worse = if self.lists == 0 { self.all_worse(&before) } else { Vec::new() };
        if worse.is_empty() {
            return Ok(counts.iter().sum());
        }
        // Of several that are over in the end any may be the reason.
        Err(No { figures: None, ..self.refuse(worse, 0) })
    }

    /// A stack of one that does not lie anywhere yet.
    fn new_stack(&self, kind: usize, (marks, changed): &Look) -> Stack {
        let inside = self.rules.kinds[kind].pack.map(|pack| vec![None; self.rules.packs[pack].slots]);
        let mut properties = self.rules.kinds[kind].properties.clone();
        properties.extend(changed);
        Stack { id: 0, kind, marks: marks.clone(), properties, count: 1, inside }
    }

    fn create(&mut self, amount: Amount, kind: usize, look: &Look, to: &At, at: (i64, i64)) -> Result<u64, No> {
        // A kind has the properties that it lists, and no others.
        let is_listed = |property: &usize| self.rules.kinds[kind].properties.contains_key(property);
        if matches!(to, At::OnGround(_)) || !look.1.keys().all(is_listed) {
            return Err(no("unknown"));
        }
        let (requested, exact) = match amount {
            Amount::Exactly(count) if count > 0 => (count, true),
            Amount::UpTo(count) if count > 0 => (count, false),
            _ => return Err(no("bad-amount")),
        };
        self.be_exact(exact);
        let one = self.new_stack(kind, look);
        let before = self.clone();
        let mut done = 0;
        let allowed = requested.min(self.left_in_world(kind));
        if *to == At::Ground {
            while done < allowed && self.free_landings() > 0 {
                let count = (allowed - done).min(self.rules.kinds[kind].limit);
                let id = self.state.new_id();
                self.state.ground.push((Stack { id, count, ..one.clone() }, at));
                done += count;
            }
        }
        while done < allowed {
            let Some((at, slot)) = self.place_for_one(&one, None, to) else { break };
            if let Some(there) = &mut self.state.slots_mut(&at)[slot] {
                there.count += 1;
            } else {
                let id = self.state.new_id();
                self.state.slots_mut(&at)[slot] = Some(Stack { id, ..one.clone() });
            }
            done += 1;
        }
        self.state.made[kind] += u64::from(done);
        let whole = if exact { requested } else { 1 };
        if done < requested {
            let count = i64::from(if done < whole { whole } else { requested });
            let list = before.reasons(&[Portion { stack: one, count, cell: None }], &Going::To(to.clone()));
            if done < whole {
                return Err(self.refuse(list, u64::from(done)));
            }
            self.list = list;
        }
        Ok(u64::from(done))
    }
}
