//! The model in plain Rust, as one would write it for a checker of states: two containers of four
//! slots, a ground of three.

/// How many of each kind fit a slot.
pub(crate) const LIMITS: [u8; 3] = [1, 2, 4];
/// Slots of both containers.
pub(crate) const SLOTS: usize = 8;
/// Stacks on the ground at most.
pub(crate) const GROUND: usize = 3;

#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
pub(crate) struct Stack {
    pub(crate) kind: usize,
    pub(crate) count: u8,
}

#[derive(Clone, Debug, PartialEq, Eq, Hash)]
pub(crate) struct Model {
    pub(crate) depot: Vec<Option<Stack>>,
    pub(crate) sled: Vec<Option<Stack>>,
    pub(crate) ground: Vec<Stack>,
}

#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Step {
    Move { from: usize, to: usize, count: u8 },
    Swap { one: usize, other: usize },
    Drop { from: usize, count: u8 },
    PickUp { from: usize, to: usize, count: u8 },
}

/// One, half and all, and as much as there is room for.
fn amounts(count: u8, room: u8) -> impl Iterator<Item = u8> {
    let most = count.min(room);
    let shares = [1, count.div_ceil(2), count];
    let fewer = shares.into_iter().enumerate().filter(move |&(at, it)| it < most && !shares[..at].contains(&it));
    fewer.map(|(_, it)| it).chain((most > 0).then_some(most))
}

impl Model {
    pub(crate) fn start() -> Model {
        let stack = |kind, count| Some(Stack { kind, count });
        Model {
            depot: vec![stack(0, 1), stack(0, 1), stack(1, 1), stack(1, 1)],
            sled: vec![stack(2, 4), stack(2, 1), None, None],
            ground: Vec::new(),
        }
    }

    fn slot(&self, slot: usize) -> Option<Stack> {
        if slot < 4 { self.depot[slot] } else { self.sled[slot - 4] }
    }

    fn set(&mut self, slot: usize, stack: Option<Stack>) {
        if slot < 4 {
            self.depot[slot] = stack;
        } else {
            self.sled[slot - 4] = stack;
        }
    }

    /// The number of a kind that a slot takes; `None` if it has a different kind.
    fn room(&self, slot: usize, kind: usize) -> Option<u8> {
        match self.slot(slot) {
            None => Some(LIMITS[kind]),
            Some(there) if there.kind == kind => Some(LIMITS[kind] - there.count),
            Some(_) => None,
        }
    }

    pub(crate) fn steps(&self, steps: &mut Vec<Step>) {
        for from in 0..SLOTS {
            let Some(stack) = self.slot(from) else { continue };
            for to in (0..SLOTS).filter(|to| *to != from) {
                if let Some(room) = self.room(to, stack.kind) {
                    steps.extend(amounts(stack.count, room).map(|count| Step::Move { from, to, count }));
                }
                if self.slot(to).is_none() || from < to {
                    steps.push(Step::Swap { one: from, other: to });
                }
            }
            // Both change nothing, and a claim may forbid them all the same.
            steps.push(Step::Move { from, to: from, count: stack.count });
            steps.push(Step::Swap { one: from, other: from });
            steps.extend(amounts(stack.count, stack.count).map(|count| Step::Drop { from, count }));
        }
        for (from, stack) in self.ground.iter().enumerate() {
            for to in 0..SLOTS {
                let room = self.room(to, stack.kind).unwrap_or(0);
                steps.extend(amounts(stack.count, room).map(|count| Step::PickUp { from, to, count }));
            }
        }
    }

    fn take(&mut self, from: usize, count: u8) -> Option<Stack> {
        let there = self.slot(from)?;
        let rest = there.count - count;
        self.set(from, (rest > 0).then_some(Stack { count: rest, ..there }));
        Some(Stack { count, ..there })
    }

    fn put(&mut self, to: usize, stack: Stack) {
        let there = self.slot(to).map_or(0, |there| there.count);
        self.set(to, Some(Stack { count: there + stack.count, ..stack }));
    }

    pub(crate) fn after(&self, step: Step) -> Option<Model> {
        let mut next = self.clone();
        match step {
            Step::Move { from, to, count } => {
                let stack = next.take(from, count)?;
                next.put(to, stack);
            }
            Step::Swap { one, other } => {
                let (first, second) = (next.slot(one), next.slot(other));
                next.set(one, second);
                next.set(other, first);
            }
            Step::Drop { from, count } => {
                if next.ground.len() == GROUND {
                    return None;
                }
                let stack = next.take(from, count)?;
                next.ground.push(stack);
            }
            Step::PickUp { from, to, count } => {
                let stack = next.ground[from];
                next.put(to, Stack { count, ..stack });
                if count == stack.count {
                    next.ground.remove(from);
                } else {
                    next.ground[from].count -= count;
                }
            }
        }
        Some(next)
    }

    /// The law: nothing is lost or duplicated, and no slot is too full.
    pub(crate) fn is_lawful(&self) -> bool {
        let slots = || self.depot.iter().chain(&self.sled).flatten();
        let all = || slots().chain(&self.ground);
        let count = |kind| all().filter(|stack| stack.kind == kind).map(|stack| stack.count).sum::<u8>();
        [count(0), count(1), count(2)] == [2, 2, 5] && slots().all(|stack| stack.count <= LIMITS[stack.kind])
    }
}
