//! Recipes: the inputs leave, then the outputs come in, as a list of operations: of the game at a
//! container, of the holder with its own items.

use super::faults::Fault;
use super::reasons::{Portion, in_order};
use super::state::{At, Cell, Inside, Root, Stack};
use super::{Access, Amount, Going, Look, Model, No, RecipeSpec, because, no};

impl Model {
    pub(super) fn is_here(&self, recipe: usize, at: &At) -> bool {
        let spec = &self.rules.recipes[recipe];
        match at {
            At::Container(Inside { root: Root::Container(index), steps }) if steps.is_empty() => {
                spec.at.contains(index)
            }
            At::Container(inside) => {
                self.state.pack_number(&self.rules, inside).is_some_and(|pack| spec.in_packs.contains(&pack))
            }
            _ => spec.at.is_empty() && spec.in_packs.is_empty(),
        }
    }

    pub(super) fn may_craft(&self, recipe: usize, at: &At) -> bool {
        if !self.is_here(recipe, at) || Fault::AnyoneCrafts.is_on() {
            return true;
        }
        let by = &self.rules.recipes[recipe].by;
        match (at, by, self.actor) {
            (At::Container(inside), _, _) => self.is_among(by, inside),
            (_, Access::Listed { owner, holders, groups }, Some(actor)) => {
                let in_group = groups.iter().any(|group| self.rules.groups[actor].contains(group));
                // A holder owns what it has.
                *owner || holders.contains(&actor) || in_group
            }
            (_, Access::Nobody, Some(_)) => false,
            (_, _, _) => true,
        }
    }

    pub(super) fn craft(
        &mut self,
        amount: Amount,
        (recipe, drawn): (usize, Option<usize>),
        at: &At,
    ) -> Result<u64, No> {
        let is_its_own = |holder: usize| self.actor.is_none_or(|actor| actor == holder);
        if !matches!(at, At::Container(_)) && !matches!(at, At::Holder(holder) if is_its_own(*holder)) {
            return Err(no("unknown"));
        }
        let spec = &self.rules.recipes[recipe];
        if drawn.is_some_and(|number| !(1..=spec.yields.len()).contains(&number)) {
            return Err(no("unknown"));
        }
        let most = spec.max_times();
        if !self.is_here(recipe, at) {
            return Err(no("no-recipe"));
        }
        let (requested, exact) = match amount {
            Amount::Exactly(times) if times > 0 && u64::from(times) <= most => (u64::from(times), true),
            Amount::UpTo(times) if times > 0 => (most.min(u64::from(times)), false),
            _ => return Err(no("bad-amount")),
        };
        let working = self.station(at).is_some_and(|index| self.state.jobs[index].is_some());
        if self.rules.recipes[recipe].duration > 0 && working {
            return Err(no("working"));
        }
        let mut tries = (1..=requested).rev().map(|times| {
            let mut copy = self.clone();
            let list = copy.craft_times(times, (recipe, drawn), at);
            (times, list, copy.state)
        });
        let (times, first, state) = tries.next().expect("one at least");
        if first.is_empty() {
            self.state = state;
            return Ok(times);
        }
        let (could, state, last) =
            tries.fold((0, None, first.clone()), |(could, best, _), (times, list, state)| match list.is_empty() {
                true if could == 0 => (times, Some(state), list),
                _ => (could, best, list),
            });
        match state.filter(|_| !exact) {
            Some(state) => {
                self.state = state;
                Ok(could)
            }
            None => {
                let list = if exact { first } else { last };
                let first = list.first().expect("a reason").clone();
                self.list = in_order(list);
                Err(No { max_amount: could, ..first })
            }
        }
    }

    /// The checks that fail, or an empty list if it is done.
    pub(super) fn craft_times(&mut self, times: u64, (recipe, drawn): (usize, Option<usize>), at: &At) -> Vec<No> {
        let spec = self.rules.recipes[recipe].clone();
        let before = self.clone();
        if self.lists == 0 {
            self.list_start = Some(self.state.clone());
            self.lost = self.absent().into_iter().collect();
        }
        self.lists += 1;
        if let At::Container(_) = at {
            self.actor = None;
        }
        let (used, missing) = self.allocated(i64::try_from(times).unwrap(), &spec, at);
        let mut failed = Vec::new();
        if missing.is_empty() && Fault::OutputsBeforeInputsGo.is_on() {
            // They need room beside the inputs.
            let outputs = spec.made(drawn).into_iter();
            let mut outputs = outputs.map(|(kind, each)| (kind, u32::try_from(u64::from(each) * times).unwrap()));
            let mut early = self.clone();
            early.lists = 1;
            let to = self.place_of_outputs(&spec, at).unwrap_or_else(|| at.clone());
            if !outputs
                .all(|(kind, count)| early.create(Amount::Exactly(count), kind, &Look::default(), &to, (0, 0)).is_ok())
            {
                failed.push(no("no-room"));
            }
        }
        for &(id, count) in used.iter().filter(|(_, count)| *count > 0 && missing.is_empty()) {
            self.list.clear();
            let Cell::Slot(inside, slot) = self.state.find(id).expect("a place") else { unreachable!("a slot") };
            let from = At::Slot(inside.clone(), slot);
            for _ in 0..1 + u32::from(Fault::InputsUsedTwice.is_on()) {
                if let Err(no) = self.carry(Amount::Exactly(count), None, &from, &Going::Out, (0, 0), false) {
                    let list = std::mem::take(&mut self.list);
                    failed.extend(if list.is_empty() { vec![no] } else { list });
                    // The outputs are checked as if it left.
                    self.state.lessen(&Cell::Slot(inside.clone(), slot), count);
                }
            }
        }
        if missing.is_empty() && !spec.holds {
            // Whatever is drawn must fit.
            let others = (1..=spec.yields.len()).map(Some).filter(|other| *other != drawn);
            let others = others.filter(|_| !Fault::OnlyWhatIsDrawnFits.is_on());
            let first = others
                .map(|other| self.clone().make_all(&before, times, (&spec, other), at))
                .find(|failed| !failed.is_empty());
            failed.extend(first.unwrap_or_else(|| self.make_all(&before, times, (&spec, drawn), at)));
        }
        self.lists -= 1;
        if self.lists == 0 {
            self.list_start = None;
        }
        if spec.duration > 0 {
            self.state = before.state.clone();
            if let Some(index) = self.station(at).filter(|_| missing.is_empty() && failed.is_empty()) {
                self.start((recipe, drawn), times, &used, index);
            }
        }
        (self.list, self.actor, self.caps_later) = (before.list, before.actor, before.caps_later);
        missing.into_iter().chain(in_order(failed)).collect()
    }

    /// Where the outputs of a recipe go, unless that is away.
    pub(super) fn place_of_outputs(&self, spec: &RecipeSpec, at: &At) -> Option<At> {
        let to = spec.outputs_to.filter(|_| !Fault::OutputsStayWhereMade.is_on());
        match to {
            None => Some(at.clone()),
            Some(to) if self.state.gone.contains(&to) => None,
            Some(to) => Some(At::Container(Inside::container(to))),
        }
    }

    /// Makes all of it, or returns the checks that fail.
    fn make_all(
        &mut self,
        before: &Model,
        times: u64,
        (spec, drawn): (&RecipeSpec, Option<usize>),
        at: &At,
    ) -> Vec<No> {
        let Some(at) = &self.place_of_outputs(spec, at) else { return vec![no("unknown")] };
        let made = spec.made(drawn);
        let emptied = Model { lists: before.lists, earlier: Some(Box::new(before.clone())), ..self.clone() };
        let number = |each: u32| u32::try_from(u64::from(each) * times).unwrap();
        let outputs: Vec<(usize, u32)> = made.iter().map(|&(kind, each)| (kind, number(each))).collect();
        let is_made = outputs
            .iter()
            .all(|&(kind, count)| self.create(Amount::Exactly(count), kind, &Look::default(), at, (0, 0)).is_ok());
        match !is_made || self.lists == 1 && !self.all_worse(before).is_empty() {
            true => emptied.why_not_made(&outputs, at),
            false => Vec::new(),
        }
    }

    /// The checks that fail for all outputs together.
    fn why_not_made(mut self, outputs: &[(usize, u32)], at: &At) -> Vec<No> {
        self.be_exact(true);
        let portion = |&(kind, count): &(usize, u32)| {
            let stack = self.new_stack(kind, &Look::default());
            Portion { stack, count: i64::from(count), cell: None }
        };
        let portions: Vec<Portion> = outputs.iter().map(portion).collect();
        self.reasons(&portions, &Going::To(at.clone()))
    }

    /// Each position of a pattern, from the first slot on: its slots with their inputs.
    pub(crate) fn places(
        (columns, cells, mirrored): &(usize, Vec<Option<usize>>, bool),
        slots: usize,
        wide: usize,
    ) -> Vec<Vec<(usize, Option<usize>)>> {
        let mut found = Vec::new();
        for first in 0..slots {
            for way in [false, true].into_iter().filter(|way| !way || *mirrored || Fault::AlwaysMirrored.is_on()) {
                let mut place = Vec::new();
                for (nth, input) in cells.iter().enumerate() {
                    let across = if way { columns - 1 - nth % columns } else { nth % columns };
                    let (row, column) = (first / wide + nth / columns, first % wide + across);
                    let slot = row * wide + column;
                    if column < wide && slot < slots {
                        place.push((slot, *input));
                    }
                }
                if place.len() == cells.len() {
                    found.push(place);
                }
            }
        }
        found
    }

    /// The first position that has one of each input.
    fn place_of_pattern(&self, spec: &RecipeSpec, at: &At) -> Option<Vec<(u64, usize)>> {
        let At::Container(inside) = at else { return None };
        let pattern = spec.pattern.as_ref()?;
        let slots = self.state.slots(inside);
        let lies = |&(slot, input): &(usize, Option<usize>)| match (input, &slots[slot]) {
            (None, None) => Some(None),
            (Some(input), Some(stack)) => {
                let cell = Cell::Slot(inside.clone(), slot);
                let suits =
                    self.may_be_used_up(spec, stack, &cell) && self.rules.admits(Some(&spec.inputs[input].0), stack);
                suits.then_some(Some((stack.id, input)))
            }
            _ => None,
        };
        let columns = self.state.spec(&self.rules, inside).wide();
        let mut places = Model::places(pattern, slots.len(), columns).into_iter();
        let laid = places.find_map(|place| place.iter().map(lies).collect::<Option<Vec<_>>>());
        laid.map(|laid| laid.into_iter().flatten().collect())
    }

    fn may_be_used_up(&self, spec: &RecipeSpec, stack: &Stack, cell: &Cell) -> bool {
        // No container works on a pack.
        (spec.duration == 0 || stack.inside.is_none())
            && self.all_stuck(cell, stack, &Going::Out).iter().all(|no| no.reason == "protected")
    }

    /// The items that are used up, and what is missing.
    fn allocated(&self, times: i64, spec: &RecipeSpec, at: &At) -> (Vec<(u64, u32)>, Vec<No>) {
        if spec.pattern.is_none() {
            return self.taken(times, spec, at, None);
        }
        let Some(laid) = self.place_of_pattern(spec, at) else {
            let (_, missing) = self.taken(1, spec, at, None);
            return (Vec::new(), if missing.is_empty() { vec![no("no-pattern")] } else { missing });
        };
        self.taken(times, spec, at, Some(&laid))
    }

    /// How many of each stack are used up, and what is missing. Item by item: the tools keep the
    /// last ones that suit them, then each input takes the first ones, or first of all those that lie
    /// in the pattern.
    fn taken(
        &self,
        times: i64,
        spec: &RecipeSpec,
        at: &At,
        laid: Option<&[(u64, usize)]>,
    ) -> (Vec<(u64, u32)>, Vec<No>) {
        let ids = self.sources(None, at, &Going::Out).unwrap_or_default();
        let stack = |id: u64| {
            let cell = self.state.find(id).expect("a place");
            (self.state.get(&cell).expect("a stack").clone(), cell)
        };
        let mut items: Vec<(u64, Stack, bool)> = Vec::new();
        for (stack, cell) in ids.iter().map(|&id| stack(id)) {
            let may_go = self.may_be_used_up(spec, &stack, &cell);
            items.extend((0..stack.count).map(|_| (stack.id, stack.clone(), may_go)));
        }
        let (mut used, mut missing): (Vec<u64>, Vec<No>) = (Vec::new(), Vec::new());
        let mut there = vec![0i64; spec.inputs.len()];
        for &(id, input) in laid.into_iter().flatten() {
            for _ in 0..times {
                let Some(first) = items.iter().position(|(of, _, _)| *of == id) else { break };
                used.push(items.remove(first).0);
                there[input] += 1;
            }
        }
        let short = |required: i64, there: i64| because("not-enough", required * 1_000, there * 1_000);
        let mut tools = Vec::new();
        for (filter, count) in &spec.tools {
            let mut kept = 0;
            while kept < i64::from(*count) {
                let Some(last) = items.iter().rposition(|(_, stack, _)| self.rules.admits(Some(filter), stack)) else {
                    tools.push(short(i64::from(*count), kept));
                    break;
                };
                items.remove(last);
                kept += 1;
            }
        }
        for (nth, (filter, count)) in spec.inputs.iter().enumerate() {
            let (required, mut taken) = (i64::from(*count) * times, there[nth]);
            if laid.is_some() && taken < required {
                missing.push(short(required, taken));
            }
            while laid.is_none() && taken < required {
                let suits = |(_, stack, may_go): &(u64, Stack, bool)| *may_go && self.rules.admits(Some(filter), stack);
                let Some(first) = items.iter().position(suits) else {
                    missing.push(short(required, taken));
                    break;
                };
                used.push(items.remove(first).0);
                taken += 1;
            }
        }
        missing.extend(tools);
        let count = |id: u64| u32::try_from(used.iter().filter(|it| **it == id).count()).unwrap();
        (ids.iter().map(|&id| (id, count(id))).collect(), missing)
    }
}
