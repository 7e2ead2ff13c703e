//! Containers and holders that leave the world with all that they have, and come into it.

use std::collections::BTreeMap;

use super::faults::Fault;
use super::state::{At, Inside, Job, Owner, Root, Stack};
use super::{Model, No, no};

#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub(crate) enum Who {
    Container(usize),
    Holder(usize),
}

/// What has departed.
#[derive(Clone, Debug)]
pub(crate) struct Document {
    /// Which departure it was.
    number: u64,
    containers: BTreeMap<usize, Vec<Option<Stack>>>,
    jobs: BTreeMap<usize, Option<Job>>,
    owners: BTreeMap<usize, Option<usize>>,
    hand: Option<Stack>,
    origin: Option<(Owner, usize)>,
    bar: Vec<Option<usize>>,
    meters: BTreeMap<usize, i64>,
}

impl Document {
    fn stacks(&self) -> Vec<&Stack> {
        let held = self.jobs.values().flatten().flat_map(|job| &job.held).map(|(_, stack)| stack);
        self.containers.values().flatten().flatten().chain(&self.hand).chain(held).flat_map(Stack::all).collect()
    }
}

impl Model {
    /// What a way into a container begins with.
    pub(super) fn who(&self, root: Root) -> Option<Who> {
        match root {
            Root::Container(index) => {
                Some(self.rules.containers[index].holder.map_or(Who::Container(index), Who::Holder))
            }
            Root::Hand(holder) => Some(Who::Holder(holder)),
            Root::Landing(_) | Root::Transit => None,
        }
    }

    /// Whether a place, or the acting holder, is present. A departed entity can't be named again in
    /// the same list.
    pub(crate) fn is_there(&self, who: Who) -> bool {
        let there = match who {
            Who::Container(index) => self.state.standing.contains(&index),
            Who::Holder(holder) => self.state.present.contains(&holder),
        };
        there && !(self.lists > 0 && self.lost.contains(&who))
    }

    pub(crate) fn is_place_there(&self, at: &At) -> bool {
        match at {
            At::Slot(inside, _) | At::Container(inside) => self.who(inside.root).is_none_or(|who| self.is_there(who)),
            At::Holder(holder) => self.is_there(Who::Holder(*holder)),
            At::Ground | At::OnGround(_) => true,
        }
    }

    /// All that is not there.
    pub(crate) fn absent(&self) -> Vec<Who> {
        let holders = (0..self.rules.holders.len()).map(Who::Holder);
        self.rules
            .standing()
            .into_iter()
            .map(Who::Container)
            .chain(holders)
            .filter(|who| !self.is_there(*who))
            .collect()
    }

    pub(super) fn depart(&mut self, who: &At) -> Result<u64, No> {
        // What is due happens here, not where it arrives.
        self.change_stacks();
        self.start_automatic();
        let (who, carried) = match who {
            At::Container(Inside { root: Root::Container(index), steps })
                if steps.is_empty() && self.rules.containers[*index].holder.is_none() =>
            {
                (Who::Container(*index), vec![*index])
            }
            At::Holder(holder) => (Who::Holder(*holder), self.rules.carried(*holder)),
            _ => return Err(no("unknown")),
        };
        if let (Who::Holder(holder), Some(start)) = (who, self.list_start.clone()) {
            let before = Model { state: start, ..self.clone() };
            self.clear_depleted_shortcuts_of(holder, &before);
        }
        let document = self.document(who, &carried);
        for stack in document.stacks() {
            self.state.went[stack.kind] += u64::from(stack.count);
        }
        self.clear_away(who, &carried, &document);
        self.state.departures += 1;
        let count = document.stacks().iter().map(|stack| u64::from(stack.count)).sum();
        self.lost.insert(who);
        self.sent.insert(who, document);
        Ok(count)
    }

    fn document(&self, who: Who, carried: &[usize]) -> Document {
        let mut document = Document {
            number: self.state.departures,
            containers: carried.iter().map(|&index| (index, self.state.slots[index].clone())).collect(),
            jobs: carried.iter().map(|&index| (index, self.state.jobs[index].clone())).collect(),
            owners: carried.iter().map(|&index| (index, self.state.owners[index])).collect(),
            hand: None,
            origin: None,
            bar: Vec::new(),
            meters: BTreeMap::new(),
        };
        if let Who::Holder(holder) = who {
            document.hand.clone_from(&self.state.hands[holder][0]);
            document.bar.clone_from(&self.state.bars[holder]);
            document.meters.clone_from(&self.state.meters[holder]);
            // An origin outside the departing entity is cleared.
            document.origin = self.state.origins[holder].filter(|(owner, _)| match owner {
                Owner::Container(index) => carried.contains(index),
                Owner::Pack(id) => document.stacks().iter().any(|stack| stack.id == *id),
            });
        }
        if Fault::HandStaysBehind.is_on() {
            document.hand = None;
        }
        document
    }

    fn clear_away(&mut self, who: Who, carried: &[usize], document: &Document) {
        for &index in carried {
            self.state.slots[index] = vec![None; self.rules.containers[index].slots];
            self.state.owners[index] = self.rules.containers[index].owner;
            self.state.jobs[index] = None;
            self.state.gone.insert(index);
        }
        let packs: Vec<u64> = document.stacks().iter().map(|stack| stack.id).collect();
        self.state.open.retain(|(holder, owner)| {
            let owner_left = match owner {
                Owner::Container(index) => carried.contains(index),
                Owner::Pack(id) => packs.contains(id),
            };
            !owner_left && who != Who::Holder(*holder)
        });
        match who {
            Who::Container(index) => self.state.standing.retain(|known| *known != index),
            Who::Holder(holder) => {
                self.state.present.retain(|known| *known != holder);
                self.state.hands[holder][0] = None;
                self.state.origins[holder] = None;
                self.state.bars[holder].fill(None);
                self.state.meters[holder].clear();
            }
        }
    }

    /// The latest that has departed under a name.
    pub(super) fn arrive(&mut self, who: Who) -> Result<u64, No> {
        let Some(document) = self.documents.get(&who).cloned() else { return Err(no("unknown")) };
        let latest = self.state.arrivals.get(&who).copied();
        if latest.is_some_and(|latest| document.number <= latest) && !Fault::DepartureArrivesTwice.is_on() {
            return Err(no("stale"));
        }
        let is_there = match who {
            Who::Container(index) => self.state.standing.contains(&index),
            Who::Holder(holder) => self.state.present.contains(&holder),
        };
        if is_there {
            return Err(no("unknown"));
        }
        if self.lists == 0 {
            let number = |kind: usize| -> i64 {
                let of_kind = document.stacks().into_iter().filter(|stack| stack.kind == kind).collect::<Vec<_>>();
                of_kind.iter().map(|stack| i64::from(stack.count)).sum()
            };
            if let Some(no) = (0..self.rules.kinds.len()).find_map(|kind| self.too_many(kind, number(kind))) {
                return Err(no);
            }
        }
        for stack in document.stacks() {
            self.state.came[stack.kind] += u64::from(stack.count);
        }
        for (index, slots) in &document.containers {
            self.state.slots[*index].clone_from(slots);
            self.state.owners[*index] = document.owners[index];
            self.state.jobs[*index].clone_from(&document.jobs[index]);
            self.state.gone.remove(index);
        }
        match who {
            Who::Container(index) => self.state.standing.push(index),
            Who::Holder(holder) => {
                self.state.present.push(holder);
                self.state.hands[holder][0].clone_from(&document.hand);
                self.state.origins[holder] = document.origin;
                self.state.bars[holder].clone_from(&document.bar);
                self.state.meters[holder].clone_from(&document.meters);
            }
        }
        self.state.arrivals.insert(who, document.number);
        Ok(document.stacks().iter().map(|stack| u64::from(stack.count)).sum())
    }
}
