//! From operations by names to requests of the model; `None` if a name leads nowhere or can't be
//! meant.

use std::collections::BTreeMap;

use hypotheke::{Landing, LiftAmount, NamedAction, NamedOperation, NamedVariant, OfferedOf, Path, PathRoot, PathStep};

use crate::model::{At, Cell, Inside, Look, Model, Names, Offer, Owner, Part, Request, Root, Who};

struct Reader<'m> {
    model: &'m Model,
    actor: Option<usize>,
}

pub(super) fn request(model: &Model, operation: &NamedOperation) -> Option<Request> {
    let known = |name: &str| Names::find(&model.rules.names.holders, name);
    let holder = |name: &str| known(name).filter(|&holder| model.is_there(Who::Holder(holder)));
    let actor = match &operation.actor {
        Some(name) => Some(holder(name.as_str())?),
        None => None,
    };
    let reader = Reader { model, actor };
    let request = reader.action(&operation.action)?;
    match actor.filter(|_| !request.is_of_holder()) {
        Some(holder) => Some(Request::By(holder, Box::new(request))),
        None => Some(request),
    }
}

/// The first step that names a place inside a container whose contents the actor may not see, be it
/// there or not; a single operation has no step.
pub(super) fn hidden(model: &Model, operation: &NamedOperation, list: Option<usize>) -> Option<Option<usize>> {
    let own = operation.actor.as_ref().and_then(|name| Names::find(&model.rules.names.holders, name.as_str()));
    let actor = own.or(list).filter(|&actor| model.is_there(Who::Holder(actor)));
    if let NamedAction::Together { steps } = &operation.action {
        let known =
            steps.iter().take_while(|step| hidden(model, step, actor).is_some() || request(model, step).is_some());
        return known.enumerate().find_map(|(index, step)| hidden(model, step, actor).map(|_| Some(index)));
    }
    let reader = Reader { model, actor: Some(actor?) };
    operation.action.places().any(|path| reader.is_hidden(path)).then_some(None)
}

fn position(landing: &Landing) -> (i64, i64) {
    assert_eq!(landing.within, None, "the model scatters nothing");
    (landing.at.x.thousandths(), landing.at.y.thousandths())
}

impl Reader<'_> {
    fn kind(&self, name: &hypotheke::text::Word) -> Option<usize> {
        Names::find(&self.model.rules.names.kinds, name.as_str())
    }

    /// `None` means that no kind is named, which is valid; an unknown kind is not.
    fn some_kind(&self, name: Option<&hypotheke::text::Word>) -> Option<Option<usize>> {
        name.map_or(Some(None), |name| self.kind(name).map(Some))
    }

    fn present(&self, name: &hypotheke::text::Word) -> Option<usize> {
        let holder = Names::find(&self.model.rules.names.holders, name.as_str())?;
        self.model.is_there(Who::Holder(holder)).then_some(holder)
    }

    fn mark(&self, name: &hypotheke::text::Word) -> Option<usize> {
        Names::find(&self.model.rules.names.marks, name.as_str())
    }

    fn property(&self, name: &hypotheke::text::Word) -> Option<usize> {
        Names::find(&self.model.rules.names.properties, name.as_str())
    }

    fn created(&self, kind: &hypotheke::text::Word, variant: &NamedVariant) -> Option<(usize, Look)> {
        let marks = variant.marks.iter().map(|mark| self.mark(mark)).collect::<Option<_>>()?;
        let kind = self.kind(kind)?;
        let first = &self.model.rules.kinds[kind].properties;
        let mut changed = BTreeMap::new();
        for (name, value) in &variant.properties {
            changed.insert(self.property(name).filter(|id| first.contains_key(id))?, value.thousandths());
        }
        Some((kind, (marks, changed)))
    }

    fn action(&self, action: &NamedAction) -> Option<Request> {
        Some(match action {
            NamedAction::Create { amount, kind, variant, to, landing } => {
                let (kind, look) = self.created(kind, variant)?;
                Request::Create(*amount, kind, look, self.place(to)?, position(landing))
            }
            NamedAction::Consume { amount, kind, from } => {
                Request::Consume(*amount, self.some_kind(kind.as_ref())?, self.place(from)?)
            }
            NamedAction::Move { amount, kind, from, to } => {
                Request::Move(*amount, self.some_kind(kind.as_ref())?, self.place(from)?, self.place(to)?)
            }
            NamedAction::Split { count, from, to } => Request::Split(*count, self.place(from)?, self.place(to)?),
            NamedAction::Merge { amount, from, onto } => Request::Merge(*amount, self.place(from)?, self.place(onto)?),
            NamedAction::Swap { one, other } => Request::Swap(self.place(one)?, self.place(other)?),
            NamedAction::Drop { amount, kind, from, landing } => {
                let from = from.as_ref().map_or(self.actor.map(At::Holder), |from| self.place(from))?;
                Request::Drop(*amount, self.some_kind(kind.as_ref())?, from, position(landing))
            }
            NamedAction::PickUp { amount, kind, from, to } => {
                let stack = match from.as_ref().map(|from| self.place(from)) {
                    None | Some(Some(At::Ground)) => None,
                    Some(Some(At::OnGround(id))) => Some(id),
                    Some(_) => return None,
                };
                let to = to.as_ref().map_or(self.actor.map(At::Holder), |to| self.place(to))?;
                Request::PickUp(*amount, self.some_kind(kind.as_ref())?, stack, to)
            }
            NamedAction::Mark { at, mark } => Request::Mark(self.place(at)?, self.mark(mark)?),
            NamedAction::Unmark { at, mark } => Request::Unmark(self.place(at)?, self.mark(mark)?),
            NamedAction::Set { property, at, value } => {
                Request::Set(self.place(at)?, self.property(property)?, value.thousandths())
            }
            NamedAction::Lift { share, from } => {
                let part = match share {
                    LiftAmount::Amount(amount) => Part::Amount(*amount),
                    LiftAmount::Half => Part::Half,
                };
                Request::Lift(self.actor, part, self.place(from)?)
            }
            NamedAction::Put { amount, to } => Request::Put(self.actor, *amount, self.place(to)?),
            NamedAction::Return { amount } => Request::Return(self.actor, *amount),
            NamedAction::Equip { amount, from } => Request::Equip(self.actor, *amount, self.place(from)?),
            NamedAction::Unequip { amount, from, to } => {
                let to = match to {
                    Some(to) => Some(self.place(to)?),
                    None => None,
                };
                Request::Unequip(self.actor, *amount, self.place(from)?, to)
            }
            NamedAction::Together { steps } => {
                Request::Together(steps.iter().map(|step| request(self.model, step)).collect::<Option<_>>()?)
            }
            NamedAction::Sort { at, by } => Request::Sort(self.place(at)?, *by),
            NamedAction::Resize { at, slots, spill } => Request::Resize(self.place(at)?, *slots as usize, *spill),
            NamedAction::Open { at } => Request::Open(self.actor, self.place(at)?),
            NamedAction::Close { at } => Request::Close(self.actor, self.place(at)?),
            NamedAction::Buy { amount, kind, at } => {
                Request::Buy(self.actor, *amount, self.kind(kind)?, self.place(at)?)
            }
            NamedAction::Sell { amount, kind, at } => {
                Request::Sell(self.actor, *amount, self.kind(kind)?, self.place(at)?)
            }
            NamedAction::Use { amount, kind, from } => {
                let from = match from {
                    Some(from) => self.place(from)?,
                    None => At::Holder(self.actor?),
                };
                Request::Use(self.actor, *amount, self.kind(kind)?, from)
            }
            NamedAction::Craft { amount, recipe, at, yield_number } => {
                let recipe = Names::find(&self.model.rules.names.recipes, recipe.as_str())?;
                let own = || self.actor.map(At::Holder);
                let at = at.as_ref().map_or_else(own, |at| self.place(at))?;
                Request::Craft(*amount, (recipe, yield_number.map(|number| number as usize)), at)
            }
            NamedAction::Cancel { recipe, at } => {
                let recipe = Names::find(&self.model.rules.names.recipes, recipe.as_str())?;
                Request::Cancel(recipe, self.place(at)?)
            }
            NamedAction::Wait { ticks } => Request::Wait(*ticks),
            NamedAction::Trade { one, other } => Request::Trade(self.offered(one)?, self.offered(other)?),
            NamedAction::Give { at, to } => {
                let owner = match to {
                    Some(name) => Some(self.present(name)?),
                    None => None,
                };
                Request::Give(self.place(at)?, owner)
            }
            NamedAction::Leave => Request::Leave(self.actor),
            NamedAction::Deposit { into } => Request::Deposit(self.actor, self.place(into)?),
            NamedAction::Bind { kind, at } => {
                let (holder, shortcut) = self.shortcut(at)?;
                Request::Bind(holder, self.kind(kind)?, shortcut)
            }
            NamedAction::Unbind { at } => {
                let (holder, shortcut) = self.shortcut(at)?;
                Request::Unbind(holder, shortcut)
            }
            NamedAction::Depart { who } => Request::Depart(self.place(who)?),
            NamedAction::Arrive { who, .. } => {
                let rules = &self.model.rules;
                let holder = Names::find(&rules.names.holders, who.name.as_str()).map(Who::Holder);
                let container = || rules.find_container(None, who.name.as_str()).map(Who::Container);
                let who = holder.or_else(container)?;
                self.model.documents.contains_key(&who).then_some(Request::Arrive(who))?
            }
        })
    }

    fn offered(&self, offered: &OfferedOf<hypotheke::Names>) -> Option<Offer> {
        Some((offered.count, self.kind(&offered.kind)?, self.present(&offered.of)?))
    }

    fn shortcut(&self, path: &Path) -> Option<(usize, usize)> {
        match (path.root(), path.steps()) {
            (PathRoot::Name(bar), [PathStep::Slot(slot)]) if &**bar == "shortcuts" => {
                Some((self.actor?, *slot as usize))
            }
            (PathRoot::Of(holder, bar), [PathStep::Slot(slot)]) if &**bar == "shortcuts" => {
                let holder = Names::find(&self.model.rules.names.holders, holder)?;
                self.model.is_there(Who::Holder(holder)).then_some((holder, *slot as usize))
            }
            _ => None,
        }
    }

    /// A place that is there.
    fn place(&self, path: &Path) -> Option<At> {
        self.written_place(path).filter(|at| self.model.is_place_there(at))
    }

    fn sees(&self, at: &Inside) -> bool {
        self.actor.is_none_or(|actor| self.model.sees_as(actor, at))
    }

    /// Whether the contents of a container decide where the path leads, and the actor may not see them.
    fn is_hidden(&self, path: &Path) -> bool {
        if let PathRoot::Stack(id) = path.root() {
            let rules = &self.model.rules;
            let at = match self.model.state.find(id.serial()) {
                Some(Cell::Slot(inside, _)) if self.sees(&inside) => inside,
                Some(Cell::Ground(_)) => return false,
                _ => {
                    let holders = (0..rules.holders.len()).filter(|&holder| self.model.is_there(Who::Holder(holder)));
                    let containers = (0..rules.containers.len()).map(Inside::container);
                    let mut all = containers.filter(|at| self.model.is_place_there(&At::Container(at.clone())));
                    return all.any(|at| !self.sees(&at)) || holders.map(Inside::hand).any(|hand| !self.sees(&hand));
                }
            };
            let Some(Cell::Slot(_, slot)) = self.model.state.find(id.serial()) else { return false };
            return !path.steps().is_empty() && self.passes_hidden(at.step(slot), path.steps());
        }
        let Some((root, steps)) = self.root(path) else { return false };
        let inside = Inside { root, steps: Vec::new() };
        match root {
            _ if !self.model.is_place_there(&At::Container(inside.clone())) => false,
            Root::Hand(_) if steps.is_empty() => false,
            Root::Hand(_) => {
                let is_pack = self.model.state.slots(&inside)[0].as_ref().is_some_and(|stack| stack.inside.is_some());
                !self.sees(&inside) || is_pack && self.passes_hidden(inside.step(0), steps)
            }
            _ => self.passes_hidden(inside, steps),
        }
    }

    /// Follows the steps from pack to pack.
    fn passes_hidden(&self, mut inside: Inside, steps: &[PathStep]) -> bool {
        let Some((last, ways)) = steps.split_last() else { return false };
        for way in ways {
            if matches!(way, PathStep::Stack(_)) {
                return !self.sees(&inside);
            }
            let Some(slot) = self.slot(&inside, way) else { return false };
            let Some(cell) = self.model.state.slots(&inside).get(slot) else { return false };
            if !self.sees(&inside) {
                return true;
            }
            if cell.as_ref().is_none_or(|stack| stack.inside.is_none()) {
                return false;
            }
            inside = inside.step(slot);
        }
        matches!(last, PathStep::Stack(_)) && !self.sees(&inside)
    }

    fn written_place(&self, path: &Path) -> Option<At> {
        match (path.root(), path.steps()) {
            (PathRoot::Ground, []) => Some(At::Ground),
            (PathRoot::Ground, [PathStep::Stack(id)]) => {
                let there = self.model.state.ground.iter().any(|(stack, _)| stack.id == id.serial());
                there.then(|| At::OnGround(id.serial()))
            }
            (PathRoot::Stack(id), steps) => self.of_stack(id.serial(), steps),
            (PathRoot::Name(name), steps) if let Some(holder) = Names::find(&self.model.rules.names.holders, name) => {
                steps.is_empty().then_some(At::Holder(holder))
            }
            _ => match self.root(path)? {
                (Root::Hand(holder), []) => Some(At::Slot(Inside::hand(holder), 0)),
                (root, steps) => self.walk(root, steps),
            },
        }
    }

    /// Where a path begins that leads into a container, a hand, or a pack on the ground.
    fn root<'p>(&self, path: &'p Path) -> Option<(Root, &'p [PathStep])> {
        let rules = &self.model.rules;
        let steps = path.steps();
        let own = |holder: usize, own: &str| match own {
            "hand" => Some(Root::Hand(holder)),
            own => rules.find_container(Some(holder), own).map(Root::Container),
        };
        let root = match path.root() {
            PathRoot::Ground => match steps {
                [PathStep::Stack(id), further @ ..] => return Some((Root::Landing(id.serial()), further)),
                _ => return None,
            },
            // A standing one, or the holder's own.
            PathRoot::Name(name) => match rules.find_container(None, name) {
                Some(standing) => Root::Container(standing),
                None => own(self.actor?, name)?,
            },
            PathRoot::Of(holder, name) => own(Names::find(&rules.names.holders, holder)?, name)?,
            PathRoot::Stack(_) => return None,
        };
        Some((root, steps))
    }

    /// Where a stack is by now, or a place within it.
    fn of_stack(&self, id: u64, steps: &[PathStep]) -> Option<At> {
        let state = &self.model.state;
        if !steps.is_empty() {
            return self.walk_from(state.find_owner(Owner::Pack(id))?, steps);
        }
        Some(match state.find(id)? {
            Cell::Slot(inside, slot) => At::Slot(inside, slot),
            Cell::Ground(id) => At::OnGround(id),
        })
    }

    fn walk(&self, root: Root, steps: &[PathStep]) -> Option<At> {
        let mut inside = Inside { root, steps: Vec::new() };
        if let Root::Hand(holder) = root {
            self.model.state.hands[holder][0].as_ref()?.inside.as_ref()?;
            inside = inside.step(0);
        }
        if let Root::Landing(id) = root {
            let (stack, _) = self.model.state.ground.iter().find(|(stack, _)| stack.id == id)?;
            stack.inside.as_ref()?;
        }
        self.walk_from(inside, steps)
    }

    fn walk_from(&self, mut inside: Inside, steps: &[PathStep]) -> Option<At> {
        let Some((last, ways)) = steps.split_last() else { return Some(At::Container(inside)) };
        for way in ways {
            let slot = self.slot(&inside, way)?;
            let stack = self.model.state.slots(&inside).get(slot)?.as_ref()?;
            stack.inside.as_ref()?;
            inside = inside.step(slot);
        }
        if *last == PathStep::Inside {
            return Some(At::Container(inside));
        }
        let slot = self.slot(&inside, last)?;
        (slot < self.model.state.slots(&inside).len()).then_some(At::Slot(inside, slot))
    }

    /// A slot by its number or its name.
    fn slot(&self, inside: &Inside, step: &PathStep) -> Option<usize> {
        match step {
            PathStep::Slot(slot) => Some(*slot as usize),
            PathStep::NamedSlot(name) => {
                let ruled = &self.model.state.spec(&self.model.rules, inside).ruled;
                let names = &self.model.rules.names.slots;
                ruled.iter().position(|rule| rule.name.is_some_and(|number| **name == *names[number]))
            }
            _ => None,
        }
    }
}
