//! Use: items leave the world or wear, and the meters of the holder that acts change.

use super::faults::Fault;
use super::state::{At, Cell, Stack};
use super::{Amount, Going, MeterSpec, Model, No, because, no};

impl Model {
    pub(super) fn use_items(
        &mut self,
        holder: Option<usize>,
        amount: Amount,
        kind: usize,
        from: &At,
    ) -> Result<u64, No> {
        let Some(holder) = holder else { return Err(no("unknown")) };
        let going = if self.rules.kinds[kind].lowers.is_empty() { Going::Out } else { Going::Used };
        self.sources(Some(kind), from, &going)?;
        if self.rules.kinds[kind].effects.is_none() {
            return Err(no("no-use"));
        }
        let (requested, exact) = match amount {
            Amount::Exactly(count) => (count, true),
            Amount::UpTo(count) => (count, false),
            Amount::All => return Err(no("bad-amount")),
        };
        let allowed = (1..=requested).take_while(|&uses| self.beyond(holder, kind, uses).is_empty()).count() as u64;
        let checked = if exact { requested } else { 1 };
        let before = self.clone();
        let mut done = match self.carry(amount, Some(kind), from, &going, (0, 0), false) {
            Ok(done) => done,
            // Nothing else is checked then.
            Err(refused) if refused.reason == "bad-amount" => return Err(refused),
            Err(refused) => {
                let list = std::mem::take(&mut self.list);
                let list = if list.first().is_none_or(|no| no.reason != refused.reason) {
                    vec![refused.clone()]
                } else {
                    list
                };
                let list = list.into_iter().chain(before.beyond(holder, kind, checked)).collect();
                return Err(self.refuse(list, refused.max_amount.min(allowed)));
            }
        };
        if done > allowed {
            let list = std::mem::take(&mut self.list);
            *self = before.clone();
            if exact || allowed == 0 {
                return Err(self.refuse(before.beyond(holder, kind, checked), allowed));
            }
            let some = Amount::UpTo(u32::try_from(allowed).unwrap());
            done = self.carry(some, Some(kind), from, &going, (0, 0), false)?;
            self.list = list;
        }
        if done < u64::from(requested) {
            self.list.extend(before.beyond(holder, kind, requested));
        }
        for id in std::mem::take(&mut self.worn) {
            let cell = self.state.find(id).expect("a place");
            let stack = self.state.get(&cell).expect("a stack").clone();
            self.put_elsewhere(&cell, &stack);
        }
        for (meter, value, changed) in before.changed(holder, kind, u32::try_from(done).unwrap()) {
            let spec = &self.rules.meters[holder][&meter];
            // Nothing goes further beyond a bound than it is.
            let within = changed.clamp(spec.min.min(value), spec.max.max(value));
            self.state.meters[holder].insert(meter, if Fault::MeterBeyondItsBound.is_on() { changed } else { within });
        }
        Ok(done)
    }

    /// Nothing falls below 0 by its use.
    pub(super) fn too_low(&self, stack: &Stack) -> Option<No> {
        let lowers = &self.rules.kinds[stack.kind].lowers;
        let low = lowers.iter().find(|(property, by)| stack.properties[*property] < **by);
        low.map(|(property, by)| because("not-enough", *by, stack.properties[property]))
    }

    pub(super) fn wear(&mut self, cell: &Cell) {
        let lowers = self.rules.kinds[self.state.get(cell).expect("a stack").kind].lowers.clone();
        let stack = self.state.get_mut(cell).expect("a stack");
        for (property, by) in lowers {
            *stack.properties.get_mut(&property).expect("a property") -= by;
        }
        let id = stack.id;
        self.worn.push(id);
    }

    /// The meters of the holder that change, each with its value before and after, as if there were
    /// no bounds.
    fn changed(&self, holder: usize, kind: usize, uses: u32) -> Vec<(usize, i64, i64)> {
        let effects = self.rules.kinds[kind].effects.iter().flatten();
        let change = |(meter, each): (&usize, &i64)| {
            let value = *self.state.meters[holder].get(meter)?;
            let uses = if Fault::OneEffectForAll.is_on() { 1 } else { i64::from(uses) };
            Some((*meter, value, value + each * uses))
        };
        effects.filter_map(change).collect()
    }

    /// The meters that refuse this number of uses.
    fn beyond(&self, holder: usize, kind: usize, uses: u32) -> Vec<No> {
        let refused = |(meter, value, changed): (usize, i64, i64)| {
            let MeterSpec { min, max, refuses, .. } = self.rules.meters[holder][&meter];
            let bound = if changed > value { max.max(value) } else { min.min(value) };
            let is_beyond = if changed > value { changed > bound } else { changed < bound };
            (refuses && is_beyond).then(|| because("meter", changed, bound))
        };
        self.changed(holder, kind, uses).into_iter().filter_map(refused).collect()
    }
}
